"""`skarvin` alone: how far the transfers of this folder are, and the next command of each."""

from collections.abc import Sequence
from pathlib import Path

from skarvin.cli.next_command import FRESH, command_line, next_line
from skarvin.cli.output import heading, more, tidy, warning
from skarvin.cli.table import wrap
from skarvin.core.findings import counted, listing
from skarvin.core.transfer.transfer_state import Stage, TransferState, state_of, transfers_in

_SHOWN = 12


def format_folder(folder: Path) -> str:
    """Return how far the transfers of a folder are, or those one folder below; blank if there are none."""
    found = transfers_in(folder)
    if not found:
        below = sorted(path for path in folder.iterdir() if path.is_dir() and not path.name.startswith("."))
        found = [file for one in below for file in transfers_in(one)]
    tidy(*(file.parent for file in found))
    parts = [line for file in found[:_SHOWN] for line in _lines(folder, state_of(file))]
    rest = [more(_SHOWN, len(found), "skarvin in a folder of its own"), ""] if len(found) > _SHOWN else []
    return "\n".join([*parts, *rest, "Every command, in the order of work: skarvin --help\n"]) if parts else ""


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
    done = f"upload {listing(state.imports)}" if state.imports else "type the marks"
    decide = [f"{preview} says how to decide; or go on without what is held."] if state.to_decide else []
    return [*decide, f"Read the report and {done}; then:", command_line("confirm", file, FRESH)]


def _confirmed(state: TransferState) -> str:
    """Return whether it was confirmed that the marks arrived, and what was found."""
    if not state.confirmed:
        return "not confirmed"
    found = ", ".join(f"{count:,} {what}" for what, count in state.found if count)
    return f"confirmed on {state.confirmed[:16].replace('T', ' ')} ({found})"
