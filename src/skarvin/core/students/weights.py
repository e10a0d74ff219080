"""How much each field says for or against two rows being one student's, in bits, by what is rare in these very files.

A field that agrees is worth the logarithm of how often it agrees for one student over how often it does for two, in the
manner of I. P. Fellegi and A. B. Sunter, A Theory for Record Linkage (1969). How often two students agree by chance is
counted in the form: each value by itself, so that two of a common name say less than two of a rare one. How often one
student's fields slip is counted in the pairs that are sure already, with a little of what is usual added.
"""

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from heapq import nsmallest
from itertools import chain
from operator import attrgetter
from typing import NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.students.agreements import Agreement, Chances, How
from skarvin.core.students.evidence import days_differ
from skarvin.core.students.likeness import is_other_generation
from skarvin.core.students.name_weights import NameWeights
from skarvin.core.students.pairing import Further
from skarvin.core.students.slips import Texts, is_near, near_each, slips_between
from skarvin.core.texts.days import as_far_as_both
from skarvin.core.texts.names import content_words, words
from skarvin.core.texts.patterns import pattern

_MOST_LEARNED = 600
"""From so many pairs it is learned how fields slip."""
_MOST_ASKED = 100
"""Of so many identifiers it is counted how many others are one slip away."""
_NEAR_BIRTHS = 0.004
"""How often two birth dates differ in one digit, or in the order of day and month."""
_CUT = 60.0
"""More bits than these prove no more: it keeps the powers of two within bounds."""
_DIGITS = pattern(r"\d+")
_LETTERS = pattern(r"[^\W\d_]+")
_ORDER = ("section", "birth", "leaving", "identifier", "further", "words", "generation")


