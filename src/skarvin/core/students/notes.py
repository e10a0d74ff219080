"""What is worth knowing of two classes, beside who is paired with whom."""

from collections.abc import Iterable, Sequence
from typing import TypeVar

from skarvin.core.findings import Finding, counted, listing
from skarvin.core.gradebook import Student
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.names import name_key
from skarvin.core.students.pairing import Pairing

Key = TypeVar("Key")


def class_notes(
    source: Sequence[Student], target: Sequence[Student], pairing: Pairing, rule: IdentifierRule
) -> list[Finding]:
    """Return notes on namesakes, students in two sections, and students who may have left; rows, and no names."""
    notes = [*_namesakes(source, "export"), *_namesakes(target, "template")]
    comparable = rule.comparer
    by_identifier = _together((comparable(one.identifier), one) for one in source)
    for identifier, same in by_identifier.items():
        if identifier and len(same) > 1 and len({one.section for one in same if one.section}) > 1:
            what = f"one student stands in two sections of the export: {_rows(same)}"
            notes.append(Finding("two-sections", what))
    names = {name_key(student.name) for student in source if student.name} if pairing.target_only else set()
    suggested = {found.target.row for one in pairing.held for found in one.suggestions}
    gone = [
        student
        for student in pairing.target_only
        if student.row not in suggested
        and comparable(student.identifier) not in by_identifier
        and name_key(student.name) not in names
    ]
    if gone:
        one = counted(len(gone), "student is", "students are")
        what = f"{one} in the template and not in the export, and may have left: {_rows(gone)}"
        notes.append(Finding("may-have-left", what))
    return notes


def _namesakes(students: Sequence[Student], side: str) -> list[Finding]:
    by_name = _together((name_key(one.name), one) for one in students)
    shared = [same for key, same in by_name.items() if key and len(same) > 1]
    found = [same for same in shared if len({one.identifier.strip() for one in same}) > 1]
    return [
        Finding("namesakes", f"{counted(len(same), 'student')} of the {side} have one name: {_rows(same)}")
        for same in found
    ]


def _together(keyed: Iterable[tuple[Key, Student]]) -> dict[Key, list[Student]]:
    """Return the students of each key, in their order."""
    found: dict[Key, list[Student]] = {}
    for key, student in keyed:
        found.setdefault(key, []).append(student)
    return found


def _rows(students: Iterable[Student]) -> str:
    return listing([f"row {student.row + 1}" for student in students], 6)
