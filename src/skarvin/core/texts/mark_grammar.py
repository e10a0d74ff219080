"""What a mark's text says: a number, maybe out of a maximum of its own or in percent; or nothing that is certain."""

import re
import unicodedata
from decimal import Decimal
from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.texts.folding import UNSEEN, fold
from skarvin.core.texts.numbers import Number, plain, read_number, shortest
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set, phrases

LETTER = pattern(r"[A-Fa-f](?:\s?[+\-\u2010-\u2015\u2212])?")
"""A grade that is a letter."""
DASHES = frozenset("-‐‑‒–—−－")
"""Signs that stand where there is no mark."""
_BETWEEN = "|".join(re.escape(phrase).replace(r"\ ", r"\s+") for phrase in phrases(WORDS.marks.out_of))
_OUT_OF = pattern(rf"(\S+?)(?:\s*/\s*|\s+(?:{_BETWEEN})\s+)(\S+)", re.IGNORECASE)
_PERCENT = pattern(r"(\S+)\s*%")
_MIXED = pattern(r"(\d{1,6})\s+(\d{1,6})/(\d{1,6})|(\d{0,6})\s*([½¼¾⅓⅔⅛⅜⅝⅞⅕⅖⅗⅘])")
_SIGNS = {"½": (1, 2), "¼": (1, 4), "¾": (3, 4), "⅓": (1, 3), "⅔": (2, 3), "⅛": (1, 8), "⅜": (3, 8), "⅝": (5, 8)}
_SIGNS |= {"⅞": (7, 8), "⅕": (1, 5), "⅖": (2, 5), "⅗": (3, 5), "⅘": (4, 5)}
_SLIPS = str.maketrans({"O": "0", "o": "0", "l": "1", "I": "1"})
_COMMA = pattern(r"[-+]?\d{1,30},\d{1,30}")
_THOUSANDS = pattern(r"\d{1,3}(?:[ .,'’\u00a0\u202f]\d{3})+")
_GROUPED = pattern(r"(?<![\d.,])\d{1,3}(?:([ .,'’\u00a0\u202f])\d{3})(?:\1\d{3})*(?![\d.,])")
_MONTH_NAMES = phrases(WORDS.marks.months) + phrases(WORDS.marks.months_short)
MONTHS = {name: place % 12 + 1 for place, name in enumerate(_MONTH_NAMES)}
MONTHS |= {
    name: next(number for month, number in MONTHS.items() if month.startswith(name))
    for name in phrases(WORDS.marks.months_other)
}
_DATE = pattern(
    r"(?:\d{4}[-./])?(?:0?[1-9]|[12]\d|3[01])[-./](?:0?[1-9]|[12]\d|3[01])(?:[-./](?:\d{2}|\d{4}))?"
    r"|\d{1,2}[-. /]{1,2}([^\W\d_]+)(?:[-. /]{1,2}\d{2,4})?|([^\W\d_]+)[- .]\d{1,4}"
)
"""A date; a word in it must be a month's name."""
_DAY_AND_MONTH = pattern(r"(\d{1,2})[-. ]([^\W\d_]+)")
_LONGEST = 40
_FLAGS = phrase_set(WORDS.marks.flag)
_IN_FRONT = pattern(r"([^\w\s.,/%+\-\u2010-\u2015\u2212'\"()=@]{1,3}|[^\W\d_]{2,16}[.:]?)\s*(?=[\d.,])(.+)")
"""A flag before a mark: a sign, or one of the words that are known for flags."""
_ONE_SIGN = pattern(r"[-+]?\d{1,3}[.,]\d{3}")
_TWO_SIGNS = pattern(r"[-+]?\d+[.,]\d+[.,]\d+")


_WIDE, _WIDER = range(0xFF01, 0xFF5F), 0xFF01 - ord("!")
"""The signs of ASCII, as wide as Chinese characters."""
_OTHER_SIGNS = {"\u066a": "%", "\u066b": ".", "\u3000": " "}
"""The percent sign and the decimal sign that stand among Arabic digits, and a wide blank."""


