"""The ledger: one code for each cell, and the outcome that each code stands for."""

from collections import Counter
from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.grid.coding import MANY
from skarvin.core.layout.columns import Column, ItemSource
from skarvin.core.ledger.codes import CodeTable
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.marks.rule import Rule
from skarvin.core.marks.several import Several
from skarvin.core.reasons import Cause, Fate, Reason

_FEW = 200_000
"""Of a large ledger, the marks with a fate that no more have are found once for all lists of them."""


class MappedItem(NamedTuple):
    """One source item and what it feeds; `target` is None for an item whose marks are left out, and `why`.

    `several` says which of several marks of one student counts.
    """

    source: ItemSource
    target: Column | None
    rule: Rule
    why: Reason | None = None
    several: Several = Several()

    def cell(self, row: Row) -> str:
        """Return where the mark of a row stands in the export, as a spreadsheet names it; of a made one, the row."""
        place = self.source.in_file(row.source.number) if isinstance(self.source, Column) else None
        if place is None or not row.has(place):
            return row.in_words
        return f"{row.cell(place)} of {row.source.called}" if row.source.number else row.cell(place)


class Entry(NamedTuple):
    """One student's line in the ledger; a student on one side alone has one too. `position` is that of its codes."""

    position: int
    source: Student | None
    target: Student | None


class _Rare(NamedTuple):
    """The codes of fates that few marks have, and where these stand: most lists are of such marks."""

    codes: frozenset[int]
    places: list[tuple[int, int]]


class Line(NamedTuple):
    """One mark with its place: the entry, the item and the outcome."""

    entry: Entry
    item: MappedItem
    outcome: Outcome


class Ledger(msgspec.Struct, frozen=True, dict=True):
    """All fates.

    Attributes:
        items: the source's items; those that feed something come first.
        outcomes: what each code stands for.
        entries: a line for each student of the source, in the order of the export.
        codes: a row for each entry, a column for each item.
        target_only: a line for each student that stands in the form alone or is held there.
        target_only_codes: a row for each of these, a column for each item that feeds something.
        apart: the rows of both files that are nobody's; no sum has their marks.
    """

    items: tuple[MappedItem, ...]
    outcomes: tuple[Outcome, ...]
    entries: tuple[Entry, ...]
    codes: CodeTable
    target_only: tuple[Entry, ...]
    target_only_codes: CodeTable
    apart: frozenset[Row] = frozenset()

    @cached_property
    def apart_counts(self) -> list["Counter[int]"]:
        """For each item, how many marks of rows that are nobody's have each code: averages, practice students."""
        rows = [self.codes.row(one.position) for one in self.entries if one.source and one.source.row in self.apart]
        return [Counter(column) for column in zip(*rows, strict=True)] or [Counter() for _ in self.items]

    @cached_property
    def target_apart_counts(self) -> list["Counter[int]"]:
        """The same for the form's rows, and items that feed something."""
        ours = (one for one in self.target_only if one.target and one.target.row in self.apart)
        rows = [self.target_only_codes.row(one.position) for one in ours]
        return [Counter(column) for column in zip(*rows, strict=True)] or [Counter() for _ in self.fed]

    @cached_property
    def fed(self) -> tuple[MappedItem, ...]:
        """The items that feed a target item."""
        return tuple(item for item in self.items if item.target)

    def place_of(self, item: MappedItem) -> int:
        """Return which of the items one of them is: found by itself, since comparing thousands would take long."""
        return self._places_of_items[id(item)]

    @cached_property
    def _places_of_items(self) -> dict[int, int]:
        return {id(item): place for place, item in enumerate(self.items)}

    @cached_property
    def counts(self) -> list["Counter[int]"]:
        """For each item, how many source marks have each code."""
        return self.codes.count()

    @cached_property
    def target_only_counts(self) -> list["Counter[int]"]:
        """For each item that feeds something, how many cells without a source mark have each code."""
        return self.target_only_codes.count()

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

    def outcomes_of(self, entry: Entry) -> list[Outcome]:
        """Return an entry's outcomes in the order of the items; of a target-only one for those that feed something."""
        codes = self.codes if entry.source else self.target_only_codes
        return [self.outcomes[code] for code in codes.row(entry.position)]

    def codes_with(self, fates: Iterable[Fate]) -> set[int]:
        """Return the codes of the outcomes that have one of these fates."""
        wanted = set(fates)
        return {code for code, outcome in enumerate(self.outcomes) if outcome.fate in wanted}

    def lines_because(self, cause: Cause) -> Iterator[Line]:
        """Yield each source mark that has what it has for one reason, student by student."""
        wanted = {code for code, outcome in enumerate(self.outcomes) if outcome.why and outcome.why.cause is cause}
        yield from self._lines(wanted) if wanted else ()

    def lines_with(self, codes: set[int]) -> Iterator[Line]:
        """Yield each source mark whose outcome has one of these codes, student by student."""
        yield from self._lines(codes) if codes else ()

    def lines(self, fates: Iterable[Fate]) -> Iterator[Line]:
        """Yield each source mark with one of these fates, student by student in the order of the export."""
        wanted = self.codes_with(fates)
        yield from self._lines(wanted) if wanted else ()

    @cached_property
    def _rare(self) -> "_Rare":
        rare = frozenset(code for code in self._there if self.fates[self.outcomes[code].fate or Fate.SENT] <= _FEW)
        return _Rare(rare, list(self.codes.find(rare)) if rare else [])

    @cached_property
    def _there(self) -> frozenset[int]:
        """The codes that any mark has."""
        return frozenset().union(*self.counts)

    def _places(self, wanted: set[int]) -> Iterable[tuple[int, int]]:
        """Return row and column of each mark with one of some codes, row by row."""
        there = wanted & self._there
        if not there:
            return ()
        if len(self.codes.codes) < MANY or not there <= self._rare.codes:
            return self.codes.find(there)
        codes, width = self.codes.codes, self.codes.width
        return [place for place in self._rare.places if codes[place[0] * width + place[1]] in there]

    def _lines(self, wanted: set[int]) -> Iterator[Line]:
        for row, column in self._places(wanted):
            outcome = self.outcomes[self.codes.codes[row * self.codes.width + column]]
            yield Line(self.entries[row], self.items[column], outcome)
