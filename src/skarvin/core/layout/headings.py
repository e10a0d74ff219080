"""What stands in a heading besides words for a use: its title, its maximum, its key, what marks are in, decorations."""

import re
import unicodedata
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.texts.folding import fold
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_NUMBER = r"(\d{1,4}(?:[.,]\d{1,4})?)"
_PHRASES = WORDS.headings


def _any_of(text: str) -> str:
    """Return a pattern for any of some phrases, whose words may stand apart and end with a point or a colon."""
    longest = sorted(set(phrases(text)), key=lambda phrase: (-len(phrase), phrase))
    return "|".join(rf"{re.escape(word)}\.?:?".replace(r"\ ", r"\s+") for word in longest)


_UNIT = f"(?:{_any_of(_PHRASES.unit)})"
_POSSIBLE = f"(?:{_any_of(_PHRASES.maximum_row)})"
_STATED = rf"(?:(?:{_any_of(_PHRASES.maximum_before)}|/)\s*)?{_NUMBER}(?:\s*{_UNIT})?(?:\s+{_POSSIBLE})?"
"""A maximum as it stands in brackets."""
_TOLD = (
    rf"(?:(?:{_any_of(_PHRASES.maximum_before)}|/)\s*{_NUMBER}(?:\s*{_UNIT})?"
    rf"|{_NUMBER}\s*{_UNIT}(?:\s+{_POSSIBLE})?)"
)
"""The same where a word beside the number says so: wherever it stands."""
_MAXIMUM = re.compile(
    rf"""\s*(?:
        [(\[{{<]\s*{_STATED}\s*[)\]}}>]
      | [-–—,:|]?\s*\b(?:{_any_of(_PHRASES.maximum_alone)})\s*{_NUMBER}(?:\s*{_UNIT})?
      | \s?/\s?{_NUMBER}
      | [-–—,:|]\s*{_NUMBER}\s*{_UNIT}
      | \s+{_NUMBER}\s*(?:{_any_of(_PHRASES.unit_alone)})
    )\s*$""",
    re.IGNORECASE | re.VERBOSE,
)
_GROUP = re.compile(r"\s*[(\[{<]([^()\[\]{}<>]+)[)\]}>]")
_GROUP_MAXIMUM = re.compile(rf"\s*{_TOLD}\s*", re.IGNORECASE)
_MEASURE = re.compile(
    rf"\s*(?:[(\[{{<]\s*(?:(?P<percent>{_any_of(_PHRASES.percent)})|{_any_of(_PHRASES.measure)})\s*[)\]}}>]|\s(?P<sign>%))\s*$",
    re.IGNORECASE,
)
"""What marks are in, and nothing that tells one item from another."""
_KEY = r"(?:[A-Za-z]{0,6}[-_:#.]?\d{4,}|[A-Za-z]{1,6}[-_#]\d+|\#\d+|(?=[\w-]*\d)(?=[\w-]*[A-Za-z])[\w-]{5,})"
_KEY_BEHIND = re.compile(rf"\s*[(\[{{<|]\s*({_KEY})\s*[)\]}}>|]\s*$")
_KEY_BEFORE = re.compile(rf"^\s*(?:[(\[{{<|]\s*({_KEY})\s*[)\]}}>|]\s*[-:]?|({_KEY})\s*[:|]\s)\s*")
_NOT_COUNTED = re.compile(rf"\s*[(\[{{<]?\b(?:{_any_of(_PHRASES.not_counted)})(?!\w)[)\]}}>]?\s*", re.IGNORECASE)
_DECORATION = f"(?:{_any_of(_PHRASES.decoration)})"
_ENDING = re.compile(
    rf"\s*(?:[-–—:|]\s*(?:{_DECORATION}|{_any_of(_PHRASES.measure)})|[(\[{{<]\s*{_DECORATION}\s*[)\]}}>])\s*$",
    re.IGNORECASE,
)
_BEGINNING = re.compile(rf"^\s*[(\[{{<]\s*{_DECORATION}\s*[)\]}}>]\s*", re.IGNORECASE)
_PERCENT = Decimal(100)
_MAXIMUM_WORDS = phrase_set(WORDS.headings.maximum_row)
_ASK = "|".join(map(re.escape, sorted(phrase_set(_PHRASES.question), key=len, reverse=True)))
_REPLY = "|".join(map(re.escape, sorted(phrase_set(_PHRASES.answer), key=len, reverse=True)))
_QUESTION = re.compile(rf"\b(?:{_ASK}|{_REPLY})\s*\d+", re.IGNORECASE)
_ASKED = re.compile(
    rf"\s*(?:(?:{_REPLY})\s*\d+\s*(?:[:.)–-]\s*\S.*)?|(?:(?:{_ASK})\s*\d+\s*[:.)–-]|\d+\s*[.)])\s*\S.*\?)\s*",
    re.IGNORECASE | re.DOTALL,
)
"""A heading that is a question: 'Answer 3', 'Answer 3: Which plank ...', '3. Which plank ...?'."""
_ROUNDS = 5
_LETTERS = {"ł": "l", "Ł": "L", "ı": "i", "ø": "o", "Ø": "O", "đ": "d"}
"""Letters that no accent makes."""


