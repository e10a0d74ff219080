"""The last lines of `preview` and `write`: the verdict, what to decide and how, and the next command."""

from skarvin.cli.output import heading, warning
from skarvin.cli.table import wrap
from skarvin.core.transfer.settling import Settled
from skarvin.reports.next_steps import next_steps
from skarvin.reports.verdict import to_decide, verdict


def format_end(settled: Settled, *, is_written: bool, is_typed: bool = False) -> list[str]:
    """Return the last lines; of a write without the verdict, which stands on the same screen."""
    where = "" if settled.file.name == "transfer.toml" else f" --transfer {settled.file.name}"
    steps = next_steps(settled)
    parts = ["", "Nothing was written. " + verdict(settled, is_written=False)] if not is_written else []
    parts = [part and wrap(part) for part in parts]
    if steps:
        parts += ["", warning(wrap(to_decide(settled)))]
        parts += [wrap(str(step), 2) for step in steps]
    if not is_written:
        after = ", then again skarvin preview; or" if steps else ""
        done = " as it is, without what is held" if steps else ""
        parts += [
            "",
            wrap(f"{heading('Next')}: " + (f"decide{after} " if steps else "") + f"skarvin write{where}{done}"),
        ]
    else:
        upload = "type the marks" if is_typed else "upload the import file"
        parts += [
            "",
            wrap(f"{heading('Next')}: read the report, then {upload}; then skarvin confirm FRESH_EXPORT{where}"),
        ]
    return parts
