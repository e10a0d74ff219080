"""Who is who: by identifier and name together, certain or held, with a person's decisions on top."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from types import MappingProxyType
from typing import TYPE_CHECKING

from skarvin.core.findings import Row, listed_rows
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.conflicts import without_conflicts
from skarvin.core.students.crosswalk import Crosswalk
from skarvin.core.students.decisions import Decision, Decisions
from skarvin.core.students.evidence import Surroundings
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pairing import HeldStudent, Pair, PairedBy, Pairing, pair
from skarvin.core.students.repeated import OneStudent, rows_of_one
from skarvin.core.students.suggesting import suggest
from skarvin.core.texts.names import SHORT_FORMS, NameKey, content_words, name_key, spread_key

if TYPE_CHECKING:
    from skarvin.core.students.neighbours import Neighbours


class NameUse(StrEnum):
    """What an equal name is worth where no identifier meets: `backed` asks for an equal birth date, too.

    Where the files have neither numbers nor birth dates in common, there is nothing that could back it.
    """

    BACKED = "backed"
    PAIR = "pair"
    ASK = "ask"
    IGNORE = "ignore"


@dataclass(frozen=True, kw_only=True)
class PairingRule:
    """How students are paired.

    `better_than_names` says what both files have that tells more: numbers, birth dates. `unknown` are rows of the
    target of whom nothing but the identifier is known, though there is a roster; `markless` those of source students
    for whom there is nothing to send, so that they need nobody. `counts_together` says that a rule tells which of a
    student's several rows counts. Where there is a list, `listed` are those on it, and
    `doubtful` those who may be, and why that isn't certain.
    """

    identifiers: IdentifierRule = field(default_factory=IdentifierRule)
    names: NameUse = NameUse.BACKED
    leave_out: tuple[str, ...] = ()
    only: tuple[str, ...] = ()
    only_sections: tuple[str, ...] = ()
    others: tuple[tuple[Mapping[Row, str], Mapping[Row, str]], ...] = ()
    crosswalk: Crosswalk | None = None
    counts_together: bool = False
    short_forms: Mapping[str, frozenset[str]] = field(default_factory=lambda: MappingProxyType({}))
    better_than_names: str = ""
    unknown: frozenset[Row] = frozenset()
    listed: frozenset[Row] | None = None
    doubtful: Mapping[Row, Reason] = field(default_factory=lambda: MappingProxyType({}))
    markless: frozenset[Row] = frozenset()

    @property
    def shorts(self) -> Mapping[str, frozenset[str]]:
        """The short forms of given names: the known ones and the user's own."""
        return {**SHORT_FORMS, **self.short_forms}


def pair_students(
    source: Sequence[Student], target: Sequence[Student], rule: PairingRule, decisions: Decisions | None = None
) -> Pairing:
    """Pair the students of two sides.

    A pair is made without asking only on an identifier, or on a whole name where no identifier speaks, that is unique
    on both sides and contradicted by nothing. Everyone else is held, with suggestions, until a person decides.
    """
    decisions = decisions or Decisions()
    chosen, unwanted = narrow(source, rule)
    unwanted += [student for student in chosen if student.row in rule.markless]
    chosen = [student for student in chosen if student.row not in rule.markless] if rule.markless else chosen
    doubtful = [HeldStudent(one, rule.doubtful[one.row]) for one in chosen if one.row in rule.doubtful]
    chosen = [student for student in chosen if student.row not in rule.doubtful] if doubtful else chosen
    rows = _rows_of_one(chosen, target, rule)
    by_identifier = pair(chosen, target, rule.identifiers, rule.leave_out, rule.crosswalk, rows)
    by_identifier = _with_other_identifiers(by_identifier, chosen, target, rule)
    surroundings = Surroundings(source, target, rule.shorts)
    certain, held = without_conflicts(by_identifier, (source, target), rule.shorts)
    certain, held = _without_unknown(certain, held, rule.unknown)
    if rule.names is not NameUse.IGNORE:
        certain, held = _with_names(by_identifier, certain, held, (chosen, target), surroundings, rule)
    certain, held, decided, out = _with_decisions(certain, held, by_identifier, target, decisions, rule)
    out += [*by_identifier.left_out, *unwanted]
    found = _settled(chosen, target, (certain, held, decided), out, (by_identifier, surroundings))
    return replace(found, held=(*found.held, *doubtful))


