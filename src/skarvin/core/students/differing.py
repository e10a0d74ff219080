"""In what two names of one student differ, in words."""

import unicodedata
from collections.abc import Iterable
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.students.pairing import Pair
from skarvin.core.texts.names import name_key, spread_key, words
from skarvin.core.texts.patterns import pattern

_WORDS = pattern(r"[^\W_]+")


class DifferingPair(NamedTuple):
    """A pair whose names differ, and in what."""

    pair: Pair
    what: str


def differing_pairs(pairs: Iterable[Pair]) -> list[DifferingPair]:
    """Return the pairs whose names differ in any letter or word; their order, the case and signs make no difference."""
    first: dict[tuple[Row, str], DifferingPair] = {}  # of several equal rows
    for pair in pairs:
        ours, theirs = pair.source.name, pair.target.name
        if ours != theirs and (what := name_difference(ours, theirs)):
            first.setdefault((pair.target.row, pair.source.name), DifferingPair(pair, what))
    return list(first.values())


def name_difference(first: str, second: str) -> str:
    """Return in what two names differ; nothing where they don't, or where one is blank."""
    if first == second or not first.strip() or not second.strip():
        return ""
    is_equal = name_key(first) == name_key(second)
    if is_equal and first.isascii() and second.isascii():
        return ""
    ours, theirs = sorted(_WORDS.findall(_small(first))), sorted(_WORDS.findall(_small(second)))
    if ours == theirs or (is_equal and words(first) and _joined(first) == _joined(second)):
        return ""
    only_here, only_there = ", ".join(_without(ours, theirs)), ", ".join(_without(theirs, ours))
    is_plain = first.isascii() and second.isascii()
    if is_equal or (not is_plain and spread_key(first) == spread_key(second)):
        return f"letters: {only_here} / {only_there}"
    if not only_here or not only_there:
        side, rest = ("export", only_here) if only_here else ("form", only_there)
        return f"only the {side} has: {rest}"
    return f"{only_here} / {only_there}"


def _without(some: list[str], others: list[str]) -> list[str]:
    """Return the words that are left when those of the others are taken out, each once."""
    left = list(some)
    for word in others:
        if word in left:
            left.remove(word)
    return left


def _joined(name: str) -> str:
    return "".join(sorted("".join(_WORDS.findall(_small(name)))))


def _small(name: str) -> str:
    """Return a name in small letters, each one sign: a capital İ has no dot of its own."""
    if name.isascii():
        return name.lower()
    return unicodedata.normalize("NFC", name).replace("İ", "i").casefold()
