"""Whether a workbook has a sheet for each item, or for each class: sheets alike, that are read as one export each."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, SkarvinError, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.columns import STUDENT, WHO, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.log_columns import find_log
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import Told
from skarvin.core.texts.folding import fold

_SEVERAL, _MOST_SHEETS, _HALF = 2, 100, 0.5


class Sheet(NamedTuple):
    """One sheet that is read, and what its name says: the item, or the section."""

    grid: Grid
    item: str = ""
    section: str = ""
    is_chosen: bool = False
    """Whether the transfer must say which sheet it is."""


def sheets_of(grid: Grid, how: ReadAs, told: Told, form: Callable[[], Grid]) -> list[Sheet]:
    """Return the sheets of a file that are read: those that are alike, or the one that was read.

    Sheets are alike if the same columns stand in them. If they have the same students, each has an item of its own, and
    the sheet's name is its title; if none has a student of another, each is a class, and read if the form has it.

    Args:
        grid: the file, as it was read without a sheet being named.
        how: how it is read.
        told: what a person says of its columns.
        form: reads the form.
    """
    if how.sheet is not None or not 1 < len(grid.shown_sheets) <= _MOST_SHEETS:
        return [Sheet(grid)]
    seen = dict(_seen(grid, grid.shown_sheets, told))
    mine = seen.get(str(grid.sheet))
    alike = {name: one for name, one in seen.items() if mine and one.columns == mine.columns}
    if mine is None or len(alike) < _SEVERAL or not any(use is Use.ITEM for _, use in mine.columns):
        return [Sheet(grid)]
    together = len(frozenset().union(*(one.people for one in alike.values())))
    each = sum(len(one.people) for one in alike.values())
    if together == each:
        wanted = _texts(form())
        alike = {name: one for name, one in alike.items() if one.met(wanted) > _HALF * len(one.rows)}
    elif together > (1 + _HALF) * max(len(one.people) for one in alike.values()):
        return [Sheet(grid)]
    read = [(name, grid if name == grid.sheet else read_grid(grid.file, replace(how, sheet=name))) for name in alike]
    if len(read) < _SEVERAL:
        return [Sheet(one, is_chosen=one is not grid) for _, one in read] or [Sheet(grid)]
    said = "section" if together == each else "item"
    return [Sheet(one, **{said: name}, is_chosen=True) for name, one in read]


def _texts(form: Grid) -> frozenset[str]:
    """Return all that stands in a form, in all its sheets."""
    tables: list[Iterable[Sequence[str]]] = [form.rows(), *(table for _, table in form.others)]
    return frozenset(fold(text) for table in tables for cells in table for text in cells)


def other_sheets(grid: Grid, read: Sequence[Sheet]) -> Iterator[Finding]:
    """Yield which sheets of a file are no such thing, where others are read that are alike."""
    names = grid.shown_sheets
    left = [repr(name) for name in names if name not in {sheet.grid.sheet for sheet in read}]
    if left and read[0].item:
        what = f"{len(read)} sheets of {grid.file.name} are an item each; not read, since they have other columns: "
        yield Finding("other-sheets", what + listing(left, 8), grid.place())


class _Seen(NamedTuple):
    """The columns of a sheet by heading and use, who stands in it, and what else stands in each row but marks."""

    columns: frozenset[tuple[str, Use]]
    people: frozenset[str]
    rows: tuple[frozenset[str], ...]

    def met(self, wanted: frozenset[str]) -> int:
        """Return how many of its rows have something that stands elsewhere, and in no other row."""
        counts = Counter(text for row in self.rows for text in row)
        return sum(any(counts[text] == 1 for text in row & wanted) for row in self.rows)


def _seen(grid: Grid, names: Sequence[str], told: Told) -> Iterator[tuple[str, _Seen]]:
    for there in filter(len, map(grid.beside, names)):
        try:
            layout = recognise(there, told)
        except SkarvinError:
            continue
        if layout.of_use(WHO) and not layout.faults and not find_log(there, layout):
            columns = frozenset((fold(column.heading), column.use) for column in layout.columns if column.heading)
            known = [column.index for column in layout.columns if column.use in STUDENT or column.use is Use.OTHER]
            rows = [
                [fold(text) for at, text in enumerate(there.cells(row)) if at in known] for row in _rows(there, layout)
            ]
            people = frozenset(_people(there, layout))
            yield str(there.sheet), _Seen(columns, people, tuple(frozenset(row) - {""} for row in rows))


def _rows(grid: Grid, layout: Layout) -> list[int]:
    return list(grid.filled_rows(layout.first_row))


def _people(grid: Grid, layout: Layout) -> Iterator[str]:
    columns = layout.identifiers[:1] or layout.names
    for row in _rows(grid, layout):
        cells = grid.cells(row)
        if text := " ".join(fold(cells[column.index]) for column in columns if column.index < len(cells)).strip():
            yield text
