"""Pairs by the weight of all evidence, where an identifier alone doesn't pair; certain by a stated risk, or held.

Of a pair that is made by weight it is asked: were these two people, how likely would so much agree? Two rows that
aren't one student's have both lost their partners, so what is left over on both sides counts twice; how much is left
over is estimated from these files (expectation-maximisation, A. P. Dempster, N. M. Laird and D. B. Rubin 1977).
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import islice
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.students.candidates import Candidates
from skarvin.core.students.pairing import Certainty
from skarvin.core.students.weights import Weight, Weights, words_of

_ROUNDS = 12
_LOST = 0.1
"""So large a share of either side is expected to be missing on the other, before anything is known."""
_FEWEST = 10
"""So many students weigh as much as that expectation."""
_LEAST_LOST = 0.005
_MOST_LOST = 0.5
_RISKY = "by these files that isn't sure enough"
_BEST = 3
_MANY_ASKED = 1_000
"""From so many on all words that are one slip away are found in one go."""
_CLOSE = 7.0
"""Whoever is behind by no more bits is close."""
MARGIN = 3.0
"""By so many bits the best must be better than somebody who is another's already."""


class Bound(NamedTuple):
    """The largest risk of a single pair, and the largest mean of all pairs that are made by weight."""

    each: float
    mean: float


BOUNDS: Mapping[Certainty, Bound] = MappingProxyType(
    {Certainty.USUAL: Bound(1 / 20, 1 / 100), Certainty.SUREST: Bound(1 / 10_000, 1 / 10_000)}
)


class Likely(NamedTuple):
    """Somebody of the other side who may be a student, and what speaks for it.

    `risk` is how likely it is somebody else; `rivals` are the names of all whom either row may be nearly as well.
    """

    target: Student
    weight: Weight
    risk: float = 1.0
    rivals: tuple[str, ...] = ()


Found = Mapping[Row, Sequence[Likely]]
"""For the rows of students in doubt, whoever they may be, best first."""


class Odds(NamedTuple):
    """What turns bits into odds: the share of either side that has no partner, and how many students there are."""

    lost: tuple[float, float]
    size: int

    @property
    def before(self) -> float:
        """How much likelier any two rows are one student's than that both have no partner, before they are weighed."""
        ours, theirs = self.lost
        return (1 - max(ours, theirs)) / (self.size * ours * theirs)


def look_around(
    asked: Sequence[Student], others: Sequence[Student], weights: Weights, *, is_turned: bool = False
) -> Found:
    """Return for each student in doubt who of the others he or she may be, weighed.

    If `is_turned`, those who are asked for are students of the target, and the others of the source.
    """
    if not asked or not others:
        return {student.row: () for student in asked}
    candidates = Candidates(asked, others, weights)
    met = [(student, candidates.of(student)) for student in asked]
    if len(asked) > _MANY_ASKED:
        weights.texts.ask({word for _, around in met for other in around for word in words_of(other)})
    found: dict[Row, Sequence[Likely]] = {}
    for student, around in met:
        weighed = [weights.weigh(*((other, student) if is_turned else (student, other))) for other in around]
        likely = list(map(Likely, around, weighed))
        found[student.row] = sorted(likely, key=lambda one: (-one.weight.bits, one.target.row))
    return found


def estimate(found: Found, size: int, sure: int, sides: tuple[int, int]) -> Odds:
    """Return the odds in these files: which share of either side has no partner, estimated round by round.

    Args:
        found: who may be whom.
        size: how many students there are, as the weights count them.
        sure: how many pairs are sure already.
        sides: how many students either side has.
    """
    odds = Odds((_LOST, _LOST), size)
    likelihoods = [sum([one.weight.likelihood for one in likely[:_BEST]]) for likely in found.values()]
    for _ in range(_ROUNDS):
        before = odds.before
        there = sum([1 - 1 / (1 + before * likelihood) for likelihood in likelihoods])
        shares = (max(0.0, count - sure - there) + _LOST * _FEWEST for count in sides)
        ours, theirs = (share / (count + _FEWEST) for share, count in zip(shares, sides, strict=True))
        bounded = tuple(min(max(round(share, 2), _LEAST_LOST), _MOST_LOST) for share in (ours, theirs))
        odds = Odds((bounded[0], bounded[1]), size)
    return odds


class Rival(NamedTuple):
    """Somebody else whom a row may be: his or her name, and the odds."""

    name: str
    odds: float


_MANY_RIVALS = 50
"""More of them are looked at as a whole: who else a row may be is told of some."""


