"""What a heading says by itself: its title, its maximum, its key, and the words in it that give a column away."""

import re
import unicodedata
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.layout.columns import Use

_NUMBER = r"(\d{1,4}(?:[.,]\d{1,4})?)"
_UNIT = r"(?:points?|pts?\.?|marks?|punkte|p\.?)"
_LEAD = r"(?:out\s+of|of|max(?:imum)?\.?:?|worth|/)"
_MAXIMUM = re.compile(
    rf"""\s*(?:
        [(\[{{]\s*{_LEAD}?\s*{_NUMBER}\s*{_UNIT}?\s*[)\]}}]
      | [-–,:]?\s*\b(?:out\s+of|max(?:imum)?\.?:?|worth)\s*{_NUMBER}\s*{_UNIT}?
      | \s/\s?{_NUMBER}
      | [-–,:]\s*{_NUMBER}\s*{_UNIT}
      | \s+{_NUMBER}\s*(?:points?|pts?\.?)
    )\s*$""",
    re.IGNORECASE | re.VERBOSE,
)
_MEASURE = re.compile(
    r"\s*(?:[(\[]\s*(?:(?P<percent>percent(?:age)?|%)|points?|pts\.?|marks?|scores?|grades?|letters?)\s*[)\]]|\s(?P<sign>%))\s*$",
    re.IGNORECASE,
)
"""What marks are in, and nothing that tells one item from another."""
_KEY = r"(?:[A-Za-z]{0,6}[-_:#.]?\d{4,}|[A-Za-z]{1,6}[-_#]\d+|\#\d+|(?=[\w-]*\d)(?=[\w-]*[A-Za-z])[\w-]{5,})"
_KEY_BEHIND = re.compile(rf"\s*[(\[{{<|]\s*({_KEY})\s*[)\]}}>|]\s*$")
_KEY_BEFORE = re.compile(rf"^\s*(?:[(\[{{<|]\s*({_KEY})\s*[)\]}}>|]\s*[-:]?|({_KEY})\s*[:|]\s)\s*")
_NOT_COUNTED = re.compile(
    r"\s*[(\[{]?\b(?:(?:does\s+)?not\s+count(?:ed|ing)?|doesn't\s+count|ungraded|no\s+marks?|not\s+included)\b[)\]}]?\s*",
    re.IGNORECASE,
)

# The first use whose words all stand in the heading is taken, so the narrower ones come first.
_WORDS: dict[Use, tuple[str, ...]] = {
    Use.EMAIL: ("email", "e mail", "mail", "address"),
    Use.BIRTH: ("birth", "born", "birthday"),
    Use.LEAVING: ("leaving year", "year of leaving", "leaves in", "graduation year"),
    Use.USERNAME: ("username", "user name", "login", "sign in name"),
    Use.HOUSEKEEPING: (
        "last access", "last accessed", "last active", "last visit", "last seen", "last login",
        "availability", "department", "status", "role", "language", "started",
        "completed", "time taken", "submitted", "state", "exported", "difficulty", "discrimination", "facility",
        "statistics",
    ),
    Use.COMMENT: ("comment", "comments", "remark", "remarks", "feedback", "note", "notes"),
    Use.RESULT: ("right or wrong", "correct", "score for", "points for", "result"),
    Use.TOTAL: ("total", "average", "mean", "rank", "sum", "overall", "final mark", "percentile"),
    Use.FAMILY: ("family", "surname", "last name", "lastname"),
    Use.GIVEN: ("given", "forename", "first name", "firstname"),
    Use.NUMBER: (
        "no", "number", "nr", "student id", "learner id", "apprentice id", "matriculation", "enrolment id", "roll",
    ),
    Use.ANSWER: ("answer", "response"),
    Use.SECTION: ("section", "class", "group", "crew", "cohort", "stream", "set", "team"),
    Use.KEY: ("id", "key", "ref"),
    Use.NAME: ("name", "student", "apprentice", "learner", "participant", "candidate"),
}  # fmt: skip
_PERCENT = Decimal(100)
_MAXIMUM_WORDS = frozenset(
    {"out", "of", "max", "maximum", "maxima", "possible", "highest", "worth", "points", "marks", "mark", "full"}
)


class Said(NamedTuple):
    """What a heading says: the bare title, and whatever stands around it."""

    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True


def read_heading(heading: str) -> Said:
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
    return Said(rest, _PERCENT if out_of is None and is_percent else out_of, key, counts)


@lru_cache(maxsize=4096)
def fold(text: str) -> str:
    """Return a heading in the form in which headings are compared: words in small letters, no accents or signs."""
    plain = unicodedata.normalize("NFKD", text.replace("&", " and ").casefold())
    kept = "".join(sign for sign in plain if not unicodedata.combining(sign))
    return " ".join(re.findall(r"[^\W_]+", kept))


def use_in_words(heading: str) -> tuple[Use, str] | None:
    """Return the use that the heading's words give away, and those words."""
    folded = f" {fold(heading)} "
    for use, phrases in _WORDS.items():
        for phrase in phrases:
            if f" {phrase} " in folded:
                return use, phrase
    return None


def says_maximum(text: str) -> bool:
    """Tell whether a cell says that its row holds the maxima, and nothing else: Max may be a student."""
    said = fold(text).split()
    return bool(said) and all(word in _MAXIMUM_WORDS for word in said)
