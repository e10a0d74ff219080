"""Numbers as marks hold them: decimals that are never rounded unasked."""

import re
from collections.abc import Iterable
from decimal import ROUND_HALF_UP, Context, Decimal, Inexact
from enum import StrEnum
from fractions import Fraction

_PLAIN = re.compile(r"[-+]?(?:\d{1,30}(?:\.\d{1,30})?|\.\d{1,30})", re.ASCII)
_EXACT = Context(prec=1000, rounding=ROUND_HALF_UP, traps=[Inexact])


class Rounding(StrEnum):
    """Where a number between two steps goes."""

    HALF_UP = "half up"
    HALF_EVEN = "half even"
    UP = "up"
    DOWN = "down"


def read_number(text: str) -> Decimal | None:
    """Return the number that a text plainly is, or None. No exponents, no signs between digits, no commas."""
    bare = text.strip()
    return Decimal(bare) if _PLAIN.fullmatch(bare) else None


def exact_sum(numbers: Iterable[Decimal]) -> Decimal:
    """Return the sum, with every digit."""
    total = Decimal(0)
    for number in numbers:
        total = _EXACT.add(total, number)
    return total


def times(number: Decimal, count: int) -> Decimal:
    """Return the number taken `count` times, with every digit."""
    return _EXACT.multiply(number, Decimal(count))


def round_to(number: Fraction, decimals: int, rounding: Rounding) -> Decimal:
    """Return a number rounded once to `decimals` places."""
    whole, rest = divmod(abs(number) * 10**decimals, 1)
    twice = 2 * rest
    is_up = {
        Rounding.HALF_UP: twice >= 1,
        Rounding.HALF_EVEN: twice > 1 or (twice == 1 and whole % 2 == 1),
        Rounding.UP: rest > 0,
        Rounding.DOWN: False,
    }[rounding]
    digits = (whole + is_up) * (-1 if number < 0 else 1)
    return Decimal(digits).scaleb(-decimals, _EXACT)


def plain(number: Decimal) -> str:
    """Return a number as a person writes it: no exponent, no zeros behind the last decimal that counts."""
    text = f"{number:f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text
