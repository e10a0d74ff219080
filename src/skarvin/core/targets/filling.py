"""A grid with some of its cells filled, and every other byte as it was."""

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from skarvin.core.grid.coding import MANY, picker
from skarvin.core.grid.grid import TextGrid
from skarvin.core.targets.target import Part

if TYPE_CHECKING:
    from skarvin.core.targets.row_ends import RowEnds

_BLOCK = 512


def filled(
    grid: TextGrid,
    columns: Sequence[int],
    rows: Mapping[int, Sequence[int]],
    spelled: Sequence[str],
) -> Iterator[bytes]:
    """Yield the file of `grid` with the cells at `columns` of `rows` replaced.

    Args:
        grid: what to fill.
        columns: the columns, in the order of each row's codes.
        rows: for each row to fill, one code a column.
        spelled: for each code the raw cell to put there.
    """
    codec = grid.encoding.codec
    fill = _Filling(grid, columns, spelled)
    ends = _row_ends(grid, columns, spelled) if len(rows) * len(columns) >= MANY else None
    yield grid.encoding.mark
    for start in range(0, len(grid), _BLOCK):
        block = range(start, min(start + _BLOCK, len(grid)))
        plain = [row for row in block if row in rows and ends and ends.fits(row)]
        end_of = dict(zip(plain, ends.block([rows[row] for row in plain]), strict=True)) if ends and plain else {}
        parts = []
        for row in block:
            if row in end_of and ends:
                parts += [ends.head(row).encode(codec), end_of[row], grid.ends[row].encode(codec)]
            else:
                record = fill.record(row, rows[row]) if row in rows else grid.records[row]
                parts.append(f"{record}{grid.ends[row]}".encode(codec))
        yield b"".join(parts)


def filled_part(
    grid: TextGrid,
    columns: Sequence[int],
    rows: Mapping[int, Sequence[int]],
    spelled: Sequence[str],
    part: Part,
) -> Iterator[bytes]:
    """Yield some rows and columns of the filled file; its last row ends as the last one of `grid` does."""
    codec, dialect = grid.encoding.codec, grid.dialect
    fill = _Filling(grid, columns, spelled)
    wanted = range(len(grid)) if part.rows is None else part.rows
    yield grid.encoding.mark
    for place, row in enumerate(wanted, 1):
        record = fill.record(row, rows[row]) if row in rows else grid.records[row]
        if part.columns is not None:
            cells = dialect.raw_cells(record)
            record = dialect.delimiter.join(cells[column] for column in part.columns if column < len(cells))
        end = grid.ends[-1] if place == len(wanted) else grid.ends[row] or usual_end(grid)
        yield f"{record}{end}".encode(codec)


def usual_end(grid: TextGrid) -> str:
    """Return the line end that most rows have."""
    counts = Counter(end for end in grid.ends if end)
    return counts.most_common(1)[0][0] if counts else "\n"


class _Filling:
    """Puts new texts among the cells of a row."""

    def __init__(self, grid: TextGrid, columns: Sequence[int], spelled: Sequence[str]) -> None:
        self._grid = grid
        self._columns = columns
        self._text_of = spelled.__getitem__
        self._orders: dict[int, Callable[[Sequence[str]], Sequence[str]]] = {}

    def record(self, row: int, codes: Sequence[int]) -> str:
        """Return the row's record with the texts of the codes in their columns."""
        cells = self._grid.raw_cells(row)
        width = len(cells)
        if width not in self._orders:
            self._orders[width] = _order(width, self._columns)
        return self._grid.dialect.delimiter.join(self._orders[width]([*map(self._text_of, codes), *cells]))


def _order(width: int, columns: Sequence[int]) -> Callable[[Sequence[str]], Sequence[str]]:
    """Return what takes a row's cells from the new texts followed by the old cells."""
    order = [len(columns) + column for column in range(width)]
    for position, column in enumerate(columns):
        order[column] = position
    return picker(order)


def _row_ends(grid: TextGrid, columns: Sequence[int], spelled: Sequence[str]) -> "RowEnds | None":
    """Return what writes the rows' ends, if nothing but columns to be filled stands there and all texts are short."""
    from skarvin.core.targets.row_ends import LONGEST, RowEnds  # noqa: PLC0415 - it needs NumPy

    texts = [text.encode(grid.encoding.codec) for text in spelled]
    is_run = max(columns) - min(columns) + 1 == len(columns) and min(columns) > 0
    is_short = all(len(text) <= LONGEST and b"\n" not in text for text in texts)
    return RowEnds(grid, columns, texts) if is_run and is_short and grid.encoding.codec == "utf-8" else None
