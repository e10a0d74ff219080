"""Which source student is which target student, by identifier: unique both ways, or held."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from functools import cached_property
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Row, counted, listed_rows
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.crosswalk import Crosswalk
from skarvin.core.students.evidence import Suggestion
from skarvin.core.students.identifiers import Identifier, IdentifierRule
from skarvin.core.students.repeated import OneStudent
from skarvin.core.texts.names import name_key

OTHER_FORM = "another form in another row of the student"


class PairedBy(StrEnum):
    """What tells that two rows are one student's: an identifier, the name, several fields, or a person's decision."""

    IDENTIFIER = "identifier"
    NAME = "name"
    EVIDENCE = "evidence"
    DECISION = "decision"


class Certainty(StrEnum):
    """How large a risk of a wrong pair is taken without asking."""

    USUAL = "usual"
    SUREST = "surest"


class Check(StrEnum):
    """What becomes of pairs that may be right and may not: they are to be checked, are accepted, or held."""

    CHECK = "check"
    ACCEPT = "accept"
    HOLD = "hold"


class Further(NamedTuple):
    """A further column that both files have, such as an address: what it is called, and what stands there by row."""

    title: str
    ours: Mapping[Row, str]
    theirs: Mapping[Row, str]


class Pair(NamedTuple):
    """One student on both sides, and what tells so; where several fields had to, in words, and of which kinds it is."""

    source: Student
    target: Student
    by: PairedBy = PairedBy.IDENTIFIER
    evidence: str = ""
    kinds: tuple[str, ...] = ()


class InVain(NamedTuple):
    """A student for whom nothing is sent, so that no row is made.

    Attributes:
        places: all rows of the export, each by its file's number and the position there.
        raws: what the row's cells would have said before any mark, as they stand in the file.
        waits: why a person must first decide who the student is, if one must.
    """

    places: Sequence[tuple[int, int]]
    raws: Sequence[str] = ()
    waits: Reason | None = None


class Rowless(NamedTuple):
    """All rows of a student who gets no row in the form, and the cells that the marks would have met there."""

    students: tuple[Student, ...]
    raws: tuple[str, ...]


class HeldStudent(msgspec.Struct, frozen=True):
    """A student who isn't paired because a person must decide, why, and who may be meant.

    `rival` is the target student whom the identifier names and the name doesn't.
    """

    student: Student
    why: Reason
    suggestions: tuple[Suggestion, ...] = ()
    rival: Student | None = None


class Pairing(msgspec.Struct, frozen=True, kw_only=True, dict=True):
    """What became of each student of both sides.

    `decided` are the pairs that a person made, each with the day. `checks` are pairs that a person should look at, each
    with the key of the transfer that rules it. `declined` are those of the left out of whom a person said that they
    aren't in the form; `elsewhere` the rows of those who belong to another form of the same export; `idle` the rows
    of those who have nothing to send; `rowless` those who get no row, since nothing
    of theirs is sent, all rows of one student together. `on_roster` are those on the roster who may be
    meant where the form has no rows yet. `shift` says that names and identifiers are out of step, if
    they are; `notes` what is worth knowing of decisions. `needed` counts the pairs that met only once something was set
    aside, for each thing set aside.
    """

    pairs: tuple[Pair, ...] = ()
    held: tuple[HeldStudent, ...] = ()
    held_target: tuple[HeldStudent, ...] = ()
    source_only: tuple[Student, ...] = ()
    target_only: tuple[Student, ...] = ()
    left_out: tuple[Student, ...] = ()
    declined: tuple[Student, ...] = ()
    rowless: tuple[Rowless, ...] = ()
    checks: tuple[tuple[Pair, str], ...] = ()
    idle: frozenset[Row] = frozenset()
    elsewhere: frozenset[Row] = frozenset()
    on_roster: tuple[Student, ...] = ()
    needed: Counter[str] = msgspec.field(default_factory=Counter)
    decided: tuple[tuple[Pair, str], ...] = ()
    shift: str = ""
    notes: tuple[Finding, ...] = ()

    @cached_property
    def people(self) -> int:
        """How many students are paired: several rows may be one student's."""
        return len({pair.target.row for pair in self.pairs})

    @property
    def in_form(self) -> Iterator[Student]:
        """The students of the form, as all that is known of them says."""
        yield from (pair.target for pair in self.pairs)
        yield from (one.student for one in self.held_target)
        yield from self.target_only

    @cached_property
    def other_rows(self) -> list[tuple[Pair, Row]]:
        """The pairs of students whose first row is another one, each with that row."""
        if self.people == len(self.pairs):
            return []
        first: dict[Row, Row] = {}
        found = [(pair, first.setdefault(pair.target.row, pair.source.row)) for pair in self.pairs]
        return [(pair, row) for pair, row in found if pair.source.row != row]

    @cached_property
    def waiting(self) -> frozenset[Row]:
        """The rows of students of whom a person must decide first: to be confirmed, or missing from the form."""
        held = (one.student.row for one in self.held)
        return frozenset([*held, *(student.row for student in self.source_only)])

    @property
    def unmoved(self) -> list[tuple[str, list[Student]]]:
        """Those of whom nothing moves and nothing is to be decided, by what they are called."""
        found = [
            ("not to be moved", [one for one in self.left_out if one.row not in self.idle | self.elsewhere]),
            ("not in this form", [one for one in self.left_out if one.row in self.elsewhere]),
            ("with nothing to send", [one for one in self.left_out if one.row in self.idle]),
            ("without a row, since nothing of theirs is sent", [one.students[0] for one in self.rowless]),
        ]
        return [(title, students) for title, students in found if students]

    @property
    def kinds(self) -> Counter[str]:
        """How many pairs each kind of evidence speaks for, or against, where several fields had to tell."""
        return Counter(kind for pair in self.pairs for kind in pair.kinds)

    @property
    def share(self) -> float:
        """The share of source students, other than those left out, who are paired."""
        asked = len(self.pairs) + len(self.held) + len(self.source_only)
        return len(self.pairs) / asked if asked else 0.0


