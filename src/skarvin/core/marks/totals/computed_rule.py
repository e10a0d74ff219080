"""Computed marks on their way to the target: converted like any other, from the exact number."""

from fractions import Fraction

from msgspec.structs import astuple

from skarvin.core.marks.convert import MarkRule, convert_number
from skarvin.core.marks.rule import Converted
from skarvin.core.texts.mark_grammar import Mark
from skarvin.core.texts.numbers import Number, plain, shortest


def spell(number: Fraction) -> str:
    """Return an exact number as the text that `ComputedRule` reads."""
    return f"{number.numerator}/{number.denominator}"


class ComputedRule(MarkRule, frozen=True):
    """How a computed mark is converted: by a mark's rule, without being read from a text first."""

    @classmethod
    def of(cls, rule: MarkRule) -> "ComputedRule":
        """Return the rule for what is computed by a mark's rule."""
        return cls(*astuple(rule))

    def is_blank(self, text: str) -> bool:
        """Tell whether nothing could be computed."""
        return not text

    def is_status(self, text: str) -> bool:  # noqa: ARG002 - a computed mark is none
        """Return that a text is no status."""
        return False

    def convert(self, text: str) -> Converted:
        """Return what a computed mark becomes."""
        number = shortest(Fraction(text))
        return convert_number(Mark(number), self, plain(number))

    def shown(self, text: str) -> str:
        """Return the mark as a person is to see it."""
        return plain(Fraction(text)) if text else ""

    def number_of(self, text: str) -> Number | None:
        """Return the exact number."""
        return shortest(Fraction(text)) if text else None
