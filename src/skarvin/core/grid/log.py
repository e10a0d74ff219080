"""A table with a line for each mark, seen as one with a row for each student and a column for each item.

Each mark keeps the line that it stands in. Where a student has several marks of one item, the student has several rows.
"""

from array import array
from collections.abc import Iterable, Sequence
from functools import cached_property
from sys import intern
from types import MappingProxyType
from typing import Any, NamedTuple

from skarvin.core.findings import Finding, Place, Source, Unreadable, column_letter, counted
from skarvin.core.grid.coding import picker
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.view import GridView
from skarvin.core.texts.moments import read_moment
from skarvin.core.texts.numbers import read_number

_NO_TITLE = "(no title)"
MOST_ITEMS = 2_000
"""More titles than these can't be items: each is a column for every student."""


class Roles(NamedTuple):
    """What the columns of a log are.

    Attributes:
        title: the item's.
        mark: the mark.
        students: those that tell students apart.
        maximum: the item's maximum; None where there is none.
        status: what stands in place of a mark.
        comment: what is said of a mark.
        order: when a mark was given, or the number of the attempt: several of one student and item stand in its order.
    """

    title: int
    mark: int
    students: tuple[int, ...]
    maximum: int | None = None
    status: int | None = None
    order: int | None = None
    comment: int | None = None


class _People(dict[Sequence[str], list[int] | None]):
    """The lines of each student, by the texts of what tells students apart; None for texts that tell nobody."""

    def __init__(self) -> None:
        super().__init__()
        self._by_key: dict[tuple[str, ...], list[int]] = {}

    def __missing__(self, texts: Sequence[str]) -> list[int] | None:
        key = tuple(map(str.strip, texts))
        self[texts] = own = self._by_key.setdefault(key, []) if any(key) else None
        return own

    @property
    def all(self) -> Iterable[list[int]]:
        """The lines of each student, in the order in which they stand first."""
        return self._by_key.values()


class _Items(dict[str, int]):
    """The number of each item by the text of its title, in the order in which they stand first."""

    def __init__(self) -> None:
        super().__init__()
        self.by_title: dict[str, int] = {}

    def __missing__(self, text: str) -> int:
        title = " ".join(text.split()) or _NO_TITLE
        self[text] = item = self.by_title.setdefault(title, len(self.by_title))
        return item


def _only(pairs: Iterable[tuple[int, str]]) -> dict[int, str]:
    """Return the text of each item that has one alone."""
    found: dict[int, str | None] = {}
    for item, text in pairs:
        found[item] = None if item in found else text
    return {item: text for item, text in found.items() if text is not None}


