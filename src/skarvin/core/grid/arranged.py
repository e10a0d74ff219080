"""A grid whose columns stand in another order: that of the file that its rows are joined with."""

from collections.abc import Mapping, Sequence

from skarvin.core.findings import Finding, Source
from skarvin.core.grid.grid import Grid


class ArrangedGrid(Grid):
    """The cells of a grid, in another order; the rows are the grid's own."""

    def __init__(self, grid: Grid, order: Sequence[int | None]) -> None:
        self._grid = grid
        self._order = tuple(order)
        self.file, self.kind, self.sheet, self.title = grid.file, grid.kind, grid.sheet, grid.title
        self.notes: tuple[Finding, ...] = grid.notes
        self.lines, self.spanning = grid.lines, grid.spanning
        self.fingerprint, self.hidden, self.number = grid.fingerprint, grid.hidden, grid.number
        own = grid.rounded
        self.rounded = {at: own[place] for at, place in enumerate(order) if place is not None and place in own}
        self.widths = [len(self._order)] * len(grid)

    @property
    def source(self) -> Source:
        """What the rows of the grid stand in."""
        return self._grid.source

    def __len__(self) -> int:
        return len(self._grid)

    def cells(self, row: int) -> list[str]:
        """Return the cells of a row in the order asked for; blank where the grid has no such column."""
        cells = self._grid.cells(row)
        return ["" if place is None or place >= len(cells) else cells[place] for place in self._order]

    def first_cells(self, row: int, count: int) -> list[str]:
        """Return the first cells of a row."""
        return self.cells(row)[:count]

    def is_blank(self, row: int) -> bool:
        """Tell whether no cell of the row says anything."""
        return self._grid.is_blank(row)

    @property
    def facts(self) -> Mapping[str, str | None]:
        """How the file is read."""
        return self._grid.facts

    @property
    def reading(self) -> Mapping[str, str | None]:
        """What a reader of its own needs to know."""
        return self._grid.reading

    def numbered(self, number: int, *, is_sheet: bool = False) -> "ArrangedGrid":
        """Return the same grid as one of several."""
        return ArrangedGrid(self._grid.numbered(number, is_sheet=is_sheet), self._order)