def _rows_of_one(source: Sequence[Student], target: Sequence[Student], rule: PairingRule) -> OneStudent:
    comparable = rule.identifiers.comparer
    theirs = set(rule.crosswalk.known) if rule.crosswalk else {comparable(student.identifier) for student in target}
    return rows_of_one(source, comparable, theirs, counts_together=rule.counts_together)


def _without_unknown(
    certain: Sequence[Pair], held: Sequence[HeldStudent], unknown: frozenset[Row]
) -> tuple[list[Pair], list[HeldStudent]]:
    """Return the pairs with somebody who is known, and the held, the others among them."""
    lost = [paired for paired in certain if paired.target.row in unknown]
    what = "the identifier is that of {} of the template, whom the roster doesn't have"
    more = [
        HeldStudent(paired.source, Reason(Cause.NOT_ON_ROSTER, what.format(paired.target.row)), rival=paired.target)
        for paired in lost
    ]
    return [paired for paired in certain if paired.target.row not in unknown], [*held, *more]


def narrow(source: Sequence[Student], rule: PairingRule) -> tuple[list[Student], list[Student]]:
    """Return the students who are to be moved, and the others."""
    comparable = rule.identifiers.comparer
    only = {comparable(text) for text in rule.only}
    sections = {text.casefold() for text in rule.only_sections}

    def is_chosen(student: Student) -> bool:
        in_section = not sections or student.section.casefold() in sections
        if rule.listed is not None and student.row not in rule.listed and student.row not in rule.doubtful:
            return False
        return in_section and (not only or comparable(student.identifier) in only)

    return [student for student in source if is_chosen(student)], [
        student for student in source if not is_chosen(student)
    ]


def _with_other_identifiers(
    found: Pairing, source: Sequence[Student], target: Sequence[Student], rule: PairingRule
) -> Pairing:
    """Let further identifiers pair whom the first leaves, and hold those for whom two of them say different things."""
    if not rule.others:
        return found
    ours, theirs = ({student.row: student for student in side} for side in (source, target))
    pairs = {paired.source.row: paired for paired in found.pairs}
    free = {student.row for student in found.target_only}
    lost = {student.row for student in found.source_only}
    lost |= {waiting.student.row for waiting in found.held if waiting.why.cause is Cause.NO_IDENTIFIER}
    held = {waiting.student.row: waiting for waiting in found.held}
    for mine, yours in rule.others:
        here = [student._replace(identifier=mine.get(student.row, "")) for student in source]
        there_too = [student._replace(identifier=yours.get(student.row, "")) for student in target]
        for paired in pair(here, there_too, rule.identifiers).pairs:
            row, there = paired.source.row, paired.target.row
            before = pairs.get(row)
            if before and before.target.row != there:
                where = listed_rows([before.target.row, there])
                reason = f"the identifiers are those of two students of the template, {where}"
                held[row] = HeldStudent(ours[row], Reason(Cause.CONFLICTING_IDENTITY, reason), rival=before.target)
                del pairs[row]
            elif row in lost and there in free:
                pairs[row] = Pair(ours[row], theirs[there])
                lost.discard(row)
                free.discard(there)
                held.pop(row, None)
    return replace(
        found,
        pairs=tuple(pairs.values()),
        held=tuple(held.values()),
        source_only=tuple(student for student in found.source_only if student.row in lost),
        target_only=tuple(student for student in found.target_only if student.row in free),
    )


