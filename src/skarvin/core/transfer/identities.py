"""What else a plan knows of who is who: a roster beside the form, and crosswalks."""

from collections.abc import Sequence
from pathlib import Path

from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Refused, Row, Unreadable
from skarvin.core.gradebook import Gradebook, Student, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.plan import Plan, RosterPlan
from skarvin.core.students.crosswalk import Crosswalk, chain, make_crosswalk
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.transfer.known import Identities
from skarvin.core.transfer.sides import side_layout


def know_identities(
    plan: Plan, where: tuple[Path, str], target: Gradebook, rule: IdentifierRule, folders: Sequence[Path] = ()
) -> Identities:
    """Return what the roster and the crosswalks of a plan add.

    Args:
        plan: the plan.
        where: its file and text.
        target: the form.
        rule: how identifiers are compared.
        folders: where stored layouts lie.

    Raises:
        Unreadable: one of their files can't be read, or has no such column.
    """
    file, text = where
    found: list[Crosswalk] = []
    students, unknown, book = target.students, frozenset[Row](), None
    for index, one in enumerate(plan.crosswalk):
        path = file.parent / one.file
        grid = read_grid(path)
        layout = _layout(grid)
        columns = [
            _column(layout, name, (file, text), ("crosswalk", key, index))
            for key, name in (("from", one.source), ("to", one.target))
        ]
        rows = map(grid.cells, grid.filled_rows(layout.first_row))
        last = max(column.index for column in columns)
        found.append(
            make_crosswalk(
                ((cells[columns[0].index], cells[columns[1].index]) for cells in rows if len(cells) > last), rule
            )
        )
    if plan.roster:
        roster, crosswalk, book = _roster(plan, plan.roster, where, rule, folders)
        missing = [student for student in students if rule.comparable(student.identifier) not in roster]
        if students and len(missing) == len(students):
            raise _wrong_roster(plan.roster.file, plan.roster.identifier, file, text)
        unknown = frozenset(student.row for student in missing if not student.name)
        students = tuple(_better_known(student, roster, rule) for student in students)
        found += [crosswalk] if crosswalk else []
    return Identities(students, chain(found, rule), unknown, book)


def _wrong_roster(name: str, identifier: str, file: Path, text: str) -> Refused:
    what = f"no identifier of the form is in the column '{identifier}' of {name}"
    place = Place(file, line=find_line(text, "roster", "identifier"))
    return Refused(Finding("wrong-roster", what, place, f"Name the right column; see: skarvin look {name}"))


def _layout(grid: Grid) -> Layout:
    """Return the layout of a list.

    Raises:
        Unreadable: cells of it don't stand under its headings.
    """
    return _unharmed(recognise(grid))


def _unharmed(layout: Layout) -> Layout:
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    return layout


def _as_identifier(layout: Layout, column: Column) -> Layout:
    """Return the layout with the column that a person calls the identifier, so that it isn't taken for a name, too."""
    columns = (
        replace(candidate, use=Use.KEY) if candidate.index == column.index else candidate
        for candidate in layout.columns
    )
    return replace(layout, columns=tuple(columns))


def _roster(
    plan: Plan, roster: RosterPlan, where: tuple[Path, str], rule: IdentifierRule, folders: Sequence[Path]
) -> tuple[dict[str, Student | None], Crosswalk | None, Gradebook]:
    """Return the roster's students by the target's identifier (None where it stands twice), the way to it, the list."""
    grid = read_grid(where[0].parent / roster.file, roster)
    layout = _unharmed(side_layout(grid, roster, (), folders)[0])
    column = _column(layout, roster.identifier, where, ("roster", "identifier", 0))
    layout = _as_identifier(layout, column)
    book = understand(grid, layout, column, [], plan.source.not_students)
    known: dict[str, Student | None] = {}
    for student in book.students:
        key = rule.comparable(student.identifier)
        known[key] = None if key in known else student
    if not roster.source_identifier:
        return known, None, book
    theirs = _column(layout, roster.source_identifier, where, ("roster", "source_identifier", 0))
    rows = ((book.cells(student.row)[theirs.index], student.identifier) for student in book.students)
    return known, make_crosswalk(rows, rule), book


def _better_known(student: Student, roster: dict[str, Student | None], rule: IdentifierRule) -> Student:
    """Return a target student with what only the roster says."""
    other = roster.get(rule.comparable(student.identifier))
    if other is None:
        return student
    return student._replace(
        name=student.name or other.name,
        section=student.section or other.section,
        birth=student.birth or other.birth,
        day=student.born or other.born,
    )


def _column(layout: Layout, name: str, plan: tuple[Path, str], where: tuple[str, str, int]) -> Column:
    file, text = plan
    table, key, index = where
    try:
        return find_column(layout.columns, name)
    except NoSuchColumn as error:
        place = Place(file, line=find_line(text, table, key, index))
        raise Unreadable(Finding("no-such-column", f'{key} = "{name}": {error}', place, "Correct this line.")) from None
