"""Every mark of a ledger beside a fresh export: what two texts of an item make of each other is told once."""

from array import array
from collections import Counter
from collections.abc import Container, Iterable, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.grid.coding import Coding, widened
from skarvin.core.ledger.arrival import Arrival, ArrivalCause, Found, ItemComparison
from skarvin.core.ledger.codes import CodeTable, ColumnRun, Meet, decide
from skarvin.core.ledger.filed import Filed, FiledCell, FiledColumn, FiledStudent
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.mark_grammar import is_no_mark
from skarvin.core.transfer.after_upload.expected import NOTHING, wanted
from skarvin.core.transfer.after_upload.fresh import FreshItem


class Met(NamedTuple):
    """What a cell of the fresh export says beside the ledger: what was found, the text that was sent, what is shown.

    `was` is what the form said, and `was_sent` tells a mark that was sent from one that stood there before.
    """

    found: Found
    sent: str
    shown: str
    was: str
    was_sent: bool


class Person(NamedTuple):
    """A row of the comparison: a student of the ledger, of the fresh export, or of both."""

    student: FiledStudent | None
    fresh: Student | None


class Compared(NamedTuple):
    """What was found of all marks.

    Attributes:
        people: the ledger's students in the order of the form, then newcomers.
        met: what each code stands for; None for no mark on either side.
        codes: for each of the people a code for each item.
    """

    people: tuple[Person, ...]
    met: tuple[Met | None, ...]
    codes: CodeTable


class _Told(dict[FiledCell | None, int]):
    """From what the ledger says of a cell to its code; None stands for a student whom it doesn't know."""

    def __missing__(self, cell: FiledCell | None) -> int:
        self[cell] = code = len(self)
        return code


def compare(filed: Filed, fresh: Gradebook, pairing: Pairing, items: Sequence[FreshItem], unsure: set[int]) -> Compared:
    """Return what became of every mark that must be there or is there.

    Args:
        filed: the ledger.
        fresh: the fresh export.
        pairing: who is who, the fresh export's students first.
        items: where each item stands in the fresh export.
        unsure: the positions of the ledger's students who may be one who isn't confirmed.
    """
    people, told, known = _told_of_all(filed, pairing, items)
    coding, columns = Coding(), [one.column.index for one in items if one.column]
    found = CodeTable(fresh.code_cells(coding, [one.fresh.row for one in people if one.fresh], columns), len(columns))
    comparing = _Comparing(known, coding)
    runs = comparing.runs(items, filed.questions, told, found)
    shown = CodeTable(comparing.spread(found, people, items, unsure), len(items))
    decided = decide(shown, told, runs)
    return Compared(tuple(people), tuple(comparing.met), decided)


def _told_of_all(
    filed: Filed, pairing: Pairing, items: Sequence[FreshItem]
) -> tuple[list[Person], CodeTable, list[FiledCell | None]]:
    """Return everybody, a code for each of their items for what the ledger says, and what the codes stand for."""
    by_position = {pair.target.row.position: pair.source for pair in pairing.pairs}
    places, known, codes = [one.item.index for one in items], _Told(), array("I")
    people = []
    for position, row in enumerate(filed, 1):
        codes.extend([known[row.cells.get(place, NOTHING)] for place in places])
        people.append(Person(row.student, by_position.get(position)))
    for student in pairing.source_only:
        codes.extend([known[None]] * len(items))
        people.append(Person(None, student))
    return people, CodeTable(codes, len(items)), list(known)


class _Comparing:
    """Gives each meeting of what the ledger says and what the fresh export shows its code."""

    def __init__(self, told: Sequence[FiledCell | None], coding: Coding) -> None:
        self._told, self._coding = told, coding
        self._causes = {coding.code_for(cause): cause for cause in ArrivalCause}
        self._codes: dict[Met | None, int] = {None: 0}

    @property
    def met(self) -> Iterable[Met | None]:
        """What each code stands for."""
        return self._codes

    def runs(
        self, items: Sequence[FreshItem], questions: Container[str], told: CodeTable, shown: CodeTable
    ) -> list[ColumnRun]:
        """Return what decides about each item, by all texts of it that were sent and that are there."""
        there = iter(shown.count())
        shown_of = [next(there) if one.column else Counter[int]() for one in items]
        rules = [self._rule(*known, questions) for known in zip(items, told.count(), shown_of, strict=True)]
        return [ColumnRun(place, place + 1, self._meeting(rule)) for place, rule in enumerate(rules)]

    def _rule(
        self, item: FreshItem, sent: Mapping[int, int], shown: Mapping[int, int], questions: Container[str]
    ) -> ItemComparison:
        texts: Counter[str] = Counter()
        for code, count in sent.items():
            if cell := self._told[code]:
                texts[wanted(cell)] += count
        return ItemComparison(
            texts,
            {self._coding.texts[code]: count for code, count in shown.items()},
            (expected_maximum(item.item), item.column.out_of if item.column else None),
            is_answer=item.item.heading in questions,
        )

    def spread(
        self, found: CodeTable, people: Sequence[Person], items: Sequence[FreshItem], unsure: set[int]
    ) -> "array[int]":
        """Return for each of the people and each item the code of what is shown, or of why nothing is."""
        places = [place for place, one in enumerate(items) if one.column]
        codes, there, present = array("I"), CodeTable(widened(found.codes), found.width), 0
        for position, one in enumerate(people, 1):
            why = ArrivalCause.STUDENT_UNSURE if position in unsure else ArrivalCause.STUDENT_MISSING
            row = array("I", [self._coding.code_for(ArrivalCause.ITEM_MISSING if one.fresh else why)]) * len(items)
            if one.fresh:
                for place, code in zip(places, there.row(present), strict=True):
                    row[place] = code
                present += 1
            codes.extend(row)
        return codes

    def _meeting(self, rule: ItemComparison) -> Meet:
        def meet(told: int, shown: int) -> int:
            cell, cause = self._told[told], self._causes.get(shown)
            text = "" if cause else self._coding.texts[shown]
            if cell is None:
                found = None if is_no_mark(text) else Found(Arrival.EXTRA, ArrivalCause.STUDENT_NEW)
            elif cause:
                found = None if is_no_mark(wanted(cell)) else Found(Arrival.MISSING, cause)
            else:
                found = rule.compare(cell, text)
            return self._code(cell or NOTHING, text, found)

        return meet

    def _code(self, cell: FiledCell, shown: str, found: Found | None) -> int:
        was_sent = cell.now is not None and not is_no_mark(cell.now)
        met = Met(found, wanted(cell), shown, cell.was, was_sent) if found else None
        return self._codes.setdefault(met, len(self._codes))


def expected_maximum(item: FiledColumn) -> Decimal | None:
    """Return the maximum of an item where it was sent to."""
    return None if item.out_of is None else Decimal(item.out_of)
