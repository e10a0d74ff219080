"""Marks that the target holds already: for paired students, how many agree with those of an item of the export."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.texts.mark_grammar import Mark, read_mark
from skarvin.core.texts.numbers import Number

_CENTS = Decimal("0.02")


class Agreement(NamedTuple):
    """How many marks were compared, how many agree, how many different ones there are, and whether by their share."""

    agree: int = 0
    of: int = 0
    different: int = 0
    is_rescaled: bool = False

    @property
    def share(self) -> float:
        """The share of those that agree."""
        return self.agree / self.of if self.of else 0.0

    @property
    def words(self) -> str:
        """The same for a reader."""
        how = " once rescaled" if self.is_rescaled else ""
        return f"{self.agree:,} of {self.of:,} marks that the form has agree{how}"


NO_AGREEMENT = Agreement()
_PLAINLY = 0.8
"""From this share on marks agree as they stand."""


def agreement(
    marks: Sequence[str], held: Sequence[str], maxima: tuple[Decimal | None, Decimal | None] = (None, None)
) -> Agreement:
    """Return how the marks of an item agree with those that the target holds for the same students, in their order.

    Args:
        marks: the export's texts.
        held: the target's texts.
        maxima: the maxima of both, where they are known: marks that agree once they are rescaled agree.
    """
    both = [(ours, theirs) for ours, theirs in zip(marks, held, strict=True) if ours.strip() and theirs.strip()]
    plain = _count(both, None)
    if None in maxima or maxima[0] == maxima[1] or plain.share >= _PLAINLY:
        return plain
    return max(plain, _count(both, (maxima[0], maxima[1])), key=lambda found: found.agree)  # type: ignore[arg-type]


def _count(both: Sequence[tuple[str, str]], maxima: tuple[Decimal, Decimal] | None) -> Agreement:
    agree = 0
    seen: set[object] = set()
    for ours, theirs in both:
        one, other = _read(ours), _read(theirs)
        if one is None or other is None:
            agree += ours.strip().casefold() == theirs.strip().casefold()
            seen.add(ours.strip().casefold())
            continue
        seen.add(one.number)
        if maxima:
            agree += _is_rescaled(one, other.number, maxima)
        else:
            agree += one.number == other.number
    return Agreement(agree, len(both), len(seen), maxima is not None)


def _is_rescaled(first: Mark, second: Number, maxima: tuple[Decimal, Decimal]) -> bool:
    """Tell whether a mark is another once it is rescaled, give or take what rounding does."""
    base = first.out_of or maxima[0]
    if isinstance(first.number, Decimal) and isinstance(second, Decimal):  # the same without fractions, which are slow
        return abs(first.number * maxima[1] - second * base) < base * _CENTS
    return abs(Fraction(first.number) * Fraction(maxima[1]) - Fraction(second) * Fraction(base)) < Fraction(
        base * _CENTS
    )


@lru_cache(maxsize=1024)
def _read(text: str) -> Mark | None:
    return read_mark(text) or read_mark(text, is_comma=True)


Agreements = Mapping[tuple[int, int], Agreement]
"""For a column of the export and one of the target what agrees."""
