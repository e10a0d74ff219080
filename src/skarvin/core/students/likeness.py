"""How near two names come, word by word, and when they speak against being one person's."""

from collections.abc import Mapping, Sequence
from enum import Enum, auto
from typing import NamedTuple

from skarvin.core.students.slips import slips_between
from skarvin.core.texts.names import GENERATIONS, SHORT_FORMS, SUFFIXES, content_words, words

_ALIKE = 0.6
_SHORT = 0.95
_MOST_SPELLED = 3
"""More umlauts than these has no word."""


class Near(Enum):
    """What two words of names have in common: they are equal, one is the other's short form, or its initial ..."""

    EQUAL = auto()
    SHORT_FORM = auto()
    INITIAL = auto()
    SPELLED = auto()
    PART = auto()
    SLIPS = auto()
    NOTHING = auto()


class Meeting(NamedTuple):
    """What two words have in common, how alike they are from 0 to 1, and how many slips of the hand lie between them.

    Anything has something in common by its slips; but an initial is another's, or it isn't.
    """

    near: Near
    likeness: float
    slips: int = 0


NOTHING = Meeting(Near.NOTHING, 0.0)


def meet(first: str, second: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> Meeting:
    """Return what two words of names have in common."""
    if first == second:
        return Meeting(Near.EQUAL, 1.0)
    if first in shorts.get(second, ()) or second in shorts.get(first, ()):
        return Meeting(Near.SHORT_FORM, _SHORT)
    shorter, longer = (first, second) if len(first) <= len(second) else (second, first)
    if len(shorter) == 1:
        return Meeting(Near.INITIAL, _ALIKE) if shorter == longer[0] else NOTHING
    slips = slips_between(first, second)
    if slips <= _MOST_SPELLED and _spelled(first) == _spelled(second):
        return Meeting(Near.SPELLED, 1 - slips / len(longer), slips)
    if shorter in longer:
        return Meeting(Near.PART, max(_ALIKE, len(shorter) / len(longer)), slips)
    return Meeting(Near.SLIPS, 1 - slips / len(longer), slips)


def _spelled(word: str) -> str:
    """Return a word with its umlauts as one letter: Mueller as Muller."""
    return word.replace("ae", "a").replace("oe", "o").replace("ue", "u")


def is_contradiction(first: str, second: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> bool:
    """Tell whether two names speak against being one person's.

    Each word of the shorter name must be, or nearly be, a word of the other; of three or more, one may be another. Two
    generations, such as Jr and III, are two people.
    """
    ours, theirs = content_words(first), content_words(second)
    if len(ours) > len(theirs):
        ours, theirs = theirs, ours
    if is_other_generation(first, second):
        return True
    if not ours or set(ours) <= set(theirs):
        return False
    strange = sum(1 for a in ours if not any(meet(a, b, shorts).likeness >= _ALIKE for b in theirs))
    return strange > (1 if len(ours) > 2 else 0)  # noqa: PLR2004 - family and given must both be known again


def is_other_generation(first: str, second: str) -> bool:
    """Tell whether two names say different generations, such as Jr and III; one that says none contradicts nothing."""
    if SUFFIXES.isdisjoint(words(first)) or SUFFIXES.isdisjoint(words(second)):
        return False
    ours, theirs = ({GENERATIONS[word] for word in words(name) if word in GENERATIONS} for name in (first, second))
    return ours != theirs


def resembling_words(
    first: str, second: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS
) -> list[tuple[str, str]]:
    """Return the words of two names that only resemble each other: neither equal, nor short forms, nor initials."""
    ours, theirs = content_words(first), content_words(second)
    if set(ours) <= set(theirs) or all(word in ours for word in theirs):
        return []
    left = [word for word in theirs if word not in ours]
    found = []
    for word in (word for word in ours if word not in theirs):
        likely = ((meet(word, other, shorts), other) for other in left)
        met, match = max(likely, key=lambda one: (one[0].likeness, one[1]), default=(NOTHING, ""))
        is_slip = met.near in {Near.SPELLED, Near.SLIPS} and word not in match and match not in word
        if is_slip and met.likeness >= _ALIKE:
            found.append((word, match))
    return found


def is_whole_name(first: str, second: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> bool:
    """Tell whether two names agree word by word, in any order: equal, or one the short form of the other."""
    ours, left = content_words(first), list(content_words(second))
    if len(ours) != len(left):
        return False
    for word in sorted(ours, key=lambda word: word not in left):  # what is equal first
        like = (each for each in left if word in {each, *shorts.get(each, ())} or each in shorts.get(word, ()))
        match = word if word in left else next(like, None)
        if match is None:
            return False
        left.remove(match)
    return True


def unlike_words(first: str, second: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> bool:
    """Tell whether each of two names has a word that is like none of the other's: two family names, one number."""
    ours, theirs = content_words(first), content_words(second)
    mine = [word for word in ours if word not in theirs]
    yours = [word for word in theirs if word not in ours]
    if not mine or not yours:
        return False

    def is_lone(word: str, others: Sequence[str]) -> bool:
        return all(meet(word, each, shorts).likeness < _ALIKE for each in others)

    return any(is_lone(word, theirs) for word in mine) and any(is_lone(word, ours) for word in yours)
