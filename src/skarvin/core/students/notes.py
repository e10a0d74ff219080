"""What is worth knowing of two classes, beside who is paired with whom."""

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import TypeVar

from skarvin.core.findings import Finding, Source, counted, listed_rows, listing
from skarvin.core.gradebook import Student
from skarvin.core.students.identifiers import Identifier, IdentifierRule
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.names import name_key

Key = TypeVar("Key")


def class_notes(
    source: Sequence[Student],
    target: Sequence[Student],
    pairing: Pairing,
    rule: IdentifierRule,
    *,
    only_some: bool = False,
) -> list[Finding]:
    """Return notes on namesakes, students in two sections, and students who may have left; rows, and no names.

    Where `only_some` were meant to be moved, nothing is said of those who may have left.
    """
    notes = [*_namesakes(source, "export", pairing), *_namesakes(target, "form", pairing)]
    comparable = rule.comparer
    identifiers = [comparable(student.identifier) for student in source]
    for same in _sharing(identifiers, source):
        if len({student.section for student in same if student.section}) > 1:
            what = f"one student is in two sections of the export: {_rows(same)}"
            notes.append(Finding("two-sections", what))
    notes += _in_some_only(source, identifiers)
    ids = set(identifiers)
    names = {name_key(student.name) for student in source if student.name} if pairing.target_only else set()
    suggested = {found.target.row for waiting in pairing.held for found in waiting.suggestions}
    gone = [
        student
        for student in pairing.target_only
        if student.row not in suggested
        and comparable(student.identifier) not in ids
        and name_key(student.name) not in names
    ]
    if gone and not only_some:
        text = counted(len(gone), "student is", "students are")
        what = f"{text} in the form and not in the export, and may have left: {_rows(gone)}"
        notes.append(Finding("may-have-left", what))
    return notes


def _in_some_only(source: Sequence[Student], identifiers: Sequence[Identifier]) -> list[Finding]:
    """Tell of students who stand in some of several exports, and not in all."""
    files = {student.row.source for student in source}
    if len(files) == 1:
        return []
    stands: dict[Identifier, set[Source]] = {}
    first: dict[Identifier, Student] = {}
    for key, student in zip(identifiers, source, strict=True):
        if key:
            stands.setdefault(key, set()).add(student.row.source)
            first.setdefault(key, student)
    some = [first[key] for key, where in stands.items() if len(where) < len(files)]
    where = listing([f"{student.row} of {student.row.source.file.name}" for student in some], 6)
    what = f"{counted(len(some), 'student is', 'students are')} in only some of the exports: {where}"
    return [Finding("in-some-only", what)] if some else []


def _namesakes(students: Sequence[Student], side: str, pairing: Pairing) -> list[Finding]:
    """Tell of several students of one name; rows that are paired with one student of the form are one student's."""
    paired = {one.source.row: one.target.row for one in pairing.pairs}
    notes = []
    for same in _sharing([name_key(student.name) for student in students], students):
        people = {paired.get(student.row, student.identifier.strip()) for student in same}
        if len(people) > 1:
            what = f"{counted(len(people), 'student')} of the {side} have the same name: {_rows(same)}"
            notes.append(Finding("namesakes", what))
    return notes


def _sharing(keys: Sequence[Key], students: Sequence[Student]) -> list[list[Student]]:
    """Return the students who share a key that isn't blank, key by key; `keys` has one for each student."""
    found: dict[Key, list[Student]] = {key: [] for key, count in Counter(keys).items() if count > 1 and key}
    if found:
        for key, student in zip(keys, students, strict=True):
            if key in found:
                found[key].append(student)
    return list(found.values())


def _rows(students: Iterable[Student]) -> str:
    return listed_rows([student.row for student in students], 6)
