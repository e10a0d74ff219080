"""Who is to be moved by a list: the export's students paired with those on it."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, Row, counted, listed_rows, listing
from skarvin.core.gradebook import Student
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.plan.plan import ListPlan, Plan
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.by_name import NameUse
from skarvin.core.students.pair_students import PairingRule, pair_students
from skarvin.core.students.pairing import HeldStudent, Pair
from skarvin.core.students.people_list import read_people
from skarvin.core.transfer.sides import Sides, side_layout

_MOST = 6


class Listed(NamedTuple):
    """What lists say of the export's students.

    Attributes:
        places: where on the lists each row of the export stands that is on one.
        doubtful: the rows of those who may be on one, and why that isn't certain.
        notes: what is to be told.
    """

    places: Mapping[Row, int]
    doubtful: Mapping[Row, Reason]
    notes: tuple[Finding, ...]


def read_listed(plan: Plan, folder: Path, sides: Sides, rule: PairingRule) -> Listed:
    """Return what the lists of a plan say.

    Args:
        plan: the plan.
        folder: where its files lie.
        sides: the export, and where stored layouts lie.
        rule: how students are paired.

    Raises:
        Unreadable: a list can't be read.
    """
    people: list[Student] = []
    for one in plan.list:

        def layout_of(grid: Grid, listed: ListPlan = one) -> Layout:
            return side_layout(grid, listed, (), sides.folders)[0]

        people += read_people(folder / one.file, one, one.identifier, layout_of)
    comparable = rule.identifiers.comparer
    again: dict[str, list[Student]] = {}
    for student in people:
        again.setdefault(comparable(student.identifier) or str(student.row.place()), []).append(student)
    sections = {same[0].row: {_folded(student) for student in same} for same in again.values()}
    people = [same[0] for same in again.values()]  # a number on a list twice, or on two lists, is one person's
    found = pair_students(
        sides.source.students,
        people,
        replace(rule, names=NameUse.PAIR, counts_together=True, only=(), only_sections=()),
    )
    place = {student.row: number for number, student in enumerate(people)}
    all_named = all(student.name for student in people)
    strangers = [waiting.student for waiting in found.held if all_named and _is_no_name_on_it(waiting)]
    unlisted = sorted([*found.source_only, *strangers], key=lambda student: student.row)
    doubtful = {
        waiting.student.row: Reason(Cause.LIKELY, f"may be on the list, which isn't certain: {waiting.why}")
        for waiting in found.held
        if waiting.student not in strangers
    }
    notes = _notes(found.pairs, unlisted, found.target_only, sections)
    return Listed({pair.source.row: place[pair.target.row] for pair in found.pairs}, doubtful, tuple(notes))


def _is_no_name_on_it(waiting: HeldStudent) -> bool:
    """Tell whether a student without an identifier has a name that is like none on a list."""
    return waiting.why.cause is Cause.NO_IDENTIFIER and bool(waiting.student.name) and not waiting.suggestions


def _notes(
    pairs: Sequence[Pair],
    unlisted: Sequence[Student],
    missing: Sequence[Student],
    sections: Mapping[Row, Collection[str]],
) -> Iterator[Finding]:
    if unlisted:
        what = f"{counted(len(unlisted), 'student')} of the export {_are(unlisted)} on no list: {_rows(unlisted)}"
        yield Finding("on-no-list", what)
    if missing:
        rows = listing([f"{student.row} of {student.row.source.called}" for student in missing], _MOST)
        what = f"{counted(len(missing), 'person', 'people')} on the list {_are(missing)} not in the export: {rows}"
        yield Finding("only-on-list", what)
    moved = [
        pair.source
        for pair in pairs
        if pair.source.section and pair.target.section and _folded(pair.source) not in sections[pair.target.row]
    ]
    if moved:
        some = counted(len(moved), "student stands", "students stand")
        what = f"{some} in another section on the list: {_rows(moved)}"
        yield Finding("other-section", what)


def _folded(student: Student) -> str:
    return " ".join(student.section.split()).casefold()


def _are(students: Sequence[Student]) -> str:
    return "is" if len(students) == 1 else "are"


def _rows(students: Sequence[Student]) -> str:
    return listed_rows([student.row for student in students], _MOST)
