"""Texts in the forms in which they are compared."""

import re
import unicodedata
from functools import lru_cache

from skarvin.core.texts.patterns import pattern

UNSEEN = pattern("[\u00ad\u061c\u180e\u200b-\u200f\u202a-\u202e\u2060-\u2069\ufeff]")
"""Characters that nobody sees: soft hyphens, joiners, marks of direction."""
_GRADE = pattern(r"([a-f])\s*([+\-\u2010-\u2015\u2212])")
_LEVEL = pattern(r"[+\-\u2010-\u2015\u2212](?:\s?[+\-\u2010-\u2015\u2212]){0,4}")
_DASH = pattern("[\u2010-\u2015\u2212]")
_LETTERS = str.maketrans({"ł": "l", "ø": "o", "đ": "d", "ı": "i", "æ": "ae", "œ": "oe", "№": " no ", "º": "", "°": ""})
"""Letters that no accent makes, as they stand once they are small; the signs behind a number's n."""


@lru_cache(maxsize=8192)
def fold(text: str) -> str:
    """Return a heading in the form in which headings are compared: words in small letters, no accents or signs."""
    plain = text.replace("&", " and ").casefold()
    if plain.isascii():
        return " ".join(re.findall(r"[^\W_]+", plain))
    plain = unicodedata.normalize("NFKD", plain.translate(_LETTERS))
    kept = "".join(map(_in_words, plain))
    return " ".join(unicodedata.normalize("NFC", kept).split())  # Korean syllables are whole again


@lru_cache(maxsize=4096)
def _in_words(sign: str) -> str:
    """Return a sign as it stands in a folded text: nothing for an accent, a blank for what is in no word.

    Signs that are vowels, as in Thai, stay.
    """
    if unicodedata.combining(sign):
        return ""
    return sign if sign.isalnum() or unicodedata.category(sign).startswith("M") else " "


def fold_word(text: str) -> str:
    """Return a word, a status or a flag as such words are compared; 'B \u2212' is 'b-', '\u2212 \u2212' is '--'."""
    if text.isascii() and text[-1:] not in {"+", "-", " "}:
        return " ".join(text.split()).casefold()
    word = " ".join(UNSEEN.sub("", text).split()).casefold()
    if _LEVEL.fullmatch(word):
        return _DASH.sub("-", word).replace(" ", "")
    grade = _GRADE.fullmatch(word)
    return word if grade is None else grade[1] + ("+" if grade[2] == "+" else "-")
