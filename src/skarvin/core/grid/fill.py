"""A grid with some of its cells filled, and every other byte as it was."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from operator import itemgetter

from skarvin.core.grid.grid import Grid

_CHUNK = 512
_FEW = 2


def filled(
    grid: Grid, columns: Sequence[int], rows: Mapping[int, Sequence[int]], spelled: Sequence[str]
) -> Iterator[bytes]:
    """Yield the file of `grid` with the cells at `columns` of `rows` replaced.

    Args:
        grid: what to fill.
        columns: the columns, in the order of each row's codes.
        rows: for each row to fill, one code a column.
        spelled: for each code the raw cell to put there.
    """
    put = _Putting(grid, columns)
    text_of, join = spelled.__getitem__, grid.dialect.delimiter.join
    yield grid.encoding.mark
    chunk: list[str] = []
    for row, (record, end) in enumerate(zip(grid.records, grid.ends, strict=True)):
        codes = rows.get(row)
        chunk.append(record if codes is None else join(put.cells(row, list(map(text_of, codes)))))
        chunk.append(end)
        if len(chunk) >= _CHUNK:
            yield "".join(chunk).encode(grid.encoding.codec)
            chunk.clear()
    yield "".join(chunk).encode(grid.encoding.codec)


class _Putting:
    """Puts new texts among the cells of a row."""

    def __init__(self, grid: Grid, columns: Sequence[int]) -> None:
        self._grid = grid
        self._columns = columns
        self._orders: dict[int, Callable[[Sequence[str]], Sequence[str]]] = {}
        in_file = sorted(range(len(columns)), key=columns.__getitem__)
        self._head = min(columns, default=0)
        if len(columns) < _FEW or max(columns) - self._head >= len(columns):
            self._head = 0
        self._in_file = itemgetter(*in_file) if self._head else None

    def cells(self, row: int, texts: list[str]) -> Sequence[str]:
        """Return the row's raw cells with the texts in their columns."""
        grid = self._grid
        is_plain = grid.dialect.quote not in grid.records[row]
        if self._in_file and is_plain and grid.widths[row] == self._head + len(texts):
            # The filled columns are all that follows the head: the old cells there needn't be cut apart.
            return [*grid.first_cells(row, self._head)[: self._head], *self._in_file(texts)]
        cells = grid.raw_cells(row)
        width = len(cells)
        if width not in self._orders:
            self._orders[width] = _order(width, self._columns)
        return self._orders[width]([*texts, *cells])


def _order(width: int, columns: Sequence[int]) -> Callable[[Sequence[str]], Sequence[str]]:
    """Return what takes a row's cells from the new texts followed by the old cells."""
    order = [len(columns) + column for column in range(width)]
    for position, column in enumerate(columns):
        order[column] = position
    take: Callable[[Sequence[str]], Sequence[str]] = itemgetter(*order)
    return take
