"""What a transfer made besides what its export holds; light, since most transfers make nothing."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.ledger.book import Made

if TYPE_CHECKING:
    from skarvin.core.marks.totals.compute import Checked, Value
    from skarvin.core.transfer.questions import Question
    from skarvin.core.transfer.totals import Total


class TotalResult(NamedTuple):
    """What the rule for a total gave for each student's row, and how the export's own total compares with it."""

    total: "Total"
    values: "Mapping[int, Value]"
    checked: "Checked | None"

    @property
    def incomplete(self) -> list[int]:
        """The rows of students who had something missing."""
        return [row for row, value in self.values.items() if value.missing and not value.reason]

    @property
    def held(self) -> list[int]:
        """The rows of students for whom it can't be told."""
        return [row for row, value in self.values.items() if value.reason]


class Disagreement(NamedTuple):
    """An answer that the source calls right and the key wrong, or the other way round."""

    row: int
    question: "Question"
    code: str
    is_right_in_source: bool


class MadeMarks(NamedTuple):
    """What was made for a transfer.

    Attributes:
        made: the marks, by the index of their column.
        totals: what each rule for a total gave.
        disagreements: answers on which the source and the key differ.
        keyed: how many answers were held against the key.
    """

    made: Mapping[int, Made]
    totals: tuple[TotalResult, ...] = ()
    disagreements: tuple[Disagreement, ...] = ()
    keyed: int = 0


NOTHING_MADE = MadeMarks(MappingProxyType({}))
