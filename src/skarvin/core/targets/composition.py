"""A file composed after a sample: its headings, its habits and its last rows, without its made-up people."""

import dataclasses
from collections.abc import Container, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Student, understand
from skarvin.core.grid.grid import Grid, TextGrid
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.targets.delimited import DelimitedTarget
from skarvin.core.targets.filling import usual_end
from skarvin.core.texts.numbers import is_number, plain
from skarvin.core.texts.patterns import pattern

_DIGITS = pattern(r"(?<![\d.,])[0-9]{1,9}(?![\d.,])")
_EXAMPLES = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT, Use.COMMENT})


class WantedColumn(NamedTuple):
    """A column that marks go to: by its heading, with the maximum if that is known."""

    heading: str
    out_of: Decimal | None = None


class Composition(msgspec.Struct, frozen=True, kw_only=True):
    """How a file is composed.

    Attributes:
        target: the headings and the last rows, between which the students come.
        layout: what the columns mean.
        columns: for each column the sample's; None for one that the sample doesn't have.
        rows: for each row of `target` the sample's row that it is taken from.
        ends: how many of these stand at the end.
        literals: what stands in each row, by column.
        names: the whole names of the made-up people, as the sample writes them.
        people: the rows of the sample's made-up people.
        counted: the last rows of the sample that say how many people it has, and as what number.
    """

    target: DelimitedTarget
    layout: Layout
    columns: tuple[int | None, ...]
    rows: tuple[Row, ...]
    ends: int
    literals: Mapping[int, str]
    names: tuple[str, ...] = ()
    people: frozenset[int] = frozenset()
    counted: tuple[tuple[Row, int], ...] = ()

    @property
    def new_items(self) -> list[Column]:
        """The columns that the sample doesn't have: items to be made in the target."""
        return [column for column, old in zip(self.layout.columns, self.columns, strict=True) if old is None]


def compose_after(grid: Grid, layout: Layout, identifier: Column | None, wanted: Sequence[WantedColumn]) -> Composition:
    """Return how a file is composed after a sample.

    Args:
        grid: the sample.
        layout: what its columns mean.
        identifier: the column that tells its people apart; None if names do.
        wanted: the columns that marks go to.

    Raises:
        Unreadable: the sample is no delimited text.
    """
    if not isinstance(grid, TextGrid):
        mend = "Save the sample as CSV; or, to put students into the workbook itself, write clear = true in its place."
        raise Unreadable(Finding("sample-form", "a file is composed after delimited text alone", grid.place(), mend))
    people = _made_up(understand(grid, layout, identifier, []).students)
    named, new = _find(layout, wanted)
    literals = {column.index: text for column in layout.columns if (text := _literal(grid, column, people, named))}
    kept = [
        column
        for column in layout.columns
        if column.use not in _EXAMPLES or column.index in named or column.index in literals
    ]
    places = _places(layout, kept, literals, len(new))
    columns = [_column(place, old, layout, new) for place, old in enumerate(places)]
    ends = [row for row in grid.rows_behind(people, layout.first_row) if not grid.is_blank(row)]
    rows = [*range(layout.first_row), *ends]
    records = [_record(grid, row, layout, list(zip(columns, places, strict=True))) for row in rows]
    quoted = frozenset(place for place, old in enumerate(places) if _is_quoted(grid, people, layout, old))
    made = dataclasses.replace(
        grid,
        records=[record for record, _ in records],
        widths=[width for _, width in records],
        ends=[*(grid.ends[row] for row in rows[:-1]), grid.ends[-1]],
        lines=len(rows),
        spanning=(),
    )
    own = {old: place for place, old in enumerate(places) if old is not None}
    return Composition(
        target=DelimitedTarget(made, quoted, usual_end(grid)),
        layout=replace(layout, columns=tuple(columns)),
        columns=tuple(places),
        rows=tuple(map(grid.row, rows)),
        ends=len(ends),
        people=frozenset(people),
        counted=tuple((grid.row(row), len(people)) for row in ends if _says(grid.cells(row), len(people))),
        names=tuple(grid.cells(row)[column.index] for row in people for column in layout.of_use({Use.NAME, Use.BOTH})),
        literals={own[old]: text for old, text in literals.items() if old in own},
    )


