"""What is worth knowing of two classes, beside who is paired with whom."""

from collections.abc import Iterable, Sequence

from skarvin.core.findings import Finding, counted, listing
from skarvin.core.gradebook import Student
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.names import name_key
from skarvin.core.students.pairing import Pairing


def class_notes(
    source: Sequence[Student], target: Sequence[Student], pairing: Pairing, rule: IdentifierRule
) -> list[Finding]:
    """Return notes on namesakes, students in two sections, and students who may have left; rows, and no names."""
    notes = [*_namesakes(source, "export"), *_namesakes(target, "template")]
    comparable = rule.comparer
    sections: dict[str, list[Student]] = {}
    for student in source:
        if student.identifier.strip():
            sections.setdefault(comparable(student.identifier), []).append(student)
    for same in sections.values():
        if len({one.section for one in same if one.section}) > 1:
            what = f"one student stands in two sections of the export: {_rows(same)}"
            notes.append(Finding("two-sections", what))
    identifiers = {comparable(student.identifier) for student in source}
    names = {name_key(student.name) for student in source if student.name}
    suggested = {found.target.row for one in pairing.held for found in one.suggestions}
    gone = [
        student
        for student in pairing.target_only
        if student.row not in suggested
        and comparable(student.identifier) not in identifiers
        and name_key(student.name) not in names
    ]
    if gone:
        one = counted(len(gone), "student is", "students are")
        what = f"{one} in the template and not in the export, and may have left: {_rows(gone)}"
        notes.append(Finding("may-have-left", what))
    return notes


def _namesakes(students: Sequence[Student], side: str) -> list[Finding]:
    by_name: dict[tuple[str, ...], list[Student]] = {}
    for student in students:
        by_name.setdefault(name_key(student.name), []).append(student)
    found = [same for key, same in by_name.items() if key and len({one.identifier.strip() for one in same}) > 1]
    return [
        Finding("namesakes", f"{counted(len(same), 'student')} of the {side} have one name: {_rows(same)}")
        for same in found
    ]


def _rows(students: Iterable[Student]) -> str:
    return listing([f"row {student.row + 1}" for student in students], 6)
