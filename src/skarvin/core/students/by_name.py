"""Students paired by their whole names, where no identifier pairs them."""

from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.evidence import Surroundings
from skarvin.core.students.pairing import HeldStudent, Pair, PairedBy, Pairing
from skarvin.core.texts.names import NameKey, content_words, name_key, spread_key

if TYPE_CHECKING:
    from skarvin.core.students.neighbours import Neighbours


class NameUse(StrEnum):
    """What an equal name is worth where no identifier pairs: `backed` asks for an equal birth date, too.

    Where the files have neither numbers nor birth dates in common, there is nothing that could back it. `ignore` takes
    no notice of names at all.
    """

    BACKED = "backed"
    PAIR = "pair"
    ASK = "ask"
    IGNORE = "ignore"


class NamePairing(NamedTuple):
    """What a name alone is worth, and what both files have that tells more."""

    names: NameUse
    better_than_names: str


def with_names(  # noqa: PLR0913 - the state of one pairing
    found: Pairing,
    certain: list[Pair],
    held: list[HeldStudent],
    sides: tuple[Sequence[Student], Sequence[Student]],
    surroundings: Surroundings,
    rule: NamePairing,
) -> tuple[list[Pair], list[HeldStudent]]:
    """Pair by whole names those whom no identifier pairs."""
    free = {student.row for student in found.target_only}
    pairs = list(certain)
    still: list[HeldStudent] = []
    nameless = {waiting.student.row for waiting in held if waiting.why.cause is Cause.NO_IDENTIFIER}
    waiting: list[tuple[Student, HeldStudent | None]] = [(student, None) for student in found.source_only]
    waiting += [(waiting.student, waiting) for waiting in held if waiting.student.row in nameless]
    ours, theirs = (_by_name(side) for side in sides) if waiting else ({}, {})
    doubt = _NameDoubt(sides, surroundings, rule, ids_meet=bool(found.pairs))
    for student, was in waiting:
        match = _namesake(student, ours, theirs)
        if match is None or match.row not in free:
            still += [was] if was else []
            continue
        if why := doubt.of(student, match):
            reason = f"same name as form {match.row}, but {why}"
            still.append(HeldStudent(student, Reason(Cause.NAME_ALONE, reason)))
        else:
            pairs.append(Pair(student, match, PairedBy.NAME))
            free.discard(match.row)
    rest = [waiting for waiting in held if waiting.student.row not in nameless]
    return pairs, [*rest, *still]


class _NameDoubt:
    """What speaks against pairing two students by their equal name alone."""

    def __init__(
        self,
        sides: tuple[Sequence[Student], Sequence[Student]],
        surroundings: Surroundings,
        rule: NamePairing,
        *,
        ids_meet: bool,
    ) -> None:
        self._sides = sides
        self._surroundings = surroundings
        self._names = rule.names
        self._ids_meet = ids_meet
        self._better = rule.better_than_names

    @cached_property
    def _classes(self) -> "tuple[Neighbours, Neighbours]":
        from skarvin.core.students.neighbours import Neighbours  # noqa: PLC0415 - only where names pair

        source, target = self._sides
        return Neighbours(source), Neighbours(target)

    def of(self, student: Student, match: Student) -> str:
        """Return why a person must decide; nothing if the name is enough."""
        if against := self._surroundings.contradiction(student, match):
            return against
        if self._ids_meet and student.identifier.strip() and match.identifier.strip():
            return "different identifier"
        if len(content_words(student.name)) == 1:
            return "one word isn't a full name"
        source, target = self._classes
        if source.others_near(student.name, student.name) or target.others_near(student.name, match.name):
            return "somebody else in these files has nearly the same name"
        is_backed = bool(student.birth and match.birth)
        if self._names is NameUse.BACKED and not is_backed and self._better:
            return f'both files have {self._better}, and a name alone isn\'t enough (names = "pair" allows it)'
        return 'the transfer says names = "ask"' if self._names is NameUse.ASK else ""


def _by_name(students: Iterable[Student]) -> dict[NameKey, list[Student]]:
    found: dict[NameKey, list[Student]] = {}
    for student in students:
        for key in {name_key(student.name), spread_key(student.name)}:
            if key:
                found.setdefault(key, []).append(student)
    return found


def _namesake(
    student: Student, ours: Mapping[NameKey, list[Student]], theirs: Mapping[NameKey, list[Student]]
) -> Student | None:
    """Return the one student of the other side who has this name, if it is nobody else's on either side."""
    keys = {name_key(student.name), spread_key(student.name)} - {NameKey(())}
    if any(len(ours.get(key, ())) > 1 or len(theirs.get(key, ())) > 1 for key in keys):
        return None
    match = {student.row: student for key in keys for student in theirs.get(key, ())}
    if len(match) != 1:
        return None
    other = next(iter(match.values()))
    back = {name_key(other.name), spread_key(other.name)}
    return other if {student.row for key in back for student in ours.get(key, ())} == {student.row} else None
