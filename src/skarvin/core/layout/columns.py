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
    ITEM = "item"
    TOTAL = "total"
    COMMENT = "comment"
    OTHER = "other"


IDENTIFIERS = frozenset({Use.NUMBER, Use.USERNAME, Use.EMAIL, Use.KEY})
NAMES = frozenset({Use.NAME, Use.FAMILY, Use.GIVEN})


@dataclass(frozen=True, slots=True)
class Column:
    """One column: where it is, what its heading says, what it is taken for and on what grounds."""

    index: int
    heading: str
    use: Use
    grounds: str
    title: str
    out_of: Decimal | None = None

    @property
    def letter(self) -> str:
        """The letter that a spreadsheet gives the column."""
        return column_letter(self.index)
