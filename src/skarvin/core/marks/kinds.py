"""Of which kind a mark's text is."""

import re
from enum import StrEnum
from functools import lru_cache

from skarvin.core.layout.mark_words import GRADE_WORDS, STATUS_WORDS
from skarvin.core.marks.reading import DASHES, Mark, fold_word, read_mark, split_flag


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


_LETTER = re.compile(r"[A-Fa-f][+-]?")
_LONG = 24


@lru_cache(maxsize=4096)
def kind_of_mark(text: str) -> Kind:
    """Return the kind of a mark's text; whether its comma is a decimal sign is left open."""
    bare = text.strip()
    if not bare:
        return Kind.BLANK
    if set(bare) <= DASHES:
        return Kind.DASH
    mark = _mark(bare) or _mark(_before_flag(bare))
    if mark:
        return Kind.PERCENT if mark.is_percent else Kind.POINTS
    return _kind_of_words(bare)


def _mark(text: str) -> Mark | None:
    return read_mark(text) or read_mark(text, is_comma=True)


def _before_flag(text: str) -> str:
    flag = split_flag(text) or split_flag(text, is_comma=True)
    return flag[0] if flag else ""


def _kind_of_words(bare: str) -> Kind:
    if fold_word(bare) in STATUS_WORDS:
        return Kind.STATUS
    if _LETTER.fullmatch(bare):
        return Kind.LETTER
    is_word = fold_word(bare) in GRADE_WORDS or (bare.isalpha() and len(bare) <= _LONG)
    return Kind.WORD if is_word else Kind.TEXT
