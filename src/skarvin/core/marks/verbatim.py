"""Texts that travel as they are: comments, and marks that the transfer states itself."""

from typing import NamedTuple

from skarvin.core.marks.numbers import Number, read_number
from skarvin.core.marks.rules import Blank, Converted, Existing


class TextRule(NamedTuple):
    """How a text is sent: whole, with every line end, quotation mark and sign."""

    existing: Existing = Existing.KEEP
    blank: Blank = Blank.LEAVE
    blank_code: str = ""
    is_comment: bool = True

    def is_blank(self, text: str) -> bool:
        """Tell whether a text says nothing."""
        return not text.strip()

    def convert(self, text: str) -> Converted:
        """Return the text as it is."""
        return Converted(self.number_of(text), text)

    def shown(self, text: str) -> str:
        """Return the text as it is."""
        return text

    def number_of(self, text: str) -> Number | None:
        """Return the number that a stated mark is; a comment is none."""
        return None if self.is_comment else read_number(text)

    def target_number(self, text: str) -> Number | None:
        """Return the number in a cell of the target; a comment is none."""
        return self.number_of(text)
