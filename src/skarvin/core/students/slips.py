"""Texts one slip apart: a sign more, less, another, or two swapped; found in bulk, however many texts there are."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from functools import cache, cached_property

_LEAST_NUMBER = 4
_MANY = 20_000
"""From so many texts on NumPy makes up for its import."""


def near_each(asked: Collection[str], known: Collection[str], signs: Collection[str] = ()) -> dict[str, list[str]]:
    """Return for each of some texts those of the known ones that are one slip away: fit for identifiers.

    For few texts all that are a slip away are spelled out and looked up; for many, what is left of a text without one
    of its signs leads to those that may be. `signs` are all of the known ones', if it is known which these are.
    """
    signs = signs or set().union(*known)
    if _is_spelled(len(asked), signs, known):
        return {text: sorted(other for other in _one_slip_away(text, signs) if other in known) for text in asked}
    found: dict[str, set[str]] = {text: set() for text in asked}
    for one, other in _near_pairs(asked, known):
        found[one].add(other)
    return {text: sorted(others) for text, others in found.items()}


def _near_pairs(asked: Collection[str], known: Collection[str]) -> Iterable[tuple[str, str]]:
    """Return the pairs of a text asked for and a known one that are one slip apart, some maybe more than once."""
    if len(asked) + len(known) > _MANY:
        from skarvin.core.students.slips_in_bulk import near_pairs  # noqa: PLC0415 - it needs NumPy

        return near_pairs(list(asked), list(known))
    by_rest = _by_rests(asked)
    sharing = ((text, other) for other in known for rest in _shortened(other) for text in by_rest.get(rest, ()))
    return (pair for pair in sharing if slips_between(*pair) == 1)


def _is_spelled(asked: int, signs: Collection[str], known: Collection[str]) -> bool:
    """Tell whether it is quicker to spell out all that are a slip away from so many texts, and to look them up."""
    return 2 * asked * len(signs) <= len(known)


def _by_rests(texts: Iterable[str]) -> dict[str, list[str]]:
    """Return texts by themselves, and by what is left of them without one of their signs."""
    found: dict[str, list[str]] = defaultdict(list)
    for text in texts:
        for rest in _shortened(text):
            found[rest].append(text)
    return found


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
    """Some texts, to be asked which of them are one slip away from another; what is found is kept."""

    def __init__(self, texts: Iterable[str]) -> None:
        self._texts = frozenset(texts)
        self._signs = set().union(*self._texts)
        self._found: dict[str, Collection[str]] = {}

    def ask(self, texts: Iterable[str]) -> None:
        """Prepare for `near` of these texts: all that are near one of them are found in one go."""
        new = {text for text in texts if text not in self._found}
        self._found |= near_each(new, self._texts, self._signs)

    def near(self, text: str) -> Collection[str]:
        """Return the texts that are one slip away."""
        if text not in self._found:
            self._found[text] = self._near(text)
        return self._found[text]

    def _near(self, text: str) -> Collection[str]:
        if _is_spelled(1, self._signs, self._texts):
            return near_each((text,), self._texts, self._signs)[text]
        sharing = {other for rest in _shortened(text) for other in self._by_rest.get(rest, ())}
        return [other for other in sharing if slips_between(text, other) == 1]

    @cached_property
    def _by_rest(self) -> dict[str, list[str]]:
        """The texts by what is left of them without one sign: scripts with thousands of signs are not spelled out."""
        return _by_rests(self._texts)


def is_near(first: str, second: str) -> bool:
    """Tell whether two different identifiers are one slip apart."""
    if first == second or min(len(first), len(second)) < _LEAST_NUMBER or abs(len(first) - len(second)) > 1:
        return False
    return slips_between(first, second) <= 1


@cache
def _distance() -> Callable[[str, str], int]:
    from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415 - only where something differs

    return DamerauLevenshtein.distance


def slips_between(first: str, second: str) -> int:
    """Return how many slips lie between two texts."""
    return _distance()(first, second)
