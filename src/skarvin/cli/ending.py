"""The last lines of `preview` and `write`: the verdict, what to decide and how, and the next command."""

from skarvin.cli.came_from import came_from_service
from skarvin.cli.next_command import FRESH, command_line, next_line
from skarvin.cli.output import warning
from skarvin.cli.table import screen_width, wrap
from skarvin.core.findings import listing
from skarvin.core.transfer.outputs import Outputs
from skarvin.core.transfer.settling import Settled
from skarvin.reports.next_steps import NextStep, next_steps
from skarvin.reports.verdict import to_decide, verdict


def format_end(settled: Settled, outputs: Outputs, *, is_written: bool, is_brief: bool = False) -> list[str]:
    """Return the last lines; without the verdict where that stands on the same screen."""
    steps = next_steps(settled)
    parts = [] if is_written or is_brief else ["", wrap("Nothing was written. " + verdict(settled, is_written=False))]
    if steps:
        parts += ["", warning(wrap(to_decide(settled)))]
        parts += map(_step, steps)
    if is_written:
        return [*parts, *([] if is_brief else [""]), *_after_write(settled, outputs)]
    following = _after_preview(settled, outputs)
    return [*parts, *(following[-1:] if is_brief else ["", *following])]


def _step(step: NextStep) -> str:
    """Return a step in lines that fit; a command stays in one line, so that it can be pasted."""
    if step.how.startswith("skarvin ") and len(f"  {step}") > screen_width():
        return f"{wrap(f'{step.what}:', 2)}\n    {step.how}"
    return wrap(str(step), 2)


def _after_preview(settled: Settled, outputs: Outputs) -> list[str]:
    decide = ["Decide and preview again; or go on without what is held."] if next_steps(settled) else []
    replace = ["--replace"] if any(path.exists() for path in outputs) else []
    return [*decide, next_line(command_line("write", settled.file, *replace))]


def _after_write(settled: Settled, outputs: Outputs) -> list[str]:
    results = settled.sides.results
    if results and results.told.delta and came_from_service(results.grid.file):
        return [wrap("Read the report, and send it."), next_line(command_line("push", settled.file))]
    named = listing([path.name for path in outputs.imports], 3)
    upload = "type the marks" if outputs.typed else f"upload {named}"
    return [
        wrap(f"Read the report, {upload}, and export the class from the target anew."),
        next_line(command_line("confirm", settled.file, FRESH)),
    ]
