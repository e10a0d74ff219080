"""A list of people: a table with headings, or lines that each say somebody's identifier, name, or both."""

from collections.abc import Callable
from pathlib import Path

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.gradebook import Student, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.heading_words import says_student
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.texts.patterns import pattern

_NUMBERED = pattern(r"^\s*(?:\d{1,4}[.)]\s+|[-*\u2022]\s+|\d{1,4}\t)")
_REMARK = pattern(r"[(\[][^()\[\]\d]*[)\]]")
"""What stands in brackets and is no identifier: late, transferred."""
_BRACKETS = "()[]<>{},;:\"'"
_SHORTEST = 2


def read_people(
    file: Path, how: ReadAs, identifier: str = "", layout_of: Callable[[Grid], Layout] = recognise
) -> list[Student]:
    """Return the people on a list, in its order.

    Args:
        file: the list.
        how: how it is read.
        identifier: the column that tells them apart, if the list is a table and that isn't plain.
        layout_of: what its columns mean.

    Raises:
        Unreadable: the list can't be read, has nobody, or has no such column.
    """
    grid = read_grid(file, how)
    layout = layout_of(grid)
    top = () if layout.heading_row is None else grid.cells(layout.heading_row)
    heads = [cell for cell in top if cell.strip()]
    has_headings = any(map(says_student, heads))
    if has_headings and len(heads) > 1:
        people = _of_table(grid, layout, identifier)
    else:
        people = _of_lines(grid, layout.first_row if has_headings else 0)
    if not people:
        raise Unreadable(Finding("nobody", "nobody is on this list", grid.place(), "Name another file."))
    return people


def _of_table(grid: Grid, layout: Layout, identifier: str) -> list[Student]:
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    try:
        named = find_column(layout.columns, identifier) if identifier else None
    except NoSuchColumn as error:
        raise Unreadable(Finding("no-such-column", str(error), grid.place(), "Name a column that is there.")) from None
    column = named or next(iter([*layout.identifiers, *layout.names]), None)
    if column is None:
        what, mend = "no column of this list says who somebody is", 'Name one: identifier = "HEADING" in its [[list]].'
        raise Unreadable(Finding("no-such-column", what, grid.place(), mend))
    book = understand(grid, layout, column, [], NOT_STUDENTS)
    is_name = column not in layout.identifiers
    return [student._replace(identifier="" if is_name else student.identifier) for student in book.students]


def _of_lines(grid: Grid, first: int) -> list[Student]:
    """Return who each line says: words with a digit are an identifier, the others a name."""
    found = []
    for row in range(first, len(grid)):
        text = _REMARK.sub(" ", _NUMBERED.sub("", _line(grid, row)))
        codes: list[str] = []
        names: list[str] = []
        for word in text.split():
            bare = word.strip(_BRACKETS)
            is_code = any(sign.isdigit() for sign in bare) and len(bare) >= _SHORTEST
            (codes if is_code else names).append(bare if is_code else word)
        if text.strip():
            found.append(Student(grid.row(row), codes[0] if codes else "", " ".join(names).strip(" ,;-")))
    return found


def _line(grid: Grid, row: int) -> str:
    """Return a line as it stands: a comma between a family name and a given one is no end of a cell."""
    cells = [cell.strip() for cell in grid.cells(row) if cell.strip()]
    return (
        ", ".join(cells)
        if len(cells) > 1 and not any(any(sign.isdigit() for sign in cell) for cell in cells)
        else (" ".join(cells))
    )
