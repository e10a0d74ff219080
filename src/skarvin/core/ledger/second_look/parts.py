"""Import files that hold parts of the filled form: each cell is compared with the whole, which was looked at before."""

from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.ledger.second_look.claims import Claims, PartClaim
from skarvin.core.ledger.second_look.readers import Reading

_MOST = 100


def look_at_parts(whole: Path, files: Sequence[tuple[Path, Path]], reading: Reading, claims: Claims) -> int:
    """Return how many rows the files have, having found that they hold what the ledger says, and every mark once.

    Args:
        whole: the whole filled form.
        files: where each file lies, and what it will be called.
        reading: how all are read.
        claims: what the ledger says.

    Raises:
        Refused: a cell says something else than the whole, or a mark stands in no file or in two.
    """
    rows = [row.cells for row in reading.rows(whole)]
    faults: list[Finding] = []
    met: Counter[tuple[int, int]] = Counter()
    count = 0
    if len(files) != len(claims.parts):
        what = f"{len(files)} files were written, and the ledger has {len(claims.parts)}"
        faults.append(Finding("second-look", what))
    for (file, final), part in zip(files, claims.parts, strict=False):
        chosen = range(len(rows)) if part.rows is None else part.rows
        found = [row.cells for row in reading.rows(file)]
        count += len(found)
        faults += _faults(rows, chosen, part, found, final)
        met.update((row, column) for row in chosen for column in _columns(rows, row, part))
    for position, cells in claims.rows():
        for column, cell in cells.items():
            if cell.now is not None and met[position, column] != 1:
                where = "no file" if not met[position, column] else "a file twice, or in two"
                what = f"the mark that goes to this cell of the form stands in {where}"
                faults.append(Finding("second-look", what, Place(files[0][1], position, column)))
    if faults:
        raise Refused(
            *faults[:_MOST], Finding("withdrawn", "the import files aren't what the ledger says and were withdrawn")
        )
    return count


def _faults(
    rows: Sequence[list[str]], chosen: Sequence[int], part: PartClaim, found: Sequence[list[str]], final: Path
) -> Iterator[Finding]:
    """Yield where a file departs from the rows that it must have."""
    for number in range(max(len(found), len(chosen))):
        wanted = _wanted(rows, chosen, part, number)
        if number >= len(found) or found[number] != wanted:
            what = "the row isn't the one that the ledger says stands here"
            yield Finding("second-look", what, Place(final, number))


def _wanted(rows: Sequence[list[str]], chosen: Sequence[int], part: PartClaim, number: int) -> list[str] | None:
    """Return the cells that a row of a file must have; None where it must have no such row."""
    if number >= len(chosen) or chosen[number] >= len(rows):
        return None
    cells = rows[chosen[number]]
    return [cells[column] for column in _columns(rows, chosen[number], part)]


def _columns(rows: Sequence[list[str]], row: int, part: PartClaim) -> list[int]:
    width = len(rows[row]) if row < len(rows) else 0
    return [column for column in part.columns or range(width) if column < width]