def _made_up(students: Sequence[Student]) -> list[int]:
    """Return the rows of the sample's people: a last one without a digit among numbers ends the file, and is nobody."""
    others = students[:-1]
    if others and not _has_digit(students[-1]) and all(map(_has_digit, others)):
        students = others
    return [student.row.position for student in students]


def _has_digit(student: Student) -> bool:
    return any(map(str.isdigit, student.identifier))


def _says(cells: Sequence[str], count: int) -> bool:
    """Tell whether some cell of a row says a number."""
    return any(int(digits) == count for cell in cells for digits in _DIGITS.findall(cell))


def _find(layout: Layout, wanted: Sequence[WantedColumn]) -> tuple[set[int], list[WantedColumn]]:
    """Return which of the wanted columns the sample has, and the others."""
    named: set[int] = set()
    new: dict[str, WantedColumn] = {}
    for one in wanted:
        try:
            named.add(find_column(layout.columns, one.heading).index)
        except NoSuchColumn:
            new.setdefault(one.heading, one)
    return named, list(new.values())


def _literal(grid: TextGrid, column: Column, people: Sequence[int], named: set[int]) -> str:
    """Return the text that stands in a column for each of the made-up people, if it is one and no mark."""
    if column.use in STUDENT or column.index in named:
        return ""
    texts = {grid.cells(row)[column.index] for row in people}
    text = texts.pop() if len(texts) == 1 else ""
    return "" if column.use in _EXAMPLES and is_number(text) else text


def _places(layout: Layout, kept: Sequence[Column], literals: Container[int], new: int) -> list[int | None]:
    """Return the sample's column for each place: new ones stand behind the last item, or the last of a student's."""
    items = [column.index for column in layout.columns if column.use in _EXAMPLES and column.index not in literals]
    about = [column.index for column in layout.columns if column.use in STUDENT]
    behind = max(items or about, default=-1)
    before = [column.index for column in kept if column.index <= behind]
    return [*before, *([None] * new), *(column.index for column in kept if column.index > behind)]


def _column(place: int, old: int | None, layout: Layout, new: list[WantedColumn]) -> Column:
    if old is not None:
        return replace(layout.columns[old], index=place, belongs_to=None)
    wanted = new.pop(0)
    return Column(place, wanted.heading, Use.ITEM, "is new", wanted.heading, out_of=wanted.out_of)


def _record(grid: TextGrid, row: int, layout: Layout, columns: Sequence[tuple[Column, int | None]]) -> tuple[str, int]:
    """Return a row of the sample with the columns that are written, and its width; a narrower one as it is."""
    raws = grid.raw_cells(row)
    if len(raws) != len(layout.columns):
        return grid.records[row], len(raws)
    like = next((raws[old] for column, old in columns if old is not None and column.use in _EXAMPLES), raws[0])
    cells = []
    for column, old in columns:
        if old is not None:
            cells.append(raws[old])
            continue
        text = column.heading if row == layout.heading_row else ""
        if row == layout.top.maxima_row and column.out_of is not None:
            text = plain(column.out_of)
        cells.append(grid.dialect.spell(text, like))
    return grid.dialect.delimiter.join(cells), len(cells)


def _is_quoted(grid: TextGrid, people: Sequence[int], layout: Layout, old: int | None) -> bool:
    """Tell whether each cell of a column stands in quotation marks, whatever it says; a new one is as items are."""
    indices = [old] if old is not None else [column.index for column in layout.columns if column.use in _EXAMPLES]
    raws = [grid.raw_cells(row)[index] for row in people for index in indices]
    filled = [raw for raw in raws if raw]
    return bool(filled) and bool(grid.dialect.quote) and all(raw.startswith(grid.dialect.quote) for raw in filled)
