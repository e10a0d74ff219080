"""Students whom no identifier pairs with certainty: paired by all evidence together, or held with who may be meant."""

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.agreements import How
from skarvin.core.students.by_name import BIRTH_DATES, NameUse, by_name, namesake
from skarvin.core.students.by_weight import MARGIN, Found, Likely, Objection, Rivals, choose, estimate, look_around
from skarvin.core.students.conflicts import Weighed
from skarvin.core.students.evidence import Surroundings, days_differ
from skarvin.core.students.likeness import is_whole_name
from skarvin.core.students.neighbours import come_near
from skarvin.core.students.pairing import Certainty, Further, HeldStudent, Pair, PairedBy, Pairing
from skarvin.core.students.weights import Weight, Weights, words_of
from skarvin.core.texts.names import content_words, name_key, spread_key

_WHOLE = 2
"""So many words make a whole name."""
_FAR = 1_000.0
_TELLING = frozenset({"identifier", "birth", "further"})
"""What tells more than names."""


class Worth(NamedTuple):
    """What names alone are worth, what both files have that tells more, how large a risk is taken, and short forms."""

    names: NameUse
    better_than_names: str
    certainty: Certainty
    shorts: Mapping[str, frozenset[str]]


class Doubt:
    """All that is known of both files, weighed only where somebody is in doubt."""

    def __init__(
        self,
        sides: tuple[Sequence[Student], Sequence[Student]],
        certain: Sequence[Pair],
        shorts: Mapping[str, frozenset[str]],
        further: Sequence[Further] = (),
    ) -> None:
        self._sides = sides
        self._certain = certain
        self._shorts = shorts
        self._further = further
        self._known: dict[Row, Sequence[Likely]] = {}

    @cached_property
    def weights(self) -> Weights:
        """What fields are worth in these files."""
        sure = [(pair.source, pair.target) for pair in self._certain]
        return Weights(*self._sides, self._shorts, sure, self._further)

    def around(self, asked: Sequence[Student]) -> Found:
        """Return for each of some students of the source who of the target he or she may be."""
        new = [student for student in asked if student.row not in self._known]
        self._known |= look_around(new, self._sides[1], self.weights)
        return {student.row: self._known[student.row] for student in asked}

    def between(self, ours: Sequence[Student], theirs: Sequence[Student]) -> list[tuple[Row, Likely]]:
        """Return the pairs of some source students with some of the target that may be; the fewer ones are asked."""
        if len(ours) <= len(theirs):
            found = look_around(ours, theirs, self.weights)
            return [(row, one) for row, likely in found.items() for one in likely]
        turned = look_around(theirs, ours, self.weights, is_turned=True)
        by_row = {student.row: student for student in theirs}
        return [(one.target.row, Likely(by_row[row], one.weight)) for row, likely in turned.items() for one in likely]


