"""What can be ruled about marks, and what converting one gives."""

from enum import StrEnum
from fractions import Fraction
from typing import NamedTuple, Protocol

from skarvin.core.reasons import Reason
from skarvin.core.texts.numbers import Number


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
    ONLY_IF_BLANK = "only if blank"
    ADD = "add"


class Dash(StrEnum):
    """What a dash in place of a mark means."""

    HOLD = "hold"
    BLANK = "blank"


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


class Rule(Protocol):
    """How the texts of one item become what the target takes."""

    @property
    def blank(self) -> Blank:
        """What a blank means."""

    @property
    def blank_code(self) -> str:
        """What is sent for a blank that has a code."""

    @property
    def travels(self) -> bool:
        """Whether these are texts that travel with marks, such as comments."""

    @property
    def existing(self) -> Existing:
        """What becomes of what the target holds already."""

    def is_blank(self, text: str) -> bool:
        """Tell whether a text of the source says nothing."""

    def convert(self, text: str) -> Converted:
        """Return what a text that isn't blank becomes."""

    def convert_unseen(self) -> Converted:
        """Return what becomes of a mark that was never asked for."""

    def shown(self, text: str) -> str:
        """Return a source text as a person is to see it."""

    def number_of(self, text: str) -> Number | None:
        """Return the number in a source text."""

    def target_number(self, text: str) -> Number | None:
        """Return the number in a cell of the target."""

    def target_words(self, word: str) -> bool:
        """Tell whether a folded word is one that the rule writes."""

    def rank(self, text: str) -> Number | None:
        """Return by what a cell of the target is higher or lower than another; None where that isn't known."""

    @property
    def zero(self) -> str:
        """A zero, as the target writes it."""
