"""Files whose marks don't stand in a row for each student, seen as if they did: logs, and sheets for each student."""

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.log_columns import find_log, log_as_table
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.student_sheets import find_student_sheets, sheets_as_table
from skarvin.core.layout.told import Told

_MOST_COLUMNS = 40


def as_table(grid: Grid, told: Told, order: str = "") -> Grid:
    """Return a grid with a row for each student and a column for each item, where a person says what its shape is.

    Args:
        grid: the cells.
        told: what a person says of its columns, or of its sheets.
        order: the column with the moment or the number of an attempt, if one is named.

    Raises:
        Unreadable: what is said names a column or a cell that isn't there, or half a log.
    """
    return log_as_table(sheets_as_table(grid, told.sheets) if told.sheets else grid, told, order)


def seen_as_table(grid: Grid, told: Told) -> tuple[Grid, Told]:
    """Return a grid with a row for each student, and what is to be said so that it is read so; any other as it is.

    Raises:
        Unreadable: as above.
    """
    if not told.uses and told.sheets is None:
        told = told._replace(sheets=find_student_sheets(grid))
    if not told.uses and told.sheets is None and max(grid.widths, default=0) <= _MOST_COLUMNS:
        told = told._replace(uses=find_log(grid, recognise(grid, told)))
    return as_table(grid, told), told
