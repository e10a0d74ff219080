"""What a heading says by itself: its title, its maximum, its key, and the words in it that give a column away."""

import re
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.layout.columns import Use
from skarvin.core.texts.folding import fold
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_NUMBER = r"(\d{1,4}(?:[.,]\d{1,4})?)"
_PHRASES = WORDS.headings


def _any_of(text: str) -> str:
    """Return a pattern for any of some phrases, whose words may stand apart and end with a point or a colon."""
    return "|".join(rf"{re.escape(word)}\.?:?".replace(r"\ ", r"\s+") for word in phrases(text))


_UNIT = f"(?:{_any_of(_PHRASES.unit)})"
_MAXIMUM = re.compile(
    rf"""\s*(?:
        [(\[{{]\s*(?:{_any_of(_PHRASES.maximum_before)}|/)?\s*{_NUMBER}\s*{_UNIT}?\s*[)\]}}]
      | [-–,:]?\s*\b(?:{_any_of(_PHRASES.maximum_alone)})\s*{_NUMBER}\s*{_UNIT}?
      | \s/\s?{_NUMBER}
      | [-–,:]\s*{_NUMBER}\s*{_UNIT}
      | \s+{_NUMBER}\s*(?:{_any_of(_PHRASES.unit_alone)})
    )\s*$""",
    re.IGNORECASE | re.VERBOSE,
)
_MEASURE = re.compile(
    rf"\s*(?:[(\[]\s*(?:(?P<percent>{_any_of(_PHRASES.percent)})|{_any_of(_PHRASES.measure)})\s*[)\]]|\s(?P<sign>%))\s*$",
    re.IGNORECASE,
)
"""What marks are in, and nothing that tells one item from another."""
_KEY = r"(?:[A-Za-z]{0,6}[-_:#.]?\d{4,}|[A-Za-z]{1,6}[-_#]\d+|\#\d+|(?=[\w-]*\d)(?=[\w-]*[A-Za-z])[\w-]{5,})"
_KEY_BEHIND = re.compile(rf"\s*[(\[{{<|]\s*({_KEY})\s*[)\]}}>|]\s*$")
_KEY_BEFORE = re.compile(rf"^\s*(?:[(\[{{<|]\s*({_KEY})\s*[)\]}}>|]\s*[-:]?|({_KEY})\s*[:|]\s)\s*")
_NOT_COUNTED = re.compile(rf"\s*[(\[{{]?\b(?:{_any_of(_PHRASES.not_counted)})\b[)\]}}]?\s*", re.IGNORECASE)
_WORDS = {Use(use): phrases(text) for use, text in WORDS.columns.items()}
"""The first use of which a phrase stands in the heading is taken, so the narrower ones come first."""
_PERCENT = Decimal(100)
_MAXIMUM_WORDS = phrase_set(WORDS.headings.maximum_row)


class HeadingParts(NamedTuple):
    """What a heading says: the bare title, and whatever stands around it."""

    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True


def read_heading(heading: str) -> HeadingParts:
    """Return what a heading says. A key may stand before or behind the title, a maximum behind it, in any order.

    What marks are in, such as points, is no part of the title; percent are out of 100.
    """
    rest, out_of, key = heading.strip(), None, None
    counts = not _NOT_COUNTED.search(rest)
    rest = _NOT_COUNTED.sub(" ", rest).strip() or rest
    is_percent = False
    for _ in range(3):
        if out_of is None and (match := _MAXIMUM.search(rest)) and rest[: match.start()].strip():
            number = Decimal(next(group for group in match.groups() if group).replace(",", "."))
            if number:
                out_of, rest = number, rest[: match.start()].strip()
        if key is None and (match := _KEY_BEHIND.search(rest)) and rest[: match.start()].strip():
            key, rest = match[1], rest[: match.start()].strip()
        if (match := _MEASURE.search(rest)) and rest[: match.start()].strip():
            rest = rest[: match.start()].strip()
            is_percent = is_percent or bool(match["percent"] or match["sign"])
    if key is None and (match := _KEY_BEFORE.search(rest)) and rest[match.end() :].strip():
        key, rest = match[1] or match[2], rest[match.end() :].strip()
    return HeadingParts(rest, _PERCENT if out_of is None and is_percent else out_of, key, counts)


def use_in_words(heading: str) -> tuple[Use, str] | None:
    """Return the use that the heading's words give away, and those words."""
    folded = f" {fold(heading)} "
    for use, known in _WORDS.items():
        for phrase in known:
            if f" {phrase} " in folded:
                return use, phrase
    return None


def says_maximum(text: str) -> bool:
    """Tell whether a cell says that its row holds the maxima, and nothing else: Max may be a student."""
    words = fold(text).split()
    return bool(words) and all(word in _MAXIMUM_WORDS for word in words)
