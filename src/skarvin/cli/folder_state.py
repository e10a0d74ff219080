"""`skarvin` alone: how far the transfers of this folder are, and the next command of each."""

from collections.abc import Sequence
from pathlib import Path

from skarvin.cli.came_from import came_from_service
from skarvin.cli.next_command import FRESH, command_line, next_line
from skarvin.cli.output import heading, tidy, warning
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.term import DATES, class_name, dates
from skarvin.core.findings import counted, listing
from skarvin.core.transfer.transfer_state import Stage, TransferState, state_of, transfers_in

_IN_FULL = 3
"""So many transfers fit a screen with all that is said of them."""


def format_folder(folder: Path) -> str:
    """Return how far the transfers of a folder are, or those one folder below; blank if there are none."""
    found = transfers_in(folder)
    if not found:
        below = sorted(path for path in folder.iterdir() if path.is_dir() and not path.name.startswith("."))
        found = [file for one in below for file in transfers_in(one)]
    tidy(*(file.parent for file in found))
    if len(found) > _IN_FULL:
        parts = _table(folder, [state_of(file) for file in found])
    else:
        parts = [line for file in found for line in _lines(folder, state_of(file))]
    return "\n".join([*parts, "Every command, in the order of work: skarvin --help\n"]) if parts else ""


def _table(folder: Path, states: Sequence[TransferState]) -> list[str]:
    """Return a line for each transfer, what is to be decided in each, and the next command of all."""
    rows, decide = [], list[str]()
    for state in states:
        name = class_name(state.file.relative_to(folder).as_posix())
        counts = (f"{state.sent:,}", f"{state.held:,}") if state.when else ("-", "-")
        rows.append((name, *counts, *dates(state)))
        what = state.to_decide.removeprefix("To decide: ")
        if state.finding:
            what = f"{state.finding}"
        elif state.questions:
            what = f"{counted(state.questions, 'question')} to answer in {state.file.relative_to(folder)}"
        decide += [wrap(f"{name}: {what}", 2)] if what else []
    heads = (Head("class", most=30), Head("sent", is_number=True), Head("waiting", is_number=True), *DATES)
    stages = {state.stage for state in states}
    parts = [heading(folder.resolve().name), format_table(heads, rows)]
    parts += ["", heading("To decide", "red"), *decide] if decide else []
    changed = [(state, listing(state.changed)) for state in states if state.changed]
    parts += ["", heading("Changed since the write", "red")] if changed else []
    parts += [wrap(f"{class_name(state.file.relative_to(folder).as_posix())}: {what}", 2) for state, what in changed]
    if not changed and all(state.confirmed and state.is_all_there for state in states):
        return [*parts, "", "Nothing is left to do until the next export.", ""]
    is_written = stages <= {Stage.WRITTEN, Stage.UNREADABLE}
    command = ("confirm", Path(), FRESH) if is_written else ("preview", Path())
    done = ["Read the reports, upload each import file, and export the classes from the target anew."]
    return [*parts, "", *(done if is_written else []), next_line(command_line(*command)), ""]


def _lines(folder: Path, state: TransferState) -> Sequence[str]:
    name = str(state.file.relative_to(folder))
    moves = f"{', '.join(state.exports)} -> {state.form}" if state.form else ""
    at = state.when[:16].replace("T", " ")
    *before, command = _next(state, Path(name))
    said = [*(wrap(line, 2) for line in before), f"  {next_line(command)}" if command else "", ""]
    said = said if command else [*said[:-2], ""]
    match state.stage:
        case Stage.UNREADABLE:
            return [heading(name), warning(wrap(f"{state.finding}", 2)), *said]
        case Stage.OPEN:
            return [heading(name), wrap(f"drafted; {counted(state.questions, 'question')} to answer", 2), *said]
        case Stage.DRAFTED:
            return [heading(name), wrap(moves, 2), "  drafted, no question open; not written yet", *said]
        case Stage.OUTDATED:
            changed = f"changed since: {listing(state.changed)}"
            return [heading(name), wrap(moves, 2), f"  written on {at}", warning(wrap(changed, 2)), *said]
        case Stage.WRITTEN:
            decide = [wrap(state.to_decide, 2)] if state.to_decide else ["  nothing held"]
            return [heading(name), wrap(moves, 2), wrap(f"written on {at}, {_confirmed(state)}", 2), *decide, *said]


def _next(state: TransferState, file: Path) -> Sequence[str]:
    """Return what to do, and last the next command; none where nothing is to be done."""
    preview = command_line("preview", file)
    if state.stage is Stage.UNREADABLE:
        return ["Mend that first.", preview]
    if state.stage is not Stage.WRITTEN:
        return [preview]
    if state.confirmed:
        if not state.is_all_there:
            again = "Not every mark has arrived: do what the confirmation says, and export the class anew; then:"
            return [again, command_line("confirm", file, FRESH)]
        return [preview] if state.to_decide else ["Nothing is left to do until the next export.", ""]
    imports = listing([str(file.parent / name) for name in state.imports])
    done = f"upload {imports}" if imports else "type the marks"
    decide = [f"{preview} says how to decide; or go on without what is held."] if state.to_decide else []
    if came_from_service(file.parent / state.form):
        return [*decide, "Read the report; then:", command_line("push", file)]
    return [*decide, f"Read the report and {done}; then:", command_line("confirm", file, FRESH)]


def _confirmed(state: TransferState) -> str:
    """Return whether it was confirmed that the marks arrived, and what was found."""
    if not state.confirmed:
        return "not confirmed"
    found = ", ".join(f"{count:,} {what}" for what, count in state.found if count)
    return f"confirmed on {state.confirmed[:16].replace('T', ' ')} ({found})"
