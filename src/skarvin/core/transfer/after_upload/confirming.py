"""Confirms a write: each mark of its ledger, in a fresh export of the target."""

from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from functools import cached_property
from itertools import chain
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Refused, Row
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.arrival import AS_BEFORE, NOT_AS_BEFORE, Arrival, Found
from skarvin.core.ledger.codes import CodeTable
from skarvin.core.ledger.filed import Filed, FiledColumn, FiledStudent
from skarvin.core.plan.drafting.identifier_proposals import IdentifierProposal
from skarvin.core.plan.drafting.wishes import NO_WISHES, Wishes
from skarvin.core.progress import report_progress
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.mark_grammar import is_no_mark
from skarvin.core.transfer.after_upload.comparing import Met, Person, compare
from skarvin.core.transfer.after_upload.expected import expected_of, wanted
from skarvin.core.transfer.after_upload.fresh import LEAST_PAIRED, SAME_COLUMN, FreshItem, read_fresh
from skarvin.core.transfer.after_upload.origin import IDENTICAL, check_origin, told_origin


class ArrivalLine(NamedTuple):
    """One mark: whose, of which item, what was found, the text that was sent, and what the fresh export shows where.

    `student` is None for somebody whom the ledger doesn't know; `fresh` where the fresh export has nobody; `was_sent`
    tells a mark that was sent from one that stood in the form before.
    """

    student: FiledStudent | None
    item: FiledColumn
    found: Found
    sent: str
    shown: str
    was: str
    was_sent: bool
    fresh: Student | None
    column: Column | None

    @property
    def cell(self) -> str:
        """Where it stands in the fresh export, as a spreadsheet names it; blank where it has no such place."""
        return self.fresh.row.cell(self.column.index) if self.fresh and self.column else ""


class Confirmation(msgspec.Struct, frozen=True, kw_only=True, dict=True):
    """What was found of a write.

    Attributes:
        filed: the ledger of the write.
        fresh: the fresh export.
        identifier: what pairs the students.
        pairing: who is who, the fresh export's students first.
        items: where each item stands in the fresh export.
        people: everybody who is in the ledger or the fresh export.
        met: what each code stands for; None for no mark on either side.
        codes: for each of the people a code for each item.
        origin: what is to be said of a fresh export that is one of the write's own files, byte for byte.
        counts_as_confirmed: whether it tells what the target has: the import file doesn't, unless a person says so.
    """

    filed: Filed
    fresh: Gradebook
    identifier: IdentifierProposal
    pairing: Pairing
    items: tuple[FreshItem, ...]
    people: tuple[Person, ...]
    met: tuple[Met | None, ...]
    codes: CodeTable
    origin: Finding | None = None
    counts_as_confirmed: bool = True

    @property
    def lines(self) -> Iterator[ArrivalLine]:
        """Each mark that must be there, or is there, made anew each time: of a district there are millions."""
        return self._lines({code for code, met in enumerate(self.met) if met})

    @cached_property
    def missed(self) -> tuple[ArrivalLine, ...]:
        """Each mark that isn't there as it was sent."""
        return tuple(self._lines({code for code, met in enumerate(self.met) if met and met.found.cause}))

    def _lines(self, wanted: Collection[int]) -> Iterator[ArrivalLine]:
        for row, place in self.codes.find(wanted) if wanted else ():
            (student, fresh), item = self.people[row], self.items[place]
            if met := self.met[self.codes.row(row)[place]]:
                yield ArrivalLine(student, item.item, *met, fresh, item.column)

    def by_student(self) -> Iterator[tuple[FiledStudent, "Counter[Arrival]"]]:
        """Yield each student of the ledger with how many marks were found how."""
        arrivals = [met.found.arrival if met else None for met in self.met]
        for place, one in enumerate(self.people):
            if one.student:
                counts = Counter(map(arrivals.__getitem__, self.codes.row(place)))
                yield one.student, Counter({arrival: count for arrival, count in counts.items() if arrival})

    @cached_property
    def counts(self) -> "Counter[Arrival]":
        """How many marks were found how."""
        return sum((sent + others for sent, others in self._by_item.values()), Counter[Arrival]())

    @cached_property
    def sent(self) -> "Counter[Arrival]":
        """The same of the marks that the write sent or replaced."""
        return sum((sent for sent, _ in self._by_item.values()), Counter[Arrival]())

    @cached_property
    def others(self) -> "Counter[Arrival]":
        """The same of the marks that stood in the form before."""
        return self.counts - self.sent

    def counts_of(self, item: FiledColumn) -> tuple["Counter[Arrival]", "Counter[Arrival]"]:
        """Return how many marks of an item were found how: those that were sent, and the others."""
        return self._by_item.get(id(item), (Counter(), Counter()))

    @cached_property
    def _by_item(self) -> dict[int, tuple["Counter[Arrival]", "Counter[Arrival]"]]:
        found: dict[int, tuple[Counter[Arrival], Counter[Arrival]]] = {}
        for one, counts in zip(self.items, self.codes.count(), strict=True):
            sent, others = found.setdefault(id(one.item), (Counter(), Counter()))
            for code, count in counts.items():
                if met := self.met[code]:
                    (sent if met.was_sent else others)[met.found.arrival] += count
        return found

    @property
    def in_words(self) -> dict[str, int]:
        """How many marks were found how, told apart as people read it: those that were sent, and the others."""
        found = {arrival.value: self.sent[arrival] for arrival in Arrival if arrival is not Arrival.EXTRA}
        found[Arrival.EXTRA.value] = self.counts[Arrival.EXTRA]
        found[AS_BEFORE] = self.others[Arrival.ARRIVED]
        found[NOT_AS_BEFORE] = self.others[Arrival.MISSING] + self.others[Arrival.DIFFERENT]
        return {what: count for what, count in found.items() if count}

    @property
    def left(self) -> list[FiledStudent]:
        """The students of the ledger who aren't in the fresh export, nor may be."""
        unsure = _maybe(self.pairing)
        gone = (student.row.position for student in self.pairing.target_only if student.row not in unsure)
        return [self.filed.students[position - 1] for position in gone]

    @property
    def came(self) -> tuple[Student, ...]:
        """The students of the fresh export whom the ledger doesn't know."""
        return self.pairing.source_only

    @property
    def identities(self) -> Iterator[str]:
        """Every text that says who somebody is, in the ledger and in the fresh export."""
        for one in self.filed.students:
            yield from (one.identifier, one.name, one.birth, *one.also.values())
        for student in self.fresh.students:
            yield from (student.identifier, student.name)
            yield from self.fresh.layout.personal(self.fresh.cells(student.row))

    def with_texts(self, told: Callable[[str], str]) -> "Confirmation":
        """Return the same with the texts of its marks as they are told, for what is shown alone."""
        met = (one and one._replace(sent=told(one.sent), shown=told(one.shown), was=told(one.was)) for one in self.met)
        return msgspec.structs.replace(self, met=tuple(met))

    @property
    def is_in_form_shape(self) -> bool:
        """Whether the fresh export is of the form's own shape, so that it can be filled as the form was."""
        is_same = all(one.reason == SAME_COLUMN for one in self.items)
        return is_same and self.fresh.grid.file.suffix.casefold() == Path(self.filed.form).suffix.casefold()

    @property
    def is_all_there(self) -> bool:
        """Whether every mark is known to have arrived, and nothing besides."""
        others = (self.counts[one] for one in Arrival if one is not Arrival.ARRIVED)
        return not any(others) and not self.pairing.held and self.counts_as_confirmed


