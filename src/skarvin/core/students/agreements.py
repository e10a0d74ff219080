"""How fields of two rows agree, how often they do so for one student and by chance, and what that is worth in bits."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from enum import Enum
from math import log2
from types import MappingProxyType
from typing import NamedTuple

_UNSEEN = 0.25
"""So often a value that one row has is expected to stand in another by chance, though none has it here."""
_SPREAD = {"name": 60, "birth": 365, "further": 400}
"""Over so many other values a field is spread at least, however small the files are."""
_USUAL = 25
"""So many pairs weigh as much as the usual shares below."""


class How(Enum):
    """How a field of two rows agrees."""

    SAME = "same"
    NEAR = "near"
    OTHER = "other"


class Shares(NamedTuple):
    """How often a field of one student is the same, nearly the same, and another in two files."""

    same: float
    near: float
    other: float

    def of(self, how: How) -> float:
        """Return the share of one kind."""
        return self.same if how is How.SAME else self.near if how is How.NEAR else self.other


USUAL_SHARES: Mapping[str, Shares] = MappingProxyType(
    {
        "identifier": Shares(0.93, 0.04, 0.03),
        "birth": Shares(0.93, 0.035, 0.035),
        "name": Shares(0.85, 0.09, 0.06),
        "further": Shares(0.85, 0.05, 0.10),
        "section": Shares(0.9, 0.0, 0.1),
        "leaving": Shares(0.97, 0.0, 0.03),
    }
)


class Agreement(NamedTuple):
    """What one field says: how it agrees, how many bits that is worth, and in words."""

    field: str
    how: How
    bits: float
    words: str


class Chances(NamedTuple):
    """How often fields agree for one student, and by chance in files of so many students."""

    size: int
    shares: Mapping[str, Shares] = USUAL_SHARES

    def of(self, count: float, field: str) -> float:
        """Return how often another student has a value that so many rows have."""
        return (max(count - 1, 0) + _UNSEEN) / (self.size - 1 + _SPREAD[field])

    def of_pairs(self, count: float) -> float:
        """Return how often two students have a value in common if so many pairs of them have."""
        return min(1.0, (count + _UNSEEN) / max(1.0, self.size * (self.size - 1) / 2))

    def bits(self, field: str, how: How, by_chance: float) -> float:
        """Return what is worth an agreement that is by chance so often."""
        return log2(max(self.shares[field].of(how), 1e-6) / min(max(by_chance, 1e-12), 1.0))

    def learned(self, seen: Iterable[Agreement]) -> "Chances":
        """Return the chances with the shares that pairs show which are sure, and a little of the usual ones."""
        counts: dict[str, Counter[How]] = defaultdict(Counter)
        for agreement in seen:
            counts[agreement.field][agreement.how] += 1
        learned = {field: _mixed(counts[field], usual) for field, usual in USUAL_SHARES.items()}
        return self._replace(shares=learned)


def _mixed(count: Counter[How], usual: Shares) -> Shares:
    total = count.total() + _USUAL
    return Shares(*((count[how] + _USUAL * usual.of(how)) / total for how in How))
