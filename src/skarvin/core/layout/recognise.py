"""Tells what the columns of a grid hold, by all that speaks for and against it."""

import contextlib
import re
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Unreadable, counted, numbered_row
from skarvin.core.grid.grid import ANSWER, Grid
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import LOG, STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.heading_words import said_by_words, says_student
from skarvin.core.layout.headings import as_maximum, read_heading, says_weight
from skarvin.core.layout.name_with_number import MAY_BE_BOTH, hold_both
from skarvin.core.layout.restoring import AROUND, restore
from skarvin.core.layout.row_kinds import Top, find_top, is_summary
from skarvin.core.layout.told import NOTHING_TOLD, TOLD, Told
from skarvin.core.layout.traits import read_traits
from skarvin.core.layout.weighing import Reading, weigh
from skarvin.core.layout.whole_table import Weighed, column_as, take_columns
from skarvin.core.texts.mark_grammar import read_mark

_SAMPLE, _LEAST_SAMPLE, _CELLS = 400, 100, 20_000
"""So many rows are looked at, fewer where there are many columns."""
_LAST = 6
"""So many rows at the end may hold weights and other sums."""
_MOST_ODD = 3
Met = Mapping[int, Mapping[Use, str]]
"""For columns, the uses for which another file has the same values, and in which words that is said."""


class WeighedGrid(msgspec.Struct, frozen=True):
    """A grid whose columns were weighed: its top, and what each column may hold.

    Attributes:
        grid: the cells.
        told: what a person says of the columns.
        top: the rows above the students.
        table: the columns.
        blank: the blank rows below the top.
    """

    grid: Grid
    told: Told
    top: Top
    table: tuple[Weighed, ...]
    blank: tuple[int, ...]

    def with_met(self, met: Met) -> "WeighedGrid":
        """Return the same with what another file says of some columns: see `meeting.recognise_both`."""
        is_headless = not self.top.heading_rows
        table = (
            replace(one, readings=weigh(one.heading, one.parts, one.traits, met[one.index], may_be_blank=is_headless))
            if one.index in met
            else one
            for one in self.table
        )
        return replace(self, table=tuple(table))

    def layout(self) -> Layout:
        """Return what each column holds.

        Raises:
            Unreadable: a person names a column that isn't there.
        """
        try:
            columns = _as_told(take_columns(self.table), self.table, self.told)
        except NoSuchColumn as error:
            mend = "Correct --use (of a form --form-use), or `uses` in the transfer: a heading, or a column's letter."
            what = str(error)
            raise Unreadable(Finding("no-such-column", what, self.grid.place(), mend)) from None
        rows = sample_rows(self.grid, self.top.last + 1)
        columns = [_with_number(column, rows) for column in columns]
        columns = [
            _of_shape(column, self.grid) for column in columns if self.grid.stands_in or self.grid.said
        ] or columns
        if self.top.maxima_row is not None:
            columns = _with_maxima(columns, self.grid.cells(self.top.maxima_row), self._largest)
        if (row := self.top.weights_row if self.top.weights_row is not None else _weights_below(self.grid)) is not None:
            columns = _with_weights(columns, self.grid.cells(row))
        faults = tuple(_ragged(self.grid, len(self.table), self.top.last + 1))
        oddities = tuple(_oddities(self.grid, columns, self.top, self.blank))
        return Layout(self.top, tuple(columns), oddities, faults, stores_numbers=self.grid.stores_numbers)

    def _largest(self, column: int) -> Decimal:
        """Return the largest number in a column."""
        texts = (cells[column] for cells in sample_rows(self.grid, self.top.last + 1) if column < len(cells))
        marks = (read_mark(text) or read_mark(text, is_comma=True) for text in texts)
        return max((Decimal(str(float(mark.number))) for mark in marks if mark), default=Decimal(0))


def weigh_columns(grid: Grid, told: Told = NOTHING_TOLD) -> WeighedGrid:
    """Return a grid with what each of its columns may hold, by its headings and cells alone."""
    if told.heading_row and grid.position(told.heading_row) not in range(len(grid)):
        row = numbered_row(told.heading_row)
        what = f"{row} is to have the headings, and the file has {counted(len(grid), 'row')}"
        mend = "Name the row that has them, or 0 if none has."
        raise Unreadable(Finding("no-such-row", what, grid.place(), mend))
    top = find_top(grid, told.heading_row)
    headings = join_headings(grid, top)
    rows = sample_rows(grid, top.last + 1)
    if not top.heading_rows:
        headings = [""] * max((grid.widths[row] for row in range(len(grid))), default=0)
    table = (
        _weighed(
            index, heading, [cells[index] for cells in rows if index < len(cells)], is_headless=not top.heading_rows
        )
        for index, heading in enumerate(headings)
    )
    blank = tuple(row for row in grid.blank_rows(top.last + 1) if row not in grid.further)
    return WeighedGrid(grid, told, top, tuple(table), blank)