class Mark(NamedTuple):
    """A mark that was read: its number, and the maximum that it states itself (100 for a percent)."""

    number: Number
    out_of: Decimal | None = None
    is_percent: bool = False


LONGEST_MARK = 500
"""A longer text is a remark, whatever it begins with."""


@lru_cache(maxsize=1 << 11)
def is_no_mark(text: str) -> bool:
    """Tell whether a cell holds no mark: nothing, or a dash."""
    return set(text.strip()) <= DASHES


def read_mark(text: str, *, is_comma: bool = False) -> Mark | None:
    """Return what a text says, or None if it isn't certain.

    Args:
        text: a mark as it was written.
        is_comma: whether the comma is the item's decimal sign; that is decided for the whole item, never for one cell.
    """
    bare = in_ascii(text).strip()
    if bare.startswith("+") or len(bare) > LONGEST_MARK:
        return None  # a plus sign may be a bonus, a grade or a slip
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
        return Mark(number, out_of) if number is not None and out_of and out_of > 0 else None
    return None


def same_mark(first: str, second: str) -> bool:
    """Tell whether two texts are one mark, however its decimals are written."""
    if first.strip() == second.strip():
        return True
    marks = [read_mark(text) or read_mark(text, is_comma=True) for text in (first, second)]
    return None not in marks and len({(mark.number, mark.out_of) for mark in marks if mark}) == 1


def _seen(text: str) -> str:
    """Return a text without characters that nobody sees."""
    return text if text.isascii() else UNSEEN.sub("", text)


def in_ascii(text: str) -> str:
    """Return what is seen of a text with its digits, whatever script they are of, and its wide signs as plain ones."""
    return text if text.isascii() else "".join(map(_plain_sign, _seen(text)))


@lru_cache(maxsize=1 << 10)
def _plain_sign(sign: str) -> str:
    digit = unicodedata.decimal(sign, None)
    if digit is not None:
        return str(digit)
    return chr(ord(sign) - _WIDER) if ord(sign) in _WIDE else _OTHER_SIGNS.get(sign, sign)


def may_be_thousands(text: str) -> bool:
    """Tell whether a number with one sign and three digits behind it may be a decimal, or thousands: 1,500."""
    return _ONE_SIGN.fullmatch(in_ascii(text).strip().rstrip("% ")) is not None


def without_thousands(text: str) -> str:
    """Return a text without the signs between the thousands of its numbers: 1.500 as 1500."""
    return _GROUPED.sub(lambda match: re.sub(r"\D", "", match[0]), text)


def split_flag(text: str, *, is_comma: bool = False) -> tuple[str, str] | None:
    """Return a mark and the flag or note behind it ('18*', '18 late') or before it ('*18'); None if there is none."""
    bare = _seen(text).strip()
    if len(bare) > LONGEST_MARK:
        return None
    mended = bare.translate(_SLIPS)
    if not any(map(str.isdigit, bare[:_LONGEST])) or read_number(mended) is not None or _is_read(mended):
        return None
    if _is_date(bare):
        return None
    for end in range(min(len(bare) - 1, _LONGEST), 0, -1):
        head, tail = bare[:end], bare[end:].strip()
        if any(map(str.isnumeric, tail)) and not bare[end].isspace():
            continue  # 7½ and 7² are not 7 with a flag
        if _MIXED.search(tail) or tail[0].isnumeric():
            continue
        is_apart = bare[end].isspace() or not any(sign.isdigit() for sign in tail)
        is_flag = is_apart and not tail[0].isdigit() and tail[0] not in ".,/%-–+:"
        if is_flag and read_mark(head, is_comma=is_comma) is not None:
            return head.strip(), tail
    return _flag_before(bare, is_comma=is_comma)


