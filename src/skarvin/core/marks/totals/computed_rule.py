"""Computed marks on their way to the target: converted like any other, from the exact number."""

from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.choices import Blank, Existing
from skarvin.core.marks.convert import MarkRule, convert_number
from skarvin.core.marks.rule import Converted, Steps
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.mark_grammar import Mark
from skarvin.core.texts.numbers import Number, plain, shortest


def spell(number: Fraction) -> str:
    """Return an exact number as the text that `ComputedRule` reads."""
    return f"{number.numerator}/{number.denominator}"


class ComputedRule(NamedTuple):
    """How a computed mark is converted: by a mark's rule, without being read from a text first."""

    marks: MarkRule

    @property
    def blank(self) -> Blank:
        """What it means that nothing could be computed."""
        return self.marks.blank

    @property
    def blank_code(self) -> str:
        """What is sent then."""
        return self.marks.blank_code

    @property
    def travels(self) -> bool:
        """A mark doesn't travel with another."""
        return False

    @property
    def existing(self) -> Existing:
        """What becomes of a mark that the target has."""
        return self.marks.existing

    def is_blank(self, text: str) -> bool:
        """Tell whether nothing could be computed."""
        return not text

    def is_status(self, text: str) -> bool:  # noqa: ARG002 - a computed mark is none
        """Return that a text is no status."""
        return False

    def convert(self, text: str) -> Converted:
        """Return what a computed mark becomes."""
        number = shortest(Fraction(text))
        return convert_number(Mark(number), self.marks, plain(number))

    def convert_unseen(self) -> Converted:
        """Return that there is nothing: every mark is asked for."""
        return Converted(None, None, why=Reason(Cause.BLANK, "blank"))

    def shown(self, text: str) -> str:
        """Return the mark as a person is to see it."""
        return plain(Fraction(text)) if text else ""

    def number_of(self, text: str) -> Number | None:
        """Return the exact number."""
        return shortest(Fraction(text)) if text else None

    def target_number(self, text: str) -> Number | None:
        """Return the number in a cell of the target."""
        return self.marks.target_number(text)

    def target_words(self, word: str) -> bool:
        """Tell whether a folded word is one that the rule writes."""
        return self.marks.target_words(word)

    def rank(self, text: str) -> Number | None:
        """Return by what a cell of the target is higher or lower than another."""
        return self.marks.rank(text)

    @property
    def zero(self) -> str:
        """A zero, as the target writes it."""
        return self.marks.zero

    @property
    def in_words(self) -> str:
        """What is done to the marks, in one sentence."""
        return self.marks.in_words

    @property
    def maxima(self) -> tuple[Decimal | None, Decimal | None]:
        """The total's maximum and the target's."""
        return self.marks.maxima

    @property
    def steps(self) -> Steps:
        """How marks are rounded."""
        return self.marks.steps
