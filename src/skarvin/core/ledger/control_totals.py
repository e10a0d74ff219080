"""Control totals: how many marks, and their exact sums, on both sides; and whether the books balance."""

from collections import Counter
from collections.abc import Iterable
from fractions import Fraction
from functools import cached_property

import msgspec

from skarvin.core.findings import Finding, Refused
from skarvin.core.ledger.ledger import Ledger, MappedItem
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Fate, Reason
from skarvin.core.texts.numbers import Number, exact_sum, exact_total

_MOVED = (Fate.SENT, Fate.CHANGED)


class ControlTotal(msgspec.Struct, frozen=True):
    """How many numbers there are, and their exact sum."""

    count: int
    sum: Number


class ItemBooks(msgspec.Struct, frozen=True, kw_only=True, dict=True):
    """The books of one item.

    Attributes:
        item: the item.
        fates: how many source marks have each fate.
        reasons: for the fates that have one, how many marks for each reason.
        cells: how many source cells there are.
        source: all numbers of the source's students, in the item's unit.
        moved_before: the marks that were sent or changed, as the source has them.
        moved_after: the same marks as the target gets them.
        target_before: all numbers of students in the target's item in the form.
        target_after: the same in the import file.
        replaced: the numbers that were replaced.
        moved: the marks that were sent or changed, with how many there are of each.
        boundary: the marks that would be given another word if they were rounded at another point.
        there: the marks that the target has as the export says: sent, changed and the same.
    """

    item: MappedItem
    fates: "Counter[Fate]"
    reasons: "Counter[tuple[Fate, Reason]]"
    cells: int
    source: ControlTotal
    moved_before: ControlTotal
    moved_after: ControlTotal
    target_before: ControlTotal
    target_after: ControlTotal
    replaced: ControlTotal
    moved: tuple[tuple[Outcome, int], ...]
    boundary: tuple[tuple[Outcome, int], ...]
    there: tuple[tuple[Outcome, int], ...]

    @cached_property
    def in_words(self) -> "Counter[tuple[Fate, str]]":
        """How many marks have each fate for each reason, told apart by what people read."""
        found: Counter[tuple[Fate, str]] = Counter()
        for (fate, why), count in self.reasons.items():
            found[fate, why.words] += count
        return found

    @cached_property
    def rounded(self) -> tuple[tuple[Outcome, int], ...]:
        """The moved marks that rounding changed."""
        return tuple((outcome, count) for outcome, count in self.moved if outcome.off)

    @cached_property
    def largest_change(self) -> Fraction:
        """The most by which rounding changed a mark."""
        return max((abs(outcome.off) for outcome, _ in self.rounded), default=Fraction(0))

    @cached_property
    def goes_down(self) -> int:
        """How many marks of the target were replaced by lower ones."""
        return sum(count for outcome, count in self.moved if outcome.goes_down)


def item_books(ledger: Ledger) -> list[ItemBooks]:
    """Return the books of each item, in the order of the export's columns."""
    totals = []
    for index, item in enumerate(ledger.items):
        ours, theirs = ledger.counts[index], ledger.target_only_counts[index] if item.target else Counter()
        own = _without(ours, ledger.apart_counts[index])
        theirs = _without(theirs, ledger.target_apart_counts[index]) if item.target else theirs
        totals.append(_books(item, *(_told(ledger, counts) for counts in (ours, own, theirs))))
    return sorted(totals, key=lambda books: books.item.source.order)


def _without(counts: "Counter[int]", some: "Counter[int]") -> "Counter[int]":
    """Return counts less some of them; no count goes below zero."""
    rest = Counter(counts)
    rest.subtract(some)
    if any(count < 0 for count in rest.values()):
        raise ValueError(rest)
    return +rest


_Counted = list[tuple[Outcome, int]]


def _told(ledger: Ledger, counts: "Counter[int]") -> _Counted:
    return [(ledger.outcomes[code], count) for code, count in counts.items()]


def _books(item: MappedItem, ours: _Counted, own: _Counted, theirs: _Counted) -> ItemBooks:
    """Return the books of an item: of all its entries, of those of students, and of cells that no mark meets."""
    fates: Counter[Fate] = Counter()
    reasons: Counter[tuple[Fate, Reason]] = Counter()
    for outcome, count in ours:
        if outcome.fate:
            fates[outcome.fate] += count
            if outcome.why:
                reasons[outcome.fate, outcome.why] += count
    moved = [(outcome, count) for outcome, count in ours if outcome.fate in _MOVED]
    number = item.rule.target_number
    cells = [*own, *theirs]
    return ItemBooks(
        item=item,
        fates=fates,
        reasons=reasons,
        cells=sum(count for _, count in ours),
        source=_control_total((outcome.before, count) for outcome, count in own),
        moved_before=_control_total((outcome.before, count) for outcome, count in moved),
        moved_after=_control_total((outcome.number, count) for outcome, count in moved),
        target_before=_control_total((number(outcome.was), count) for outcome, count in cells),
        target_after=_control_total((number(_now(outcome)), count) for outcome, count in cells),
        replaced=_control_total((number(outcome.was), count) for outcome, count in moved),
        moved=tuple(moved),
        boundary=tuple((outcome, count) for outcome, count in ours if outcome.note),
        there=tuple((outcome, count) for outcome, count in ours if outcome.fate in {*_MOVED, Fate.SAME}),
    )


def _now(outcome: Outcome) -> str:
    return outcome.was if outcome.written is None else outcome.written


def _control_total(numbers: Iterable[tuple[Number | None, int]]) -> ControlTotal:
    known = [(number, count) for number, count in numbers if number is not None]
    return ControlTotal(sum(count for _, count in known), exact_total(known))


def check_balance(totals: list[ItemBooks], source_rows: int) -> None:
    """Refuse books that don't balance.

    Args:
        totals: the books of each item.
        source_rows: how many rows with marks the export has, counted apart from the ledger.

    Raises:
        Refused: an item's fates don't add up to its source marks, or its sums don't add up.
    """
    findings = []
    for books in totals:
        heading = books.item.source.named
        if sum(books.fates.values()) != source_rows:
            what = f"'{heading}': {sum(books.fates.values())} fates for {source_rows} source marks"
            findings.append(Finding("unbalanced-count", what))
        count = books.target_before.count - books.replaced.count + books.moved_after.count
        total = exact_sum([books.target_before.sum, -books.replaced.sum, books.moved_after.sum])
        if (books.target_after.count, books.target_after.sum) != (count, total):
            what = (
                f"'{heading}': the target's marks should be {count} with the sum {total}, "
                f"and are {books.target_after.count} with the sum {books.target_after.sum}"
            )
            findings.append(Finding("unbalanced-sum", what))
    if findings:
        raise Refused(*findings, Finding("unbalanced", "the books don't balance, so nothing was written"))