def count_people(students: Iterable[Student]) -> int:
    """Return how many students some rows are: those of one identifier and one name are one student's."""
    known = ((student.identifier.strip(), name_key(student.name)) for student in students)
    return sum(count if not key[0] else 1 for key, count in Counter(known).items())


def counted_people(students: Sequence[Student]) -> str:
    """Return how many students some rows are, in words, with the rows where these are more."""
    who, rows = counted(people := count_people(students), "student"), len(students)
    return who if people == rows else f"{who} in {rows:,} rows"


def number_of_people(students: Sequence[Student]) -> str:
    """Return how many students some rows are as a number, in words where the rows are more."""
    people = count_people(students)
    return f"{people:,}" if people == len(students) else counted_people(students)


def without_rows(found: Pairing, in_vain: Sequence[InVain]) -> Pairing:
    """Return a pairing in which some students get no row."""
    if not in_vain:
        return found
    free = {(one.row.source.number, one.row.position): one for one in (*found.left_out, *found.source_only)}
    some = [(tuple(free[place] for place in one.places if place in free), one) for one in in_vain]
    rowless = [Rowless(students, tuple(one.raws)) for students, one in some if not one.waits]
    waiting = [HeldStudent(student, one.waits) for students, one in some if one.waits for student in students]
    rows = {student.row for students, _ in some for student in students}
    return replace(
        found,
        held=tuple(sorted((*found.held, *waiting), key=lambda one: one.student.row)),
        rowless=tuple(one for one in rowless if one.students),
        left_out=tuple(one for one in found.left_out if one.row not in rows),
        declined=tuple(one for one in found.declined if one.row not in rows),
        source_only=tuple(one for one in found.source_only if one.row not in rows),
    )


