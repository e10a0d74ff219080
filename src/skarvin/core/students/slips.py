"""Texts one slip apart: a sign more, less, another, or two swapped; found in bulk, however many texts there are."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from functools import cache, cached_property

_LONG, _SHORT = 7, 5
_LONG_END, _SHORT_END = 3, 2
_LEAST_NUMBER = 4
_FEW_QUESTIONS = 8


def _end(length: int) -> int:
    """Return how many signs at the beginning or the end of so long a text one slip leaves alone."""
    return _LONG_END if length >= _LONG else _SHORT_END if length >= _SHORT else 1


_ENDS = tuple(tuple({_end(length - 1), _end(length), _end(length + 1)}) for length in range(_LONG + 2))
"""For each length of a text the ends by which texts one slip away look for it."""


def near_each(asked: Collection[str], known: Collection[str]) -> dict[str, list[str]]:
    """Return for each of some texts those of the known ones that are one slip away: fit for identifiers.

    For few texts all that are a slip away are spelled out and looked up; for many, what is left of a text without one
    of its signs leads to those that may be.
    """
    signs: set[str] = set().union(*known)
    if 2 * len(asked) * len(signs) <= len(known):
        return {text: sorted(other for other in _one_slip_away(text, signs) if other in known) for text in asked}
    by_rest: dict[str, set[str]] = defaultdict(set)
    for text in asked:
        for rest in _shortened(text):
            by_rest[rest].add(text)
    found: dict[str, set[str]] = {text: set() for text in asked}
    for other in known:
        for text in {text for rest in _shortened(other) for text in by_rest.get(rest, ())}:
            if slips_between(text, other) == 1:
                found[text].add(other)
    return {text: sorted(others) for text, others in found.items()}


def _one_slip_away(text: str, signs: Iterable[str]) -> set[str]:
    """Return all texts of some signs that are one slip away from `text`."""
    parts = [(text[:place], text[place:]) for place in range(len(text) + 1)]
    found = {before + after[1:] for before, after in parts if after}
    found |= {before + after[1] + after[0] + after[2:] for before, after in parts if len(after) > 1}
    for sign in signs:
        found |= {before + sign + after[1:] for before, after in parts}
        found |= {before + sign + after for before, after in parts}
    return found - {text}


def _shortened(text: str) -> set[str]:
    """Return a text, and what is left of it without each of its signs: texts one slip apart share one of these."""
    return {text, *[text[:place] + text[place + 1 :] for place in range(len(text))]}


class Texts:
    """Some texts, to be asked which of them are one slip away from another.

    A slip leaves the beginning of a text or its end as they were, so that only those which share one are compared. Few
    questions are answered before anything is put in order by its ends.
    """

    def __init__(self, texts: Iterable[str]) -> None:
        self._texts = tuple(texts)
        self._asked = 0

    def near(self, text: str) -> set[str]:
        """Return the texts that are one slip away."""
        from rapidfuzz import process  # noqa: PLC0415 - only where something differs
        from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415

        self._asked += 1
        found: set[str] = set()
        for sharing in [self._texts] if self._asked <= _FEW_QUESTIONS else self._sharing(text):
            scored = process.extract(text, sharing, scorer=DamerauLevenshtein.distance, score_cutoff=1, limit=None)
            found.update(other for other, slips, _ in scored if slips == 1)
        return found

    def _sharing(self, text: str) -> list[list[str]]:
        size = _end(len(text))
        return [self._by_end.get(key, []) for key in ("<" + text[:size], ">" + text[-size:])]

    @cached_property
    def _by_end(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = defaultdict(list)
        for text in self._texts:
            for size in _ENDS[min(len(text), _LONG + 1)]:
                found["<" + text[:size]].append(text)
                found[">" + text[-size:]].append(text)
        return found


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
