"""Of which kind a mark's text is."""

import re
from enum import StrEnum
from functools import lru_cache

from skarvin.core.layout.mark_words import GRADE_WORDS, STATUS_WORDS
from skarvin.core.marks.reading import DASHES, fold_word, read_mark, split_flag


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
    for is_comma in (False, True):
        flag = split_flag(bare, is_comma=is_comma)
        mark = read_mark(flag[0] if flag else bare, is_comma=is_comma)
        if mark is not None:
            return Kind.PERCENT if mark.is_percent else Kind.POINTS
    return _kind_of_words(bare)


def _kind_of_words(bare: str) -> Kind:
    if fold_word(bare) in STATUS_WORDS:
        return Kind.STATUS
    if _LETTER.fullmatch(bare):
        return Kind.LETTER
    is_word = fold_word(bare) in GRADE_WORDS or (bare.isalpha() and len(bare) <= _LONG)
    return Kind.WORD if is_word else Kind.TEXT
