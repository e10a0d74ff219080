"""Identifiers and names that contradict each other: that is how a column that was sorted alone is caught."""

from collections import Counter
from collections.abc import Mapping, Sequence

from skarvin.core.findings import counted
from skarvin.core.students.names import NameKey, is_contradiction, name_key
from skarvin.core.students.pairing import HeldStudent, Pair, Pairing

_PATTERN = 3
"""From so many contradictions of one kind on, the pattern is said, and all rows in it are held."""


def without_conflicts(found: Pairing, shorts: Mapping[str, frozenset[str]]) -> tuple[list[Pair], list[HeldStudent]]:
    """Return the pairs whose names don't contradict their identifiers, and the held, those among them."""
    held = list(found.held)
    certain = []
    wrong = []
    for one in found.pairs:
        if name_key(one.source.name) != name_key(one.target.name) and is_contradiction(
            one.source.name, one.target.name, shorts
        ):
            wrong.append(one)
        else:
            certain.append(one)
    shifted, pattern = _pattern(wrong, [*certain, *wrong]) if len(wrong) >= _PATTERN else (range(0), "")
    wrong += [one for one in certain if one.source.row in shifted]
    for one in wrong:
        reason = f"the identifier is that of row {one.target.row + 1} of the template, and the name there is another"
        if one.source.row in shifted:
            reason = f"{reason}; {pattern}" if one not in certain else f"it stands among rows where {pattern}"
        held.append(HeldStudent(one.source, "conflicting-identity", reason, rival=one.target))
    return [one for one in certain if one.source.row not in shifted], held


def _pattern(wrong: Sequence[Pair], pairs: Sequence[Pair]) -> tuple[range, str]:
    """Return the rows in which names have been shifted against identifiers, and how, if there is such a pattern.

    It is one if many names belong to the identifier that stands so many rows above, or below.
    """
    owner: dict[NameKey, list[int]] = {}
    for one in pairs:
        owner.setdefault(name_key(one.target.name), []).append(one.source.row)
    shifts: Counter[int] = Counter()
    shifted: dict[int, int] = {}
    for one in wrong:
        rows = owner.get(name_key(one.source.name), [])
        if len(rows) == 1:
            shift = one.source.row - rows[0]
            shifts[shift] += 1
            shifted[one.source.row] = shift
    if not shifts or shifts.most_common(1)[0][1] < _PATTERN:
        return range(0), ""
    shift, count = shifts.most_common(1)[0]
    rows = sorted(row for row, by in shifted.items() if by == shift)
    by = f"{'down' if shift > 0 else 'up'} by {counted(abs(shift), 'row')} from row {rows[0] + 1} on"
    first, last = _widened(rows[0], rows[-1], pairs)
    return range(first, last + 1), f"names are shifted against identifiers {by} ({counted(count, 'row')})"


def _widened(first: int, last: int, pairs: Sequence[Pair]) -> tuple[int, int]:
    """Return the rows of a pattern with those beside it whose names don't clearly agree."""
    agree = {one.source.row for one in pairs if name_key(one.source.name) == name_key(one.target.name)}
    rows = {one.source.row for one in pairs}
    while first - 1 in rows and first - 1 not in agree:
        first -= 1
    while last + 1 in rows and last + 1 not in agree:
        last += 1
    return first, last
