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
_IN_BRACKETS = rf"(?:(?:{_any_of(_PHRASES.maximum_before)}|/)\s*)?{_NUMBER}(?:\s*{_UNIT})?(?:\s+{_POSSIBLE})?"
"""A maximum as it stands in brackets."""
_TOLD = (
    rf"(?:(?:{_any_of(_PHRASES.maximum_before)}|/)\s*{_NUMBER}(?:\s*{_UNIT})?"
    rf"|{_NUMBER}\s*{_UNIT}(?:\s+{_POSSIBLE})?)"
)
"""The same where a word beside the number says so: wherever it stands."""
_MAXIMUM = re.compile(
    rf"""\s*(?:
        [(\[{{<]\s*{_IN_BRACKETS}\s*[)\]}}>]
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
_KINDS = phrase_set(WORDS.columns["item"]) - phrase_set(_PHRASES.measure) - phrase_set(_PHRASES.unit)
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
_LARGEST = 1000
"""A larger number is a key."""
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
    whole = unicodedata.normalize("NFC", heading.strip())
    kind = _kind_behind(whole)
    found = _read_parts(whole[: len(whole) - len(kind)].rstrip() if kind else whole)
    return found._replace(title=f"{found.title} {kind}") if kind else found


def _kind_behind(heading: str) -> str:
    """Return the words for a kind of work that stand in brackets at the end: 'Safety check /15 (exercise)'."""
    groups = list(_GROUP.finditer(_flat(heading)))
    if not groups or groups[-1].end() != len(heading) or not heading[: groups[-1].start()].strip():
        return ""
    words = groups[-1][1].split()
    return heading[groups[-1].start() :].strip() if words and all(fold(word) in _KINDS for word in words) else ""


def _read_parts(whole: str) -> HeadingParts:
    counts = not _NOT_COUNTED.search(_flat(whole))
    found = HeadingParts(_without(whole, _NOT_COUNTED) or whole, counts=counts)
    is_percent = False
    for _ in range(_ROUNDS):
        before = found.title
        found = _with_key(_with_maximum(found))
        rest, percent = _without_measure(found.title)
        is_percent = is_percent or percent
        found = found._replace(title=_undecorated(rest))
        if found.title == before:
            break
    found = _with_key_before(_with_maximum_inside(found))
    return found._replace(out_of=_PERCENT) if found.out_of is None and is_percent else found


def _with_maximum(found: HeadingParts) -> HeadingParts:
    """Take the maximum off the end."""
    match = _MAXIMUM.search(_flat(found.title))
    if found.out_of is not None or not match or not found.title[: match.start()].strip():
        return found
    return _stated(found, match, found.title[: match.start()])


def _with_maximum_inside(found: HeadingParts) -> HeadingParts:
    """Take a maximum out of brackets that stand anywhere, if a word beside it says what it is."""
    for match in _GROUP.finditer(_flat(found.title)):
        if found.out_of is None and (told := _GROUP_MAXIMUM.fullmatch(match[1])):
            return _stated(found, told, f"{found.title[: match.start()]} {found.title[match.end() :]}")
    return found


def _stated(found: HeadingParts, match: re.Match[str], rest: str) -> HeadingParts:
    """Return a heading with the maximum that was found and without its words; as it was if it can't be one."""
    number = Decimal(next(group for group in match.groups() if group).replace(",", "."))
    if not 0 < number <= _LARGEST or not rest.strip():
        return found
    return found._replace(title=" ".join(rest.split()), out_of=number)


def _with_key(found: HeadingParts) -> HeadingParts:
    match = _KEY_BEHIND.search(found.title)
    if found.key is not None or not match or not found.title[: match.start()].strip():
        return found
    return found._replace(title=found.title[: match.start()].strip(), key=match[1])


def _with_key_before(found: HeadingParts) -> HeadingParts:
    match = _KEY_BEFORE.search(found.title)
    if found.key is not None or not match or not found.title[match.end() :].strip():
        return found
    return found._replace(title=found.title[match.end() :].strip(), key=match[1] or match[2])


def _without_measure(rest: str) -> tuple[str, bool]:
    """Return a title without what its marks are in, and whether that is percent."""
    match = _MEASURE.search(_flat(rest))
    if not match or not rest[: match.start()].strip():
        return rest, False
    return rest[: match.start()].strip(), bool(match["percent"] or match["sign"])


def _undecorated(rest: str) -> str:
    """Return a title without decorations at its end and its beginning."""
    if (match := _ENDING.search(_flat(rest))) and rest[: match.start()].strip():
        rest = rest[: match.start()].strip()
    if (match := _BEGINNING.search(_flat(rest))) and rest[match.end() :].strip():
        rest = rest[match.end() :].strip()
    return rest


def _flat(text: str) -> str:
    """Return a text without its accents, sign for sign."""
    return text if text.isascii() else "".join(map(_base, text))


@lru_cache(maxsize=1024)
def _base(sign: str) -> str:
    return _LETTERS.get(sign) or unicodedata.normalize("NFKD", sign)[0]


def _without(text: str, pattern: re.Pattern[str]) -> str:
    match = pattern.search(_flat(text))
    return f"{text[: match.start()]} {text[match.end() :]}".strip() if match else text


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
