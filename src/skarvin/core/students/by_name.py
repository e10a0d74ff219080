"""What names are worth where no identifier pairs."""

from collections.abc import Iterable, Mapping
from enum import StrEnum

from skarvin.core.gradebook import Student
from skarvin.core.texts.names import NameKey, name_key, spread_key


class NameUse(StrEnum):
    """What an equal name is worth where no identifier pairs: `backed` asks for an equal birth date, too.

    Where the files have no numbers in common, and no birth dates, or one of the two is blank, there is nothing that
    could back it. `ignore` takes no notice of names at all.
    """

    BACKED = "backed"
    PAIR = "pair"
    ASK = "ask"
    IGNORE = "ignore"


BIRTH_DATES = "birth dates"
"""What both files may have that tells more than names do."""


def by_name(students: Iterable[Student]) -> dict[NameKey, list[Student]]:
    """Return students by their whole names, with umlauts as one letter and as two."""
    found: dict[NameKey, list[Student]] = {}
    for student in students:
        key = name_key(student.name)
        if key:
            found.setdefault(key, []).append(student)
            if not student.name.isascii() and (other := spread_key(student.name)) != key:
                found.setdefault(other, []).append(student)
    return found


def namesake(
    student: Student, ours: Mapping[NameKey, list[Student]], theirs: Mapping[NameKey, list[Student]]
) -> Student | None:
    """Return the one student of the other side who has this name, if it is nobody else's on either side."""
    if student.name.isascii():
        key = name_key(student.name)
        mine, yours = ours.get(key, ()), theirs.get(key, ())
        if len(yours) != 1 or len(mine) != 1:
            return None
        if yours[0].name.isascii():
            return yours[0]
    keys = {name_key(student.name), spread_key(student.name)} - {NameKey(())}
    if any(len(ours.get(key, ())) > 1 or len(theirs.get(key, ())) > 1 for key in keys):
        return None
    match = {student.row: student for key in keys for student in theirs.get(key, ())}
    if len(match) != 1:
        return None
    other = next(iter(match.values()))
    back = {name_key(other.name), spread_key(other.name)}
    return other if {student.row for key in back for student in ours.get(key, ())} == {student.row} else None
