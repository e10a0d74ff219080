"""What a column can be taken for."""

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from skarvin.core.findings import column_letter


class Use(StrEnum):
    """What a column holds."""

    NUMBER = "student number"
    USERNAME = "username"
    EMAIL = "e-mail"
    KEY = "system's key"
    NAME = "full name"
    FAMILY = "family name"
    GIVEN = "given name"
    SECTION = "section"
    BIRTH = "birth date"
    LEAVING = "leaving year"
    ITEM = "item"
    TOTAL = "total"
    ANSWER = "answer"
    RESULT = "result of an answer"
    COMMENT = "comment"
    HOUSEKEEPING = "housekeeping"
    COMPUTED = "computed"
    STATED = "stated"
    OTHER = "other"


IDENTIFIERS = frozenset({Use.NUMBER, Use.USERNAME, Use.EMAIL, Use.KEY})
NAMES = frozenset({Use.NAME, Use.FAMILY, Use.GIVEN})
MADE = frozenset({Use.COMPUTED, Use.STATED})
"""Columns that stand in no file: the transfer makes them itself."""
STUDENT = IDENTIFIERS | NAMES | {Use.SECTION, Use.BIRTH, Use.LEAVING}


@dataclass(frozen=True, slots=True)
class Column:
    """One column: where it is, what its heading says, what it is taken for and on what grounds.

    Attributes:
        index: the position from 0.
        heading: the whole heading; of several heading rows, one behind the other.
        use: what it is taken for.
        grounds: why.
        title: the heading without the system's key and the maximum.
        out_of: the maximum, from the heading or from a row of maxima.
        key: the system's own key, from the heading.
        counts: whether the item counts, as far as the export says.
        belongs_to: the index of the item or answer that a comment or a result belongs to.
        around: a fixed text before and behind every value.
    """

    index: int
    heading: str
    use: Use
    grounds: str
    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True
    belongs_to: int | None = None
    around: tuple[str, str] = ("", "")

    @property
    def letter(self) -> str:
        """The letter that a spreadsheet gives the column; none for one that the transfer makes itself."""
        return "" if self.use in MADE else column_letter(self.index)