class HeadingParts(NamedTuple):
    """What a heading says: the bare title, and whatever stands around it."""

    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True


@lru_cache(maxsize=4096)
def read_heading(heading: str) -> HeadingParts:
    """Return what a heading says: its key, its maximum and its decorations, wherever they stand.

    What marks are in, such as points, is no part of the title; percent are out of 100.
    """
    rest, out_of, key = unicodedata.normalize("NFC", heading.strip()), None, None
    counts = not _NOT_COUNTED.search(_flat(rest))
    rest = _without(rest, _NOT_COUNTED) or rest
    is_percent = False
    for _ in range(_ROUNDS):
        before = rest
        if out_of is None and (match := _MAXIMUM.search(_flat(rest))) and rest[: match.start()].strip():
            out_of, rest = _maximum(match, rest[: match.start()].strip(), rest)
        if key is None and (match := _KEY_BEHIND.search(rest)) and rest[: match.start()].strip():
            key, rest = match[1], rest[: match.start()].strip()
        if (match := _MEASURE.search(_flat(rest))) and rest[: match.start()].strip():
            rest = rest[: match.start()].strip()
            is_percent = is_percent or bool(match["percent"] or match["sign"])
        if (match := _ENDING.search(_flat(rest))) and rest[: match.start()].strip():
            rest = rest[: match.start()].strip()
        if (match := _BEGINNING.search(_flat(rest))) and rest[match.end() :].strip():
            rest = rest[match.end() :].strip()
        if rest == before:
            break
    for match in _GROUP.finditer(_flat(rest)):
        if out_of is None and (told := _GROUP_MAXIMUM.fullmatch(match[1])):
            out_of, rest = _maximum(told, f"{rest[: match.start()]} {rest[match.end() :]}".strip(), rest)
            break
    if key is None and (match := _KEY_BEFORE.search(rest)) and rest[match.end() :].strip():
        key, rest = match[1] or match[2], rest[match.end() :].strip()
    return HeadingParts(rest, _PERCENT if out_of is None and is_percent else out_of, key, counts)


def _flat(text: str) -> str:
    """Return a text without its accents, sign for sign."""
    return text if text.isascii() else "".join(map(_base, text))


@lru_cache(maxsize=1024)
def _base(sign: str) -> str:
    return _LETTERS.get(sign) or unicodedata.normalize("NFKD", sign)[0]


def _without(text: str, pattern: re.Pattern[str]) -> str:
    match = pattern.search(_flat(text))
    return f"{text[: match.start()]} {text[match.end() :]}".strip() if match else text


def _maximum(match: re.Match[str], rest: str, whole: str) -> tuple[Decimal | None, str]:
    """Return the maximum that was found and the heading without it; both as they were if it is zero."""
    number = Decimal(next(group for group in match.groups() if group).replace(",", "."))
    return (number, " ".join(rest.split())) if number else (None, whole)


def is_question(heading: str) -> bool:
    """Tell whether a heading is a question, with its number."""
    return _ASKED.fullmatch(heading) is not None


def is_question_number(heading: str) -> bool:
    """Tell whether the number of a question or an answer stands in a heading."""
    return _QUESTION.search(heading) is not None


def says_maximum(text: str) -> bool:
    """Tell whether a cell says that its row holds the maxima, and nothing else: Max may be a student."""
    words = fold(text).split()
    return bool(words) and all(word in _MAXIMUM_WORDS for word in words)
