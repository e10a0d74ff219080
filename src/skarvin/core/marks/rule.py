"""What can be ruled about marks, and what converting one gives."""

from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from msgspec import Struct

from skarvin.core.marks.choices import Blank, Existing
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.numbers import Number, Steps


class Converted(NamedTuple):
    """A mark on its way.

    Attributes:
        number: the number read, if it is one.
        text: what the target takes; None if the mark is held.
        off: by how much rounding changed it.
        why: why it is held, or what was done to it.
        note: another word that the mark would be given if it were rounded at another point.
    """

    number: Number | None
    text: str | None
    off: Fraction = Fraction(0)
    why: Reason | None = None
    note: str = ""


_BLANKS = {
    Blank.LEAVE: "a blank leaves the target as it is",
    Blank.ZERO: "a blank is sent as zero",
    Blank.CLEAR: "a blank empties the target's cell",
    Blank.HOLD: "a blank is held",
}
_EXISTING = {
    Existing.REPLACE: "existing marks are replaced",
    Existing.KEEP: "existing marks are kept",
    Existing.HIGHER: "the higher of two marks is kept",
    Existing.ONLY_IF_BLANK: "only blank cells are filled",
    Existing.ADD: "added to what the target already has",
}


def blank_in_words(blank: Blank, code: str) -> str:
    """Return what a blank means; `code` is what is sent for one that has a code."""
    return f"a blank is sent as '{code}'" if blank is Blank.CODE else _BLANKS[blank]


def existing_in_words(existing: Existing) -> str:
    """Return what becomes of what the target has."""
    return _EXISTING[existing]


class Rule(Struct, frozen=True):
    """How the texts of one item become what the target takes; what stands here holds where a kind says nothing else."""

    @property
    def blank(self) -> Blank:
        """What a blank means."""
        return Blank.LEAVE

    @property
    def blank_code(self) -> str:
        """What is sent for a blank that has a code."""
        return ""

    @property
    def existing(self) -> Existing:
        """What becomes of what the target has already."""
        return Existing.REPLACE

    @property
    def travels(self) -> bool:
        """Whether these are texts that travel with marks, such as comments."""
        return False

    def is_blank(self, text: str) -> bool:
        """Tell whether a text of the source says nothing."""
        return not text.strip()

    def is_status(self, text: str) -> bool:  # noqa: ARG002 - only marks know statuses
        """Tell whether a text is a status, such as absent, and no mark."""
        return False

    def convert(self, text: str) -> Converted:
        """Return what a text that isn't blank becomes."""
        return Converted(self.number_of(text), text)

    def convert_unseen(self) -> Converted:
        """Return what becomes of a mark that was never asked for: nothing, where each is asked for."""
        return Converted(None, None, why=Reason(Cause.BLANK, "blank"))

    def shown(self, text: str) -> str:
        """Return a source text as a person is to see it."""
        return text

    def number_of(self, text: str) -> Number | None:  # noqa: ARG002 - texts and answers aren't added up
        """Return the number in a source text."""
        return None

    def target_number(self, text: str) -> Number | None:
        """Return the number in a cell of the target."""
        return self.number_of(text)

    def target_words(self, word: str) -> bool:  # noqa: ARG002 - a comment or an answer may be any text
        """Tell whether a folded word is one that the rule may have written."""
        return True

    def rank(self, text: str) -> Number | None:
        """Return by what a cell of the target is higher or lower than another; None where that isn't known."""
        return self.target_number(text)

    @property
    def zero(self) -> str:
        """A zero, as the target writes it."""
        return "0"

    @property
    def in_words(self) -> str:
        """What is done to the marks of an item, in one sentence without its full stop."""
        raise NotImplementedError

    @property
    def maxima(self) -> tuple[Decimal | None, Decimal | None]:
        """The source's maximum and the target's, where there are any."""
        return None, None

    @property
    def steps(self) -> Steps | None:
        """How numbers are rounded; None where nothing is."""
        return None
