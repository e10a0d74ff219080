"""Of which kind a mark's text is."""

import re
from enum import StrEnum
from functools import lru_cache

from skarvin.core.texts.folding import UNSEEN, fold
from skarvin.core.texts.mark_grammar import DASHES, LETTER, LONGEST_MARK, Mark, read_mark, split_flag
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set


class Kind(StrEnum):
    """The kinds of marks."""

    POINTS = "points"
    PERCENT = "percent"
    LETTER = "letter"
    WORD = "word"
    STATUS = "status"
    TEXT = "text"
    ANSWER = "answer"
    DASH = "dash"
    BLANK = "blank"


GRADE_WORDS = frozenset(map(fold, phrase_set(WORDS.marks.grade)))
STATUS_WORDS = frozenset(map(fold, phrase_set(WORDS.marks.status)))
_LONG = 24
_ERROR = pattern(r"#[A-Z][A-Z0-9_/]{1,12}[!?]?|Err:\d{3}", re.IGNORECASE)
"""What a spreadsheet shows where it can't compute."""
_SHORT_CODE = 3
_SIGNS = DASHES | {"+"}
"""Levels may be signs: ++, +, +-; dashes alone may mean that there is no mark."""
_MARKS = frozenset({Kind.POINTS, Kind.PERCENT, Kind.LETTER, Kind.STATUS, Kind.DASH})


@lru_cache(maxsize=4096)
def kind_of_mark(text: str) -> Kind:
    """Return the kind of a mark's text; whether its comma is a decimal sign is left open."""
    bare = (text if text.isascii() else UNSEEN.sub("", text)).strip()
    if not bare:
        return Kind.BLANK
    if len(bare) > LONGEST_MARK:
        return Kind.TEXT
    if set(bare) <= DASHES:
        return Kind.DASH
    if set(bare) <= _SIGNS:
        return Kind.LETTER
    mark = _mark(bare) or _mark(_before_flag(bare))
    if mark:
        return Kind.PERCENT if mark.is_percent else Kind.POINTS
    return _kind_of_words(bare)


def may_be_mark(text: str) -> bool:
    """Tell whether a text may be a mark or a short code."""
    return len(text.strip()) <= _SHORT_CODE or kind_of_mark(text) in _MARKS


def says_a_mark_alone(text: str) -> bool:
    """Tell whether a text is a mark and nothing besides: no flag, no word but those that marks are given in."""
    if kind_of_mark(text) in {Kind.POINTS, Kind.PERCENT}:
        return _mark(text.strip()) is not None
    return kind_of_mark(text) in {Kind.LETTER, Kind.STATUS, Kind.DASH, Kind.BLANK} or fold(text) in GRADE_WORDS


def _mark(text: str) -> Mark | None:
    return read_mark(text) or read_mark(text, is_comma=True)


def _before_flag(text: str) -> str:
    flag = split_flag(text) or split_flag(text, is_comma=True)
    return flag[0] if flag else ""


def _kind_of_words(bare: str) -> Kind:
    if _ERROR.fullmatch(bare):
        return Kind.TEXT
    if fold(bare) in STATUS_WORDS:
        return Kind.STATUS
    if LETTER.fullmatch(bare):
        return Kind.LETTER
    is_word = fold(bare) in GRADE_WORDS or (bare.isalpha() and len(bare) <= _LONG)
    return Kind.WORD if is_word else Kind.TEXT
