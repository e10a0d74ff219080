"""Several exports seen as one, for drafting: their rows below each other, under the columns of all."""

from collections.abc import Iterable, Sequence

import msgspec

from skarvin.core.grid.arranged import ArrangedGrid
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import CellGrid, Grid
from skarvin.core.layout.address import has_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.joining import join_layouts, kept_apart
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import Told


class Exports(msgspec.Struct, frozen=True):
    """One export or several.

    Attributes:
        grid: the cells of all.
        layout: what the columns of all mean.
        grids: the exports one by one.
        further: the grids of the exports besides the first, with their own layouts.
    """

    grid: Grid
    layout: Layout
    grids: tuple[Grid, ...]
    further: tuple[tuple[Grid, Layout], ...] = ()

    def identifiers(self, chosen: Column | None) -> list[tuple[Grid, Layout, Column | None]]:
        """Return for each further export the column that tells its students apart: the one like the chosen."""
        found = []
        for number, (grid, layout) in enumerate(self.further, 1):
            place = chosen.in_file(number) if chosen else None
            other = next(iter(layout.identifiers), None) if place is None else layout.columns[place]
            found.append((grid, layout, other if chosen else None))
        return found


def told_of_each(grids: Sequence[Grid], told: Told) -> list[Told]:
    """Return what a person says of the columns of each export: 'FILE:COLUMN' is said of one, the others of all.

    What is said of all counts where there is such a column, if any export has it.
    """
    files = {grid.file.name for grid in grids}
    plain = [recognise(grid, told._replace(uses={})) for grid in grids] if told.uses else []
    found = []
    for number, grid in enumerate(grids):
        uses: dict[str, Use] = {}
        for name, use in told.uses.items():
            file, _, column = name.partition(":")
            if file not in files:
                here = [has_column(layout.columns, name) for layout in plain]
                is_elsewhere = any(here) and not here[number]
                uses |= {} if is_elsewhere else {name: use}
            elif file == grid.file.name:
                uses[column.strip()] = use
        found.append(told._replace(uses=uses))
    return found


def join_exports(grids: Sequence[Grid], layouts: Sequence[Layout], said: Iterable[str] = ()) -> Exports:
    """Return some exports as one: the rows of all, under the columns of all; columns said of one file stay apart."""
    layouts = kept_apart(layouts, [grid.file.name for grid in grids], said)
    if len(grids) == 1:
        return Exports(grids[0], layouts[0], tuple(grids))
    joined = join_layouts(layouts)
    first = [None if column.is_elsewhere_alone else column.index for column in joined.layout.columns]
    arranged = [ArrangedGrid(grid, order) for grid, order in zip(grids, (first, *joined.orders), strict=True)]
    starts = (0, *(layout.first_row for layout in layouts[1:]))
    table = [cells for grid, start in zip(arranged, starts, strict=True) for cells in _rows(grid, start)]
    rounded = {place: decimals for grid in arranged for place, decimals in grid.rounded.items()}
    stacked = CellGrid(grids[0].file, grids[0].title, Kind.TEXT, table, grids[0].sheet, rounded=rounded)
    return Exports(stacked, joined.layout, tuple(grids), tuple(zip(grids[1:], layouts[1:], strict=True)))


def _rows(grid: Grid, start: int) -> list[list[str]]:
    return [list(grid.cells(row)) for row in range(start, len(grid))]
