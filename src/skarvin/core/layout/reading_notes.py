"""What a person should know of how an export was read: cells that say less than they show, sheets that aren't read."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, SkarvinError, counted
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import plain

_OF_CELLS = frozenset(
    {"hidden-text", "shown-rounded", "error-cells", "formula-without-value", "sheets-left-out", "sheets-unlike"}
)

_SOME = 2
"""A table with so many headings of a class is one."""


class PassedOver(NamedTuple):
    """A sheet or table that isn't read though it holds students.

    Attributes:
        beside: what is read instead.
        name: what it is called.
        identifier: the heading of the column that tells its students apart.
        students, new: how many it holds, and of them those who aren't in what is read.
        wanted: those of the new whom the form has: without the sheet they get no marks.
    """

    beside: Grid
    name: str
    identifier: str
    students: int
    new: int
    wanted: int

    @property
    def finding(self) -> Finding:
        """What is to be said of it."""
        grid, name = self.beside, self.name
        what = f"'{name}' of {grid.file.name} holds {counted(self.students, 'student')}"
        what += f", {self.new} of them not in '{grid.sheet}'" if self.new else f" of '{grid.sheet}'"
        what += f", and isn't read: '{grid.sheet}' is"
        lines = (f'file = "{grid.file.name}"', f'sheet = "{name}"', f'identifier = "{self.identifier}"')
        if self.wanted:
            return Finding("passed-over", f"{what}. Whether it is read, too, is asked", Place(grid.file, sheet=name))
        mend = f"To read it, too, write these lines into the transfer: [[export]], {', '.join(lines)}."
        return Finding("passed-over", what, Place(grid.file, sheet=name), mend)


def notes_of_export(
    grid: Grid, layout: Layout, exports: Sequence[Grid], form: tuple[Grid, Layout] | None = None
) -> Iterator[Finding]:
    """Yield the notes on an export's cells, and on its sheets or tables that aren't read though they hold students.

    Args:
        grid: the export.
        layout: what it means.
        exports: all that are read: each may be another sheet of the same file.
        form: if given, what holds students of the form is asked.
    """
    yield from (note for note in grid.notes if note.slug in _OF_CELLS or grid.said)
    for column in layout.columns:
        if column.other_out_of is not None:
            stands = f"'{column.heading}' of {grid.file.name}: its heading says out of {plain(column.other_out_of)}"
            taken = "that nobody can tell" if column.out_of is None else f"{plain(column.out_of)} is taken"
            mend = "Write from_out_of in its [[item]]." if column.out_of is None else ""
            yield Finding("two-maxima", f"{stands}, and the row of maxima another; {taken}", Place(grid.file), mend)
    yield from (one.finding for one in passed_over(grid, layout, exports, form))


def passed_over(
    grid: Grid, layout: Layout, exports: Sequence[Grid], form: tuple[Grid, Layout] | None = None
) -> Iterator[PassedOver]:
    """Yield each sheet or table beside the one that is read which holds students, and marks or others.

    Args:
        grid: what is read.
        layout: what it means.
        exports: all that are read: each may be another sheet of the same file.
        form: whom marks are wanted for.
    """
    if not grid.others or grid.kind in {Kind.FOLDER, Kind.QTI}:
        return
    known, read = _people(grid, layout), {one.sheet for one in exports if one.file == grid.file}
    ours, asked = (set().union(*_each(*side)) if side else set() for side in ((grid, layout), form))
    for name, _ in grid.others:
        if name in read:
            continue
        there = grid.beside(name)
        try:
            theirs = recognise(there)
        except SkarvinError:
            continue
        people = _people(there, theirs)
        new = people - known
        if not people or not (known & people or _is_class(theirs, layout)) or not (new or theirs.of_use(Use.ITEM)):
            continue
        tells = theirs.of_use(IDENTIFIERS)[0].heading if theirs.of_use(IDENTIFIERS) else ""
        wanted = sum(1 for texts in set(_each(there, theirs)) if texts & asked and not texts & ours)
        yield PassedOver(grid, name, tells, len(people), len(new), wanted)


def _each(grid: Grid, layout: Layout) -> Iterator[frozenset[str]]:
    """Yield each row's identifiers, or its name where the file has none."""
    columns = layout.of_use(IDENTIFIERS) or layout.of_use({Use.NAME})
    for row in range(layout.first_row, len(grid)):
        cells = grid.cells(row)
        yield frozenset(fold(cells[one.index]) for one in columns if one.index < len(cells)) - {""}


def _is_class(layout: Layout, like: Layout) -> bool:
    """Tell whether a table is of students: it says who they are in two ways, or has columns that another class has."""
    headings = {fold(column.heading) for column in like.columns if column.heading}
    common = sum(1 for column in layout.columns if fold(column.heading) in headings)
    return bool(layout.of_use(IDENTIFIERS) and layout.of_use(NAMES)) or common >= _SOME


def _people(grid: Grid, layout: Layout) -> set[str]:
    """Return what tells the students of a grid apart: their identifiers, or their names if they have none."""
    columns = layout.of_use(IDENTIFIERS) or layout.of_use(NAMES)
    rows = (grid.cells(row) for row in range(layout.first_row, len(grid)))
    texts = (
        " ".join(fold(cells[column.index]) for column in columns[:2] if column.index < len(cells)) for cells in rows
    )
    return {text for text in map(str.strip, texts) if text}
