"""How much each field says for or against two rows being one student's, in bits, by what is rare in these very files.

A field that agrees is worth the logarithm of how often it agrees for one student over how often it does for two, in the
manner of I. P. Fellegi and A. B. Sunter, A Theory for Record Linkage (1969). How often two students agree by chance is
counted in the form: each value by itself, so that two of a common name say less than two of a rare one. How often one
student's fields slip is counted in the pairs that are sure already, with a little of what is usual added.
"""

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import Enum
from functools import cached_property
from math import log2
from typing import NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.students.evidence import days_differ
from skarvin.core.students.likeness import is_other_generation
from skarvin.core.students.pairing import Further
from skarvin.core.texts.names import content_words, words

_UNSEEN = 0.25
"""So often a value that one row has is expected to stand in another by chance, though none has it here."""
_SPREAD = {"name": 60, "birth": 365, "further": 400}
"""Over so many other values a field is spread at least, however small the files are."""
_USUAL, _MOST_LEARNED = 25, 600
"""So many pairs weigh as much as the usual shares below, and from so many it is learned how fields slip."""
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
_NEAR_BIRTHS = 0.004
"""How often two birth dates differ in one digit, or in the order of day and month."""
_DIGITS = re.compile(r"\d+")
_LETTERS = re.compile(r"[^\W\d_]+")


_ORDER = ("section", "birth", "leaving", "identifier", "further", "words", "generation")


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
        return {How.SAME: self.same, How.NEAR: self.near, How.OTHER: self.other}[how]


_USUALLY = {
    "identifier": Shares(0.93, 0.04, 0.03),
    "birth": Shares(0.93, 0.035, 0.035),
    "name": Shares(0.85, 0.09, 0.06),
    "further": Shares(0.85, 0.05, 0.10),
    "section": Shares(0.9, 0.0, 0.1),
    "leaving": Shares(0.97, 0.0, 0.03),
}


class Agreement(NamedTuple):
    """What one field says: how it agrees, how many bits that is worth, and in words."""

    field: str
    how: How
    bits: float
    words: str


class Weight(NamedTuple):
    """What all fields say of two rows, and their sum in bits."""

    bits: float
    agreements: tuple[Agreement, ...]

    def has(self, field: str, *hows: How) -> bool:
        """Tell whether a field agrees in one of some ways."""
        return any(one.field == field and one.how in hows for one in self.agreements)

    def count(self, field: str, *hows: How) -> int:
        """Return how many agreements of a field there are of some kinds."""
        return sum(one.field == field and one.how in hows for one in self.agreements)

    @property
    def in_words(self) -> str:
        """What the fields say, names first, and what speaks against it last."""
        names = [one for one in self.agreements if one.field == "name"]
        equal = sum(one.how is How.SAME for one in names)
        parts = [f"{equal} equal {'word' if equal == 1 else 'words'}"] if equal else []
        parts += dict.fromkeys(one.words for one in names if one.how is How.NEAR)
        told = [", ".join(parts)] if parts else []
        rest = [one for one in self.agreements if one.field != "name" and one.words]
        told += [one.words for one in sorted(rest, key=lambda one: _ORDER.index(one.field)) if one.how is not How.OTHER]
        if not self.has("identifier", *How):
            told.append("no identifier to compare")
        against = [one.words for one in rest if one.how is How.OTHER and one.field != "identifier"]
        if not told[1:] and any(one.how is How.OTHER for one in names):
            against.insert(0, "another name")
        return "; ".join([*told, *(f"but {what}" for what in dict.fromkeys(against))])


