"""Two rows for one student on the source's side: which of them counts."""

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime
from enum import StrEnum
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.students.identifiers import Identifier
from skarvin.core.students.likeness import is_contradiction

_DAY_FIRST = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})(?:,?\s+(\d{1,2}:\d\d(?::\d\d)?))?")


class Repeated(StrEnum):
    """What becomes of several rows for one student."""

    HOLD = "hold"
    FIRST = "first"
    LATEST = "latest"
    HIGHEST = "highest"
    AGREE = "agree"


class Chosen(NamedTuple):
    """The rows that count, those set aside with the reason, and the identifiers whose rows count together."""

    students: list[Student]
    aside: list[tuple[Student, str]]
    together: frozenset[Identifier] = frozenset()


def choose_repeated(
    students: Sequence[Student],
    comparable: Callable[[str], Identifier],
    rule: Repeated,
    dates: Mapping[Row, str],
) -> Chosen:
    """Return which rows count where one identifier stands in several.

    Rows whose names are two people's are never taken for one student, and stay to be held.

    Args:
        students: the source's students.
        comparable: makes identifiers comparable.
        rule: which row counts; `highest` and `agree` are decided mark by mark, so that all rows count together, and so
            is everything where the rows are of several files.
        dates: for `latest`, the text of the date column by row.
    """
    groups: dict[Identifier, list[Student]] = {}
    for student in students:
        groups.setdefault(comparable(student.identifier), []).append(student)
    repeated = {key: same for key, same in groups.items() if key and len(same) > 1 and _is_one(same)}
    if rule is Repeated.HOLD or not repeated:
        return Chosen(list(students), [])
    if rule in {Repeated.HIGHEST, Repeated.AGREE} or any(student.row.source.number for student in students):
        return Chosen(list(students), [], frozenset(repeated))  # item by item
    aside: dict[Row, tuple[Student, str]] = {}
    for same in repeated.values():
        kept = same[0] if rule is Repeated.FIRST else _latest(same, dates)
        if kept:
            reason = f"{kept.row} of the same student is the {rule.value}"
            aside |= {student.row: (student, reason) for student in same if student.row != kept.row}
    return Chosen([student for student in students if student.row not in aside], list(aside.values()))


def _is_one(students: Iterable[Student]) -> bool:
    first, *others = students
    return not any(is_contradiction(first.name, other.name) for other in others)


def _latest(students: Sequence[Student], dates: Mapping[Row, str]) -> Student | None:
    """Return the student whose date is the latest; None if a date can't be read or two are equal."""
    moments = [(read_moment(dates.get(student.row, "")), student) for student in students]
    known = [(moment, student) for moment, student in moments if moment is not None]
    if len(known) < len(students):
        return None
    latest = max(moment for moment, _ in known)
    found = [student for moment, student in known if moment == latest]
    return found[0] if len(found) == 1 else None


def read_moment(text: str) -> datetime | None:
    """Return the moment that a text plainly is: ISO 8601, or day.month.year; slashes are read by nobody alike."""
    bare = text.strip()
    if match := _DAY_FIRST.fullmatch(bare):
        bare = f"{match[3]}-{match[2]:0>2}-{match[1]:0>2}" + (f" {match[4]:0>5}" if match[4] else "")
    try:
        moment = datetime.fromisoformat(bare)
    except ValueError:
        return None
    return moment.replace(tzinfo=None)
