"""What the target must say, as a table like any other, so that a fresh export can be compared with it."""

from collections.abc import Iterable, Sequence
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

from skarvin.core.gradebook import Gradebook
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import OF_OURS, read_grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.row_kinds import Top
from skarvin.core.ledger.filed import Filed, FiledCell, FiledColumn, FiledStudent
from skarvin.core.texts.lists import list_text

_TOP = Top((0,), None, (), "made from the ledger")
NOTHING = FiledCell("", None)


class Expected(NamedTuple):
    """The table: a row a student, in their order; its columns for students come first.

    Attributes:
        grid: its cells.
        layout: what they mean.
        items: the columns of the items.
        students: the students.
        told: the items, as they are called in the form.
        name: the form's name.
    """

    grid: Grid
    layout: Layout
    items: tuple[Column, ...]
    students: tuple[FiledStudent, ...]
    told: tuple[FiledColumn, ...]
    name: str


def expected_of(filed: Filed) -> Expected:
    """Return what the target must say by a ledger."""
    places = [item.index for item in filed.items]
    texts = ([wanted(row.cells.get(place, NOTHING)) for place in places] for row in filed)
    return _table(filed.file, (filed.form, filed.identifier), filed.students, filed.items, texts)


def expected_of_form(book: Gradebook, columns: Sequence[Column], maxima: Sequence[Decimal | None]) -> Expected:
    """Return what a form says of its students and some of its columns, whose maxima may be known otherwise."""
    further = [column for column in book.layout.identifiers if column != book.identifier]
    rows = [book.cells(student.row) for student in book.students]
    students = [
        FiledStudent(
            row=student.row.number,
            identifier=student.identifier.strip(),
            name=student.name,
            section=student.section,
            birth=student.birth,
            also={one.heading: cells[one.index].strip() for one in further if one.index < len(cells)},
        )
        for student, cells in zip(book.students, rows, strict=True)
    ]
    items = [
        FiledColumn(
            column=column.letter,
            heading=column.heading,
            title=column.title,
            out_of=None if (out_of or column.out_of) is None else str(out_of or column.out_of),
            key=column.key or "",
        )
        for column, out_of in zip(columns, maxima, strict=True)
    ]
    texts = ([cells[one.index] if one.index < len(cells) else "" for one in columns] for cells in rows)
    heading = book.identifier.heading if book.identifier else ""
    return _table(book.grid.file, (book.grid.file.name, heading), students, items, texts)


def _table(
    file: Path,
    names: tuple[str, str],
    students: Sequence[FiledStudent],
    items: Sequence[FiledColumn],
    texts: Iterable[Sequence[str]],
) -> Expected:
    form, identifier = names
    also = list(dict.fromkeys(heading for student in students for heading in student.also))
    uses = [
        (identifier or "Identifier", _use([student.identifier for student in students], Use.NUMBER)),
        *((heading, _use([student.also.get(heading, "") for student in students], Use.USERNAME)) for heading in also),
        ("Name", Use.NAME),
        ("Section", Use.SECTION),
        ("Birth date", Use.BIRTH),
    ]
    rows = [[*(heading for heading, _ in uses), *(item.heading for item in items)]]
    for one, cells in zip(students, texts, strict=True):
        told = [one.identifier, *(one.also.get(heading, "") for heading in also), one.name, one.section, one.birth]
        rows.append([*told, *cells])
    grid = read_grid(file, OF_OURS, list_text(rows, safe=str).encode(), is_rfc_4180=True)
    columns = [Column(place, heading, use, "known", heading) for place, (heading, use) in enumerate(uses)]
    filled = {
        column
        for column in columns
        if any(grid.first_cells(row, len(uses))[column.index].strip() for row in range(1, len(grid)))
    }
    found = [_item_column(place, item) for place, item in enumerate(items, len(columns))]
    kept = [column if column in filled else _unused(column) for column in columns]
    return Expected(grid, Layout(_TOP, (*kept, *found)), tuple(found), tuple(students), tuple(items), form)


def wanted(cell: FiledCell) -> str:
    """Return what a cell must say."""
    return cell.was if cell.now is None else cell.now


def _use(texts: Sequence[str], otherwise: Use) -> Use:
    return Use.EMAIL if any("@" in text for text in texts) else otherwise


def _unused(column: Column) -> Column:
    return Column(column.index, column.heading, Use.HOUSEKEEPING, "blank", column.title)


def _item_column(place: int, item: FiledColumn) -> Column:
    out_of = None if item.out_of is None else Decimal(item.out_of)
    title = item.title or item.heading
    return Column(place, item.heading, Use.ITEM, "known", title, out_of=out_of, key=item.key or None)