class Rivals:
    """Who else each row may be, of all pairs that were weighed."""

    def __init__(self, odds: Odds) -> None:
        self._before = odds.before
        self._of: tuple[dict[Row, dict[Row, Rival]], dict[Row, dict[Row, Rival]]] = ({}, {})
        self._sums: dict[tuple[int, Row], float] = {}

    def add(self, source: Student, likely: Likely) -> None:
        """Take notice of a pair that may be."""
        odds = self._odds(likely)
        self._of[0].setdefault(source.row, {})[likely.target.row] = Rival(likely.target.name, odds)
        self._of[1].setdefault(likely.target.row, {})[source.row] = Rival(source.name, odds)

    def remove(self, source: Row, target: Row) -> None:
        """Take out two rows that are paired: they are nobody else's."""
        self._sums.clear()
        for other in self._of[0].pop(source, {}):
            self._of[1].get(other, {}).pop(source, None)
        for other in self._of[1].pop(target, {}):
            self._of[0].get(other, {}).pop(target, None)

    def risk(self, source: Row, likely: Likely) -> float:
        """Return how likely a pair is wrong: either of the two may have another partner, or none."""
        if source not in self._of[0] and likely.target.row not in self._of[1]:
            return 1 / (1 + self._odds(likely))
        sides = ((0, source, likely.target.row), (1, likely.target.row, source))
        others = max(self._sum_of_others(*side) for side in sides)
        return (1 + others) / (1 + others + self._odds(likely))

    def names(self, source: Row, likely: Likely) -> tuple[str, ...]:
        """Return the names of all whom either row may be nearly as well."""
        if source not in self._of[0] and likely.target.row not in self._of[1]:
            return ()
        least = self._odds(likely) / 2.0**_CLOSE
        return tuple(rival.name for side in self._others(source, likely) for rival in side if rival.odds > least)

    def _sum_of_others(self, side: int, row: Row, partner: Row) -> float:
        """Return the odds of all rivals of a row but one; of very many the whole sum is added up once."""
        rivals = self._of[side].get(row, {})
        if len(rivals) <= _MANY_RIVALS:
            return sum([rival.odds for other, rival in rivals.items() if other != partner])
        if (side, row) not in self._sums:
            self._sums[side, row] = sum([rival.odds for rival in rivals.values()])
        own = rivals.get(partner)
        return max(self._sums[side, row] - (own.odds if own else 0.0), 0.0)

    def _odds(self, likely: Likely) -> float:
        """Return how much likelier it is that two rows are one student's than that both have no partner."""
        return likely.weight.likelihood * self._before

    def _others(self, source: Row, likely: Likely) -> tuple[list[Rival], list[Rival]]:
        target = likely.target.row
        ours, theirs = self._of[0].get(source, {}), self._of[1].get(target, {})
        few = ((ours, target), (theirs, source))
        first, second = ([side[row] for row in islice(side, _MANY_RIVALS) if row != other] for side, other in few)
        return first, second


Objection = Callable[[Student, Likely], str]
"""From a student and somebody of the other side to why they may not be paired without asking; nothing if they may."""


class Chosen(NamedTuple):
    """The pairs that are certain, and why the best of others may not be paired."""

    pairs: Sequence[tuple[Student, Likely]]
    objections: Mapping[Row, tuple[Likely, str]]


def choose(  # noqa: PLR0913 - the state of one choice
    asked: Mapping[Row, Student],
    found: Found,
    free: Iterable[Row],
    rivals: Rivals,
    objection: Objection,
    certainty: Certainty,
) -> Chosen:
    """Return the pairs whose risk is small enough: unique both ways by a margin, and nothing speaks against them.

    The surest pair is made first; whoever is paired is nobody else's rival any more.

    Args:
        asked: the students in doubt, by row.
        found: who they may be.
        free: the rows of the other side that are nobody's yet.
        rivals: all pairs that may be.
        objection: what speaks against a pair.
        certainty: how large a risk is taken.
    """
    bound, left, open_rows = BOUNDS[certainty], dict(asked), set(free)
    pairs: list[tuple[Student, Likely]] = []
    objections: dict[Row, tuple[Likely, str]] = {}
    total = 0.0
    while True:
        best = {row: one for row in left if (one := _best(found[row], open_rows))}
        ranked = sorted(best.items(), key=lambda pair: (-pair[1].weight.bits, pair[0], pair[1].target.row))
        made = False
        for row, likely in ranked:
            if likely.target.row not in open_rows:
                continue
            sure = Likely(likely.target, likely.weight, rivals.risk(row, likely), rivals.names(row, likely))
            is_risky = sure.risk > bound.each or total + sure.risk > bound.mean * (len(pairs) + 1)
            if why := objection(left[row], sure) or (_RISKY if is_risky else ""):
                objections[row] = (sure, why)
                continue
            pairs.append((left.pop(row), sure))
            open_rows.discard(sure.target.row)
            rivals.remove(row, sure.target.row)
            total, made = total + sure.risk, True
        if not made:
            return Chosen(pairs, {row: told for row, told in objections.items() if row in left})


def _best(likely: Sequence[Likely], open_rows: set[Row]) -> Likely | None:
    """Return the best of those who are nobody's; None where somebody's is as good: then a person must see both."""
    best = next((one for one in likely if one.target.row in open_rows), None)
    if best is None:
        return None
    if len(likely) == 1:
        return best
    taken = (one for one in likely if one.target.row not in open_rows)
    return None if any(one.weight.bits > best.weight.bits - MARGIN for one in taken) else best