def with_evidence(  # noqa: PLR0913 - the state of one pairing
    found: Pairing,
    certain: list[Pair],
    held: list[HeldStudent],
    weighed: Weighed,
    doubt: Doubt,
    surroundings: Surroundings,
    sides: tuple[Sequence[Student], Sequence[Student]],
    worth: Worth,
) -> tuple[list[Pair], list[HeldStudent]]:
    """Pair by all evidence those whom no identifier pairs, or of whom one thing speaks against it.

    Args:
        found: who is paired by identifier.
        certain: the pairs that nothing contradicts.
        held: those who are held so far.
        weighed: which of those among them have one thing against them and no more.
        doubt: what is known of both files.
        surroundings: what speaks against pairs by name.
        sides: the students of both.
        worth: what names are worth, and the risk that is taken.
    """
    again = {
        waiting.student.row: waiting
        for waiting in held
        if waiting.why.cause is Cause.NO_IDENTIFIER or waiting.student.row in weighed.single
    }
    asked = {student.row: student for student in found.source_only}
    asked |= {row: waiting.student for row, waiting in again.items()}
    free = {student.row: student for student in found.target_only}
    free |= {waiting.rival.row: waiting.rival for waiting in again.values() if waiting.rival}
    if not asked or not free:
        return certain, held
    names = _Namesakes(asked, free, sides)
    everyone = asked | {one.student.row: one.student for one in held}
    known = doubt.around([student for row, student in everyone.items() if row not in names.pairs])
    scene = {row: likely for row, likely in known.items() if row in asked}
    may_be = [(row, one) for row, likely in scene.items() for one in likely if one.target.row in free]
    if not may_be and not names.pairs:
        return certain, held
    around = dict(scene)
    around |= {row: (Likely(other, doubt.weights.weigh(asked[row], other)),) for row, other in names.pairs.items()}
    total = tuple(map(len, sides))
    rivals = Rivals(estimate(around, doubt.weights.size, len(certain), (total[0], total[1])))
    settled: dict[Row, float] = {}
    sources = {row: asked[row] for row in names.pairs} | {pair.source.row: pair.source for pair in certain}
    for row, one in doubt.between(list(sources.values()), _to_be_chosen(names, scene, free)):
        if row in names.pairs:
            may_be.append((row, one))
        else:
            settled[one.target.row] = max(settled.get(one.target.row, -_FAR), one.weight.bits)
    contested = {row for row, _ in may_be} | {one.target.row for _, one in may_be}
    may_be += [(row, around[row][0]) for row, other in names.pairs.items() if {row, other.row} & contested]
    for row, one in may_be:
        rivals.add(asked[row], one)
    against = _objection(surroundings, worth, weighed, has_identifiers=bool(found.pairs))
    named = {row: waiting.rival.row for row, waiting in again.items() if waiting.rival}
    owners = {target: source for source, target in named.items()}

    def objection(student: Student, likely: Likely) -> str:
        if (other := named.get(student.row, likely.target.row)) != likely.target.row:
            return f"form {other} has the same identifier"
        if (owner := owners.get(likely.target.row, student.row)) != student.row:
            return f"export {owner} has the identifier of that row"
        is_shared = settled.get(likely.target.row, -_FAR) > likely.weight.bits - MARGIN
        return "somebody who is paired already is as likely" if is_shared else against(student, likely)

    chosen = choose(asked, around, free, rivals, objection, worth.certainty)
    pairs = [*certain, *(_pair(student, likely) for student, likely in chosen.pairs)]
    paired = {student.row for student, _ in chosen.pairs}
    told = {
        row: HeldStudent(asked[row], Reason(Cause.NAME_ALONE, f"same name as form {likely.target.row}, but {why}"))
        for row, (likely, why) in chosen.objections.items()
        if row not in weighed.single and name_key(asked[row].name) == name_key(likely.target.name)
    }
    kept = [told.get(one.student.row, one) for one in held if one.student.row not in paired]
    before = {one.student.row for one in held}
    return pairs, [*kept, *(one for row, one in told.items() if row not in before)]


class _Namesakes:
    """Students whose whole name is one row's on either side, and no birth date another: most of a class."""

    def __init__(
        self,
        asked: Mapping[Row, Student],
        free: Mapping[Row, Student],
        sides: tuple[Sequence[Student], Sequence[Student]],
    ) -> None:
        self.pairs: dict[Row, Student] = {}
        are_most = 2 * len(asked) > len(sides[0])
        are_named = are_most or not by_name(asked.values()).keys().isdisjoint(by_name(free.values()))
        ours, theirs = map(by_name, sides) if are_named else ({}, {})
        for row, student in asked.items() if are_named else ():
            match = namesake(student, ours, theirs)
            if match is not None and match.row in free and not days_differ(student.born, match.born):
                self.pairs[row] = match
        taken = {student.row for student in self.pairs.values()}
        self.left = [student for row, student in free.items() if row not in taken]


def _to_be_chosen(names: _Namesakes, scene: Found, free: Mapping[Row, Student]) -> list[Student]:
    """Return the rows of the target that namesakes leave over, and those that are somebody's best."""
    best = (next((one.target for one in likely if one.target.row in free), None) for likely in scene.values())
    left = names.left if names.pairs else ()
    found = {student.row: student for student in left} | {student.row: student for student in best if student}
    return list(found.values())


def _pair(student: Student, likely: Likely) -> Pair:
    weight = likely.weight
    if not _is_backed(likely):
        return Pair(student, likely.target, PairedBy.NAME)
    is_plain = weight.has("identifier", How.SAME) and not weight.has("birth", How.OTHER)
    by = PairedBy.IDENTIFIER if is_plain else PairedBy.EVIDENCE
    against = "; but another identifier" if weight.has("identifier", How.OTHER) else ""
    return Pair(student, likely.target, by, weight.in_words + against, weight.kinds)


