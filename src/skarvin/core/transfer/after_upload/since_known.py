"""What is asked of earlier writes, and what is found: the words in which both are said."""

from collections.abc import Callable, Mapping
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Row
from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.fates import Since
from skarvin.core.marks.rule import Rule
from skarvin.core.plan.plan import Plan
from skarvin.core.transfer.sides import Sides

Texts = Mapping[Row, Mapping[int, str]]
"""Texts of the form's cells, by the student's row and the column."""


class SinceFound(NamedTuple):
    """What is known, in words where it comes from, and what is worth telling of it."""

    since: Since = Since()
    origin: str = ""
    notes: tuple[Finding, ...] = ()


NOTHING_KNOWN = SinceFound()


class Asked(msgspec.Struct, frozen=True, dict=True):
    """What is asked about: the transfer's file and text, its plan, and both sides."""

    file: Path
    text: str
    plan: Plan
    sides: Sides

    @cached_property
    def fed(self) -> list[tuple[Column, Rule]]:
        """The form's columns that marks go to, each with its rule."""
        return [(item.target, item.rule) for item in self.sides.items if item.target]

    @property
    def students(self) -> tuple[Student, ...]:
        """The form's students."""
        return self.sides.target.students

    def is_form(self, digest: str) -> bool:
        """Tell whether this is the SHA-256 of the form."""
        return self.sides.form.grid.fingerprint == digest

    def cells(self, student: Student) -> list[str]:
        """Return what the form's cells say that marks go to, in the order of these columns; cut out of the row once."""
        cells = self.sides.target.cells(student.row)
        return [cells[column.index].strip() if column.index < len(cells) else "" for column, _ in self.fed]


Convert = Callable[[str], Texts]
"""From the name of an earlier export to what it would have sent."""
