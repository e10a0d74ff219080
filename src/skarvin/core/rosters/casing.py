"""Names as a careful clerk would write them: split out of one cell, trimmed, in proper case."""

import re
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from skarvin.core.texts.names import SUFFIXES
from skarvin.core.texts.words import phrase_set, read_name_words

_WRITING = read_name_words().writing
_SMALL = phrase_set(_WRITING["small"])
_LEADS = _SMALL | phrase_set(_WRITING["leads"])
"""What leads a family name of several words."""
_NO_MAC = phrase_set(_WRITING["no_mac"])
_ROMAN = re.compile(r"(?:ii|iii|iv|vi|vii|viii)", re.IGNORECASE)
_PARTS = re.compile(r"(['\u2019\u02bc\-\u2010-\u2015.])")


class FullName(NamedTuple):
    """A name in its two parts."""

    family: str
    given: str


def split_name(name: str, *, is_family_first: bool = False) -> FullName:
    """Return a whole name's family and given part: at the comma, or the particles and the last word as the family."""
    text = " ".join(name.split())
    if "," in text:
        family, given = (part.strip() for part in text.split(",", 1))
        return FullName(family, given)
    parts = text.split(" ")
    suffix = [parts.pop()] if len(parts) > 2 and parts[-1].strip(".").casefold() in SUFFIXES else []  # noqa: PLR2004
    if len(parts) == 1:
        return FullName(" ".join([*parts, *suffix]), "")
    if is_family_first:
        at = 1 + next((index for index, part in enumerate(parts) if part.casefold() not in _LEADS), 0)
        return FullName(" ".join([*parts[:at], *suffix]), " ".join(parts[at:]))
    at = next((index for index, part in enumerate(parts[1:-1], 1) if part.casefold() in _LEADS), len(parts) - 1)
    return FullName(" ".join([*parts[at:], *suffix]), " ".join(parts[:at]))


def proper_case(name: str, exceptions: Mapping[str, str] | None = None) -> str:
    """Return a name part in proper case; one that already has both cases is left alone.

    Args:
        name: a family or given name.
        exceptions: spellings of one's own, by the small letters of the word or the whole part.
    """
    text = " ".join(name.split())
    known = exceptions or {}
    if text.casefold() in known:
        return known[text.casefold()]
    if text != text.upper() and text != text.lower():
        return text
    parts = text.split(" ")
    return " ".join(_word(part, known, is_last=index == len(parts) - 1) for index, part in enumerate(parts))


def spellings(lines: Iterable[str]) -> dict[str, str]:
    """Return a table of exceptions from lines that spell a name each."""
    return {line.strip().casefold(): line.strip() for line in lines if line.strip() and not line.startswith("#")}


def _word(word: str, known: Mapping[str, str], *, is_last: bool) -> str:
    low = word.casefold() if word.isascii() else word.lower()
    if low in known:
        return known[low]
    if low in _SMALL and not is_last:
        return low
    if _ROMAN.fullmatch(low):
        return low.upper()
    return "".join(_piece(piece) for piece in _PARTS.split(low))


def _piece(piece: str) -> str:
    """Return the part of a word between apostrophes and dashes with its capitals."""
    if piece.startswith("mc") and len(piece) > 3:  # noqa: PLR2004 - Mc and a name
        return f"Mc{piece[2:].capitalize()}"
    if piece.startswith("mac") and len(piece) > 5 and piece not in _NO_MAC and piece[3] not in "aeiou":  # noqa: PLR2004
        return f"Mac{piece[3:].capitalize()}"
    return piece[:1].upper() + piece[1:]