def _flag_before(bare: str, *, is_comma: bool) -> tuple[str, str] | None:
    match = _IN_FRONT.fullmatch(bare)
    if not match or (match[1][0].isalpha() and fold(match[1]) not in _FLAGS):
        return None
    return (match[2], match[1]) if read_mark(match[2], is_comma=is_comma) is not None else None


def is_mark(text: str) -> bool:
    """Tell whether a text by itself looks like a mark: a number, percent, fraction or letter, maybe with a flag.

    Whether the comma is the decimal sign is left open; a plus sign in front is a slip, and a word behind is no flag
    unless it is known for one.
    """
    bare = _seen(text).strip().removeprefix("+")
    if LETTER.fullmatch(bare) or _is_read(bare):
        return True
    flag = split_flag(bare) or split_flag(bare, is_comma=True)
    return flag is not None and (len(flag[1]) == 1 or fold(flag[1]) in _FLAGS)


def _is_read(bare: str) -> bool:
    return (read_mark(bare) or read_mark(bare, is_comma=True)) is not None


def likely(text: str, *, is_comma: bool = False) -> str:
    """Return what a text that can't be read may have meant, as a suggestion; blank if there is none."""
    bare = text.strip()
    if not is_comma and _COMMA.fullmatch(bare) and not _THOUSANDS.fullmatch(bare):
        return f"perhaps {bare.replace(',', '.')}, if the comma is its decimal separator"
    if is_comma and read_number(bare) is not None:
        return f"perhaps {bare}; its item's decimal separator is the comma"
    if _THOUSANDS.fullmatch(bare):
        return f"perhaps {re.sub(r'[^0-9]', '', bare)} with a thousands separator"
    if _is_date(bare):
        return _likely_date(_plain(bare))
    if _TWO_SIGNS.fullmatch(bare):
        return "two decimal separators"
    mended = bare.translate(_SLIPS).removeprefix("+")
    number = read_number(mended)
    is_slip = mended != bare and (number is not None or read_mark(mended, is_comma=is_comma) is not None)
    return f"perhaps {mended if number is None else plain(number)}" if is_slip else ""


def _is_date(text: str) -> bool:
    match = _DATE.fullmatch(_plain(text))
    words = filter(None, match.groups()) if match else ()
    return match is not None and all(fold(word) in MONTHS for word in words)


def _plain(text: str) -> str:
    """Return a text without accents: März as Marz."""
    if text.isascii():
        return text
    return "".join(sign for sign in unicodedata.normalize("NFKD", text) if not unicodedata.combining(sign))


def _likely_date(bare: str) -> str:
    """Return what a date may have been before a spreadsheet took it for one: '5-Oct' for 5/10."""
    match = _DAY_AND_MONTH.fullmatch(bare)
    if match is None:
        return "a date"
    return f"a date, perhaps once {match[1]}/{MONTHS[fold(match[2])]}"


def decimal_comma(texts: dict[str, int]) -> int:
    """Return how many of an item's marks speak for a decimal comma; 0 if it is not certain that it is one.

    Args:
        texts: the item's distinct texts, and how often each stands there.
    """
    bare = {in_ascii(text).strip().rstrip("% "): count for text, count in texts.items()}
    commas = {text: count for text, count in bare.items() if _COMMA.fullmatch(text)}
    has_point = any("." in text and read_number(text) is not None for text in bare)
    is_thousands = all(len(text.split(",")[1]) == 3 for text in commas)  # noqa: PLR2004 - 1,500 may be either
    return 0 if has_point or is_thousands else sum(commas.values())


def _number(text: str, *, is_comma: bool) -> Decimal | None:
    if not is_comma:
        return read_number(text)
    return None if "." in text else read_number(text.replace(",", ".", 1))


def _mixed(match: re.Match[str]) -> Mark | None:
    """Return the number that a whole and a fraction make."""
    top, bottom = _SIGNS[match[5]] if match[5] else (int(match[2]), int(match[3]))
    if not bottom or top >= bottom:
        return None
    return Mark(shortest(int(match[1] or match[4] or 0) + Fraction(top, bottom)))
