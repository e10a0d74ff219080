"""Proposes the column map: equal titles first, then nearly equal ones, and never two for one target item."""

from collections.abc import Sequence
from dataclasses import dataclass

from skarvin.core.layout.columns import Column
from skarvin.core.texts.folding import fold

_NEAR = 78.0
"""From this likeness on (0 to 100) two titles may mean one item."""
_CLEAR = 6.0
"""A best candidate that leads the next by less than this is no decision."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """What is proposed for one source item: a target, or candidates for a person to choose from, or neither."""

    source: Column
    target: Column | None
    reason: str
    candidates: tuple[Column, ...] = ()


def propose(source: Sequence[Column], target: Sequence[Column]) -> list[Proposal]:
    """Return one proposal for each source item, in their order."""
    made = {proposal.source.index: proposal for proposal in _equal(source, target)}
    taken = {proposal.target.index for proposal in made.values() if proposal.target}
    rest = [column for column in source if column.index not in made]
    free = [column for column in target if column.index not in taken]
    made |= {proposal.source.index: proposal for proposal in _near(rest, free)}
    return [made[column.index] for column in source]


def _equal(source: Sequence[Column], target: Sequence[Column]) -> list[Proposal]:
    proposals = []
    ours, theirs = _by_title(source), _by_title(target)
    for title, mine in ours.items():
        found = theirs.get(title, [])
        if len(mine) == len(found) == 1:
            reason = "equal headings" if mine[0].heading == found[0].heading else "equal titles"
            proposals.append(Proposal(mine[0], found[0], reason))
        elif found:
            reason = "several columns have this title"
            proposals += [Proposal(column, None, reason, tuple(found)) for column in mine]
    return proposals


def _by_title(columns: Sequence[Column]) -> dict[str, list[Column]]:
    found: dict[str, list[Column]] = {}
    for column in columns:
        found.setdefault(fold(column.title), []).append(column)
    return found


def _near(source: Sequence[Column], target: Sequence[Column]) -> list[Proposal]:
    scores = {column.index: _ranked(column, target) for column in source}
    backwards = {column.index: _ranked(column, source) for column in target}
    proposals = []
    for column in source:
        ranked = scores[column.index]
        close = tuple(other for score, other in ranked if score > ranked[0][0] - _CLEAR)
        if not ranked:
            proposals.append(Proposal(column, None, "nothing in the template resembles it"))
        elif len(close) == 1 and _leads(backwards[close[0].index], column):
            proposals.append(Proposal(column, close[0], f"nearly equal titles ({ranked[0][0]:.0f} of 100)"))
        else:
            reason = "several come equally near" if len(close) > 1 else "another item of the export comes as near"
            proposals.append(Proposal(column, None, reason, close))
    return proposals


def _ranked(column: Column, others: Sequence[Column]) -> list[tuple[float, Column]]:
    """Return the others that come near, nearest first."""
    from rapidfuzz import fuzz  # noqa: PLC0415 - drafting alone needs it

    title = fold(column.title)
    alike = [other for other in others if _numbers(other.title) == _numbers(column.title)]
    scored = [(float(fuzz.token_sort_ratio(title, fold(other.title))), other) for other in alike]
    near = [pair for pair in scored if pair[0] >= _NEAR]
    return sorted(near, key=lambda pair: -pair[0])


def _numbers(title: str) -> list[str]:
    """Return the numbers in a title: 'Quiz 1' and 'Quiz 2' are not alike."""
    return [word for word in fold(title).split() if word.isdecimal()]


def _leads(ranked: list[tuple[float, Column]], column: Column) -> bool:
    """Tell whether `column` is the clear first of a ranking."""
    if not ranked or ranked[0][1] != column:
        return False
    return len(ranked) == 1 or ranked[0][0] - ranked[1][0] >= _CLEAR
