"""A grid with some of its cells filled, and every other byte as it was."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from operator import itemgetter

from skarvin.core.grid.grid import Grid

_CHUNK = 512


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
    orders: dict[int, Callable[[Sequence[str]], Sequence[str]]] = {}
    text_of, join = spelled.__getitem__, grid.dialect.delimiter.join
    yield grid.encoding.mark
    chunk: list[str] = []
    for row, (record, end) in enumerate(zip(grid.records, grid.ends, strict=True)):
        codes = rows.get(row)
        if codes is None:
            chunk.append(record)
        else:
            cells = grid.raw_cells(row)
            width = len(cells)
            if width not in orders:
                orders[width] = _order(width, columns)
            chunk.append(join(orders[width]([*map(text_of, codes), *cells])))
        chunk.append(end)
        if len(chunk) >= _CHUNK:
            yield "".join(chunk).encode(grid.encoding.codec)
            chunk.clear()
    yield "".join(chunk).encode(grid.encoding.codec)


def _order(width: int, columns: Sequence[int]) -> Callable[[Sequence[str]], Sequence[str]]:
    """Return what takes a row's cells from the new texts followed by the old cells."""
    order = [len(columns) + column for column in range(width)]
    for position, column in enumerate(columns):
        order[column] = position
    take: Callable[[Sequence[str]], Sequence[str]] = itemgetter(*order)
    return take
