"""Another view of a grid: the file and the lines are the grid's, the cells of a row are others."""

from collections.abc import Mapping, Sequence

from skarvin.core.findings import Finding
from skarvin.core.grid.grid import Grid


class GridView(Grid):
    """What is seen of a grid's lines otherwise than they stand.

    Args:
        grid: the grid whose lines are seen.
        told: the one by which the file is told, if the marks stand in another.
    """

    def __init__(self, grid: Grid, told: Grid | None = None) -> None:
        told = told or grid
        self._grid, self._told = grid, told
        self.file, self.kind, self.sheet, self.title = told.file, told.kind, told.sheet, told.title
        self.fingerprint, self.number = told.fingerprint, told.number
        self.notes: tuple[Finding, ...] = told.notes
        self.lines, self.spanning, self.hidden = grid.lines, grid.spanning, grid.hidden

    def __len__(self) -> int:
        return len(self._grid)

    def first_cells(self, row: int, count: int) -> Sequence[str]:
        """Return the first cells of a row."""
        return self.cells(row)[:count]

    def is_blank(self, row: int) -> bool:
        """Tell whether no cell of the row says anything."""
        return self._grid.is_blank(row)

    @property
    def facts(self) -> Mapping[str, str | None]:
        """How the file is read."""
        return self._told.facts

    @property
    def reading(self) -> Mapping[str, str | None]:
        """What a reader of its own needs to know to read the marks again."""
        return self._told.reading
