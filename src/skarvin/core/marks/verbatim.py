"""Texts that travel as they are: comments, and marks that the transfer states itself."""

from typing import NamedTuple

from skarvin.core.marks.choices import Blank, Existing
from skarvin.core.marks.rule import Converted, existing_in_words
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.numbers import Number, read_number


class TextRule(NamedTuple):
    """How a text is sent: whole, with every line end, quotation mark and sign."""

    existing: Existing = Existing.KEEP
    blank: Blank = Blank.LEAVE
    blank_code: str = ""
    is_comment: bool = True

    @property
    def travels(self) -> bool:
        """Whether the texts are comments."""
        return self.is_comment

    def is_blank(self, text: str) -> bool:
        """Tell whether a text says nothing."""
        return not text.strip()

    def is_status(self, text: str) -> bool:  # noqa: ARG002 - a text travels as it is
        """Return that a text is no status."""
        return False

    def convert(self, text: str) -> Converted:
        """Return the text as it is; the target's guard sees to what may not be sent."""
        return Converted(self.number_of(text), text)

    def convert_unseen(self) -> Converted:
        """Return that there is nothing: every mark is asked for."""
        return Converted(None, None, why=Reason(Cause.BLANK, "blank"))

    def shown(self, text: str) -> str:
        """Return the text as it is."""
        return text

    def number_of(self, text: str) -> Number | None:
        """Return the number that a stated mark is; a comment is none."""
        return None if self.is_comment else read_number(text)

    def target_number(self, text: str) -> Number | None:
        """Return the number in a cell of the target; a comment is none."""
        return self.number_of(text)

    def target_words(self, word: str) -> bool:  # noqa: ARG002 - any comment may travel
        """Tell whether a word may be one that was sent: any may be a comment, and a stated mark is known elsewhere."""
        return self.is_comment

    def rank(self, text: str) -> Number | None:
        """Return the number in a cell of the target."""
        return self.target_number(text)

    @property
    def zero(self) -> str:
        """A zero."""
        return "0"

    @property
    def in_words(self) -> str:
        """What becomes of the texts, in one sentence."""
        what = "comments travel whole" if self.is_comment else "the same mark for each"
        return f"{what}; {existing_in_words(self.existing)}"

    @property
    def maxima(self) -> tuple[None, None]:
        """No maxima: texts aren't converted."""
        return None, None

    @property
    def steps(self) -> None:
        """Nothing is rounded."""
        return