class LogGrid(GridView):
    """The lines of a log as rows of students: each stands in the first of a student's lines, the others are blank."""

    shape = "a line for each mark"

    def __init__(self, grid: Grid, heading_row: int | None, first_row: int, roles: Roles) -> None:
        super().__init__(grid)
        self._roles, self._heading, self._first = roles, heading_row, first_row
        self._width = max((grid.widths[row] for row in range(len(grid))), default=0)
        self._heads = [] if heading_row is None else [text.strip() for text in grid.cells(heading_row)]
        self._title = "" if heading_row is None else grid.cells(heading_row)[roles.title]
        self._at: dict[int, dict[int, int]] = {}
        self._in_status: dict[int, int] = {}
        self.further = self._take_apart()
        self._columns = {
            (row, column): self._in_status[line]
            for row, own in (self._at.items() if self._in_status else ())
            for column, line in own.items()
            if line in self._in_status
        }
        count = len(self._items)
        self.stands_in = {self._width + place: roles.mark for place in range(count)}
        marks = sum(map(len, self._at.values()))
        if roles.comment is not None:
            self.comments = frozenset(range(self._width + count, self._width + 2 * count))
            self.stands_in |= dict.fromkeys(self.comments, roles.comment)
            for row, own in self._at.items():
                self._at[row] = own | {column + count: line for column, line in own.items()}
        self.rounded = dict(grid.rounded) | {
            place: grid.rounded[roles.mark] for place in self.stands_in if roles.mark in grid.rounded
        }
        title, mark = (column_letter(column) for column in (roles.title, roles.mark))
        told = f"a line for each mark: {counted(len(self._items), 'item')} by the titles in column {title}, "
        told += f"{counted(marks, 'mark')} in column {mark}"
        self.notes = (Finding("log", told, grid.place(heading_row)), *grid.notes)
        total = self._width + len(self.stands_in)
        self.widths = [total if width == self._width else width for width in grid.widths]

    def _take_apart(self) -> frozenset[int]:
        """Put each mark into a row of its student; return the lines that are no rows then."""
        roles, width, title = self._roles, self._width, self._roles.title
        people, tells, items = _People(), picker(roles.students), _Items()
        self._item_of, self._said = array("I", bytes(4 * len(self._grid))), [""] * len(self._grid)
        maxima: set[tuple[int, str]] = set()
        for line, cells in enumerate(self._grid.rows(self._first), self._first):
            if len(cells) < width or (cells[title] == self._title and self._is_heading(cells)):
                continue
            own = people[tuple(tells(cells))]
            if own is None:
                continue
            own.append(line)
            self._item_of[line] = item = items[cells[title]]
            mark = cells[roles.mark]
            if roles.status is not None and not mark.strip():
                mark, self._in_status[line] = cells[roles.status], roles.status
            self._said[line] = intern(mark)
            if roles.maximum is not None:
                maxima.add((item, cells[roles.maximum]))
        self._items = list(items.by_title)
        if len(self._items) > MOST_ITEMS:
            what = f"this column has {len(self._items):,} different titles; more than {MOST_ITEMS:,} can't be items"
            place = Place(self.file, self._heading, title, sheet=self.sheet)
            raise Unreadable(Finding("many-items", what, place, "Name the column with the items' titles."))
        self._maxima = _only({(item, text.strip()) for item, text in maxima})
        further: set[int] = set()
        for own in people.all:
            further.update(self._put(own))
        return frozenset(further)

    def _put(self, own: list[int]) -> list[int]:
        """Put the marks of one student into as many rows as an item has lines; return the lines that are no rows."""
        columns = [self._width + self._item_of[line] for line in own]
        if len(alone := dict(zip(columns, own, strict=True))) == len(own):
            self._at[own[0]] = alone
            return own[1:]
        by_item: dict[int, list[int]] = {}
        for column, line in zip(columns, own, strict=True):
            by_item.setdefault(column, []).append(line)
        most = max(map(len, by_item.values()))
        at: list[dict[int, int]] = [{} for _ in range(most)]
        for column, lines in by_item.items():
            for place, line in enumerate(lines if len(lines) == 1 else self._in_order(lines)):
                at[place][column] = line
        self._at.update(zip(own, at, strict=False))
        return own[most:]

    def _is_heading(self, cells: Sequence[str]) -> bool:
        """Tell whether a line says the headings, as where a log stands twice in a file."""
        return cells[self._roles.title] == self._title and [*map(str.strip, cells)] == self._heads

    def _in_order(self, lines: list[int]) -> list[int]:
        """Return several lines of one student and item in the order of time, or of attempts."""
        column = self._roles.order
        if column is None:
            return lines
        texts = [self._grid.cells(line)[column] for line in lines]
        for read in (read_moment, read_number):
            known: dict[int, Any] = {line: read(text) for line, text in zip(lines, texts, strict=True)}
            if None not in known.values() and len(set(known.values())) == len(lines):
                return sorted(lines, key=known.__getitem__)
        what = f"of {len(lines)} marks of one student and item it can't be told which came first: {' and '.join(texts)}"
        mend = 'Correct these lines, or name another column, or none: repeated_by = ""'
        raise Unreadable(Finding("no-order", what, Place(self.file, lines[0], column, sheet=self.sheet), mend))

    @cached_property
    def source(self) -> Source:
        """What its rows stand in, which knows in which line each mark stands."""
        own = self._grid.source
        return Source(
            own.file,
            own.sheet,
            own.number,
            own.files,
            own.is_one_of_several,
            MappingProxyType(self._at),
            self.stands_in,
            columns=self._columns,
        )

    def cells(self, row: int) -> list[str]:
        """Return the cells of a row: those of the student, and the marks by item."""
        if row in self.further:
            return [""] * self.widths[row]
        cells = list(self._grid.cells(row))
        if len(cells) < self._width:
            return cells
        more, about = [""] * len(self.stands_in), self._roles.comment or 0
        if row == self._heading or self._is_heading(cells):
            more[: len(self._items)] = [self._titled(title, item) for item, title in enumerate(self._items)]
            if self.comments:
                more[len(self._items) :] = [f"{cells[about]} on {title}" for title in self._items]
        else:
            for column, line in self._at.get(row, {}).items():
                is_comment = column in self.comments
                more[column - self._width] = self._grid.cells(line)[about] if is_comment else self._said[line]
        return [*cells[: self._width], *more]

    def _titled(self, title: str, item: int) -> str:
        out_of = self._maxima.get(item, "")
        return f"{title} (out of {out_of})" if read_number(out_of) else title

    def first_cells(self, row: int, count: int) -> Sequence[str]:
        """Return the first cells of a row."""
        if row in self.further:
            return [""] * min(count, self.widths[row])
        return (self._grid.cells(row) if count <= self._width else self.cells(row))[:count]

    def is_blank(self, row: int) -> bool:
        """Tell whether no cell of the row says anything."""
        return row in self.further or super().is_blank(row)

    def blank_rows(self, start: int) -> list[int]:
        """Return the lines from `start` on of which no cell says anything."""
        return self._grid.blank_rows(start)

    def numbered(self, number: int, *, is_sheet: bool = False) -> "LogGrid":
        """Return the same grid as one of several."""
        return LogGrid(self._grid.numbered(number, is_sheet=is_sheet), self._heading, self._first, self._roles)