def _is_backed(likely: Likely) -> bool:
    """Tell whether more than names speaks for a pair."""
    return any(one.field in _TELLING and one.how is not How.OTHER for one in likely.weight.agreements)


def _objection(surroundings: Surroundings, worth: Worth, weighed: Weighed, *, has_identifiers: bool) -> Objection:
    """Return what tells why two rows may not be paired without asking, however much agrees."""

    def why(student: Student, likely: Likely) -> str:  # noqa: PLR0911 - a way out for each thing that speaks against it
        weight = likely.weight
        if weight.has("generation", How.OTHER):
            return "another generation"
        if weight.has("identifier", How.SAME):
            is_unlike = student.row in weighed.single and student.row not in weighed.nearer
            return _against_equal_identifiers(weight, is_unlike=is_unlike)
        if worth.names is NameUse.ASK:
            return 'the transfer says names = "ask"'
        against = surroundings.contradiction(student, likely.target)
        if against and not (weight.has("birth", How.NEAR) and "birth" in against):
            return against
        if has_identifiers and _is_numbered_otherwise(weight):
            return "different identifier"
        if not _is_backed(likely):
            return _names_alone(student, likely, worth)
        return "" if weight.count("name", How.SAME, How.NEAR) else "another name"

    return why


def _against_equal_identifiers(weight: Weight, *, is_unlike: bool) -> str:
    """Return what else than one thing speaks against two rows with one identifier."""
    named = weight.count("name", How.SAME, How.NEAR)
    if weight.has("birth", How.OTHER):
        is_one_name = (weight.has("name", How.SAME) or named >= _WHOLE) and not weight.has("name", How.OTHER)
        return "" if is_one_name else "another birth date and another name"
    is_dated = weight.has("birth", How.SAME) or (weight.has("birth", How.NEAR) and bool(named))
    return "another name" if is_unlike and not is_dated else ""


def _is_numbered_otherwise(weight: Weight) -> bool:
    """Tell whether two different identifiers stand against all that agrees: a name with a birth date outweighs them."""
    if not weight.has("identifier", How.OTHER, How.NEAR) or weight.has("further", How.SAME):
        return False
    is_near = weight.has("identifier", How.NEAR)
    named = weight.count("name", How.SAME, How.NEAR)
    is_named = named >= (1 if is_near else _WHOLE) and (is_near or not weight.has("name", How.OTHER))
    is_whole = weight.count("name", How.SAME) >= _WHOLE and not weight.has("name", How.OTHER)
    is_dated = weight.has("birth", How.SAME) or (weight.has("birth", How.NEAR) and is_near and is_whole)
    return not (is_dated and is_named)


def _is_near(first: str, second: str) -> bool:
    return come_near(first, second) or spread_key(first) == spread_key(second)


def _names_alone(student: Student, likely: Likely, worth: Worth) -> str:
    """Return why a name alone isn't enough; nothing if it is."""
    weight = likely.weight
    if min(len(content_words(student.name)), len(content_words(likely.target.name))) < _WHOLE:
        return "one word isn't a full name"
    if any(_is_near(name, student.name) or _is_near(name, likely.target.name) for name in likely.rivals):
        return "somebody else in these files has nearly the same name"
    is_dated = bool(student.born and likely.target.born)
    is_whole = not weight.has("name", How.NEAR, How.OTHER) and weight.count("name", How.SAME) >= _WHOLE
    is_one_name = is_whole and len(words_of(student)) == len(words_of(likely.target))
    is_unknown = worth.better_than_names == BIRTH_DATES and is_one_name and not is_dated
    if worth.names is NameUse.BACKED and worth.better_than_names and not is_unknown:
        return f'both files have {worth.better_than_names}, and a name alone isn\'t enough (names = "pair" allows it)'
    is_spelled_otherwise = spread_key(student.name) == spread_key(likely.target.name)
    if is_one_name or is_spelled_otherwise or is_whole_name(student.name, likely.target.name, worth.shorts):
        return ""
    return "the names are only nearly the same"
