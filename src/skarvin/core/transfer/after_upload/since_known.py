"""What is asked of earlier writes, and what is found: the words in which both are said."""

from array import array
from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import msgspec

from skarvin.core.findings import Finding, Row
from skarvin.core.gradebook import Student
from skarvin.core.grid.coding import Coding
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.codes import CodeTable
from skarvin.core.ledger.fates import Since
from skarvin.core.marks.rule import Rule
from skarvin.core.plan.plan import Plan
from skarvin.core.transfer.sides import Sides

if TYPE_CHECKING:
    from skarvin.core.ledger.run_history import ItemKey

Texts = Mapping[Row, Mapping[int, str]]
"""Texts of the form's cells, by the student's row and the column."""


class Told(NamedTuple):
    """Texts of the form's cells: a code for each, with a row for each student and a column for each that marks go to.

    Attributes:
        codes: the codes.
        texts: what each stands for; None where nothing is told.
    """

    codes: CodeTable
    texts: Sequence[str | None]


class KeptMarks(NamedTuple):
    """Marks of an earlier write: items, the row of each identifier, a code for each item, and what codes stand for."""

    items: "Sequence[ItemKey]"
    rows: Mapping[str, int]
    codes: CodeTable
    texts: Sequence[str | None]


class SinceFound(NamedTuple):
    """What is known, in words where it comes from, and what is worth telling of it.

    Once all is settled what is known of each cell is let go, and `is_known` says that there was something.
    """

    since: Since = Since()
    origin: str = ""
    notes: tuple[Finding, ...] = ()
    is_known: bool = False


NOTHING_KNOWN = SinceFound()


class Asked(msgspec.Struct, frozen=True, dict=True):
    """What is asked about: the transfer's file and text, its plan, and both sides."""

    file: Path
    text: str
    plan: Plan
    sides: Sides

    @cached_property
    def fed(self) -> list[tuple[Column, Rule]]:
        """The form's columns that marks go to, each with its rule; those of one rule beside each other."""
        by_rule: dict[Rule, list[tuple[Column, Rule]]] = {}
        for item in self.sides.items:
            if item.target:
                by_rule.setdefault(item.rule, []).append((item.target, item.rule))
        return [*chain.from_iterable(by_rule.values())]

    @property
    def students(self) -> tuple[Student, ...]:
        """The form's students."""
        return self.sides.target.students

    def is_form(self, digest: str) -> bool:
        """Tell whether this is the SHA-256 of the form."""
        return self.sides.form.grid.fingerprint == digest

    @cached_property
    def form(self) -> Told:
        """What the form's cells say that marks go to."""
        coding, book = Coding(), self.sides.target
        rows, columns = [student.row for student in self.students], [column.index for column, _ in self.fed]
        try:
            codes = book.code_cells(coding, rows, columns)
        except IndexError:  # a row is too short
            codes = array("I", [coding.code(book.text(row, at)) for row in rows for at in columns])
        return Told(CodeTable(codes, len(columns)), [text.strip() for text in coding.texts])

    def told(self, texts: Texts) -> Told:
        """Return texts by row and column as codes."""
        coding = Coding()
        nothing = coding.code_for(None)
        codes = array("I")
        for student in self.students:
            mine = texts.get(student.row, {})
            codes.extend(coding.code(mine[at.index]) if at.index in mine else nothing for at, _ in self.fed)
        return Told(CodeTable(codes, len(self.fed)), [None, *coding.texts[1:]])


Convert = Callable[[str], Texts]
"""From the name of an earlier export to what it would have sent."""
