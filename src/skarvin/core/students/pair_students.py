"""Who is who: by identifier and name together, certain or held, with a person's decisions on top."""

from collections.abc import Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Row, counted, listed_rows
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.by_hand import decision_notes, with_decisions
from skarvin.core.students.by_name import NameUse
from skarvin.core.students.checks import OTHER_NAME, OTHER_NUMBER, checked_pairs
from skarvin.core.students.conflicts import NameRules, without_conflicts
from skarvin.core.students.crossing import SameNumbers, without_crossing
from skarvin.core.students.crosswalk import Crosswalk
from skarvin.core.students.decision_list import Decision, Decisions
from skarvin.core.students.evidence import Suggestion, Surroundings
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pairing import Certainty, Check, Further, HeldStudent, Pair, PairedBy, Pairing, pair
from skarvin.core.students.repeated import OneStudent, rows_of_one
from skarvin.core.texts.names import SHORT_FORMS

if TYPE_CHECKING:
    from skarvin.core.students.doubt import Doubt


_MOST_TOLD = 6


class PairingRule(msgspec.Struct, frozen=True, kw_only=True):
    """How students are paired.

    `better_than_names` says what both files have that tells more: numbers, birth dates. `unknown` are rows of the
    target of whom nothing but the identifier is known, though there is a roster; `markless` those of source students
    for whom there is nothing to send, so that they need nobody. `counts_together` says that a rule tells which of a
    student's several rows counts; `equal_names` that a pair by identifier needs equal names, too; `other_number` and
    `other_name` what becomes of pairs whose numbers differ, or whose names have a word each that resembles none of the
    other. Where there is a list, `listed` are those on it, and `doubtful` those who may be, and why that isn't certain.
    """

    identifiers: IdentifierRule = msgspec.field(default_factory=IdentifierRule)
    names: NameUse = NameUse.BACKED
    certainty: Certainty = Certainty.USUAL
    further: tuple[Further, ...] = ()
    leave_out: tuple[str, ...] = ()
    only: tuple[str, ...] = ()
    only_sections: tuple[str, ...] = ()
    others: tuple[tuple[Mapping[Row, str], Mapping[Row, str]], ...] = ()
    same_numbers: tuple[SameNumbers, ...] = ()
    crosswalk: Crosswalk | None = None
    counts_together: bool = False
    equal_names: bool = False
    other_number: Check = Check.CHECK
    other_name: Check = Check.CHECK
    short_forms: Mapping[str, frozenset[str]] = msgspec.field(default_factory=lambda: MappingProxyType({}))
    better_than_names: str = ""
    unknown: frozenset[Row] = frozenset()
    listed: frozenset[Row] | None = None
    doubtful: Mapping[Row, Reason] = msgspec.field(default_factory=lambda: MappingProxyType({}))
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
    uses_names = rule.names is not NameUse.IGNORE
    weighed = without_conflicts(by_identifier, (source, target), NameRules(rule.shorts, uses_names, rule.equal_names))
    certain, held = _without_unknown(weighed.certain, weighed.held, rule.unknown)
    rulings = {OTHER_NUMBER: rule.other_number, OTHER_NAME: rule.other_name if uses_names else Check.ACCEPT}
    doubt = None
    if uses_names and (held or by_identifier.source_only):
        from skarvin.core.students.doubt import Doubt, Worth, with_evidence  # noqa: PLC0415 - most classes have none

        doubt = Doubt((source, target), certain, rule.shorts, rule.further)
        surroundings = Surroundings(source, target, rule.shorts)
        worth = Worth(rule.names, rule.better_than_names, rule.certainty, rule.shorts)
        sides = (chosen, target)
        certain, held = with_evidence(by_identifier, certain, held, weighed, doubt, surroundings, sides, worth)
    certain, held = without_crossing(certain, held, rule.same_numbers)
    certain, held, checks = checked_pairs(certain, held, rule.identifiers, rule.shorts, rulings)
    certain, held, decided, out = with_decisions(
        certain, held, by_identifier, target, decisions, rule.identifiers, rows
    )
    out += [*by_identifier.left_out, *unwanted]
    known = (by_identifier, doubt)
    found = _settled(chosen, target, (certain, held, decided), out, known)
    asked = {student.row for student in (*by_identifier.left_out, *unwanted)}
    declined = tuple(student for student in found.left_out if student.row not in asked)
    by_row = {pair.source.row: pair for pair in certain}
    notes = (*_by_evidence(certain), *decision_notes(decisions, source, by_row, target, rule.identifiers))
    found = replace(found, held=(*found.held, *doubtful), declined=declined, idle=rule.markless, checks=checks)
    return replace(found, shift=weighed.shift.words, notes=notes)


