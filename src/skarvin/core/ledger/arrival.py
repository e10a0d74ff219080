"""What a mark of the target is beside what was sent: arrived, missing, different, or extra; and why."""

import re
from collections.abc import Mapping
from decimal import Decimal
from enum import Enum, StrEnum
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.ledger.filed import FiledCell
from skarvin.core.texts.mark_grammar import Mark, decimal_comma, is_no_mark, read_mark
from skarvin.core.texts.numbers import Rounding, round_to
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.unsafe import without_apostrophe

_BETWEEN = pattern(r"\s*[,;|]\s*")
_BETWEEN_CODES = pattern(r"[\s,;|/+&]+")
_ROUNDINGS = (Rounding.HALF_UP, Rounding.HALF_EVEN, Rounding.DOWN, Rounding.UP)
_LONGEST_CODE = 3
_LETTERS = pattern(r"[A-Za-z]{2,12}")


class Arrival(StrEnum):
    """What became of a mark on its way into the target."""

    ARRIVED = "arrived"
    MISSING = "missing"
    DIFFERENT = "different"
    EXTRA = "extra"

    __hash__ = str.__hash__  # it is counted by the million, and equal to its text


AS_BEFORE, NOT_AS_BEFORE = "as before", "not as before"
"""What marks are called that stood in the form and weren't sent: those that are there as they were, and the others."""


class ArrivalCause(Enum):
    """Why a mark isn't there as it was sent; the value is for machines."""

    BLANK = "blank", Arrival.MISSING
    ITEM_MISSING = "item-missing", Arrival.MISSING
    STUDENT_MISSING = "student-missing", Arrival.MISSING
    STUDENT_UNSURE = "student-unsure", Arrival.MISSING
    AS_BEFORE = "as-before", Arrival.DIFFERENT
    ROUNDED = "rounded", Arrival.DIFFERENT
    OTHER_VALUE = "other-value", Arrival.DIFFERENT
    NOT_SENT = "not-sent", Arrival.EXTRA
    STUDENT_NEW = "student-new", Arrival.EXTRA

    def __init__(self, code: str, arrival: Arrival) -> None:
        self.code = code
        self.arrival = arrival


class Found(NamedTuple):
    """What was found of one mark; a cause unless it arrived."""

    arrival: Arrival
    cause: ArrivalCause | None = None


ARRIVED = Found(Arrival.ARRIVED)


class ItemComparison:
    """Compares the marks of one item, as they were sent and as the target shows them.

    Args:
        sent: the texts that were sent, and how often each stands there.
        shown: the same of the fresh export.
        maxima: the maximum of the item where it was sent to, and in the fresh export; None where it isn't known.
        is_answer: whether they are answers, whose letters have no order.
    """

    def __init__(
        self,
        sent: Mapping[str, int],
        shown: Mapping[str, int],
        maxima: tuple[Decimal | None, Decimal | None] = (None, None),
        *,
        is_answer: bool = False,
    ) -> None:
        self._commas = decimal_comma(dict(sent)) > 0, decimal_comma(dict(shown)) > 0
        self._maxima = maxima
        self._is_answer = is_answer
        self._known: dict[tuple[FiledCell, str], Found | None] = {}

    @property
    def scale(self) -> Fraction | None:
        """By what a mark of the fresh export is multiplied to be one of the form's; None where their maxima are one."""
        sent, shown = self._maxima
        return None if sent is None or shown is None or sent == shown else Fraction(sent) / Fraction(shown)

    def compare(self, cell: FiledCell, shown: str) -> Found | None:
        """Return what was found of a mark; None where there is none on either side."""
        if (cell, shown) not in self._known:
            self._known[cell, shown] = self._compare(cell, shown)
        return self._known[cell, shown]

    def _compare(self, cell: FiledCell, shown: str) -> Found | None:
        wanted = cell.was if cell.now is None else cell.now
        if is_no_mark(wanted):
            return None if is_no_mark(shown) else Found(Arrival.EXTRA, ArrivalCause.NOT_SENT)
        if is_no_mark(shown) and wanted.strip() != shown.strip():
            return Found(Arrival.MISSING, ArrivalCause.BLANK)
        if self.is_same(wanted, shown):
            return ARRIVED
        if cell.now is not None and not is_no_mark(cell.was) and self.is_same(cell.was, shown):
            return Found(Arrival.DIFFERENT, ArrivalCause.AS_BEFORE)
        is_rounded = self._is_rounded(wanted, shown)
        return Found(Arrival.DIFFERENT, ArrivalCause.ROUNDED if is_rounded else ArrivalCause.OTHER_VALUE)

    def is_same(self, wanted: str, shown: str) -> bool:
        """Tell whether two texts are one mark: otherwise written, out of another maximum, with codes in other order."""
        one, other = (" ".join(without_apostrophe(text).split()).casefold() for text in (wanted, shown))
        numbers = self._read(wanted, 0), self._read(shown, 1)
        if numbers[0] is not None and numbers[1] is not None:
            return self._is_same_number(numbers[0], numbers[1], shown)
        return one == other or self._codes(one) == self._codes(other) != []

    def _codes(self, text: str) -> list[str]:
        """Return the codes of a text without their order; none where it is only one."""
        short = sorted(filter(None, _BETWEEN_CODES.split(text)))
        are_codes = self._is_answer or all(len(part) <= _LONGEST_CODE for part in short)
        parts = short if are_codes else sorted(filter(None, _BETWEEN.split(text)))
        if len(parts) == 1 and self._is_answer and _LETTERS.fullmatch(text):
            return sorted(text)
        return parts if len(parts) > 1 else [text] if self._is_answer else []

    def _read(self, text: str, side: int) -> Mark | None:
        return read_mark(text, is_comma=self._commas[side]) or read_mark(text, is_comma=not self._commas[side])

    def _is_same_number(self, first: Mark, second: Mark, shown: str) -> bool:
        if first.is_percent and second.is_percent:
            return first.number == second.number
        bases = first.out_of or self._maxima[0], second.out_of or self._maxima[1]
        if None in bases or bases[0] == bases[1]:
            return first.number == second.number
        scaled = Fraction(first.number) * Fraction(bases[1] or 1) / Fraction(bases[0] or 1)
        return round_to(scaled, _decimals(shown), Rounding.HALF_UP) == second.number

    def _is_rounded(self, wanted: str, shown: str) -> bool:
        one, other = self._read(wanted, 0), self._read(shown, 1)
        if one is None or other is None or one.number == other.number:
            return False
        decimals = _decimals(shown)
        return decimals < _decimals(wanted) and any(
            round_to(Fraction(one.number), decimals, rounding) == other.number for rounding in _ROUNDINGS
        )


def _decimals(text: str) -> int:
    """Return how many decimals a text shows."""
    match = re.search(r"[.,](\d+)\D*$", text.partition("/")[0].strip())
    return len(match[1]) if match else 0
