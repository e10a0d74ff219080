"""Turns one mark's text into what the target takes, or says why a person must decide."""

from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.numbers import Rounding, plain, read_number, round_to


class Blank(StrEnum):
    """What a blank means."""

    LEAVE = "leave"
    ZERO = "zero"
    CLEAR = "clear"


class Existing(StrEnum):
    """What becomes of a mark that the target already holds."""

    REPLACE = "replace"
    KEEP = "keep"
    HIGHER = "higher"


class MarkRule(NamedTuple):
    """How the marks of an item are converted."""

    from_out_of: Decimal | None = None
    to_out_of: Decimal | None = None
    decimals: int = 2
    rounding: Rounding = Rounding.HALF_UP
    blank: Blank = Blank.LEAVE
    existing: Existing = Existing.REPLACE

    @property
    def rescales(self) -> bool:
        """Whether the two maxima differ."""
        return None not in (self.from_out_of, self.to_out_of) and self.from_out_of != self.to_out_of

    @property
    def limit(self) -> Decimal | None:
        """The highest mark that the source may hold."""
        return self.to_out_of if self.from_out_of is None else self.from_out_of


class Converted(NamedTuple):
    """A mark on its way: the number read, and the text that the target takes (None if held)."""

    number: Decimal | None
    text: str | None
    is_rounded: bool = False
    reason: str = ""
    slug: str = ""


def convert(text: str, rule: MarkRule) -> Converted:
    """Return what a text that isn't blank becomes under a rule."""
    number = read_number(text)
    if number is None:
        return Converted(None, None, reason=f"'{text.strip()}' is not a plain number", slug="not-a-number")
    if number < 0:
        return Converted(number, None, reason=f"{plain(number)} is below zero", slug="below-zero")
    if rule.limit is not None and number > rule.limit:
        reason = f"{plain(number)} is above the maximum {plain(rule.limit)}"
        return Converted(number, None, reason=reason, slug="above-maximum")
    exact = Fraction(number)
    if rule.from_out_of is not None and rule.to_out_of is not None and rule.rescales:
        exact = exact * Fraction(rule.to_out_of) / Fraction(rule.from_out_of)
    rounded = round_to(exact, rule.decimals, rule.rounding)
    if rounded == number:
        return Converted(number, text.strip())
    return Converted(number, plain(rounded), is_rounded=Fraction(rounded) != exact)
