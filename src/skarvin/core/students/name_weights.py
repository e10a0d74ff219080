"""How much the words of two names say, in bits: a rare word more than a common one, an equal one more than a slip."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from math import log2

from skarvin.core.students.agreements import Agreement, Chances, How
from skarvin.core.students.likeness import Near, meet
from skarvin.core.students.slips import Texts

_ADDED = 1.5
"""What a word that only one side has says against: many names are written shorter."""
_INITIAL = 1.0
_SHORT_WORD, _LONG_WORD = 4, 6
_NEAR_SHORT = 8
"""Short words are near others so many times as often as long ones."""
_TWO_SLIPS = 0.3
_BOTH_NAMES = 4.0
"""Two words that are both names of several here are less likely a slip: Caitlin and Caitlyn."""
_LEAST_PART = 3


class NameWeights:
    """Weighs the words of names; what each word, and two words together, say is found out once.

    Args:
        counts: in how many names each word stands.
        texts: the same words, to be asked for those one slip away.
        chances: how often fields agree.
        shorts: short forms of given names.
    """

    def __init__(
        self, counts: Counter[str], texts: Texts, chances: Chances, shorts: Mapping[str, frozenset[str]]
    ) -> None:
        self._counts = counts
        self._texts = texts
        self._chances = chances
        self._shorts = shorts
        self._same: dict[str, Agreement] = {}
        self._met: dict[tuple[str, str], Agreement | None] = {}
        self._other = Agreement("name", How.OTHER, chances.bits("name", How.OTHER, 1.0), "another name")

    def agreements(self, ours: Sequence[str], theirs: Sequence[str]) -> list[Agreement]:
        """Return what the words of two names say."""
        if ours == theirs:
            return [self._equal(word) for word in ours]
        mine, yours = list(ours), list(theirs)
        found = []
        for word in ours:
            if word in yours:
                mine.remove(word)
                yours.remove(word)
                found.append(self._equal(word))
        if mine and yours:
            found += self._nearly(mine, yours)
            found += [self._other] * min(len(mine), len(yours))
        if rest := abs(len(mine) - len(yours)):
            found.append(Agreement("words", How.OTHER, -_ADDED * rest, ""))
        return found

    def _equal(self, word: str) -> Agreement:
        if (found := self._same.get(word)) is None:
            chance = self._chances.of(self._counts[word], "name")
            found = self._same[word] = Agreement("name", How.SAME, self._chances.bits("name", How.SAME, chance), word)
        return found

    def _nearly(self, mine: list[str], yours: list[str]) -> Iterator[Agreement]:
        """Yield what words say that are nearly one, the best first, and take them out."""
        met = [(near, one, other) for one in mine for other in yours if (near := self._near(one, other))]
        for agreement, one, other in sorted(met, key=lambda found: (-found[0].bits, found[1], found[2])):
            if one in mine and other in yours:
                mine.remove(one)
                yours.remove(other)
                yield agreement

    def _near(self, first: str, second: str) -> Agreement | None:
        """Return what two words say that are nearly one; None where they aren't."""
        key = (first, second)
        if key not in self._met:
            self._met[key] = self._weigh_near(first, second)
        return self._met[key]

    def _weigh_near(self, first: str, second: str) -> Agreement | None:
        near, _, slips = meet(first, second, self._shorts)
        shorter, longer = sorted((first, second), key=len)
        if near is Near.INITIAL:
            return Agreement("name", How.NEAR, _INITIAL, f"initial {first[0].upper()}")
        if near is Near.SHORT_FORM:
            chance = self._chances.of(max(self._counts[first], self._counts[second]), "name")
            return self._nearly_same(chance, f"{first.title()}/{second.title()}")
        if near is Near.SPELLED:
            chance = self._chances.of(self._counts[first] + self._counts[second], "name")
            bits = self._chances.bits("name", How.SAME, chance) - 1
            return Agreement("name", How.NEAR, bits, f"{first.title()} like {second.title()}")
        if near is Near.PART and len(shorter) >= _LEAST_PART:
            chance = 4 * self._chances.of(self._near_words(shorter) + 1, "name")
            return self._nearly_same(chance, f"{shorter.title()} in {longer.title()}")
        is_slip = near is not Near.NOTHING and slips <= (2 if len(shorter) >= _LONG_WORD else 1)
        return self._slipped(first, second, slips) if is_slip else None

    def _slipped(self, first: str, second: str, slips: int) -> Agreement:
        count = max(self._near_words(first), self._near_words(second))
        is_short = min(len(first), len(second)) <= _SHORT_WORD
        chance = 4 * self._chances.of(count, "name") * (_NEAR_SHORT if is_short else 1)
        less = (log2(_TWO_SLIPS) - 2) * (slips > 1) - _BOTH_NAMES * (min(self._counts[first], self._counts[second]) > 1)
        return self._nearly_same(chance, f"{first.title()} like {second.title()}", less)

    def _nearly_same(self, chance: float, told: str, more: float = 0.0) -> Agreement:
        return Agreement("name", How.NEAR, self._chances.bits("name", How.NEAR, chance) + more, told)

    def _near_words(self, word: str) -> int:
        """Return in how many names a word stands that is one slip away."""
        return sum(self._counts[other] for other in self._texts.near(word))