def _by_evidence(pairs: Sequence[Pair]) -> Iterator[Finding]:
    """Yield a note for the pairs that were made though something speaks against them: the whole of it is told."""
    made = sorted((paired for paired in pairs if paired.by is PairedBy.EVIDENCE), key=lambda paired: paired.source.row)
    for one in made[:_MOST_TOLD]:
        what = f"export {one.source.row} and form {one.target.row} are paired by all that is known: {one.evidence}"
        yield Finding("paired-by-evidence", what, one.source.row.place())
    if len(made) > _MOST_TOLD:
        more = f"{counted(len(made) - _MOST_TOLD, 'more student is', 'more students are')} paired by all that is known"
        yield Finding("paired-by-evidence", more)


def _rows_of_one(source: Sequence[Student], target: Sequence[Student], rule: PairingRule) -> OneStudent:
    comparable = rule.identifiers.comparer
    theirs = set(rule.crosswalk.known) if rule.crosswalk else {comparable(student.identifier) for student in target}
    uses_names = rule.names is not NameUse.IGNORE
    return rows_of_one(source, comparable, theirs, counts_together=rule.counts_together, uses_names=uses_names)


def _without_unknown(
    certain: Sequence[Pair], held: Sequence[HeldStudent], unknown: frozenset[Row]
) -> tuple[list[Pair], list[HeldStudent]]:
    """Return the pairs with somebody who is known, and the held, the others among them."""
    if not unknown:
        return list(certain), list(held)
    lost = [paired for paired in certain if paired.target.row in unknown]
    what = "same identifier as form {}, which isn't in the roster"
    more = [
        HeldStudent(paired.source, Reason(Cause.NOT_ON_ROSTER, what.format(paired.target.row)), rival=paired.target)
        for paired in lost
    ]
    return [paired for paired in certain if paired.target.row not in unknown], [*held, *more]


def narrow(source: Sequence[Student], rule: PairingRule) -> tuple[list[Student], list[Student]]:
    """Return the students who are to be moved, and the others."""
    if not rule.only and not rule.only_sections and rule.listed is None:
        return list(source), []
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
                reason = f"the identifiers belong to two students of the form ({where})"
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


def _suggested(
    asked: Sequence[Student], doubt: "Doubt", owners: Mapping[Row, Row]
) -> dict[Row, tuple[Suggestion, ...]]:
    from skarvin.core.students.suggesting import suggest  # noqa: PLC0415 - as above

    return suggest(asked, doubt, owners)


def _settled(
    source: Sequence[Student],
    target: Sequence[Student],
    outcome: tuple[list[Pair], list[HeldStudent], list[tuple[Pair, Decision]]],
    left_out: list[Student],
    known: "tuple[Pairing, Doubt | None]",
) -> Pairing:
    """Return the pairing, with suggestions for everyone in doubt."""
    certain, held, decided = outcome
    by_identifier, doubt = known
    out = {student.row for student in left_out}
    placed = {paired.source.row for paired in certain} | out
    in_doubt = {waiting.student.row: waiting for waiting in held if waiting.student.row not in placed}
    lost = [student for student in source if student.row not in placed and student.row not in in_doubt]
    taken = {paired.target.row for paired in certain}
    twice = {waiting.student.row for waiting in by_identifier.held_target}
    asked = [*(waiting.student for waiting in in_doubt.values()), *lost]
    owners = {paired.target.row: paired.source.row for paired in certain} if doubt and asked else {}
    suggestions = _suggested(asked, doubt, owners) if doubt else {}
    likely = [
        HeldStudent(student, Reason(Cause.LIKELY, "no student in the form has this identifier"))
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
                rival.rival, Reason(Cause.CONFLICTING_IDENTITY, f"export {rival.student.row} has the same identifier")
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
            (paired, decision.when + (f", in {decision.carried_from}" if decision.carried_from else ""))
            for paired, decision in sorted(decided, key=lambda pair: pair[0].source.row)
        ),
    )
