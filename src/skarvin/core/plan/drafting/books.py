"""The gradebooks that drafting looks into, each understood once."""

from skarvin.core.gradebook import Gradebook, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.row_kinds import NOT_STUDENTS

Book = tuple[Grid, Layout]
"""A file and what it means."""


class Books:
    """Understands a file under a column that tells its students apart, and keeps what was understood."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, int, int | None, bool], tuple[Book, Gradebook]] = {}

    def of(self, book: Book, column: Column | None, *, is_form: bool = False) -> Gradebook:
        """Return the gradebook of a file; a form has no rows that the system put in."""
        grid, layout = book
        key = (id(grid), id(layout), None if column is None else column.index, is_form)
        if key not in self._known:
            found = understand(grid, layout, column, [], [] if is_form else NOT_STUDENTS)
            self._known[key] = (book, found)
        return self._known[key][1]