def recognise(grid: Grid, told: Told = NOTHING_TOLD) -> Layout:
    """Return the layout of a grid: its headings and maxima, and what each column holds.

    Raises:
        Unreadable: a person names a column that isn't there.
    """
    return weigh_columns(grid, told).layout()


def title_in(heading: str) -> str:
    """Return the title in a heading, or in a cell with an item, without its maximum and key."""
    return read_heading(heading).title


def _with_number(column: Column, rows: Sequence[Sequence[str]]) -> Column:
    """Return a column; one of names whose cells have the number, too, holds both."""
    may_be = column.use in MAY_BE_BOTH or (column.use is Use.COMMENT and says_student(column.heading))
    if not may_be or column.evidence == TOLD:
        return column
    if not hold_both(cells[column.index] for cells in rows if column.index < len(cells)):
        return column
    return replace(column, use=Use.BOTH, evidence="each cell has a name and a number", around=("", ""))


def _of_shape(column: Column, grid: Grid) -> Column:
    """Return a column; one that a file doesn't have as such holds the marks of an item, or a total."""
    place, shape = grid.stands_in.get(column.index), grid.shape
    if known := grid.said.get(column.index):
        return column if column.evidence == TOLD else _of_standard(column, Use(known), shape)
    if not grid.stands_in:
        return column
    if column.use in LOG:
        return replace(column, evidence=shape)
    if place is None:
        is_kept = column.use in STUDENT | {Use.HOUSEKEEPING}
        return column if is_kept else replace(column, use=Use.HOUSEKEEPING, evidence="says something of one line")
    use = column.use if column.use in {Use.ITEM, Use.TOTAL} else Use.ITEM
    if column.index in grid.comments:
        below = column.index - len(grid.comments)
        return replace(column, use=Use.COMMENT, evidence=shape, stands_in=place, belongs_to=below, out_of=None)
    return replace(column, use=use, evidence=shape, stands_in=place)


def _of_standard(column: Column, use: Use, shape: str) -> Column:
    """Return a column that holds what a standard says."""
    title = column.heading.removesuffix(ANSWER) if use is Use.ANSWER else column.title
    return replace(column, use=use, evidence=shape, belongs_to=None, title=title)


def join_headings(grid: Grid, top: Top) -> list[str]:
    """Return each column's heading; a text above several columns stands before the heading of each of them."""
    rows = [[text.strip() for text in grid.cells(row)] for row in top.heading_rows]
    width = max(map(len, rows), default=0)
    rows = [[*row, *[""] * (width - len(row))] for row in rows]
    if len(rows) < 2:  # noqa: PLR2004 - nothing to join
        return rows[0] if rows else []
    spread = []
    for number, row in enumerate(rows[:-1]):
        filled, last = [], ""
        for index, text in enumerate(row):
            is_own = not any(below[index] for below in rows[number + 1 :])
            last = text or ("" if is_own else last)
            filled.append(text or last)
        spread.append(filled)
    return [" ".join(dict.fromkeys(filter(None, texts))) for texts in zip(*spread, rows[-1], strict=True)]


