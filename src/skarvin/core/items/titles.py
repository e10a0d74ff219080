"""How alike two titles of items are: their words in any order, numbers made equal, short forms, slips of the hand."""

import re
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.texts.folding import fold
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set

_WORDS = pattern(r"[^\W\d_]+|\d+(?:[.,]\d+)?")
_BRACKETS = pattern(r"[(\[{<]([^()\[\]{}<>]*)[)\]}>]")
_FILLERS = phrase_set(WORDS.headings.fillers)
_KINDS = phrase_set(WORDS.columns["item"]) | phrase_set(WORDS.headings.measure) | phrase_set(WORDS.headings.decoration)
_ROMAN = {"ii": "2", "iii": "3", "iv": "4", "vi": "6", "vii": "7", "viii": "8", "ix": "9", "xi": "11", "xii": "12"}
_LAST_ROMAN = _ROMAN | {"i": "1", "v": "5", "x": "10"}
_VOWELS = frozenset("aeiou")
_SAME_BUT_KIND, _KIND_LESS, _SHORT_FORM, _INITIALS, _KIND_WEIGHT = 0.9, 0.85, 0.92, 0.85, 0.5
_LEAST_LETTERS = 0.7
"""Two titles that share fewer letters than this are not alike: half of the letters of any two may be."""
_SAME_BUT_BRACKETS = 0.7
"""What stands in brackets may be a maximum in a language that isn't known: that is a question."""
_OTHER_WORD, _SLIP = 0.7, 75
"""What two titles are alike at most of which each has a word of its own; from when on two words are one with a slip."""
_LETTER, _LETTER_ALONE = 0.74, 0.6
"""One letter for a word: with the same number beside it, and without."""
_COUNTING = phrase_set(WORDS.columns["student number"])
_LONGEST_INITIALS = 4


