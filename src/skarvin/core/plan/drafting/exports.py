"""Several exports seen as one, for drafting: their rows below each other, under the columns of all."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from skarvin.core.findings import Unreadable
from skarvin.core.grid.arranged import ArrangedGrid
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import CellGrid, Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.columns import Column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.joining import join_layouts
from skarvin.core.layout.recognise import recognise


@dataclass(frozen=True)
class Exports:
    """One export or several.

    Attributes:
        grid: the cells of all.
        layout: what the columns of all mean.
        further: the grids of the exports besides the first, with their own layouts.
    """

    grid: Grid
    layout: Layout
    further: tuple[tuple[Grid, Layout], ...] = ()

    def identifiers(self, chosen: Column | None) -> list[tuple[Grid, Layout, Column]]:
        """Return for each further export the column that tells its students apart: the one like the chosen."""
        found = []
        for number, (grid, layout) in enumerate(self.further, 1):
            place = chosen.in_file(number) if chosen else None
            found.append((grid, layout, layout.identifiers[0] if place is None else layout.columns[place]))
        return found


def read_exports(files: Sequence[Path], how: ReadAs) -> Exports:
    """Return what is in some exports; what a person says of reading is for each of them.

    Raises:
        Unreadable: one can't be read or understood.
    """
    grids = [read_grid(file, how) for file in files]
    layouts = [recognise(grid) for grid in grids]
    for layout in layouts:
        if layout.faults:
            raise Unreadable(*layout.faults[:5])
    if len(grids) == 1:
        return Exports(grids[0], layouts[0])
    joined = join_layouts(layouts)
    first = [None if column.is_elsewhere_alone else column.index for column in joined.layout.columns]
    table = _rows(ArrangedGrid(grids[0], first), 0)
    for grid, layout, order in zip(grids[1:], layouts[1:], joined.orders, strict=True):
        table += _rows(ArrangedGrid(grid, order), layout.first_row)
    stacked = CellGrid(grids[0].file, grids[0].title, Kind.TEXT, table, grids[0].sheet)
    return Exports(stacked, joined.layout, tuple(zip(grids[1:], layouts[1:], strict=True)))


def _rows(grid: Grid, start: int) -> list[list[str]]:
    return [list(grid.cells(row)) for row in range(start, len(grid))]