class Weights:
    """Weighs pairs of rows; made once for two files."""

    def __init__(
        self,
        source: Sequence[Student],
        target: Sequence[Student],
        shorts: Mapping[str, frozenset[str]],
        sure: Iterable[tuple[Student, Student]] = (),
        further: Sequence[Further] = (),
    ) -> None:
        self._sides = (source, target)
        self.size = 1 << max(1, max(len(source), len(target)) - 1).bit_length()
        self._shorts = shorts
        self._further = further
        ours, theirs = (Counter(word for one in side for word in set(words_of(one))) for side in self._sides)
        self._words = ours | theirs
        self._births = self._counts(lambda student: student.birth)
        self._sections = self._counts(lambda student: student.section.casefold())
        sections = ({student.section.casefold() for student in side} for side in self._sides)
        self._known_sections = frozenset.intersection(*map(frozenset, sections))
        self._leavings = self._counts(lambda student: student.leaving)
        self._shares = dict(_USUALLY)
        self._learn(sure)

    def _counts(self, value: Callable[[Student], str]) -> Counter[str]:
        """Return how many rows have each value, in the file in which more have it: sides can be swapped."""
        ours, theirs = (Counter(filter(None, map(value, side))) for side in self._sides)
        return ours | theirs

    def _learn(self, sure: Iterable[tuple[Student, Student]]) -> None:
        """Count in pairs that are sure how often each field slips."""
        seen: dict[str, Counter[How]] = defaultdict(Counter)
        for one, other in sorted(sure, key=lambda pair: pair[0].identifier)[:_MOST_LEARNED]:
            for agreement in self._agreements(one, other):
                seen[agreement.field][agreement.how] += 1
        for field, usual in _USUALLY.items():
            count = seen[field]
            total = count.total() + _USUAL
            self._shares[field] = Shares(*((count[how] + _USUAL * usual.of(how)) / total for how in How))

    def weigh(self, one: Student, other: Student) -> Weight:
        """Return what all fields say of two rows being one student's."""
        found = tuple(self._agreements(one, other))
        return Weight(sum(agreement.bits for agreement in found), found)

    def _agreements(self, one: Student, other: Student) -> Iterator[Agreement]:
        yield from self._identifiers(one.identifier.strip(), other.identifier.strip())
        yield from self._names(one, other)
        yield from self._birth_dates(one.birth, other.birth)
        yield from self._labels("section", one.section.casefold(), other.section.casefold(), self._sections)
        yield from self._labels("leaving", one.leaving, other.leaving, self._leavings)
        for further in self._further:
            yield from self._others(further, further.ours.get(one.row, ""), further.theirs.get(other.row, ""))

    def _bits(self, field: str, how: How, by_chance: float) -> float:
        return log2(max(self._shares[field].of(how), 1e-6) / min(max(by_chance, 1e-12), 1.0))

    def _chance(self, count: int, field: str) -> float:
        """Return how often another student has a value that so many rows of the form have."""
        return (max(count - 1, 0) + _UNSEEN) / (self.size - 1 + _SPREAD[field])

    def _identifiers(self, one: str, other: str) -> Iterator[Agreement]:
        if not one or not other:
            return
        if one == other:
            yield Agreement(
                "identifier", How.SAME, self._bits("identifier", How.SAME, self._same_numbers), "same identifier"
            )
        elif is_near(one, other):
            chance = self._near_numbers
            yield Agreement(
                "identifier", How.NEAR, self._bits("identifier", How.NEAR, chance), "nearly the same identifier"
            )
        else:
            yield Agreement("identifier", How.OTHER, self._bits("identifier", How.OTHER, 1.0), "another identifier")

    @cached_property
    def _numbers(self) -> Counter[str]:
        return self._counts(lambda student: student.identifier.strip())

    @cached_property
    def _pairs(self) -> float:
        return max(1.0, self.size * (self.size - 1) / 2)

    @cached_property
    def _same_numbers(self) -> float:
        """How often two students have one identifier: counted within the form, where nobody should."""
        return (sum(count * (count - 1) // 2 for count in self._numbers.values()) + _UNSEEN) / self._pairs

    @cached_property
    def _near_numbers(self) -> float:
        """How often two students have identifiers that are one slip apart: numbers in a row often are."""
        sharing: dict[str, list[str]] = defaultdict(list)
        for number in self._numbers:
            for rest in shortened(number):
                sharing[rest].append(number)
        count = sum(len(numbers) * (len(numbers) - 1) // 2 for numbers in sharing.values())
        return min(1.0, (count + _UNSEEN) / self._pairs)

    def _birth_dates(self, one: str, other: str) -> Iterator[Agreement]:
        if not one or not other:
            return
        if one == other or not days_differ(one, other):
            chance = self._chance(max(self._births[one], self._births[other]), "birth")
            yield Agreement("birth", How.SAME, self._bits("birth", How.SAME, chance), "same birth date")
        elif _are_near_days(one, other):
            bits = self._bits("birth", How.NEAR, _NEAR_BIRTHS)
            yield Agreement("birth", How.NEAR, bits, "birth date one digit off")
        else:
            yield Agreement("birth", How.OTHER, self._bits("birth", How.OTHER, 1.0), "another birth date")

    def _labels(self, field: str, one: str, other: str, seen: Counter[str]) -> Iterator[Agreement]:
        if not one or not other:
            return
        title = {"section": "section", "leaving": "leaving year"}[field]
        if one == other:
            share = (seen[other] + 1) / (self.size + 1)
            yield Agreement(field, How.SAME, self._bits(field, How.SAME, share), f"same {title}")
        elif field == "leaving" or {one, other} <= self._known_sections:
            yield Agreement(field, How.OTHER, self._bits(field, How.OTHER, 1.0), f"another {title}")

    def _others(self, further: Further, one: str, other: str) -> Iterator[Agreement]:
        one, other = (text.strip().casefold() for text in (one, other))
        if not one or not other:
            return
        if one == other or one.partition("@")[0] == other.partition("@")[0]:
            chance = _UNSEEN / (self.size - 1 + _SPREAD["further"])
            yield Agreement("further", How.SAME, self._bits("further", How.SAME, chance), f"same {further.title}")
        elif is_near(one, other):
            chance = 4 * _UNSEEN / (self.size - 1 + _SPREAD["further"])
            yield Agreement(
                "further", How.NEAR, self._bits("further", How.NEAR, chance), f"nearly the same {further.title}"
            )
        else:
            yield Agreement("further", How.OTHER, self._bits("further", How.OTHER, 1.0), f"another {further.title}")

    def _names(self, one: Student, other: Student) -> Iterator[Agreement]:
        ours, theirs = words_of(one), words_of(other)
        if not ours or not theirs:
            return
        mine, yours = list(ours), list(theirs)
        for word in ours:
            if word in yours:
                mine.remove(word)
                yours.remove(word)
                chance = self._chance(self._words[word], "name")
                yield Agreement("name", How.SAME, self._bits("name", How.SAME, chance), word)
        met = [(near, a, b) for a in mine for b in yours if (near := self._near(a, b))]
        for agreement, a, b in sorted(met, key=lambda one: (-one[0].bits, one[1], one[2])):
            if a in mine and b in yours:
                mine.remove(a)
                yours.remove(b)
                yield agreement
        for _ in range(min(len(mine), len(yours))):
            yield Agreement("name", How.OTHER, self._bits("name", How.OTHER, 1.0), "another name")
        rest = abs(len(mine) - len(yours))
        if rest:
            yield Agreement("words", How.OTHER, -_ADDED * rest, "")
        if is_other_generation(one.name, other.name):
            yield Agreement("generation", How.OTHER, self._bits("name", How.OTHER, 1.0), "another generation")

    def _near(self, one: str, other: str) -> Agreement | None:
        """Return what two words say that are nearly one; None where they aren't."""
        told = f"{one.title()} like {other.title()}"
        if _spelled(one) == _spelled(other):
            chance = self._chance(self._words[one] + self._words[other], "name")
            return Agreement("name", How.NEAR, self._bits("name", How.SAME, chance) - 1, told)
        if one in self._shorts.get(other, ()) or other in self._shorts.get(one, ()):
            chance = self._chance(max(self._words[one], self._words[other]), "name")
            return Agreement("name", How.NEAR, self._bits("name", How.NEAR, chance), f"{one.title()}/{other.title()}")
        if 1 in {len(one), len(other)}:
            is_same = one[0] == other[0]
            return Agreement("name", How.NEAR, _INITIAL, f"initial {one[0].upper()}") if is_same else None
        shorter, longer = sorted((one, other), key=len)
        if shorter in longer and len(shorter) >= _LEAST_PART:
            chance = 4 * self._chance(self._near_words(shorter) + 1, "name")
            told = f"{one.title()} in {other.title()}" if one == shorter else f"{other.title()} in {one.title()}"
            return Agreement("name", How.NEAR, self._bits("name", How.NEAR, chance), told)
        slips = _distance()(one, other)
        most = 2 if len(shorter) >= _LONG_WORD else 1
        if slips > most:
            return None
        count = max(self._near_words(one), self._near_words(other))
        chance = 4 * self._chance(count, "name") * (_NEAR_SHORT if len(shorter) <= _SHORT_WORD else 1)
        bits = self._bits("name", How.NEAR, chance) + (log2(_TWO_SLIPS) - 2 if slips > 1 else 0.0)
        if min(self._words[one], self._words[other]) > 1:
            bits -= _BOTH_NAMES
        return Agreement("name", How.NEAR, bits, told)

    def _near_words(self, word: str) -> int:
        """Return in how many names a word stands that is one slip away."""
        near = {other for rest in shortened(word) for other in self._by_rest.get(rest, ())} - {word}
        return sum(self._words[other] for other in near)

    @cached_property
    def _by_rest(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = defaultdict(list)
        for word in self._words:
            for rest in shortened(word):
                found[rest].append(word)
        return found


def _spelled(word: str) -> str:
    """Return a word with its umlauts as one letter: Mueller as Muller."""
    return word.replace("ae", "a").replace("oe", "o").replace("ue", "u")


def words_of(student: Student) -> Sequence[str]:
    """Return the words of a student's name; of one without a name, those of the address that identifies him or her."""
    if student.name.strip():
        return content_words(student.name)
    local, at, _ = student.identifier.partition("@")
    return [word for word in words(" ".join(_LETTERS.findall(local))) if len(word) > 1] if at else []


def shortened(text: str) -> set[str]:
    """Return a text, and what is left of it without each of its characters: texts one slip apart share one of these."""
    return {text, *(text[:place] + text[place + 1 :] for place in range(len(text)))}


def is_near(one: str, other: str) -> bool:
    """Tell whether two different identifiers are one slip apart: a sign more, less, another, or two swapped."""
    if one == other or min(len(one), len(other)) < 4 or abs(len(one) - len(other)) > 1:  # noqa: PLR2004 - too short
        return False
    return _distance()(one, other) <= 1


def _are_near_days(one: str, other: str) -> bool:
    ours, theirs = ("".join(_DIGITS.findall(text)) for text in (one, other))
    return len(ours) == len(theirs) and _distance()(ours, theirs) <= 1


def _distance() -> Callable[[str, str], int]:
    from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415 - only where something differs

    return DamerauLevenshtein.distance
