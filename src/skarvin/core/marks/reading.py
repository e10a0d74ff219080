"""What a mark's text says: a number, maybe out of a maximum of its own or in percent; or nothing that is certain."""

import re
from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.numbers import plain, read_number

_OUT_OF = re.compile(r"(\S+)\s*(?:/|out\s+of)\s*(\S+)", re.IGNORECASE)
_PERCENT = re.compile(r"(\S+)\s*%")
_MIXED = re.compile(r"(\d{1,6})\s+(\d{1,4})/(\d{1,4})|(\d{0,6})([½¼¾⅛⅜⅝⅞⅕⅖⅗⅘])")
_SIGNS = {"½": (1, 2), "¼": (1, 4), "¾": (3, 4), "⅛": (1, 8), "⅜": (3, 8), "⅝": (5, 8), "⅞": (7, 8)}
_SIGNS |= {"⅕": (1, 5), "⅖": (2, 5), "⅗": (3, 5), "⅘": (4, 5)}
_SLIPS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1", "S": "5"})
_COMMA = re.compile(r"[-+]?\d{1,30},\d{1,30}")


class Mark(NamedTuple):
    """A mark that was read: its number, and the maximum that it states itself (100 for a percent)."""

    number: Decimal
    out_of: Decimal | None = None
    is_percent: bool = False


def read_mark(text: str, *, is_comma: bool = False) -> Mark | None:
    """Return what a text says, or None if it isn't certain.

    Args:
        text: a mark as it was written.
        is_comma: whether the comma is the item's decimal sign; that is decided for the whole item, never for one cell.
    """
    bare = text.strip()
    number = _number(bare, is_comma=is_comma)
    if number is not None:
        return Mark(number)
    if match := _PERCENT.fullmatch(bare):
        number = _number(match[1], is_comma=is_comma)
        return None if number is None else Mark(number, Decimal(100), is_percent=True)
    if match := _MIXED.fullmatch(bare):
        return _mixed(match)
    if match := _OUT_OF.fullmatch(bare):
        number, out_of = (_number(part, is_comma=is_comma) for part in match.groups())
        return Mark(number, out_of) if number is not None and out_of else None
    return None


def likely(text: str, *, is_comma: bool = False) -> str:
    """Return what a text that can't be read may have meant, as a suggestion; blank if there is none."""
    bare = text.strip()
    if not is_comma and _COMMA.fullmatch(bare):
        return f"perhaps {bare.replace(',', '.')}, if the comma is its decimal sign"
    mended = bare.translate(_SLIPS)
    number = read_number(mended)
    return f"perhaps {plain(number)}" if mended != bare and number is not None else ""


def decimal_comma(texts: dict[str, int]) -> int:
    """Return how many of an item's marks speak for a decimal comma; 0 if it is not certain that it is one.

    Args:
        texts: the item's distinct texts, and how often each stands there.
    """
    bare = {text.strip().rstrip("% "): count for text, count in texts.items()}
    commas = {text: count for text, count in bare.items() if _COMMA.fullmatch(text)}
    has_point = any("." in text and read_number(text) is not None for text in bare)
    is_thousands = all(len(text.split(",")[1]) == 3 for text in commas)  # noqa: PLR2004 - 1,500 may be either
    return 0 if has_point or is_thousands else sum(commas.values())


def _number(text: str, *, is_comma: bool) -> Decimal | None:
    if not is_comma:
        return read_number(text)
    return None if "." in text else read_number(text.replace(",", ".", 1))


def _mixed(match: re.Match[str]) -> Mark | None:
    """Return the number that a whole and a fraction make, if it ends as a decimal."""
    top, bottom = _SIGNS[match[5]] if match[5] else (int(match[2]), int(match[3]))
    if not bottom or top >= bottom:
        return None
    exact = int(match[1] or match[4] or 0) + Fraction(top, bottom)
    rest = exact.denominator
    for prime in (2, 5):
        while rest % prime == 0:
            rest //= prime
    return Mark(Decimal(exact.numerator) / Decimal(exact.denominator)) if rest == 1 else None
