"""Of which kind a mark's text is: for showing what an item holds, not yet for converting it."""

import re
from enum import StrEnum

from skarvin.core.marks.numbers import read_number


class Kind(StrEnum):
    """The kinds of marks."""

    POINTS = "points"
    PERCENT = "percent"
    LETTER = "letter"
    WORD = "word"
    STATUS = "status"
    TEXT = "text"
    ANSWER = "answer"
    BLANK = "blank"


_PERCENT = re.compile(r"[-+]?\d+(?:[.,]\d+)?\s*%")
_POINTS = re.compile(r"[-+]?\d+(?:[.,]\d+)?(?:\s*/\s*\d+(?:[.,]\d+)?)?")
_LETTER = re.compile(r"[A-Fa-f][+-]?")
_WORDS = frozenset(
    {"pass", "fail", "passed", "failed", "merit", "distinction", "credit", "satisfactory", "good", "excellent"}
)
_STATUSES = frozenset(
    {"absent", "exempt", "excused", "incomplete", "late", "missing", "not handed in", "pending", "-", "–", "—"}
)
_LONG = 24


def kind_of_mark(text: str) -> Kind:
    """Return the kind of a mark's text."""
    bare = text.strip()
    if not bare:
        return Kind.BLANK
    if read_number(bare) is not None or _POINTS.fullmatch(bare):
        return Kind.POINTS
    return Kind.PERCENT if _PERCENT.fullmatch(bare) else _kind_of_words(bare)


def _kind_of_words(bare: str) -> Kind:
    if bare.casefold() in _STATUSES:
        return Kind.STATUS
    if _LETTER.fullmatch(bare):
        return Kind.LETTER
    is_word = bare.casefold() in _WORDS or (bare.isalpha() and len(bare) <= _LONG)
    return Kind.WORD if is_word else Kind.TEXT
