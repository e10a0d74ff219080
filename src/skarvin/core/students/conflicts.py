"""Identifiers and names that contradict each other: that is how a column that was sorted alone is caught."""

from collections import Counter
from collections.abc import Callable, Container, Mapping, Sequence
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.findings import Row, counted
from skarvin.core.gradebook import Student
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.evidence import days_differ
from skarvin.core.students.likeness import is_contradiction, resembling_words
from skarvin.core.students.pairing import HeldStudent, Pair, Pairing
from skarvin.core.texts.names import NameKey, name_key

if TYPE_CHECKING:
    from skarvin.core.students.neighbours import Neighbours

Sides = tuple[Sequence[Student], Sequence[Student]]
"""The students of the export and those of the form."""
_OTHER_BIRTH = "the birth dates differ"
_NEARER = "another name in these files comes nearer"
_PATTERN = 3
"""From so many contradictions of one kind on, the pattern is said, and all rows in it are held."""


class NameRules(NamedTuple):
    """What names are worth beside equal identifiers.

    Attributes:
        shorts: short forms of given names.
        are_used: whether they are looked at at all.
        must_be_equal: whether a pair needs equal names.
    """

    shorts: Mapping[str, frozenset[str]]
    are_used: bool = True
    must_be_equal: bool = False


class Shift(NamedTuple):
    """Rows in which names are out of step with identifiers, and how, in one sentence without its full stop."""

    rows: frozenset[Row] = frozenset()
    words: str = ""


NO_SHIFT = Shift()


class Weighed(NamedTuple):
    """The pairs that nothing contradicts, the held, and the rows that are out of step.

    `single` are the rows of held students against whom one thing speaks and no more: another name that is nobody
    else's, a name that somebody else's comes nearer, or another birth date. All that is known may outweigh it; `nearer`
    are those of them against whom nothing speaks but a nearer name.
    """

    certain: list[Pair]
    held: list[HeldStudent]
    shift: Shift = NO_SHIFT
    single: frozenset[Row] = frozenset()
    nearer: frozenset[Row] = frozenset()


def without_conflicts(found: Pairing, sides: Sides, names: NameRules) -> Weighed:
    """Return the pairs that nothing contradicts, and the held, those among them of whom something speaks against it.

    Args:
        found: who is paired by identifier.
        sides: all students of both files: a name that only resembles the other is weighed against theirs.
        names: what names are worth.
    """
    classes = cache(lambda: _classes(sides))
    certain, wrong, against = _weighed(found.pairs, classes, names)
    known = {pair.source.row for pair in found.pairs}
    shift = find_shift(wrong, [*certain, *wrong], [one for one in sides[0] if one.row not in known])
    moved = {pair.source.row for pair in certain if pair.source.row in shift.rows}
    held = list(found.held)
    for pair in (*wrong, *(pair for pair in certain if pair.source.row in moved or pair.source.row in against)):
        there = f"same identifier as form {pair.target.row}"
        why = "another name"
        if pair.source.row in moved:
            why = "it stands among rows that are out of step"
        elif pair.source.row in shift.rows:
            why = "another name; out of step"
        elif pair.source.row in against:
            why = against[pair.source.row]
        reason = Reason(Cause.CONFLICTING_IDENTITY, f"{there}, but {why}")
        held.append(HeldStudent(pair.source, reason, rival=pair.target))
    rest = [pair for pair in certain if pair.source.row not in moved and pair.source.row not in against]
    if names.must_be_equal or not names.are_used:
        return Weighed(rest, held, shift)
    unlike = [pair for pair in wrong if pair.source.row not in shift.rows]
    single = {row for row in against if row not in moved}
    if unlike:
        agreeing = {row for pair in certain if _is_one_name(pair) for row in (pair.source.row, pair.target.row)}
        moved_names = {row for pair in wrong for row in (pair.source.row, pair.target.row)}
        rows = _Known(agreeing, moved_names)
        single |= {pair.source.row for pair in unlike if not _is_somebody_elses(pair, classes(), rows)}
    nearer = frozenset(row for row in single if against.get(row) == _NEARER)
    return Weighed(rest, held, shift, frozenset(single), nearer)


class _Known(NamedTuple):
    """The rows whose own names agree, and those whose own identifier has another name: names may have moved there."""

    agreeing: Container[Row]
    unlike: Container[Row]


def _is_somebody_elses(pair: Pair, classes: "Sequence[Neighbours]", known: _Known) -> bool:
    """Tell whether the name of either row is somebody else's of the other file, whom nothing else tells apart.

    Where names have moved, those who had them have other names now; a namesake whose own names agree is only one, and
    so is one with another birth date than both rows have.
    """
    source, target = classes
    births = set(_births(pair))
    birth = births.pop() if len(births) == 1 else ""
    others = [*target.called(name_key(pair.source.name)), *source.called(name_key(pair.target.name))]
    return any(
        other.row not in known.agreeing and (other.row in known.unlike or not days_differ(other.born, birth))
        for other in others
    )


