"""The ledger: one code for each cell, and the outcome that each code stands for."""

from array import array
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.fates import Fate, Outcome
from skarvin.core.marks.convert import MarkRule

_MANY = 2_000_000
"""From this many cells on NumPy counts faster than its import takes."""


@dataclass(frozen=True, slots=True)
class MappedItem:
    """One source item and what it feeds; `target` is None for an item whose marks are left out for `reason`."""

    source: Column
    target: Column | None
    rule: MarkRule
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Entry:
    """The fates of one student's marks: a code for each item. Students on one side alone have an entry too."""

    source: Student | None
    target: Student | None
    codes: "array[int]"


@dataclass(frozen=True, slots=True)
class Line:
    """One mark with its place: the entry, the item and the outcome."""

    entry: Entry
    item: MappedItem
    outcome: Outcome


@dataclass(frozen=True)
class Ledger:
    """All fates. The items that feed something come first; target-only entries have codes for those alone."""

    items: tuple[MappedItem, ...]
    outcomes: tuple[Outcome, ...]
    entries: tuple[Entry, ...]

    @property
    def fed(self) -> tuple[MappedItem, ...]:
        """The items that feed a target item."""
        return tuple(item for item in self.items if item.target)

    @cached_property
    def counts(self) -> list["Counter[int]"]:
        """For each item, how many source marks have each code."""
        return _count([entry.codes for entry in self.entries if entry.source], len(self.items))

    @cached_property
    def target_only_counts(self) -> list["Counter[int]"]:
        """For each item that feeds something, how many cells without a source mark have each code."""
        return _count([entry.codes for entry in self.entries if not entry.source], len(self.fed))

    @cached_property
    def fates(self) -> "Counter[Fate]":
        """How many source marks have each fate."""
        total: Counter[Fate] = Counter()
        for counts in self.counts:
            for code, count in counts.items():
                fate = self.outcomes[code].fate
                if fate:
                    total[fate] += count
        return total

    def lines(self, fates: Iterable[Fate]) -> Iterator[Line]:
        """Yield each source mark with one of these fates, student by student in the order of the export."""
        wanted = set(fates)
        codes = {code for code, outcome in enumerate(self.outcomes) if outcome.fate in wanted}
        for entry in self.entries:
            if entry.source and not codes.isdisjoint(entry.codes):
                yield from (
                    Line(entry, item, self.outcomes[code])
                    for item, code in zip(self.items, entry.codes, strict=True)
                    if code in codes
                )


def _count(rows: list["array[int]"], width: int) -> list["Counter[int]"]:
    """Return for each column of the rows how often each code stands in it."""
    flat = array("I")
    for row in rows:
        flat += row
    if len(flat) < _MANY:
        return [Counter(flat[column::width]) for column in range(width)]
    import numpy as np  # noqa: PLC0415 - worth its import for much data alone

    table = np.frombuffer(flat, dtype=np.uint32).reshape(-1, width)
    counted = (np.bincount(table[:, column]) for column in range(width))
    return [Counter({int(code): int(count[code]) for code in count.nonzero()[0]}) for count in counted]
