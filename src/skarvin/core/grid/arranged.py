"""A grid whose columns stand in another order: that of the file that its rows are joined with."""

from collections.abc import Sequence

from skarvin.core.findings import Source
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.view import GridView


class ArrangedGrid(GridView):
    """The cells of a grid, in another order; the rows are the grid's own."""

    def __init__(self, grid: Grid, order: Sequence[int | None]) -> None:
        super().__init__(grid)
        self._order = tuple(order)
        own = grid.rounded
        self.rounded = {at: own[place] for at, place in enumerate(order) if place is not None and place in own}
        self.widths = [len(self._order)] * len(grid)

    @property
    def source(self) -> Source:
        """What the rows of the grid stand in."""
        return self._grid.source

    def cells(self, row: int) -> list[str]:
        """Return the cells of a row in the order asked for; blank where the grid has no such column."""
        cells = self._grid.cells(row)
        return ["" if place is None or place >= len(cells) else cells[place] for place in self._order]

    def numbered(self, number: int, *, is_sheet: bool = False) -> "ArrangedGrid":
        """Return the same grid as one of several."""
        return ArrangedGrid(self._grid.numbered(number, is_sheet=is_sheet), self._order)
