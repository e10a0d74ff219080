"""A row for each student of the export who has something to send, where the form has headings and no students."""

from collections.abc import Callable, Iterator, Sequence

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.gradebook import Gradebook, Student, understand
from skarvin.core.layout.columns import IDENTIFIERS, Column, Use
from skarvin.core.marks.choices import Blank
from skarvin.core.marks.verbatim import would_run
from skarvin.core.students.deciding import PairingRule, narrow
from skarvin.core.targets.target import Target
from skarvin.core.transfer.sides import Sides


def with_students(sides: Sides, rule: PairingRule) -> Sides:
    """Return the sides with a row in the template for each student of the export who is to be moved.

    Raises:
        Unreadable: nobody is.
    """
    form, target = sides.form, sides.target
    has_marks = _mark_test(sides)
    students = narrow(sides.source.students, rule)[0]
    rows = list(_rows(sides, rule, [student for student in students if has_marks(student)]))
    if not rows:
        mend = "Export it with its students, or an export with marks."
        what = "the form has no students, and no student of the export has a mark to send"
        raise Unreadable(Finding("no-students", what, form.grid.place(), mend))
    extended = form.extended(rows)
    grid = extended.grid
    book = understand(grid, target.layout, target.identifier, target.items)
    added = {grid.row(len(form.grid) + place): tuple(cells) for place, cells in enumerate(rows)}
    without = frozenset(student.row for student in students if not has_marks(student))
    return sides._replace(target=book, form=extended, added=added, markless=without)


def _mark_test(sides: Sides) -> Callable[[Student], bool]:
    """Return what tells whether anything may be sent for a student: a mark, or what stands for none by a rule."""
    column_map, source = sides.column_map, sides.source
    sent = [item for item in column_map.items if item.target and not item.rule.travels]
    is_for_all = any(item.rule.blank is not Blank.LEAVE for item in sent) or bool(column_map.constants)
    columns = {item.source.index for item in sent if isinstance(item.source, Column)} | {
        index for total in column_map.totals for index in total.parts
    }

    def has_marks(student: Student) -> bool:
        cells = source.cells(student.row)
        return is_for_all or any(cells[column].strip() for column in columns if column < len(cells))

    return has_marks


def _rows(sides: Sides, rule: PairingRule, students: Sequence[Student]) -> Iterator[list[str]]:
    """Yield a row for each of the students with another identifier, in the order of the export."""
    comparable = rule.identifiers.comparer
    seen = {comparable(text) for text in rule.leave_out} | {""}
    for student in students:
        identifier = student.identifier.strip()
        if comparable(identifier) not in seen and _is_harmless(sides.form, identifier):
            seen.add(comparable(identifier))
            cells = (_cell(column, student, sides) for column in sides.target.layout.columns)
            yield [text if _is_harmless(sides.form, text) else "" for text in cells]


def _is_harmless(form: Target, text: str) -> bool:
    return not form.lacks(text) and not would_run(text)


def _cell(column: Column, student: Student, sides: Sides) -> str:
    """Return what the export knows of a student for a column of the template; nothing where it isn't certain."""
    source = sides.source
    if column == sides.target.identifier:
        return student.identifier.strip()
    if column.use in IDENTIFIERS | {Use.FAMILY, Use.GIVEN}:
        return _same_use(column.use, student, source) or _part_of_name(column.use, student)
    told = {
        Use.NAME: student.name,
        Use.SECTION: student.section,
        Use.BIRTH: student.birth,
        Use.LEAVING: student.leaving,
    }
    return told.get(column.use, "")


def _same_use(use: Use, student: Student, source: Gradebook) -> str:
    found: Sequence[Column] = source.layout.of_use({use})
    return source.cells(student.row)[found[0].index].strip() if len(found) == 1 else ""


def _part_of_name(use: Use, student: Student) -> str:
    """Return the family or the given name from 'Family, Given'; nothing where there is no comma."""
    family, comma, given = student.name.partition(",")
    if not comma or use in IDENTIFIERS:
        return ""
    return (family if use is Use.FAMILY else given).strip()
