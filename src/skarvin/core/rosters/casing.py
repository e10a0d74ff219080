"""Names as a careful clerk would write them: split out of one cell, trimmed, in proper case."""

import re
from collections.abc import Callable, Iterable, Mapping
from typing import NamedTuple

from skarvin.core.texts.names import SUFFIXES
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import phrase_set, read_name_words

_WRITING = read_name_words().writing
_SMALL = phrase_set(_WRITING["small"])
_LEADS = _SMALL | phrase_set(_WRITING["leads"])
"""What leads a family name of several words."""
_NO_MAC = phrase_set(_WRITING["no_mac"])
_ROMAN = pattern(r"(?:ii|iii|iv|vi|vii|viii)", re.IGNORECASE)
_TURKISH = frozenset("İıĞğ")
_ROMANIAN = frozenset("ĂăÂâÎîȚțŢţ")
_PARTS = pattern(r"(['\u2019\u02bc\-\u2010-\u2015.])")


class FullName(NamedTuple):
    """A name in its two parts."""

    family: str
    given: str


def split_name(name: str, *, is_family_first: bool = False) -> FullName:
    """Return a whole name's family and given part: at the comma, or the particles and the last word as the family."""
    text = " ".join(name.split())
    if "," in text:
        family, given, *rest = (part.strip() for part in text.split(","))
        suffix = [part for part in (given, *rest) if part.strip(".").casefold() in SUFFIXES]
        others = [part for part in (given, *rest) if part not in suffix]
        return FullName(" ".join([family, *suffix]), ", ".join(others))
    parts = text.split(" ")
    suffix = [parts.pop()] if len(parts) > 2 and parts[-1].strip(".").casefold() in SUFFIXES else []  # noqa: PLR2004
    if len(parts) == 1:
        return FullName(" ".join([*parts, *suffix]), "")
    if is_family_first:
        at = 1 + next((index for index, part in enumerate(parts) if part.casefold() not in _LEADS), 0)
        return FullName(" ".join([*parts[:at], *suffix]), " ".join(parts[at:]))
    at = next((index for index, part in enumerate(parts[1:-1], 1) if part.casefold() in _LEADS), len(parts) - 1)
    return FullName(" ".join([*parts[at:], *suffix]), " ".join(parts[:at]))


def proper_case(name: str, exceptions: Mapping[str, str] | None = None, beside: str = "") -> str:
    """Return a name part in proper case; one that already has both cases is left alone.

    Args:
        name: a family or given name.
        exceptions: spellings of one's own, by the small letters of the word or the whole part.
        beside: the other part of the name, which may tell the language: I is the capital of ı in a Turkish name.
    """
    text = " ".join(name.split())
    known = exceptions or {}
    if text.casefold() in known:
        return known[text.casefold()]
    if text != text.upper() and text != text.lower():
        return text
    lower = _lower_turkish if _is_turkish(f"{text} {beside}") else _lower
    parts = text.split(" ")
    return " ".join(_word(part, lower, known, is_last=index == len(parts) - 1) for index, part in enumerate(parts))


def given_names(given: str) -> tuple[str, str]:
    """Return the first given name, and the further ones."""
    first, _, further = " ".join(given.split()).partition(" ")
    return first, further


def _is_turkish(name: str) -> bool:
    """Tell whether a name has letters that only Turkish names have."""
    letters = set(name)
    return not letters.isdisjoint(_TURKISH) or (not letters.isdisjoint("Şş") and letters.isdisjoint(_ROMANIAN))


def _lower(word: str) -> str:
    return word.casefold() if word.isascii() else word.replace("İ", "i").lower()


def _lower_turkish(word: str) -> str:
    return word.replace("İ", "i").replace("I", "ı").lower()


def spellings(lines: Iterable[str]) -> dict[str, str]:
    """Return a table of exceptions from lines that spell a name each."""
    return {line.strip().casefold(): line.strip() for line in lines if line.strip() and not line.startswith("#")}


def spelled_elsewhere(names: Iterable[str]) -> dict[str, str]:
    """Return how words are spelled in names that have both cases, where all agree; by their small letters."""
    found: dict[str, set[str]] = {}
    for name in names:
        for word in name.split():
            if word != word.upper() and word[1:] != word[1:].lower():
                found.setdefault(_lower(word), set()).add(word)
    return {low: spelled.pop() for low, spelled in found.items() if len(spelled) == 1}


def _word(word: str, lower: Callable[[str], str], known: Mapping[str, str], *, is_last: bool) -> str:
    low = lower(word)
    if low in known:
        return known[low]
    if low in _SMALL and not is_last:
        return low
    if _ROMAN.fullmatch(low):
        return low.upper()
    big_i = "İ" if lower is _lower_turkish else "I"
    return "".join(_piece(piece, big_i) for piece in _PARTS.split(low))


def _piece(piece: str, big_i: str) -> str:
    """Return the part of a word between apostrophes and dashes with its capitals."""
    if piece.startswith("mc") and len(piece) > 3:  # noqa: PLR2004 - Mc and a name
        return f"Mc{piece[2:].capitalize()}"
    if piece.startswith("mac") and len(piece) > 5 and piece not in _NO_MAC and piece[3] not in "aeiou":  # noqa: PLR2004
        return f"Mac{piece[3:].capitalize()}"
    return (big_i if piece[:1] == "i" else piece[:1].upper()) + piece[1:]
