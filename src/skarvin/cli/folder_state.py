"""`skarvin` alone: how far the transfers of this folder are, and the next command of each."""

from collections.abc import Sequence
from pathlib import Path

from skarvin.cli.output import heading, more, tidy, warning
from skarvin.cli.table import wrap
from skarvin.core.findings import counted, listing
from skarvin.core.transfer.standing import Stage, Standing, standing_of, transfers_in

_SHOWN = 12


def format_folder(folder: Path) -> str:
    """Return how far the transfers of a folder are, or those one folder below; blank if there are none."""
    found = transfers_in(folder)
    if not found:
        below = sorted(path for path in folder.iterdir() if path.is_dir() and not path.name.startswith("."))
        found = [file for one in below for file in transfers_in(one)]
    tidy(*(file.parent for file in found))
    parts = [line for file in found[:_SHOWN] for line in _lines(folder, standing_of(file))]
    rest = [more(_SHOWN, len(found), "skarvin in a folder of its own"), ""] if len(found) > _SHOWN else []
    return "\n".join([*parts, *rest, "Every command, in the order of work: skarvin --help\n"]) if parts else ""


def _lines(folder: Path, standing: Standing) -> Sequence[str]:
    name = str(standing.file.relative_to(folder))
    option = "" if name == "transfer.toml" else f" --transfer {_quoted(name)}"
    moves = f"{', '.join(standing.exports)} -> {standing.form}" if standing.form else ""
    at = standing.when[:16].replace("T", " ")
    said = [f"  {heading('Next')}: {_next(standing, option)}", ""]
    match standing.stage:
        case Stage.UNREADABLE:
            return [heading(name), warning(wrap(f"{standing.finding}", 2)), *said]
        case Stage.OPEN:
            return [heading(name), wrap(f"drafted; {counted(standing.questions, 'question')} to answer", 2), *said]
        case Stage.DRAFTED:
            return [heading(name), wrap(moves, 2), "  drafted, no question open; not written yet", *said]
        case Stage.OUTDATED:
            changed = f"changed since: {listing(standing.changed)}"
            return [heading(name), wrap(moves, 2), f"  written on {at}", warning(wrap(changed, 2)), *said]
        case Stage.WRITTEN:
            decide = [wrap(standing.to_decide, 2)] if standing.to_decide else ["  nothing held"]
            return [heading(name), wrap(moves, 2), f"  written on {at}", *decide, *said]


def _next(standing: Standing, option: str) -> str:
    """Return the next command, or the next thing to do."""
    match standing.stage:
        case Stage.UNREADABLE:
            return f"mend that, then skarvin preview{option}"
        case Stage.WRITTEN if standing.to_decide:
            return f"skarvin preview{option} says how to decide; or upload what was written"
        case Stage.WRITTEN:
            return f"read the report, then upload {listing(standing.imports)}" if standing.imports else "type the marks"
        case _:
            return f"skarvin preview{option}"


def _quoted(name: str) -> str:
    return f'"{name}"' if " " in name else name
