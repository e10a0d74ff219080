"""The ledger: one code for each cell, and the outcome that each code stands for."""

from array import array
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.codes import count_codes, find_codes, join_codes
from skarvin.core.ledger.fates import Fate, Outcome
from skarvin.core.marks.convert import MarkRule


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
        return count_codes(self._source_codes, len(self.items))

    @cached_property
    def target_only_counts(self) -> list["Counter[int]"]:
        """For each item that feeds something, how many cells without a source mark have each code."""
        rows = [entry.codes for entry in self.entries if not entry.source]
        return count_codes(join_codes(rows), len(self.fed))

    @cached_property
    def _source_codes(self) -> "array[int]":
        return join_codes([entry.codes for entry in self.entries if entry.source])

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
        width = len(self.items)
        sources = [entry for entry in self.entries if entry.source]
        for position in find_codes(self._source_codes, codes):
            row, column = divmod(position, width)
            yield Line(sources[row], self.items[column], self.outcomes[self._source_codes[position]])
