"""A person's decisions applied to those whom nothing else pairs; one that later evidence contradicts is held again."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial

from skarvin.core.findings import Finding, Row, counted, listed_rows
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.decision_list import Decision, Decisions, ToChoose
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pairing import HeldStudent, Pair, PairedBy, Pairing
from skarvin.core.students.repeated import OneStudent


def with_decisions(  # noqa: PLR0913 - the state of one pairing
    certain: list[Pair],
    held: list[HeldStudent],
    found: Pairing,
    target: Sequence[Student],
    decisions: Decisions,
    identifiers: IdentifierRule,
    one_student: OneStudent,
) -> tuple[list[Pair], list[HeldStudent], list[tuple[Pair, Decision]], list[Student]]:
    """Apply a person's decisions to those who aren't certain; one that later evidence contradicts is held again.

    Several rows of one student may go to the same student of the form.
    """
    if not decisions.rows and not decisions.earlier:
        return list(certain), list({waiting.student.row: waiting for waiting in held}.values()), [], []
    settled = {paired.source.row for paired in certain}
    taken = {paired.target.row: paired for paired in certain}
    waiting = {waiting.student.row: waiting for waiting in held}
    students = [*(waiting.student for waiting in held), *found.source_only]
    decided: list[tuple[Pair, Decision]] = []
    out: list[Student] = []
    asked = {student.row: student for student in students if student.row not in settled}
    there = ToChoose(target, identifiers)
    are_of_one = partial(one_student.are_of_one, comparable=identifiers.comparer)
    doubtful = _rivals(asked.values(), decisions, there, are_of_one) | _of_several_rows(asked.values(), decisions)
    for student in asked.values():
        decision = decisions.of(student)
        if decision is None:
            continue
        if student.row in doubtful:
            waiting[student.row] = HeldStudent(student, doubtful[student.row])
            continue
        if decision.is_none:
            out.append(student)
            waiting.pop(student.row, None)
            continue
        chosen = decision.find(there)
        other = taken.get(chosen.row) if chosen else None
        if chosen is None or (other and not are_of_one(student, other.source)):
            if not decision.carried_from:  # what was decided in an earlier term need not fit this one
                waiting[student.row] = HeldStudent(student, _contradicted(chosen, taken))
            continue
        paired = Pair(student, chosen, PairedBy.DECISION)
        taken.setdefault(chosen.row, paired)
        decided.append((paired, decision))
        waiting.pop(student.row, None)
    return [*certain, *(paired for paired, _ in decided)], list(waiting.values()), decided, out


def _of_several_rows(students: Iterable[Student], decisions: Decisions) -> dict[Row, Reason]:
    """Return why rows wait that one line of the decisions fits together."""
    about: dict[int, list[Student]] = {}
    for student in students:
        if decision := decisions.of(student):
            about.setdefault(id(decision), []).append(student)
    found: dict[Row, Reason] = {}
    for same in about.values():
        for student in same if len(same) > 1 else ():
            rows = listed_rows([person.row for person in same if person is not student])
            reason = f"a line of the pairings fits this student and {rows}, and one line decides for one student"
            found[student.row] = Reason(Cause.DECISION_UNCLEAR, reason)
    return found


def _rivals(
    students: Iterable[Student],
    decisions: Decisions,
    there: ToChoose,
    are_of_one: Callable[[Student, Student], bool],
) -> dict[Row, Reason]:
    """Return why rows wait for which one and the same student of the form was decided, though they aren't of one."""
    chosen: dict[Row, list[Student]] = {}
    for student in students:
        decision = decisions.of(student)
        meant = decision.find(there) if decision and not decision.is_none and not decision.carried_from else None
        if meant:
            chosen.setdefault(meant.row, []).append(student)
    found: dict[Row, Reason] = {}
    for row, same in chosen.items():
        for student in same:
            if others := [other.row for other in same if other is not student and not are_of_one(student, other)]:
                what = f"form {row} was decided on for {listed_rows(others)}, too"
                found[student.row] = Reason(Cause.DECISION_CONTRADICTED, what)
    return found


def _contradicted(chosen: Student | None, taken: Mapping[Row, Pair]) -> Reason:
    """Return why a decision can't be applied: the student decided on is gone, or somebody else's."""
    if chosen is None:
        return Reason(Cause.DECISION_CONTRADICTED, "the student decided on is not in the form any more")
    other = taken[chosen.row].source.row
    what = f"the student decided on (form {chosen.row}) is paired with {other}"
    return Reason(Cause.DECISION_CONTRADICTED, what)


def decision_notes(
    decisions: Decisions,
    source: Sequence[Student],
    pairs: Mapping[Row, Pair],
    target: Sequence[Student],
    identifiers: IdentifierRule,
) -> Iterator[Finding]:
    """Yield which decisions fit no longer, each once."""
    if unused := decisions.unused(source):
        rows = listed_rows([decision.place for decision in unused if decision.place])
        what = f"{counted(len(unused), 'decision is', 'decisions are')} about nobody in the export"
        yield Finding("decisions-unused", f"{what} ({rows} of the pairings)")
    there = ToChoose(target, identifiers)
    for student in source if decisions.rows else ():
        decision = decisions.of(student)
        paired = pairs.get(student.row)
        if decision is None or decision.carried_from or paired is None or paired.by is PairedBy.DECISION:
            continue
        chosen = None if decision.is_none else decision.find(there)
        if chosen is None or chosen.row != paired.target.row:
            now = f"paired by {paired.by} with form {paired.target.row}"
            what = f"the decision about {student.row} isn't needed any more: {now}"
            yield Finding("decision-overtaken", what)