def confirm(
    filed: Filed, file: Path, wishes: Wishes = NO_WISHES, least: int = LEAST_PAIRED, *, is_identical_meant: bool = False
) -> Confirmation:
    """Return what became of the marks of a write.

    Args:
        filed: its ledger.
        file: a fresh export of the target, in whatever shape.
        wishes: what a person says: how it is read, which columns pair the students, which item is which.
        least: the percentage of the ledger's students that must be found in it.
        is_identical_meant: whether a person says that it is the target's although it is the import file byte for byte.

    Raises:
        Unreadable: a file can't be read or understood.
        Misused: a person names a column that isn't there.
        Refused: too few of the ledger's students are in the fresh export, or it is a file of the write itself.
    """
    check_origin(filed, file, is_identical_meant=is_identical_meant)
    report_progress("reading the ledger")
    fresh = read_fresh(expected_of(filed), file, wishes, least)
    report_progress("comparing the marks")
    unsure = {row.position for row in _maybe(fresh.pairing)}
    compared = compare(filed, fresh.book, fresh.pairing, fresh.items, unsure)
    origin = told_origin(filed, fresh.book.grid.fingerprint, fresh.book.grid.place())
    found = Confirmation(
        filed=filed,
        fresh=fresh.book,
        identifier=fresh.identifier,
        pairing=fresh.pairing,
        items=fresh.items,
        people=compared.people,
        met=compared.met,
        codes=compared.codes,
        origin=None if is_identical_meant else origin,
        counts_as_confirmed=origin is None or origin.slug != IDENTICAL or is_identical_meant,
    )
    _check_balance(found)
    return found


def _maybe(pairing: Pairing) -> set[Row]:
    """Return the rows of the ledger's students who may be one in the fresh export who isn't confirmed."""
    rows = {waiting.rival.row for waiting in pairing.held if waiting.rival}
    rows |= {suggested.target.row for waiting in pairing.held for suggested in waiting.suggestions}
    return rows | {waiting.student.row for waiting in pairing.held_target}


def _texts(fresh: Gradebook, student: Student, items: Sequence[FreshItem]) -> list[str]:
    """Return what a student has of each item in the fresh export; nothing of one that it doesn't have."""
    cells = fresh.cells(student.row)
    return [cells[one.column.index] if one.column and one.column.index < len(cells) else "" for one in items]


def _check_balance(found: Confirmation) -> None:
    """Refuse a confirmation whose books don't balance, counted from both sides anew.

    Raises:
        Refused: what must be there isn't what arrived, is missing or differs; or what is there isn't what arrived,
            differs or is extra.
    """
    counts = found.counts
    told = Counter(chain.from_iterable(row.cells.values() for row in found.filed))
    waiting = {waiting.student.row for waiting in found.pairing.held}
    known = [one for one in found.items if one.column]
    students = (student for student in found.fresh.students if student.row not in waiting)
    shown = Counter(chain.from_iterable(_texts(found.fresh, student, known) for student in students))
    must = sum(count for cell, count in told.items() if not is_no_mark(wanted(cell)))
    there = sum(count for text, count in shown.items() if not is_no_mark(text))
    sums = (
        (must, counts[Arrival.ARRIVED] + counts[Arrival.MISSING] + counts[Arrival.DIFFERENT]),
        (there, counts[Arrival.ARRIVED] + counts[Arrival.DIFFERENT] + counts[Arrival.EXTRA]),
    )
    if any(one != other for one, other in sums):
        what = f"the books of the fresh export don't balance: {must} and {sums[0][1]}, {there} and {sums[1][1]}"
        raise Refused(Finding("unbalanced", what, found.fresh.grid.place(), "Please report this; nothing was written."))
