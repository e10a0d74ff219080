"""Identifiers as they were before a spreadsheet had them, where that is certain."""

from collections.abc import Sequence

from skarvin.core.texts.folding import UNSEEN
from skarvin.core.texts.mark_grammar import in_ascii
from skarvin.core.texts.patterns import pattern

SPACES = pattern("[\u00a0\u2000-\u200a\u202f\u205f\u3000]")
AROUND = frozenset("='\u2018\u2019")
"""With one of these a text begins that a spreadsheet was made to keep as it is."""
_AS_TEXT = pattern(r"\s*(?:=\s*\"([^\"]*)\"|['\u2018\u2019](\w[^'\u2018\u2019]*))\s*")
"""How a spreadsheet is made to keep a number as a text: ="0123", or an apostrophe in front."""
_THOUSANDS = pattern(r"\d{1,3}(?:([.,'\u2019\u00a0\u202f ])\d{3})(?:\1\d{3})*")
POINT_ZERO = pattern(r"\s*(\d+)\.0+\s*")


def restore(text: str) -> tuple[str, tuple[str, ...]]:
    """Return an identifier as it was before a spreadsheet had it, and what was set right. Only what is certain is."""
    if text.isascii() and not text.rstrip().endswith("0") and text[:1] not in AROUND:
        return text, ()
    done = []
    if match := _AS_TEXT.fullmatch(text):
        text = match[1] or match[2]
        done.append("a spreadsheet's characters around it removed")
    if not text.isascii():
        plain = SPACES.sub(" ", UNSEEN.sub("", text))
        if plain.strip() != text.strip() or UNSEEN.search(text):
            done.append("invisible characters removed")
        text = in_ascii(plain)
        if text != plain:
            done.append("wide characters or digits of another script read as plain ones")
    if match := POINT_ZERO.fullmatch(text):
        text = match[1]
        done.append("a trailing .0 removed")
    return text, tuple(done)


def thousands_sign(texts: Sequence[str]) -> str:
    """Return the sign that a spreadsheet put between the thousands of every long number of a column; blank if none did.

    Args:
        texts: the identifiers of the column.
    """
    bare = [text.strip() for text in texts if text.strip()]
    matches = [_THOUSANDS.fullmatch(text) for text in bare]
    signs = {match[1] for match in matches if match}
    rest = [text for text, match in zip(bare, matches, strict=True) if not match]
    is_plain = all(text.isdecimal() and len(text) < _LONG for text in rest)
    if signs == {"."} and not any(text.count(".") > 1 for text in bare):
        return ""  # 101.001 may be the first of class 101
    return signs.pop() if len(signs) == 1 and is_plain and len(bare) - len(rest) > 1 else ""


_LONG = 4
"""A number of so many digits would have a sign between its thousands, too."""