def sample_rows(grid: Grid, start: int) -> list[Sequence[str]]:
    """Return the cells of rows from all over the grid, without those that sum others up."""
    most = min(_SAMPLE, max(_LEAST_SAMPLE, _CELLS // max(1, grid.widths[start] if start < len(grid) else 1)))
    step = max(1, (len(grid) - start) // most)
    rows = [grid.cells(row) for row in range(start, len(grid), step) if not grid.is_blank(row)]
    return [cells for cells in rows if not is_summary(cells)] or rows


def _weighed(index: int, heading: str, texts: list[str], *, is_headless: bool) -> Weighed:
    texts = [restore(text)[0] if text[:1] in AROUND else text for text in texts]
    parts, traits = read_heading(heading), read_traits(texts)
    filled = [text for text in texts if text.strip()]
    readings = weigh(heading, parts, traits, may_be_blank=is_headless)
    return Weighed(index, heading.strip(), parts, traits, readings, _around(filled))


def _as_told(columns: list[Column], table: Sequence[Weighed], told: Told) -> list[Column]:
    """Return the columns as a person says, where one says anything."""
    found, known = list(columns), tuple(columns)
    for name, use in told.uses.items():
        column = find_column(known, name)
        found[column.index] = column_as(table[column.index], Reading(use, 0, TOLD))
    for name in told.marked:
        with contextlib.suppress(NoSuchColumn):  # whoever needs it says so, with its line
            column = found[find_column(known, name).index]
            if column.use in STUDENT and STUDENT.isdisjoint(said_by_words(column.heading)):
                found[column.index] = column_as(table[column.index], Reading(Use.ITEM, 0, "marks, by the transfer"))
    return found


def _around(filled: list[str]) -> tuple[str, str]:
    """Return the sign that stands before, or behind, every value."""
    values = [text.strip() for text in filled if any(sign.isdigit() for sign in text)]
    if len(values) < 2 or min(map(len, values)) < 2:  # noqa: PLR2004 - one value proves nothing
        return ("", "")
    first, last = {text[0] for text in values}, {text[-1] for text in values}
    before = first.pop() if len(first) == 1 and not values[0][0].isalnum() else ""
    behind = last.pop() if len(last) == 1 and not values[0][-1].isalnum() else ""
    return (before, behind)


def _with_maxima(columns: list[Column], cells: Sequence[str], largest: Callable[[int], Decimal]) -> list[Column]:
    """Return the columns with the maxima of a row of their own.

    Where the heading says another, the larger one holds if a mark is above the smaller; else neither does for sure.
    """
    found = []
    for column in columns:
        text = cells[column.index] if column.index < len(cells) else ""
        number = re.search(r"\d+(?:[.,]\d+)?", text)
        out_of = as_maximum(number[0], is_said=True) if number else None
        if column.use in {Use.ITEM, Use.TOTAL, Use.OTHER} and out_of is not None:
            use = Use.TOTAL if column.use is Use.TOTAL else Use.ITEM
            said = column.out_of
            low, high = sorted((said or out_of, out_of))
            known = high if low == high or largest(column.index) > low else None
            found.append(
                replace(
                    column,
                    use=use,
                    out_of=known,
                    evidence="maximum in a row of its own",
                    other_out_of=said if said != out_of else None,
                )
            )
        else:
            found.append(column)
    return found


def _weights_below(grid: Grid) -> int | None:
    """Return the row of weights that stands below the students, if there is one."""
    for row in range(max(0, len(grid) - _LAST), len(grid)):
        first = next((text for text in grid.cells(row) if text.strip()), "")
        if says_weight(first):
            return row
    return None


def _with_weights(columns: list[Column], cells: Sequence[str]) -> list[Column]:
    """Return the columns with the weights of a row of their own."""
    texts = (cells[column.index] if column.index < len(cells) else "" for column in columns)
    numbers = [re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*%?\s*", text) for text in texts]
    return [
        replace(column, weight=Decimal(number[1].replace(",", "."))) if number and column.use is Use.ITEM else column
        for column, number in zip(columns, numbers, strict=True)
    ]


def _oddities(grid: Grid, columns: list[Column], top: Top, blank: Sequence[int]) -> list[Finding]:
    findings = list(grid.notes)
    seen: dict[str, list[Column]] = {}
    for column in columns:
        seen.setdefault(column.heading, []).append(column)
    for heading, same in seen.items() if top.heading_rows else ():
        letters = ", ".join(column.letter for column in same)
        place = grid.place(top.heading_rows[-1], same[0].index)
        if heading and len(same) > 1:
            mend = "Name these columns by their letters."
            what = f"the heading '{heading}' is used in columns {letters}"
            findings.append(Finding("heading-twice", what, place, mend))
        if not heading:
            what = f"{counted(len(same), 'column has', 'columns have')} no heading: {letters}"
            findings.append(Finding("heading-blank", what, place, "Name such a column by its letter."))
    if blank:
        findings.append(Finding("blank-rows", counted(len(blank), "blank row"), grid.place(blank[0])))
    return findings


def _ragged(grid: Grid, width: int, start: int) -> list[Finding]:
    """Return a fault for each row whose cells don't stand under the headings."""
    if set(grid.widths) == {width}:
        return []
    findings = []
    for row in range(start, len(grid)):
        cells = grid.widths[row]
        if cells == width or grid.is_blank(row) or (cells > width and not any(grid.cells(row)[width:])):
            continue
        if cells < width and sum(1 for text in grid.cells(row) if text.strip()) <= 1:
            continue  # a line of text below or between the class lists
        end = " and is the last one" if row == len(grid) - 1 else ""
        what = f"this row has {counted(cells, 'cell')}{end}; the headings have {width}"
        mend = (
            "The file may have been cut off: export it again."
            if cells < width
            else "A cell may hold the delimiter without quotation marks: correct the row, or export again."
        )
        findings.append(Finding("ragged-row", what, grid.place(row), mend))
    return findings
