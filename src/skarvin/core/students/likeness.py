"""How near two names come, and when they speak against being one person's."""

from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache

from skarvin.core.texts.names import GENERATIONS, SHORT_FORMS, SUFFIXES, content_words, words


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
    strange = sum(1 for a in ours if not any(_word_likeness(a, b, shorts)[0] >= _INITIAL for b in theirs))
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
        likely = [(*_word_likeness(word, other_word, shorts), other_word) for other_word in left]
        score, how, match = max(likely, default=(0.0, "", ""))
        if score >= _INITIAL and " like " in how:
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
        return all(_word_likeness(word, each, shorts)[0] < _INITIAL for each in others)

    return any(is_lone(word, theirs) for word in mine) and any(is_lone(word, ours) for word in yours)


_INITIAL = 0.6
_SHORT = 0.95


def _word_likeness(first: str, second: str, shorts: Mapping[str, frozenset[str]]) -> tuple[float, str]:
    if first == second:
        return 1.0, "equal"
    if first in shorts.get(second, ()) or second in shorts.get(first, ()):
        return _SHORT, f"{first.title()}/{second.title()}"
    if 1 in {len(first), len(second)}:
        return (_INITIAL, f"initial {first[0].upper()}") if first[0] == second[0] else (0.0, "")
    if first in second or second in first:
        shorter, longer = sorted((len(first), len(second)))
        return max(_INITIAL, shorter / longer), f"{first.title()} in {second.title()}"
    score = _ratio()(first, second) / 100
    return score, f"{first.title()} like {second.title()}"


@lru_cache(maxsize=1)
def _ratio() -> Callable[[str, str], float]:
    from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415 - only where names differ

    def ratio(first: str, second: str) -> float:
        return 100 * DamerauLevenshtein.normalized_similarity(first, second)

    return ratio
