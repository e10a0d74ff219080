"""A table of groups beside a list of who is in which, seen as a row for each member with the marks of the group.

A member's row stands in the list, and each mark where the group's stands.
"""

from collections.abc import Mapping, Sequence
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Source, counted, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.view import GridView
from skarvin.core.texts.folding import fold


class Table(NamedTuple):
    """A grid, the row of its headings, its first row below them, and the column that names the group."""

    grid: Grid
    heading: int | None
    first: int
    group: int


class GroupGrid(GridView):
    """The rows of a list of members, behind whose cells stand those of their group."""

    shape = "the group's mark"

    def __init__(self, groups: Table, members: Table, headings: Sequence[str], people: Sequence[int]) -> None:
        mine, other = members.grid, groups.grid
        super().__init__(mine, other)
        self._groups, self._members, self._headings, self._people = groups, members, headings, people
        self._columns = [column for column in range(len(headings)) if column != groups.group]
        self._width = max(mine.widths, default=0)
        self.stands_in = {self._width + place: column for place, column in enumerate(self._columns)}
        self._lines = {
            fold(cells[groups.group]): row
            for row in range(groups.first, len(other))
            if groups.group < len(cells := other.cells(row)) and fold(cells[groups.group])
        }
        self._of = {row: self._group(row) for row in range(members.first, len(mine)) if not mine.is_blank(row)}
        total = self._width + len(self._columns)
        self.widths = [total if width == self._width else width for width in mine.widths]
        used = {group for group in self._of.values() if group in self._lines}
        told = f"marks of {counted(len(self._lines), 'group')}, and {counted(len(self._of), 'line')} of who is in which"
        self.notes = (Finding("groups", told, Place(self.file)), *other.notes, *mine.notes)
        if alone := [str(other.row(row)) for group, row in self._lines.items() if group not in used]:
            what = f"nobody is in {counted(len(alone), 'group')} of {self.file.name}: {listing(alone, 8)}"
            self.notes += (Finding("groups-of-nobody", what, Place(self.file)),)

    def _group(self, row: int) -> str:
        cells = self._grid.cells(row)
        return fold(cells[self._members.group]) if self._members.group < len(cells) else ""

    @cached_property
    def unclear(self) -> Mapping[int, str]:
        """The rows of members who are in no group, or in several, and why."""
        said: dict[tuple[str, ...], dict[str, str]] = {}
        for row, group in self._of.items():
            said.setdefault(self._who(row), {})[group] = self.group_of(row)
        found = {}
        for row, group in self._of.items():
            groups = said[self._who(row)]
            if len(groups) > 1:
                found[row] = f"in several groups: {listing([repr(text) for text in groups.values()])}"
            elif not group:
                found[row] = "in no group"
            elif group not in self._lines:
                found[row] = f"the group '{self.group_of(row)}' isn't in {self.file.name}"
        return found

    def _who(self, row: int) -> tuple[str, ...]:
        cells = self._grid.cells(row)
        return tuple(cells[column].strip() for column in self._people if column < len(cells))

    def group_of(self, row: int) -> str:
        """Return the group that a row of the list names."""
        return self._grid.cells(row)[self._members.group].strip()

    @cached_property
    def source(self) -> Source:
        """What its rows stand in, which knows in which line of the other file each mark stands."""
        own = self._grid.source
        lines = {
            row: dict.fromkeys(self.stands_in, self._lines[group])
            for row, group in self._of.items()
            if group in self._lines
        }
        return Source(
            own.file,
            own.sheet,
            self.number,
            lines=MappingProxyType(lines),
            stands_in=MappingProxyType(dict(self.stands_in)),
            elsewhere=self._told.source,
        )

    def place(self, row: int | None = None, column: int | None = None, heading: str | None = None) -> Place:
        """Return where a row or a cell of the list stands, or the table of groups."""
        return Place(self.file if row is None else self._grid.file, row, column, heading, sheet=self.sheet)

    def cells(self, row: int) -> list[str]:
        """Return the cells of a member, and behind them those of the group."""
        cells = list(self._grid.cells(row))
        if len(cells) < self._width:
            return cells
        if row == self._members.heading:
            return [*cells, *(self._headings[column] for column in self._columns)]
        line = self._lines.get(self._of.get(row, ""))
        theirs = [] if line is None else self._told.cells(line)
        return [*cells, *(theirs[column] if column < len(theirs) else "" for column in self._columns)]

    def numbered(self, number: int, *, is_sheet: bool = False) -> "GroupGrid":
        """Return the same grid as one of several."""
        groups = self._groups._replace(grid=self._told.numbered(number, is_sheet=is_sheet))
        members = self._members._replace(grid=self._grid.numbered(number))
        return GroupGrid(groups, members, self._headings, self._people)
