"""What a person should know of how an export was read: cells that say less than they show, sheets that aren't read."""

from collections.abc import Container, Iterator, Sequence

from skarvin.core.findings import Finding, Place, SkarvinError, counted
from skarvin.core.grid.grid import CellGrid, Grid
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import plain

_OF_CELLS = frozenset({"hidden-text", "shown-rounded", "error-cells", "formula-without-value"})

_SOME = 2
"""A table with so many headings of a class is one."""


def notes_of_export(grid: Grid, layout: Layout, exports: Sequence[Grid]) -> Iterator[Finding]:
    """Yield the notes on an export's cells, and on its sheets or tables that aren't read though they hold students.

    Args:
        grid: the export.
        layout: what it means.
        exports: all that are read: each may be another sheet of the same file.
    """
    yield from (note for note in grid.notes if note.slug in _OF_CELLS)
    for column in layout.columns:
        if column.other_out_of is not None:
            stands = f"'{column.heading}' of {grid.file.name}: its heading says out of {plain(column.other_out_of)}"
            taken = "that nobody can tell" if column.out_of is None else f"{plain(column.out_of)} is taken"
            mend = "Write from_out_of in its [[item]]." if column.out_of is None else ""
            yield Finding("two-maxima", f"{stands}, and the row of maxima another; {taken}", Place(grid.file), mend)
    yield from _passed_over(grid, layout, {one.sheet for one in exports if one.file == grid.file})


def _passed_over(grid: Grid, layout: Layout, read: Container[str | None]) -> Iterator[Finding]:
    """Yield a note for each sheet or table beside the one that is read which holds students, and marks or others."""
    known = _people(grid, layout)
    if not isinstance(grid, CellGrid):
        return
    for name, table in grid.others:
        if name in read:
            continue
        there = CellGrid(grid.file, grid.title, grid.kind, table, name)
        try:
            theirs = recognise(there)
        except SkarvinError:
            continue
        people = _people(there, theirs)
        new = people - known
        if not people or not (known & people or _is_class(theirs, layout)) or not (new or theirs.of_use(Use.ITEM)):
            continue
        what = f"'{name}' of {grid.file.name} holds {counted(len(people), 'student')}"
        what += f", {len(new)} of them not in '{grid.sheet}'" if new else f" of '{grid.sheet}'"
        tells = theirs.of_use(IDENTIFIERS)[0].heading if theirs.of_use(IDENTIFIERS) else ""
        lines = (f'file = "{grid.file.name}"', f'sheet = "{name}"', f'identifier = "{tells}"')
        mend = f"To read it, too, write these lines into the transfer: [[export]], {', '.join(lines)}."
        yield Finding("passed-over", f"{what}, and isn't read: '{grid.sheet}' is", Place(grid.file, sheet=name), mend)


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