class Title(NamedTuple):
    """A title in the form in which titles are compared: its words without fillers, and its numbers."""

    words: tuple[str, ...]
    numbers: tuple[str, ...]

    @property
    def key(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """What equal titles share: the words whatever their order, and the numbers."""
        return tuple(sorted(self.words)), self.numbers


@lru_cache(maxsize=2048)
def read_title(title: str) -> Title:
    """Return a title as it is compared."""
    return _read(title)


@lru_cache(maxsize=2048)
def _read_bare(title: str) -> Title:
    """Return a title without kinds of work in brackets, such as (quiz)."""
    return _read(_BRACKETS.sub(_without_kind, title))


@lru_cache(maxsize=2048)
def _read_open(title: str) -> Title:
    """Return a title without anything in brackets; as it is where nothing else stands there."""
    return _read(_BRACKETS.sub(" ", title).strip() or title)


def _read(bare: str) -> Title:
    found = [part for word in fold(bare).split() for part in _WORDS.findall(word)]
    words: list[str] = []
    numbers: list[str] = []
    for place, word in enumerate(found):
        roman = _LAST_ROMAN if place == len(found) - 1 and place else _ROMAN
        if word in roman and place:
            numbers.append(roman[word])
        elif word[0].isdigit():
            numbers.append(word.lstrip("0") or "0")
        elif word not in _FILLERS and not (word in _COUNTING and _is_number_next(found, place)):
            words.append(word)
    letters = [word for word in found if not word[0].isdigit()]
    return Title(tuple(words or letters or found), tuple(numbers))


def _is_number_next(words: list[str], place: int) -> bool:
    return place + 1 < len(words) and words[place + 1][0].isdigit()


def _without_kind(match: re.Match[str]) -> str:
    words = fold(match[1]).split()
    return " " if words and all(word in _KINDS for word in words) else f" {match[1]} "


def likeness_of_titles(first: str, second: str) -> float:
    """Return how alike two titles are, from 0 to 1; different numbers make them two."""
    ours, theirs = read_title(first), read_title(second)
    least = _SAME_BUT_BRACKETS if _read_open(first).key == _read_open(second).key else 0.0
    return max(least, _likeness(first, second, ours, theirs))


def _likeness(first: str, second: str, ours: Title, theirs: Title) -> float:
    if ours.numbers and theirs.numbers and ours.numbers != theirs.numbers:
        return 0.0
    missing = 0.25 if ours.numbers != theirs.numbers else 0.0
    if ours.key == theirs.key:
        return 1.0
    if _read_bare(first).key == _read_bare(second).key:
        return _SAME_BUT_KIND
    if not missing and _differ_in_kind(ours.words, theirs.words):
        return _KIND_LESS
    likeness = max(_of_words(ours, theirs), _of_letters(ours, theirs))
    if _differ_in_words(ours.words, theirs.words):
        likeness = min(likeness, _OTHER_WORD)
    return max(0.0, likeness - missing)


def _differ_in_words(ours: tuple[str, ...], theirs: tuple[str, ...]) -> bool:
    """Tell whether each title has a word that the other lacks, and that is no slip of one: Final exam, Final essay."""
    from rapidfuzz import fuzz  # noqa: PLC0415 - drafting alone needs it

    if _is_acronym(ours, theirs) or _is_acronym(theirs, ours):
        return False

    def lacks(some: tuple[str, ...], others: tuple[str, ...]) -> list[str]:
        return [word for word in some if not any(_partner(word, other, _LETTER) for other in others)]

    mine, yours = lacks(ours, theirs), lacks(theirs, ours)
    return bool(mine and yours) and all(fuzz.ratio(one, other) < _SLIP for one in mine for other in yours)


def _differ_in_kind(ours: tuple[str, ...], theirs: tuple[str, ...]) -> bool:
    """Tell whether one title has all words of the other, and besides only a kind of work: Oral, Oral test."""
    short, long = sorted((ours, theirs), key=len)
    more = list(long)
    for word in short:
        if word not in more:
            return False
        more.remove(word)
    return bool(short) and bool(more) and all(word in _KINDS for word in more)


def _of_words(first: Title, second: Title) -> float:
    """Return the share of the words that have a partner, each counted by its weight."""
    ours, theirs = first.words, second.words
    if not ours or not theirs:
        return 0.0
    letter = _LETTER if first.numbers and first.numbers == second.numbers else _LETTER_ALONE
    if _is_acronym(ours, theirs) or _is_acronym(theirs, ours):
        return _SHORT_FORM
    left = list(theirs)
    met = 0.0
    total = sum(map(_weight, ours)) + sum(map(_weight, theirs))
    for word in sorted(ours, key=len, reverse=True):
        scored = [(_partner(word, other, letter), other) for other in left]
        best = max(scored, default=(0.0, ""))
        if best[0]:
            left.remove(best[1])
            met += best[0] * (_weight(word) + _weight(best[1]))
    return met / total if total else 0.0


def _is_acronym(short: tuple[str, ...], long: tuple[str, ...]) -> bool:
    """Tell whether one title is made of the first letters of the other's words: DM for devoir maison."""
    return len(short) == 1 and len(long) > 1 and short[0] == "".join(word[0] for word in long)


def _weight(word: str) -> float:
    return _KIND_WEIGHT if word in _KINDS else 1.0


def _partner(first: str, second: str, letter: float) -> float:
    """Return how surely two words are one: equal, one cut short, initials, or a slip."""
    if first == second:
        return 1.0
    short, long = sorted((first, second), key=len)
    if long.startswith(short):
        return _SHORT_FORM if len(short) > 1 else letter
    if len(short) >= _LONGEST_INITIALS and long.endswith(short):
        return _INITIALS  # Arbeit, Klassenarbeit
    if 1 < len(short) <= _LONGEST_INITIALS and short[0] == long[0] and _VOWELS.isdisjoint(short):
        rest = iter(long)
        if all(letter in rest for letter in short):
            return _INITIALS
    return 0.0


def _of_letters(ours: Title, theirs: Title) -> float:
    from rapidfuzz import fuzz  # noqa: PLC0415 - drafting alone needs it

    found = float(fuzz.token_sort_ratio(" ".join(ours.words), " ".join(theirs.words))) / 100
    return found if found >= _LEAST_LETTERS else 0.0
