"""What is worth knowing of two classes, beside who is paired with whom."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import TypeVar

from skarvin.core.findings import Finding, Source, counted, listed_rows, listing
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause
from skarvin.core.students.identifiers import Identifier, IdentifierRule
from skarvin.core.students.pairing import Pairing, count_people
from skarvin.core.texts.names import name_key

Key = TypeVar("Key")
_BEST_FIELD = "birth dates"
_HELPFUL: Mapping[str, Callable[[Student], str]] = MappingProxyType(
    {
        "identifiers": lambda student: student.identifier,
        _BEST_FIELD: lambda student: student.born,
    }
)
"""The fields that tell students apart."""
_MOSTLY = 0.5
"""A file has a field if so many of its students have it."""
_MANY_HELD = 0.25
"""From so large a share of students in doubt on, a field is named that neither file has."""


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
    alone = {name_key(student.name) for student in pairing.target_only}
    names = alone.intersection(map(name_key, [student.name for student in source if student.name]))
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
    return [*notes, *_missing_fields(source, target, pairing)]


def _missing_fields(source: Sequence[Student], target: Sequence[Student], pairing: Pairing) -> Iterator[Finding]:
    """Tell which fields would help with the students in doubt: those that one file has, or neither where most wait."""
    waiting = count_people(one.student for one in pairing.held if one.why.cause is not Cause.IDENTIFIER_TWICE)
    if not waiting:
        return
    are_many = waiting > _MANY_HELD * (waiting + pairing.people)
    whom = "the student to confirm" if waiting == 1 else f"the {waiting:,} students to confirm"
    for title, value in _HELPFUL.items():
        there = {name: _filled(side, value) for name, side in (("export", source), ("form", target))}
        without = [name for name, share in there.items() if not share]
        if len(without) == 1 and max(there.values()) >= _MOSTLY:
            where = without[0]
            what = f"{title} would help with {whom} if the {where} had them: only the other file does"
            yield Finding("field-would-help", what)
        elif without and are_many and title == _BEST_FIELD:
            yield Finding("field-would-help", f"{title} in both files would help with {whom}")


def _filled(students: Sequence[Student], value: Callable[[Student], str]) -> float:
    """Return for which share of the students something stands in a field."""
    return sum(1 for student in students if value(student).strip()) / max(1, len(students))


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
    where = listing([f"{student.row} of {student.row.source.called}" for student in some], 6)
    what = f"{counted(len(some), 'student is', 'students are')} in only some of the exports: {where}"
    return [Finding("in-some-only", what)] if some else []


def _namesakes(students: Sequence[Student], side: str, pairing: Pairing) -> list[Finding]:
    """Tell of several students of one name; rows that are paired with one student of the form are one student's."""
    namesakes = _sharing(list(map(name_key, [student.name for student in students])), students)
    paired = {one.source.row: one.target.row for one in pairing.pairs} if namesakes else {}
    notes = []
    for same in namesakes:
        by_number = {student.identifier.strip(): row for student in same if (row := paired.get(student.row))}
        people = {by_number.get(key := student.identifier.strip(), paired.get(student.row, key)) for student in same}
        if len(people) > 1:
            what = f"{counted(len(people), 'student')} of the {side} have the same name: {_rows(same)}"
            notes.append(Finding("namesakes", what))
    return notes


def _sharing(keys: Sequence[Key], students: Sequence[Student]) -> list[list[Student]]:
    """Return the students who share a key that isn't blank, key by key; `keys` has one for each student."""
    if len(set(keys)) == len(keys):
        return []
    found: dict[Key, list[Student]] = {key: [] for key, count in Counter(keys).items() if count > 1 and key}
    if found:
        for key, student in zip(keys, students, strict=True):
            if key in found:
                found[key].append(student)
    return list(found.values())


def _rows(students: Iterable[Student]) -> str:
    return listed_rows([student.row for student in students], 6)