def _weighed(
    pairs: Sequence[Pair], classes: "Callable[[], Sequence[Neighbours]]", names: NameRules
) -> tuple[list[Pair], list[Pair], dict[Row, str]]:
    """Return the pairs whose names may be one person's, those whose names aren't, and what else speaks against some."""
    if not names.are_used:
        return list(pairs), [], _other_births(pairs)
    shorts = names.shorts
    certain: list[Pair] = []
    doubtful: list[Pair] = []
    for pair in pairs:
        (certain if pair.source.name == pair.target.name or _is_one_name(pair) else doubtful).append(pair)
    wrong = [pair for pair in doubtful if is_contradiction(pair.source.name, pair.target.name, shorts)]
    against: dict[Row, str] = {}
    if len(wrong) < len(doubtful):
        contradicted = {pair.source.row for pair in wrong}
        likely = [pair for pair in doubtful if pair.source.row not in contradicted]
        certain += likely
        against = _fitting_others(likely, classes(), pairs, shorts)
    if names.must_be_equal:
        from skarvin.core.students.differing import differing_pairs  # noqa: PLC0415 - few transfers ask for it

        differing = ((pair.source.row, what) for pair, what in differing_pairs(certain))
        against |= {row: f"the names aren't equal ({what})" for row, what in differing}
    return certain, wrong, against | _other_births(certain)


def _other_births(pairs: Sequence[Pair]) -> dict[Row, str]:
    dated = (pair for pair in pairs if pair.source.born)
    return {pair.source.row: _OTHER_BIRTH for pair in dated if days_differ(*_births(pair))}


def _is_one_name(pair: Pair) -> bool:
    ours, theirs = pair.source.name, pair.target.name
    return ours == theirs or name_key(ours) == name_key(theirs)


def _classes(sides: Sides) -> "Sequence[Neighbours]":
    from skarvin.core.students.neighbours import Neighbours  # noqa: PLC0415 - in many classes all names are equal

    return tuple(map(Neighbours, sides))


def _come_near() -> Callable[[str, str], bool]:
    from skarvin.core.students.neighbours import come_near  # noqa: PLC0415 - as above

    return come_near


def _births(pair: Pair) -> tuple[str, str]:
    return pair.source.born, pair.target.born


def _fitting_others(
    likely: Sequence[Pair],
    classes: "Sequence[Neighbours]",
    pairs: Sequence[Pair],
    shorts: Mapping[str, frozenset[str]],
) -> dict[Row, str]:
    """Return for those of the pairs whose names may be two people's, why."""
    source, target = classes
    owner = cache(lambda: {pair.source.row: pair.target.row for pair in pairs})
    come_near = _come_near()
    apart = {pair.source.row: pair for pair in likely if not come_near(pair.source.name, pair.target.name)}
    target.ask(pair.source.name for pair in apart.values())
    source.ask(pair.target.name for pair in apart.values())
    told = (
        (one.source.row, _fits_another(one, classes, owner, shorts, is_near=one.source.row not in apart))
        for one in likely
    )
    return {row: why for row, why in told if why}


def _fits_another(
    pair: Pair,
    classes: "Sequence[Neighbours]",
    owner: Callable[[], Mapping[Row, Row]],
    shorts: Mapping[str, frozenset[str]],
    *,
    is_near: bool,
) -> str:
    """Return why two names that differ may be two people's: each is weighed against all others of both files.

    `owner` says whom rows are paired with: several of one student aren't others.
    """
    source, target = classes
    ours, theirs = pair.source.name, pair.target.name
    if others := [other for other in target.called(name_key(ours)) if other.row != pair.target.row]:
        return f"form {others[0].row} has the same name"
    named = source.called(name_key(theirs))
    if others := [other for other in named if owner().get(other.row) != pair.target.row]:
        return f"export {others[0].row} has the name of that row"
    if ours and not is_near and (target.others_near(ours, theirs) or source.others_near(theirs, ours)):
        return _NEARER
    if any(target.words[mine] and source.words[yours] for mine, yours in resembling_words(ours, theirs, shorts)):
        return "the names only resemble each other, and both are names of others in these files"
    return ""


def find_shift(wrong: Sequence[Pair], pairs: Sequence[Pair], alone: Sequence[Student] = ()) -> Shift:
    """Return the rows in which names are out of step with identifiers, if there is such a pattern.

    It is one if many names belong to the identifier that stands so many rows above, or below.

    Args:
        wrong: pairs by identifier whose names are two people's.
        pairs: all pairs by identifier, these among them.
        alone: the export's students whose identifier is nobody's: their names may be out of step, too.
    """
    if len(wrong) < _PATTERN:
        return NO_SHIFT
    owner: dict[NameKey, list[Row]] = {}
    for pair in pairs:
        owner.setdefault(name_key(pair.target.name), []).append(pair.source.row)
    shifts: Counter[int] = Counter()
    shifted: dict[Row, int] = {}
    for student in (*(pair.source for pair in wrong), *alone):
        rows = owner.get(name_key(student.name), [])
        if len(rows) == 1:
            shift = student.row.distance(rows[0])
            shifts[shift] += 1
            shifted[student.row] = shift
    if not shifts or shifts.most_common(1)[0][1] < _PATTERN:
        return NO_SHIFT
    shift, count = shifts.most_common(1)[0]
    rows = sorted(row for row, by in shifted.items() if by == shift)
    by = f"{'down' if shift > 0 else 'up'} by {counted(abs(shift), 'row')}"
    first, last = _widened(rows[0], rows[-1], pairs)
    moved = frozenset(pair.source.row for pair in pairs if first <= pair.source.row <= last)
    what = f"Names and identifiers are out of step from {rows[0]} on (names {by}, {counted(count, 'row')})"
    return Shift(moved, f"{what}: was one column sorted alone?")


def _widened(first: Row, last: Row, pairs: Sequence[Pair]) -> tuple[Row, Row]:
    """Return the rows of a pattern with those beside it whose names don't clearly agree."""
    agree = {pair.source.row for pair in pairs if name_key(pair.source.name) == name_key(pair.target.name)}
    rows = {pair.source.row for pair in pairs}
    while (above := first.offset(-1)) in rows and above not in agree:
        first = above
    while (below := last.offset(1)) in rows and below not in agree:
        last = below
    return first, last
