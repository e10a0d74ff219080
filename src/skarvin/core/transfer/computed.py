"""What a transfer made besides what its export holds; light, since most transfers make nothing."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.findings import Finding, Place, Row, Unreadable
from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import ItemSource
from skarvin.core.ledger.book import Made

if TYPE_CHECKING:
    from skarvin.core.marks.totals.compute import Checked, Read, Value
    from skarvin.core.plan.questions import Question
    from skarvin.core.plan.total_rules import Total


class TotalResult(NamedTuple):
    """What the rule for a total gave for each student's row, and how the export's own total compares with it."""

    total: "Total"
    values: "Mapping[Row, Value]"
    checked: "Checked | None"

    @property
    def incomplete(self) -> list[Row]:
        """The rows of students who had something missing."""
        return [row for row, value in self.values.items() if value.missing and not value.reason]

    @property
    def without_anything(self) -> list[Row]:
        """The rows of students of whom no mark counts, so that they have no total."""
        return [row for row, value in self.values.items() if value.number is None and not value.reason]

    @property
    def weightless(self) -> dict[str, list[Row]]:
        """For each part of a weighted mean the rows of students of whom nothing in it counts."""
        found: dict[str, list[Row]] = {}
        for row, value in self.values.items():
            for part in value.weightless:
                found.setdefault(part, []).append(row)
        return found

    @property
    def empty(self) -> dict[str, list[Row]]:
        """For each other category the rows of students of whom nothing in it counts, though they have a total."""
        found: dict[str, list[Row]] = {}
        for row, value in self.values.items():
            for category in value.empty if value.number is not None else ():
                found.setdefault(category, []).append(row)
        return found

    @property
    def cut(self) -> list[Row]:
        """The students whose total a limit or a boundary changed at the end."""
        return [row for row, value in self.values.items() if value.uncut is not None]

    @property
    def held(self) -> list[Row]:
        """The rows of students for whom it can't be told."""
        return [row for row, value in self.values.items() if value.reason]


class Disagreement(NamedTuple):
    """An answer that the source calls right and the key wrong, or the other way round."""

    row: Row
    question: "Question"
    code: str
    is_right_in_source: bool


class Silent(NamedTuple):
    """A student who answered nothing: how many questions were skipped, never seen, or blank without more known."""

    student: Student
    skipped: int
    unseen: int
    blank: int


class MadeMarks(NamedTuple):
    """What was made for a transfer.

    Attributes:
        made: the marks, by where they come from.
        totals: what each rule for a total gave.
        disagreements: answers on which the source and the key differ.
        keyed: how many answers were checked against the key.
        silent: the students who answered no question.
        read: what reads the marks for totals, by a student's row.
    """

    made: Mapping[ItemSource, Made]
    totals: tuple[TotalResult, ...] = ()
    disagreements: tuple[Disagreement, ...] = ()
    keyed: int = 0
    read: "Read | None" = None
    silent: tuple[Silent, ...] = ()


def check_totals(results: Sequence[TotalResult], file: Path) -> None:
    """Refuse a total that is checked against a column without a number to compare: such a check always passes.

    Raises:
        Unreadable: there is one.
    """
    findings = [
        Finding(
            "check-of-nothing",
            f'check = "{result.total.check.heading}": '
            f"of '{result.total.rule.name}', no student has two numbers to compare",
            Place(file),
            "Name the column of the export's own total, or take the line away.",
        )
        for result in results
        if result.checked and result.total.check and not result.checked.compared
    ]
    if findings:
        raise Unreadable(*findings)


NOTHING_MADE = MadeMarks(MappingProxyType({}))