def _with_names(  # noqa: PLR0913 - the state of one pairing
    found: Pairing,
    certain: list[Pair],
    held: list[HeldStudent],
    sides: tuple[Sequence[Student], Sequence[Student]],
    surroundings: Surroundings,
    rule: PairingRule,
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
            reason = f"the name is that of {match.row} of the template, but {why}"
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
        rule: PairingRule,
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
            return "another identifier"
        if len(content_words(student.name)) == 1:
            return "one word is no whole name"
        source, target = self._classes
        if source.others_near(student.name, student.name) or target.others_near(student.name, match.name):
            return "somebody else of these files has nearly the same name"
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


def _with_decisions(  # noqa: PLR0913 - the state of one pairing
    certain: list[Pair],
    held: list[HeldStudent],
    found: Pairing,
    target: Sequence[Student],
    decisions: Decisions,
    rule: PairingRule,
) -> tuple[list[Pair], list[HeldStudent], list[tuple[Pair, Decision]], list[Student]]:
    """Apply a person's decisions to those who aren't certain; one that later evidence contradicts is held again."""
    settled = {paired.source.row for paired in certain}
    taken = {paired.target.row: paired for paired in certain}
    waiting = {waiting.student.row: waiting for waiting in held}
    students = [*(waiting.student for waiting in held), *found.source_only]
    decided: list[tuple[Pair, Decision]] = []
    out: list[Student] = []
    asked = {student.row: student for student in students if student.row not in settled}
    about: dict[int, list[Student]] = {}
    for student in asked.values():
        if decision := decisions.of(student):
            about.setdefault(id(decision), []).append(student)
    for student in asked.values():
        decision = decisions.of(student)
        if decision is None:
            continue
        if len(same := about[id(decision)]) > 1:
            rows = listed_rows([person.row for person in same if person is not student])
            reason = f"a line of pairings.csv fits this student and {rows}, and one line decides for one student"
            waiting[student.row] = HeldStudent(student, Reason(Cause.DECISION_UNCLEAR, reason))
            continue
        if decision.is_none:
            out.append(student)
            waiting.pop(student.row, None)
            continue
        chosen = decision.find(target, rule.identifiers)
        reason = ""
        if chosen is None:
            reason = "the student decided on is not in the template any more"
        elif chosen.row in taken:
            other = taken[chosen.row].source.row
            reason = f"the student decided on ({chosen.row} of the template) is paired with {other}"
        if chosen is None or reason:
            waiting[student.row] = HeldStudent(student, Reason(Cause.DECISION_CONTRADICTED, reason))
            continue
        paired = Pair(student, chosen, PairedBy.DECISION)
        taken[chosen.row] = paired
        decided.append((paired, decision))
        waiting.pop(student.row, None)
    return [*certain, *(paired for paired, _ in decided)], list(waiting.values()), decided, out


def _settled(
    source: Sequence[Student],
    target: Sequence[Student],
    outcome: tuple[list[Pair], list[HeldStudent], list[tuple[Pair, Decision]]],
    left_out: list[Student],
    known: tuple[Pairing, Surroundings],
) -> Pairing:
    """Return the pairing, with suggestions for everyone in doubt."""
    certain, held, decided = outcome
    by_identifier, surroundings = known
    out = {student.row for student in left_out}
    placed = {paired.source.row for paired in certain} | out
    in_doubt = {waiting.student.row: waiting for waiting in held if waiting.student.row not in placed}
    lost = [student for student in source if student.row not in placed and student.row not in in_doubt]
    taken = {paired.target.row for paired in certain}
    twice = {waiting.student.row for waiting in by_identifier.held_target}
    asked = [*(waiting.student for waiting in in_doubt.values()), *lost]
    suggestions = suggest(asked, target, surroundings, {paired.target.row: paired.source.row for paired in certain})
    likely = [
        HeldStudent(student, Reason(Cause.LIKELY, "the identifier meets nobody"))
        for student in lost
        if student.row in suggestions
    ]
    kept = [
        replace(waiting, suggestions=suggestions.get(waiting.student.row, ()))
        for waiting in (*in_doubt.values(), *likely)
    ]
    conflicts = {waiting.rival.row: waiting for waiting in kept if waiting.rival}
    held_target = [
        *(waiting for waiting in by_identifier.held_target if waiting.student.row not in taken),
        *(
            HeldStudent(
                rival.rival, Reason(Cause.CONFLICTING_IDENTITY, f"identifier of {rival.student.row} of the export")
            )
            for row, rival in conflicts.items()
            if rival.rival and row not in taken and row not in twice
        ),
    ]
    apart = {waiting.student.row for waiting in held_target}
    pairs = sorted(certain, key=lambda paired: paired.source.row)
    return Pairing(
        pairs=tuple(pairs),
        held=tuple(sorted(kept, key=lambda waiting: waiting.student.row)),
        held_target=tuple(sorted(held_target, key=lambda waiting: waiting.student.row)),
        source_only=tuple(student for student in lost if student.row not in suggestions),
        target_only=tuple(student for student in target if student.row not in taken and student.row not in apart),
        left_out=tuple(sorted(left_out, key=lambda student: student.row)),
        needed=by_identifier.needed,
        decided=tuple(
            (paired, decision.when) for paired, decision in sorted(decided, key=lambda pair: pair[0].source.row)
        ),
    )