class Weight(NamedTuple):
    """What all fields say of two rows, and their sum in bits."""

    bits: float
    agreements: tuple[Agreement, ...]

    @property
    def likelihood(self) -> float:
        """How much likelier all that is said is of one student's rows than of two."""
        return float(2.0 ** min(self.bits, _CUT))

    def has(self, field: str, *hows: How) -> bool:
        """Tell whether a field agrees in one of some ways."""
        for one in self.agreements:  # noqa: SIM110 - asked so often that it must not make a generator
            if one.field == field and one.how in hows:
                return True
        return False

    def count(self, field: str, *hows: How) -> int:
        """Return how many agreements of a field there are of some kinds."""
        return sum(one.field == field and one.how in hows for one in self.agreements)

    @property
    def kinds(self) -> tuple[str, ...]:
        """What kinds of evidence there are, the name's first."""
        equal, near, other = (self.count("name", how) for how in How)
        name = "another name" if other else "nearly the same name"
        name = "a part of the name" if other and (equal or near) else name
        name = "same name" if equal and not near and not other and not self.has("words", How.OTHER) else name
        rest = dict.fromkeys(one.words for one in self.agreements if one.field != "name" and one.words)
        return (name, *rest) if equal or near or other else tuple(rest)

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
    """Weighs pairs of rows; made once for two files.

    Attributes:
        words: in how many names each word stands.
        texts: the same words, to be asked for those one slip away.
    """

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
        ours, theirs = (Counter(chain.from_iterable(map(set, _words_of_each(side)))) for side in self._sides)
        self.words = _merged(ours, theirs)
        self.texts = Texts(self.words)
        self._births = self._counts("born")
        self._sections = self._counts("section")
        sections = ({student.section for student in side} for side in self._sides)
        self._known_sections = frozenset.intersection(*(frozenset(map(str.casefold, some)) for some in sections))
        self._leavings = self._counts("leaving")
        self._set(Chances(self.size))
        some = nsmallest(_MOST_LEARNED, sure, key=lambda pair: pair[0].identifier)
        self._set(self._chances.learned(agreement for pair in some for agreement in self._agreements(*pair)))

    def _set(self, chances: Chances) -> None:
        self._chances = chances
        self._names = NameWeights(self.words, self.texts, chances, self._shorts)
        self._labels: dict[tuple[str, str], Agreement] = {}
        self._said: dict[tuple[str, float], Agreement] = {}

    def _counts(self, field: str) -> Counter[str]:
        """Return how many rows have each value, in the file in which more have it: sides can be swapped."""
        return _merged(*(_folded(Counter(map(attrgetter(field), side))) for side in self._sides))

    def weigh(self, first: Student, second: Student) -> Weight:
        """Return what all fields say of two rows being one student's."""
        found = self._agreements(first, second)
        return Weight(sum([agreement.bits for agreement in found]), tuple(found))

    def _agreements(self, first: Student, second: Student) -> list[Agreement]:
        ours, theirs = words_of(first), words_of(second)
        found = self._names.agreements(ours, theirs) if ours and theirs else []
        if found and is_other_generation(first.name, second.name):
            found.append(self._told("generation", How.OTHER, 1.0, "another generation", like="name"))
        if first.identifier and second.identifier:
            found += self._identifiers(first.identifier.strip(), second.identifier.strip())
        if first.born and second.born:
            found.append(self._birth_dates(first.born, second.born))
        if first.section and second.section:
            found += self._sections_of(first.section.casefold(), second.section.casefold())
        if first.leaving and second.leaving:
            found.append(
                self._label(
                    "leaving", first.leaving.casefold(), second.leaving.casefold(), self._leavings, "leaving year"
                )
            )
        for further in self._further:
            found += self._others(further, further.ours.get(first.row, ""), further.theirs.get(second.row, ""))
        return found

    def _told(self, field: str, how: How, chance: float, what: str, like: str = "") -> Agreement:
        key = (what, chance)
        if (found := self._said.get(key)) is None:
            found = self._said[key] = Agreement(field, how, self._chances.bits(like or field, how, chance), what)
        return found

    def _identifiers(self, first: str, second: str) -> Iterator[Agreement]:
        if not first or not second:
            return
        if first == second:
            yield self._told("identifier", How.SAME, self._same_numbers, "same identifier")
        elif is_near(first, second):
            yield self._told("identifier", How.NEAR, self._near_numbers, "nearly the same identifier")
        else:
            yield self._told("identifier", How.OTHER, 1.0, "another identifier")

    @cached_property
    def _numbers_of_each(self) -> list[list[str]]:
        return [[one.identifier.strip() for one in side if one.identifier] for side in self._sides]

    @cached_property
    def _numbers(self) -> Counter[str]:
        return _merged(*map(Counter, self._numbers_of_each))

    def near_numbers(self, numbers: Collection[str]) -> dict[str, list[str]]:
        """Return for each of some identifiers those of both files that are one slip away."""
        return near_each(numbers, self._numbers)

    @cached_property
    def _same_numbers(self) -> float:
        """How often two students have one identifier: counted within the form, where nobody should."""
        are_unique = all(len(set(numbers)) == len(numbers) for numbers in self._numbers_of_each)
        twice = () if are_unique else (count for number, count in self._numbers.items() if count > 1 and number)
        return self._chances.of_pairs(sum(count * (count - 1) // 2 for count in twice))

    @cached_property
    def _near_numbers(self) -> float:
        """How often two students have identifiers that are one slip apart: numbers in a row often are."""
        known = sorted(self._numbers)
        some = known[:: len(known) // _MOST_ASKED + 1]
        near = sum(map(len, self.near_numbers(some).values()))
        return self._chances.of_pairs(near * len(known) / max(1, len(some)) / 2)

    def _birth_dates(self, first: str, second: str) -> Agreement:
        first, second = as_far_as_both(first, second)
        if first == second or not days_differ(first, second):
            chance = self._chances.of(max(self._births[first.casefold()], self._births[second.casefold()]), "birth")
            return self._told("birth", How.SAME, chance, "same birth date")
        if _are_near_days(first, second):
            return self._told("birth", How.NEAR, _NEAR_BIRTHS, "birth date one digit off")
        return self._told("birth", How.OTHER, 1.0, "another birth date")

    def _sections_of(self, first: str, second: str) -> Iterator[Agreement]:
        if first == second or {first, second} <= self._known_sections:
            yield self._label("section", first, second, self._sections, "section")

    def _label(self, field: str, first: str, second: str, seen: Counter[str], title: str) -> Agreement:
        key = (field, first if first == second else "")
        if key not in self._labels:
            share = (seen[second] + 1) / (self.size + 1)
            same, different = (How.SAME, share, f"same {title}"), (How.OTHER, 1.0, f"another {title}")
            self._labels[key] = self._told(field, *(same if first == second else different))
        return self._labels[key]

    def _others(self, further: Further, first: str, second: str) -> Iterator[Agreement]:
        first, second = (text.strip().casefold() for text in (first, second))
        if not first or not second:
            return
        by_chance = self._chances.of(1, "further")
        if first == second or first.partition("@")[0] == second.partition("@")[0]:
            yield self._told("further", How.SAME, by_chance, f"same {further.title}")
        elif is_near(first, second):
            yield self._told("further", How.NEAR, 4 * by_chance, f"nearly the same {further.title}")
        else:
            yield self._told("further", How.OTHER, 1.0, f"another {further.title}")


def _merged(ours: Counter[str], theirs: Counter[str]) -> Counter[str]:
    """Return how often each text stands in the file in which it stands more often."""
    known = ours.get
    more = {text: count for text, count in theirs.items() if count > known(text, 0)}
    return Counter({**ours, **more}) if more else ours


def _folded(counts: Counter[str]) -> Counter[str]:
    """Return how often each value stands that isn't blank, whatever its case and the blanks around it."""
    found: Counter[str] = Counter()
    for text, count in counts.items():
        if folded := text.strip().casefold():
            found[folded] += count
    return found


def _words_of_each(students: Sequence[Student]) -> list[Sequence[str]]:
    """Return the words of each student."""
    found: list[Sequence[str]] = list(map(content_words, [student.name for student in students]))
    return found if all(found) else list(map(words_of, students))


def words_of(student: Student) -> Sequence[str]:
    """Return the words of a student's name; of one without a name, those of the address that identifies him or her."""
    return content_words(student.name) or _address_words(student.identifier)


def _address_words(address: str) -> tuple[str, ...]:
    local, at, _ = address.partition("@")
    return tuple(word for word in words(" ".join(_LETTERS.findall(local))) if len(word) > 1) if at else ()


def _are_near_days(first: str, second: str) -> bool:
    ours, theirs = ("".join(_DIGITS.findall(text)) for text in (first, second))
    return len(ours) == len(theirs) and slips_between(ours, theirs) <= 1
