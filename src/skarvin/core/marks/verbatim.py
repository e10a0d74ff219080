"""Texts that travel as they are: comments, and marks that the transfer states itself."""

from skarvin.core.marks.choices import Existing
from skarvin.core.marks.rule import Rule, existing_in_words
from skarvin.core.texts.numbers import Number, read_number


class TextRule(Rule, frozen=True):
    """How a text is sent: whole, with every line end, quotation mark and sign; the target's guard sees to the rest."""

    existing: Existing = Existing.KEEP
    is_comment: bool = True

    @property
    def travels(self) -> bool:
        """Whether the texts are comments."""
        return self.is_comment

    def number_of(self, text: str) -> Number | None:
        """Return the number that a stated mark is; a comment is none."""
        return None if self.is_comment else read_number(text)

    def target_words(self, word: str) -> bool:  # noqa: ARG002 - any comment may travel
        """Tell whether a word may be one that was sent: any may be a comment, and a stated mark is known elsewhere."""
        return self.is_comment

    @property
    def in_words(self) -> str:
        """What becomes of the texts, in one sentence."""
        what = "comments travel whole" if self.is_comment else "the same mark for each"
        return f"{what}; {existing_in_words(self.existing)}"
