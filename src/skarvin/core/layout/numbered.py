"""Columns that number the lines of a form: 1, 2, 3. They say nothing of students."""

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import STUDENT, Use
from skarvin.core.layout.grid_layout import Layout

_LEAST = 2


def numbering_columns(grid: Grid, layout: Layout) -> frozenset[int]:
    """Return the columns whose filled cells say 1, 2, 3 from the top down, whatever their headings say."""
    found = set()
    for column in layout.of_use(STUDENT | {Use.OTHER, Use.ITEM, Use.HOUSEKEEPING}):
        cells = (grid.cells(row)[column.index : column.index + 1] for row in range(layout.first_row, len(grid)))
        texts = [cell[0].strip() for cell in cells if cell and cell[0].strip()]
        numbers = [text for text in texts if text.isdigit()]  # a sum below may say so here
        is_counted = numbers == [str(number) for number in range(1, len(numbers) + 1)]
        if is_counted and len(numbers) >= max(_LEAST, len(texts) - len(numbers)):
            found.add(column.index)
    return frozenset(found)


def has_people(grid: Grid, layout: Layout) -> bool:
    """Tell whether anything below the headings says who a student is, besides the number of a line."""
    rows = [grid.cells(row) for row in range(layout.first_row, len(grid)) if not grid.is_blank(row)]
    numbering = numbering_columns(grid, layout)
    telling = {column.index for column in layout.of_use(STUDENT - {Use.SECTION})}
    if not numbering or not telling - numbering:
        return bool(rows)
    is_numbered = [any(cells[column : column + 1] not in ([], [""]) for column in numbering) for cells in rows]
    says = any(cells[column].strip() for cells in rows for column in telling - numbering if column < len(cells))
    return says or not all(is_numbered)
