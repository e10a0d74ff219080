"""`skarvin` alone: how far the transfers of this folder are, and the next command of each."""

from collections.abc import Sequence
from pathlib import Path

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
    option = "" if name == "transfer.toml" else f" --transfer {_quoted(name)}"
    moves = f"{', '.join(state.exports)} -> {state.form}" if state.form else ""
    at = state.when[:16].replace("T", " ")
    said = [f"  {heading('Next')}: {_next(state, option)}", ""]
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


def _next(state: TransferState, option: str) -> str:
    """Return the next command, or the next thing to do."""
    match state.stage:
        case Stage.UNREADABLE:
            return f"mend that, then skarvin preview{option}"
        case Stage.WRITTEN:
            return _next_of_written(state, option)
        case _:
            return f"skarvin preview{option}"


def _next_of_written(state: TransferState, option: str) -> str:
    """Return what comes after a write: a decision, the upload, its confirmation."""
    decide = f"skarvin preview{option} says how to decide" if state.to_decide else ""
    if state.confirmed:
        return decide or "nothing, until the next export"
    upload = f"upload {listing(state.imports)}" if state.imports else "type the marks"
    after = f"{upload}, then skarvin confirm FRESH_EXPORT{option}"
    return f"{decide}; or {after}" if decide else f"read the report, {after}"


def _confirmed(state: TransferState) -> str:
    """Return whether it was confirmed that the marks arrived, and what was found."""
    if not state.confirmed:
        return "not confirmed"
    found = ", ".join(f"{count:,} {what}" for what, count in state.found if count)
    return f"confirmed on {state.confirmed[:16].replace('T', ' ')} ({found})"


def _quoted(name: str) -> str:
    return f'"{name}"' if " " in name else name
