"""Pairs whose identifiers cross: each of two students has what is the other's in the other file."""

import re
from collections.abc import Callable, Sequence
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.pairing import HeldStudent, Pair, PairedBy

_SHORTEST = 3
_SAMPLE = 200
_HALF = 0.5
_FEW = 4
Numbers = Callable[[Row], str]
"""Gives what stands in a column, by the row."""


class SameNumbers(NamedTuple):
    """Two columns, one of each file, that may number the students alike, and whether they pair them."""

    ours: Numbers
    theirs: Numbers
    words: str
    is_pairing: bool


def core(identifier: str) -> str:
    """Return what numbers a student, whatever stands around it: S-1001 and 1001@tidewrack.example are both 1001."""
    digits = re.sub(r"\D", "", identifier.partition("@")[0]).lstrip("0")
    return digits if len(digits) >= _SHORTEST else ""


def without_crossing(
    certain: Sequence[Pair], held: Sequence[HeldStudent], columns: Sequence[SameNumbers]
) -> tuple[list[Pair], list[HeldStudent]]:
    """Return the pairs without those whose identifiers cross, and the held, these among them.

    Columns count that number most pairs alike; of few students, those that have the very same numbers.
    """
    crossed: dict[Row, HeldStudent] = {}
    is_by_number = all(pair.by is PairedBy.IDENTIFIER for pair in certain)
    for one in columns:
        for pair, other in () if one.is_pairing and is_by_number else _crossing(certain, one):
            what = f"its {one.words} is that of form {other.target.row}, and the other way round"
            why = Reason(Cause.CONFLICTING_IDENTITY, what)
            crossed.setdefault(pair.source.row, HeldStudent(pair.source, why, rival=pair.target))
    kept = [pair for pair in certain if pair.source.row not in crossed]
    return kept, [*held, *crossed.values()]


def _crossing(certain: Sequence[Pair], columns: SameNumbers) -> list[tuple[Pair, Pair]]:
    """Return the pairs of which each has the other's number in the other file."""
    step = max(1, len(certain) // _SAMPLE)
    if not _are_alike([(_told(pair, columns)) for pair in certain[::step]]):
        return []
    told = [(pair, *_told(pair, columns)) for pair in certain]
    by_theirs = {theirs: (pair, ours) for pair, ours, theirs in told if theirs}
    found = []
    for pair, ours, theirs in told:
        if ours and theirs and ours != theirs and ours in by_theirs:
            other, its_own = by_theirs[ours]
            if its_own == theirs:
                found.append((pair, other))
    return found


def _told(pair: Pair, columns: SameNumbers) -> tuple[str, str]:
    return core(columns.ours(pair.source.row)), core(columns.theirs(pair.target.row))


def _are_alike(told: Sequence[tuple[str, str]]) -> bool:
    known = [(ours, theirs) for ours, theirs in told if ours and theirs]
    same = sum(ours == theirs for ours, theirs in known)
    is_permuted = len(known) <= _FEW and {ours for ours, _ in known} == {theirs for _, theirs in known}
    return bool(known) and (same >= _HALF * len(known) or is_permuted)
