"""What a column can be taken for."""

from decimal import Decimal
from enum import StrEnum

import msgspec

from skarvin.core.findings import column_letter


class Use(StrEnum):
    """What a column holds."""

    NUMBER = "student number"
    USERNAME = "username"
    EMAIL = "e-mail"
    KEY = "system's key"
    NAME = "full name"
    BOTH = "name and number"
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
    ITEM_TITLE = "item title"
    MARK = "mark"
    MAXIMUM = "maximum"
    STATUS = "status"
    HOUSEKEEPING = "system data"
    OTHER = "other"

    @classmethod
    def _missing_(cls, value: object) -> "Use | None":
        """Return what a use was called before."""
        return cls.HOUSEKEEPING if value == "housekeeping" else None


IDENTIFIERS = frozenset({Use.NUMBER, Use.USERNAME, Use.EMAIL, Use.KEY})
NAMES = frozenset({Use.NAME, Use.FAMILY, Use.GIVEN})
WHO = IDENTIFIERS | NAMES | {Use.BOTH}
"""What tells who a student is."""
FOR_MARKS = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT, Use.OTHER})
"""What a column of a form must be so that marks go there without a word of a person's."""
STUDENT = WHO | {Use.SECTION, Use.BIRTH, Use.LEAVING}
LOG = frozenset({Use.ITEM_TITLE, Use.MARK, Use.MAXIMUM, Use.STATUS})
"""What the columns of a log are, which has a line for each mark."""
_OF_MARKS = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT}) | LOG
_OF_ANYTHING = frozenset({Use.COMMENT, Use.HOUSEKEEPING, Use.OTHER})
PERSONAL = frozenset(Use) - _OF_MARKS - _OF_ANYTHING - {Use.SECTION, Use.LEAVING}
"""Whose cells say who somebody is: each use, unless it is known that it tells nobody."""
MAY_BE_PERSONAL = PERSONAL | _OF_ANYTHING
"""Whose cells may say it, where nothing is known of the class but this file."""


class Column(msgspec.Struct, frozen=True):
    """One column: where it is, what its heading says, what it is taken for and on what evidence.

    Attributes:
        index: the position from 0.
        heading: the whole heading; of several heading rows, one behind the other.
        use: what it is taken for.
        evidence: why.
        title: the heading without the system's key and the maximum.
        out_of: the maximum, from the heading or from a row of maxima.
        other_out_of: what the heading says of the maximum, where a row of maxima says another.
        weight: what the item counts in a weighted mean, from the heading or from a row of weights.
        stands_in: the column of the file in which the item's marks stand, if it has none of its own.
        key: the system's own key, from the heading.
        counts: whether the item counts, as far as the export says.
        belongs_to: the index of the item or answer that a comment or a result belongs to.
        around: a fixed text before and behind every value.
        elsewhere: for each further file whose rows are joined with these, the column there; None where it has none.
        is_elsewhere_alone: whether only a further file has the column.
        runner_up: what else it may be, and why; blank if nothing else is likely.
    """

    index: int
    heading: str
    use: Use
    evidence: str
    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True
    belongs_to: int | None = None
    around: tuple[str, str] = ("", "")
    elsewhere: tuple[int | None, ...] = ()
    is_elsewhere_alone: bool = False
    runner_up: str = ""
    other_out_of: Decimal | None = None
    weight: Decimal | None = None
    stands_in: int | None = None

    @property
    def letter(self) -> str:
        """The letter that a spreadsheet gives the column; in a further file, if only that has it."""
        there = [place for place in self.elsewhere if place is not None]
        own = self.index if self.stands_in is None else self.stands_in
        return column_letter(there[0] if self.is_elsewhere_alone and there else own)

    @property
    def named(self) -> str:
        """What a person calls the column: by its heading, or by its letter where it has none."""
        return self.heading or f"column {self.letter}"

    @property
    def called(self) -> str:
        """The same by its title, which is shorter."""
        return self.title or self.named

    def in_file(self, number: int) -> int | None:
        """Return the column's place in a file: the first, or one of the further ones; None where it has none."""
        if number:
            return self.elsewhere[number - 1]
        return None if self.is_elsewhere_alone else self.index

    @property
    def order(self) -> tuple[bool, int]:
        """Where it comes among the columns of the export and those that are made."""
        return False, self.index


class Making(StrEnum):
    """How marks come about that stand in no column."""

    COMPUTED = "calculated"
    STATED = "constant"


class MadeColumn(msgspec.Struct, frozen=True):
    """Marks that stand in no file: the transfer makes them itself.

    Attributes:
        title: what they are called.
        making: how they come about.
        number: their place among what is made.
        out_of: their maximum, if one is stated.
    """

    title: str
    making: Making
    number: int
    out_of: Decimal | None = None

    @property
    def heading(self) -> str:
        """What they are called."""
        return self.title

    @property
    def named(self) -> str:
        """What they are called."""
        return self.title

    @property
    def called(self) -> str:
        """What they are called."""
        return self.title

    @property
    def letter(self) -> str:
        """Nothing: there is no such column."""
        return ""

    @property
    def order(self) -> tuple[bool, int]:
        """Where they come: behind the columns of the export."""
        return True, self.number


ItemSource = Column | MadeColumn
"""Where the marks of an item come from."""
