"""Identifiers and names that contradict each other: that is how a column that was sorted alone is caught."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

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
_PATTERN = 3
"""From so many contradictions of one kind on, the pattern is said, and all rows in it are held."""


def without_conflicts(
    found: Pairing, sides: Sides, shorts: Mapping[str, frozenset[str]]
) -> tuple[list[Pair], list[HeldStudent]]:
    """Return the pairs that nothing contradicts, and the held, those among them of whom something speaks against it.

    Args:
        found: who is paired by identifier.
        sides: all students of both files: a name that only resembles the other is weighed against theirs.
        shorts: short forms of given names.
    """
    certain, wrong, against = _weighed(found.pairs, sides, shorts)
    shifted, pattern = _pattern(wrong, [*certain, *wrong]) if len(wrong) >= _PATTERN else (frozenset[Row](), "")
    moved = {pair.source.row for pair in certain if pair.source.row in shifted}
    held = list(found.held)
    for pair in (*wrong, *(pair for pair in certain if pair.source.row in moved or pair.source.row in against)):
        reason = f"the identifier is that of {pair.target.row} of the template, and the name there is another"
        if pair.source.row in moved:
            reason = f"{reason}; it stands among rows where {pattern}"
        elif pair.source.row in shifted:
            reason = f"{reason}; {pattern}"
        elif why := against.get(pair.source.row):
            reason = f"the identifier is that of {pair.target.row} of the template, but {why}"
        held.append(HeldStudent(pair.source, Reason(Cause.CONFLICTING_IDENTITY, reason), rival=pair.target))
    return [pair for pair in certain if pair.source.row not in moved and pair.source.row not in against], held


def _weighed(
    pairs: Sequence[Pair], sides: Sides, shorts: Mapping[str, frozenset[str]]
) -> tuple[list[Pair], list[Pair], dict[Row, str]]:
    """Return the pairs whose names may be one person's, those whose names aren't, and what else speaks against some."""
    certain = [pair for pair in pairs if _is_one_name(pair)]
    doubtful = [pair for pair in pairs if not _is_one_name(pair)] if len(certain) < len(pairs) else []
    classes = _classes(sides) if doubtful else ()
    owner = {pair.source.row: pair.target.row for pair in pairs} if doubtful else {}
    wrong: list[Pair] = []
    against: dict[Row, str] = {}
    for pair in doubtful:
        if is_contradiction(pair.source.name, pair.target.name, shorts):
            wrong.append(pair)
            continue
        certain.append(pair)
        if doubt := _fits_another(pair, classes, owner, shorts):
            against[pair.source.row] = doubt
    dated = [pair for pair in certain if pair.source.birth]
    against |= {pair.source.row: "the birth dates differ" for pair in dated if days_differ(*_births(pair))}
    return certain, wrong, against


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
    return pair.source.birth, pair.target.birth


def _fits_another(
    pair: Pair, classes: "Sequence[Neighbours]", owner: Mapping[Row, Row], shorts: Mapping[str, frozenset[str]]
) -> str:
    """Return why two names that differ may be two people's: each is weighed against all others of both files.

    `owner` says whom rows are paired with: several of one student aren't others.
    """
    source, target = classes
    ours, theirs = pair.source.name, pair.target.name
    if others := [other for other in target.names.get(name_key(ours), ()) if other.row != pair.target.row]:
        return f"the whole name is that of {others[0].row} there"
    named = source.names.get(name_key(theirs), ())
    if others := [other for other in named if owner.get(other.row) != pair.target.row]:
        return f"the whole name there is that of {others[0].row} of the export"
    if (
        ours
        and not _come_near()(ours, theirs)
        and (target.others_near(ours, theirs) or source.others_near(theirs, ours))
    ):
        return "another name in these files comes nearer"
    if any(target.words[mine] and source.words[yours] for mine, yours in resembling_words(ours, theirs, shorts)):
        return "the names only resemble each other, and both are names of others in these files"
    return ""


def _pattern(wrong: Sequence[Pair], pairs: Sequence[Pair]) -> tuple[frozenset[Row], str]:
    """Return the rows in which names have been shifted against identifiers, and how, if there is such a pattern.

    It is one if many names belong to the identifier that stands so many rows above, or below.
    """
    owner: dict[NameKey, list[Row]] = {}
    for pair in pairs:
        owner.setdefault(name_key(pair.target.name), []).append(pair.source.row)
    shifts: Counter[int] = Counter()
    shifted: dict[Row, int] = {}
    for pair in wrong:
        rows = owner.get(name_key(pair.source.name), [])
        if len(rows) == 1:
            shift = pair.source.row.distance(rows[0])
            shifts[shift] += 1
            shifted[pair.source.row] = shift
    if not shifts or shifts.most_common(1)[0][1] < _PATTERN:
        return frozenset(), ""
    shift, count = shifts.most_common(1)[0]
    rows = sorted(row for row, by in shifted.items() if by == shift)
    by = f"{'down' if shift > 0 else 'up'} by {counted(abs(shift), 'row')} from {rows[0]} on"
    first, last = _widened(rows[0], rows[-1], pairs)
    moved = frozenset(pair.source.row for pair in pairs if first <= pair.source.row <= last)
    return moved, f"names are shifted against identifiers {by} ({counted(count, 'row')})"


def _widened(first: Row, last: Row, pairs: Sequence[Pair]) -> tuple[Row, Row]:
    """Return the rows of a pattern with those beside it whose names don't clearly agree."""
    agree = {pair.source.row for pair in pairs if name_key(pair.source.name) == name_key(pair.target.name)}
    rows = {pair.source.row for pair in pairs}
    while (above := first.offset(-1)) in rows and above not in agree:
        first = above
    while (below := last.offset(1)) in rows and below not in agree:
        last = below
    return first, last
