"""What the words of a heading say of its column, in every language that is known, and how strongly."""

from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.layout.columns import STUDENT, Use
from skarvin.core.texts.folding import fold
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_SOME, _WHOLE, _SEVERAL = 1.2, 1.8, 0.3
"""What a phrase says by itself, what more if it is the whole heading, and if it has several words."""
_STEP = 0.04
_LONGEST = 6
_MOST_WORDS = 60
"""So many words of a heading are looked at: what is longer is a text, and no name of a column."""
_SECTION_NAMES = phrase_set(WORDS.headings.names_a_section)
_FILLERS = phrase_set(WORDS.headings.fillers)


class Said(NamedTuple):
    """How strongly a heading's words say a use, by which words; whether they are all, and whether they end it."""

    strength: float
    phrase: str
    is_whole: bool
    is_last: bool


class _Match(NamedTuple):
    use: Use
    phrase: str
    start: int
    length: int


def _by_phrase() -> tuple[Mapping[str, tuple[Use, ...]], tuple[tuple[str, Use], ...], tuple[tuple[str, Use], ...]]:
    """Return the uses of each phrase, and those of how words begin and end."""
    whole: dict[str, list[Use]] = {}
    begins, ends = [], []
    for name, text in WORDS.columns.items():
        use = Use(name)
        for phrase in phrases(text):
            if phrase.endswith("*"):
                begins.append((phrase[:-1], use))
            elif phrase.startswith("*"):
                ends.append((phrase[1:], use))
            else:
                whole.setdefault(phrase, []).append(use)
    return {phrase: tuple(dict.fromkeys(uses)) for phrase, uses in whole.items()}, tuple(begins), tuple(ends)


_PHRASES, _BEGINS, _ENDS = _by_phrase()
_ORDER: Mapping[Use, int] = MappingProxyType({Use(name): place for place, name in enumerate(WORDS.columns)})
"""Of two uses that a heading names, the one that stands first in the file of words counts a little more."""


@lru_cache(maxsize=4096)
def said_by_words(heading: str) -> Mapping[Use, Said]:
    """Return what the words of a heading say of its column, for each use that they name."""
    words = fold(heading).split()[:_MOST_WORDS]
    matches = list(_matches(words))
    longest = [one for one in matches if not any(_is_inside(one, other) for other in matches)]
    content = {place for place, word in enumerate(words) if word not in _FILLERS}
    found: dict[Use, Said] = {}
    for use in dict.fromkeys(match.use for match in longest):
        own = [match for match in longest if match.use is use]
        covered = {place for match in own for place in range(match.start, match.start + match.length)}
        if use is Use.SECTION:
            naming = {place for place, word in enumerate(words) if word in _SECTION_NAMES}
            covered |= naming | ({place for place, word in enumerate(words) if word.isdigit()} if naming else set())
        share = len(covered & content) / len(content) if content else 1.0
        several = _SEVERAL if max(match.length for match in own) > 1 else 0.0
        strength = _SOME + _WHOLE * share + several + _STEP * (len(_ORDER) - _ORDER[use])
        phrase = max(own, key=lambda match: match.length).phrase
        found[use] = Said(strength, phrase, content <= covered, max(content, default=0) in covered)
    return MappingProxyType(found)


def use_in_words(heading: str) -> tuple[Use, str] | None:
    """Return the use that a heading's words say most strongly, and those words."""
    said = said_by_words(heading)
    if not said:
        return None
    use = max(said, key=lambda use: said[use].strength)
    return use, said[use].phrase


def says_student(heading: str) -> bool:
    """Tell whether a heading's words may say who a student is."""
    said = said_by_words(heading)
    told = STUDENT
    found = use_in_words(heading)
    return found is not None and (found[0] in told or any(use in told and said[use].is_whole for use in said))


def _matches(words: Sequence[str]) -> Iterator[_Match]:
    for start in range(len(words)):
        for length in range(1, min(_LONGEST, len(words) - start) + 1):
            phrase = " ".join(words[start : start + length])
            counts = words[start + length : start + length + 1]
            for use in _PHRASES.get(phrase, ()):
                if not (use is Use.NUMBER and counts and counts[0].isdigit()):  # 'Test no 3'
                    yield _Match(use, phrase, start, length)
        for use in _by_part(words[start]):
            yield _Match(use, words[start], start, 1)


@lru_cache(maxsize=4096)
def _by_part(word: str) -> tuple[Use, ...]:
    """Return the uses that how a word begins or ends tells, where it isn't known as a whole."""
    if word in _PHRASES:
        return ()
    begins = [use for beginning, use in _BEGINS if word.startswith(beginning)]
    return (*begins, *(use for ending, use in _ENDS if word.endswith(ending) and len(word) > len(ending)))


def _is_inside(first: _Match, second: _Match) -> bool:
    """Tell whether the words of one match stand within the more words of another."""
    is_within = second.start <= first.start and first.start + first.length <= second.start + second.length
    return is_within and second.length > first.length
