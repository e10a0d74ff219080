"""Numbers as marks hold them: exact, and never rounded unasked."""

import re
from collections.abc import Iterable
from decimal import ROUND_HALF_UP, Context, Decimal, Inexact, localcontext
from enum import StrEnum
from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.texts.patterns import pattern

Number = Decimal | Fraction
"""An exact number: a decimal, or a fraction where no decimal ends."""

_PLAIN = pattern(r"[-+]?(?:\d{1,30}(?:\.\d{1,30})?|\.\d{1,30})", re.ASCII)
_LOOSE = pattern(r"\s*+[-+]?\d++(?:[.,]\d++)?\s*+%?\s*+")
_EXACT = Context(prec=1000, rounding=ROUND_HALF_UP, traps=[Inexact])
_SHOWN = 4


class Rounding(StrEnum):
    """Where a number between two steps goes."""

    HALF_UP = "half up"
    HALF_EVEN = "half even"
    UP = "up"
    DOWN = "down"
    NONE = "none"


@lru_cache(maxsize=1 << 11)
def read_number(text: str) -> Decimal | None:
    """Return the number that a text plainly is, or None. No exponents, no signs between digits, no commas."""
    bare = text.strip()
    return Decimal(bare) if _PLAIN.fullmatch(bare) else None


def is_number(text: str) -> bool:
    """Tell whether a text looks like a number, with either decimal sign, maybe with a percent sign behind it."""
    return _LOOSE.fullmatch(text) is not None


def exact_sum(numbers: Iterable[Number]) -> Number:
    """Return the sum, with every digit."""
    return exact_total((number, 1) for number in numbers)


def exact_total(counted: Iterable[tuple[Number, int]]) -> Number:
    """Return the sum of numbers each of which is taken so many times, with every digit."""
    broken: list[Fraction] = []
    with localcontext(_EXACT):
        total = Decimal(0)
        for number, count in counted:
            if isinstance(number, Decimal):
                total += number * count
            else:
                broken.append(number * count)
    return shortest(sum(broken, Fraction(total))) if broken else total


def shortest(number: Fraction) -> Number:
    """Return a number as a decimal if one ends, and else as it is."""
    rest = number.denominator
    for prime in (2, 5):
        while rest % prime == 0:
            rest //= prime
    return _EXACT.divide(Decimal(number.numerator), Decimal(number.denominator)) if rest == 1 else number


def round_to(number: Fraction, decimals: int, rounding: Rounding) -> Decimal:
    """Return a number rounded once to `decimals` places.

    Raises:
        ValueError: it is not to be rounded, and no decimal with so many places is equal to it.
    """
    whole, rest = divmod(abs(number) * 10**decimals, 1)
    if rounding is Rounding.NONE and rest:
        raise ValueError(rounding)
    twice = 2 * rest
    is_up = {
        Rounding.HALF_UP: twice >= 1,
        Rounding.HALF_EVEN: twice > 1 or (twice == 1 and whole % 2 == 1),
        Rounding.UP: rest > 0,
        Rounding.DOWN: False,
        Rounding.NONE: False,
    }[rounding]
    digits = (whole + is_up) * (-1 if number < 0 else 1)
    return Decimal(digits).scaleb(-decimals, _EXACT)


class Steps(NamedTuple):
    """How a rule's numbers are rounded: to multiples of a step, or to so many decimals; and how."""

    decimals: int
    rounding: Rounding
    step: Decimal | None = None

    def rounded(self, number: Fraction) -> Decimal:
        """Return a number rounded once.

        Raises:
            ValueError: it is not to be rounded, and needs to be.
        """
        if self.step is None:
            return round_to(number, self.decimals, self.rounding)
        return _EXACT.multiply(round_to(number / Fraction(self.step), 0, self.rounding), self.step)

    @property
    def to(self) -> str:
        """What it is rounded to, in words."""
        if self.step is not None:
            return f"multiples of {plain(self.step)}"
        return f"{self.decimals} decimal{'' if self.decimals == 1 else 's'}"

    @property
    def in_words(self) -> str:
        """How it is rounded, in words."""
        if self.rounding is Rounding.NONE:
            return "never rounded" if self.step is None else f"{self.to} alone, never rounded"
        return f"{'' if self.step else 'at most '}{self.to}, rounded {self.rounding.value}"


def decimals_of(step: Decimal) -> int:
    """Return how many decimals the multiples of a step have."""
    return max(0, -int(step.normalize().as_tuple().exponent))


def plain(number: Number) -> str:
    """Return a number as a person writes it: no exponent, no zeros behind the last decimal that counts.

    One that doesn't end is cut behind four decimals, and shows it.
    """
    if isinstance(number, Fraction):
        exact = shortest(number)
        if isinstance(exact, Fraction):
            return f"{round_to(exact, _SHOWN, Rounding.DOWN):f}…"
        number = exact
    text = f"{number:f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text
