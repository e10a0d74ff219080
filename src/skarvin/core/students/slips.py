"""Texts one slip apart: a sign more, less, another, or two swapped; found in bulk, however many texts there are."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from functools import cache

_LONG, _SHORT = 7, 5
_LONG_END, _SHORT_END = 3, 2
_LEAST_NUMBER = 4


def _end(length: int) -> int:
    """Return how many signs at the beginning or the end of so long a text one slip leaves alone."""
    return _LONG_END if length >= _LONG else _SHORT_END if length >= _SHORT else 1


_ENDS = tuple(tuple({_end(length - 1), _end(length), _end(length + 1)}) for length in range(_LONG + 2))
"""For each length of a text the ends by which texts one slip away look for it."""


class Texts:
    """Some texts, to be asked which of them are one slip away from another.

    A slip leaves the beginning of a text or its end as they were, so that only those which share one are compared.
    """

    def __init__(self, texts: Iterable[str]) -> None:
        self._by_end: dict[str, list[str]] = defaultdict(list)
        for text in texts:
            for size in _ENDS[min(len(text), _LONG + 1)]:
                self._by_end["<" + text[:size]].append(text)
                self._by_end[">" + text[-size:]].append(text)

    def near(self, text: str) -> set[str]:
        """Return the texts that are one slip away."""
        from rapidfuzz import process  # noqa: PLC0415 - only where something differs
        from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415

        size = _end(len(text))
        found: set[str] = set()
        for key in ("<" + text[:size], ">" + text[-size:]):
            sharing = self._by_end.get(key, ())
            scored = process.extract(text, sharing, scorer=DamerauLevenshtein.distance, score_cutoff=1, limit=None)
            found.update(other for other, slips, _ in scored if slips == 1)
        return found


def shortened(text: str) -> set[str]:
    """Return a text, and what is left of it without each of its characters: texts one slip apart share one of these."""
    return {text, *[text[:place] + text[place + 1 :] for place in range(len(text))]}


def is_near(one: str, other: str) -> bool:
    """Tell whether two different identifiers are one slip apart."""
    if one == other or min(len(one), len(other)) < _LEAST_NUMBER or abs(len(one) - len(other)) > 1:
        return False
    return slips_between(one, other) <= 1


@cache
def _distance() -> Callable[[str, str], int]:
    from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415 - only where something differs

    return DamerauLevenshtein.distance


def slips_between(one: str, other: str) -> int:
    """Return how many slips lie between two texts."""
    return _distance()(one, other)


def count_near(asked: Iterable[str], texts: Collection[str]) -> int:
    """Return how many of `texts` are one slip away from each of those asked for, all together."""
    index = Texts(texts)
    return sum(len(index.near(text)) for text in asked)