def pair(  # noqa: PLR0913 - each a part of the rule
    source: Sequence[Student],
    target: Sequence[Student],
    rule: IdentifierRule,
    leave_out: Iterable[str] = (),
    crosswalk: Crosswalk | None = None,
    rows: OneStudent = OneStudent(),  # noqa: B008 - a value that never changes
) -> Pairing:
    """Pair the students of two sides whose identifiers meet.

    Args:
        source: the students whose marks are moved.
        target: the students who can receive them.
        rule: what is set aside when identifiers are compared.
        leave_out: identifiers of source students who are not to be moved.
        crosswalk: what leads from the source's identifiers to the target's, if they aren't the same.
        rows: which rows of the source are one student's.
    """
    comparable = rule.comparer
    known_as = rows.known_as
    unwanted = {known_as.get(key, key) for key in map(comparable, leave_out)}
    keys = [comparable(student.identifier) for student in source]
    keys = [known_as.get(key, key) for key in keys] if known_as else keys
    ours = _by_identifier(source, keys)
    their_keys = [comparable(student.identifier) for student in target]
    theirs = _by_identifier(target, their_keys)
    pairs: list[Pair] = []
    held: list[HeldStudent] = []
    source_only: list[Student] = []
    left_out: list[Student] = []
    needed: Counter[str] = Counter()
    for student, key in zip(source, keys, strict=True):
        there = _through(crosswalk, key, comparable) if crosswalk else key
        mine, found = ours[key], theirs.get(there, []) if there else []
        if key in unwanted:
            left_out.append(student)
        elif not key:
            held.append(HeldStudent(student, Reason(Cause.NO_IDENTIFIER, "no identifier")))
        elif len(mine) > 1 and key not in rows.together:
            held.append(
                HeldStudent(
                    student, Reason(Cause.IDENTIFIER_TWICE, f"duplicate identifier (also {_rows(mine, student)})")
                )
            )
        elif len(found) > 1:
            held.append(
                HeldStudent(
                    student,
                    Reason(Cause.IDENTIFIER_TWICE_IN_TARGET, f"duplicate identifier in the form ({_rows(found)})"),
                )
            )
        elif crosswalk and key in crosswalk.unclear:
            held.append(
                HeldStudent(
                    student, Reason(Cause.CROSSWALK_UNCLEAR, "the crosswalk has several identifiers for this one")
                )
            )
        elif not found:
            source_only.append(student)
        else:
            pairs.append(Pair(student, found[0]))
            if student.identifier != found[0].identifier and crosswalk is None:
                is_known_as = comparable(student.identifier) in known_as
                needed.update([OTHER_FORM] if is_known_as else rule.needed(student.identifier, found[0].identifier))
    taken = {comparable(paired.target.identifier) for paired in pairs}
    held_target = [
        HeldStudent(student, Reason(Cause.IDENTIFIER_TWICE, f"duplicate identifier (also {_rows(same, student)})"))
        for key, same in theirs.items()
        for student in same
        if len(same) > 1 and key
    ]
    alone = (
        student
        for student, key in zip(target, their_keys, strict=True)
        if key not in taken and not (key and len(theirs[key]) > 1)
    )
    return Pairing(
        pairs=tuple(pairs),
        held=tuple(held),
        held_target=tuple(held_target),
        source_only=tuple(source_only),
        target_only=tuple(alone),
        left_out=tuple(left_out),
        needed=needed,
    )


def _through(crosswalk: Crosswalk, key: Identifier, comparable: Callable[[str], Identifier]) -> Identifier:
    """Return the key by which a student is looked for on the other side."""
    return comparable(crosswalk.known.get(key, ""))


def _by_identifier(students: Sequence[Student], keys: Sequence[Identifier]) -> dict[Identifier, list[Student]]:
    found: dict[Identifier, list[Student]] = {}
    for student, key in zip(students, keys, strict=True):
        if key in found:
            found[key].append(student)
        else:
            found[key] = [student]
    return found


def _rows(students: list[Student], without: Student | None = None) -> str:
    rows = [student.row for student in students if student is not without]
    return listed_rows(rows, seen_from=without.row.source if without else None)
