"""Columns that number the lines of a form: 1, 2, 3. They say nothing of students."""

from collections.abc import Iterable, Sequence
from itertools import chain

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout

_LEAST, _FIRST = 2, 40


def numbering_columns(grid: Grid, layout: Layout) -> frozenset[int]:
    """Return the columns whose filled cells say 1, 2, 3 from the top down, whatever their headings say."""
    columns = layout.of_use(STUDENT | {Use.OTHER, Use.ITEM, Use.HOUSEKEEPING})
    rows = range(layout.first_row, len(grid))
    first = [grid.cells(row) for row in rows[:_FIRST]]
    likely = [column for column in columns if _is_counted(_texts(first, column), is_whole=len(rows) <= _FIRST)]
    return frozenset(
        column.index
        for column in likely
        if len(rows) <= _FIRST or _is_counted(_texts((grid.first_cells(r, column.index + 1) for r in rows), column))
    )


def _texts(rows: Iterable[Sequence[str]], column: Column) -> list[str]:
    cells = (cells[column.index : column.index + 1] for cells in rows)
    return [cell[0].strip() for cell in cells if cell and cell[0].strip()]


def _is_counted(texts: Sequence[str], *, is_whole: bool = True) -> bool:
    """Tell whether the numbers among some texts are 1, 2, 3, and few other texts stand between or below them."""
    numbers = [text for text in texts if text.isdigit()]  # a sum below may say so here
    is_counted = numbers == [str(number) for number in range(1, len(numbers) + 1)]
    return is_counted and len(numbers) >= (max(_LEAST, len(texts) - len(numbers)) if is_whole else 1)


def has_people(grid: Grid, layout: Layout) -> bool:
    """Tell whether anything below the headings identifies students, besides the number of a line."""
    rows = grid.filled_rows(layout.first_row)
    first = next(rows, None)
    if first is None:
        return False
    numbering = numbering_columns(grid, layout)
    telling = {column.index for column in layout.of_use(STUDENT - {Use.SECTION})} - numbering
    if not numbering or not telling:
        return True
    last = max(*telling, *numbering) + 1
    is_numbered = True
    for row in chain([first], rows):
        cells = grid.first_cells(row, last)
        if any(cells[column].strip() for column in telling if column < len(cells)):
            return True
        is_numbered = is_numbered and any(cells[column : column + 1] not in ([], [""]) for column in numbering)
    return not is_numbered
