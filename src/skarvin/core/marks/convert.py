"""Turns one mark's text into what the target takes, or says why a person must decide."""

from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.numbers import Rounding, plain, read_number, round_to
from skarvin.core.marks.reading import Mark, likely, read_mark


class Blank(StrEnum):
    """What a blank means."""

    LEAVE = "leave"
    ZERO = "zero"
    CLEAR = "clear"
    CODE = "code"
    HOLD = "hold"


class Above(StrEnum):
    """What becomes of a mark above its maximum."""

    HOLD = "hold"
    ALLOW = "allow"
    CAP = "cap"


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
    is_comma: bool = False
    above: Above = Above.HOLD
    blank_code: str = ""
    statuses: tuple[tuple[str, str], ...] = ()

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
    known = dict(rule.statuses).get(" ".join(text.split()).casefold())
    if known is not None:
        return Converted(None, known)
    mark = read_mark(text, is_comma=rule.is_comma)
    if mark is None:
        guess = likely(text, is_comma=rule.is_comma)
        reason = f"'{text.strip()}' is not a plain number" + (f" ({guess})" if guess else "")
        return Converted(None, None, reason=reason, slug="not-a-number")
    number = mark.number
    if number < 0:
        return Converted(number, None, reason=f"{plain(number)} is below zero", slug="below-zero")
    limit = mark.out_of or rule.limit
    if limit is not None and number > limit and rule.above is not Above.ALLOW:
        if rule.above is Above.HOLD:
            reason = f"{plain(number)} is above the maximum {plain(limit)}"
            return Converted(number, None, reason=reason, slug="above-maximum")
        capped = _rescaled(text, number, mark._replace(number=limit), rule)
        return capped._replace(reason=f"{plain(number)} was cut to the maximum {plain(limit)}")
    return _rescaled(text, number, mark, rule)


def _rescaled(text: str, number: Decimal, mark: Mark, rule: MarkRule) -> Converted:
    """Return a mark between zero and its maximum in the target's maximum, rounded once."""
    base = mark.out_of or rule.from_out_of
    exact = Fraction(mark.number)
    if mark.out_of and rule.to_out_of is None and mark.out_of != rule.from_out_of:
        what = "a percent" if mark.is_percent else f"out of {plain(mark.out_of)}"
        reason = f"'{text.strip()}' is {what}, and the target's maximum is not known"
        return Converted(number, None, reason=reason, slug="no-maximum")
    if base is not None and rule.to_out_of is not None and base != rule.to_out_of:
        exact = exact * Fraction(rule.to_out_of) / Fraction(base)
    rounded = round_to(exact, rule.decimals, rule.rounding)
    if rounded == number and read_number(text) is not None:
        return Converted(number, text.strip())
    return Converted(number, plain(rounded), is_rounded=Fraction(rounded) != exact)
