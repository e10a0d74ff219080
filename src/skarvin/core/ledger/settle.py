"""Gives each source mark and each target cell its one fate.

Each distinct text is decided once: items whose rules are equal share a table from text to code, and the ledger
keeps one code for each cell.
"""

from array import array
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import compress
from operator import itemgetter

from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.ledger.fates import Fate, Outcome, decide
from skarvin.core.ledger.ledger import Entry, Ledger, MappedItem
from skarvin.core.marks.convert import Blank, MarkRule
from skarvin.core.marks.numbers import read_number
from skarvin.core.students.pairing import Pairing

_Pick = Callable[[Sequence[str]], Sequence[str]]


class _Table(dict[str, int]):
    """From a text to the code of its outcome; a text met for the first time is decided then."""

    def __init__(self, outcomes: list[Outcome], decision: Callable[[str], Outcome]) -> None:
        super().__init__()
        self._outcomes = outcomes
        self._decision = decision

    def __missing__(self, text: str) -> int:
        self._outcomes.append(self._decision(text))
        self[text] = code = len(self._outcomes) - 1
        return code


class _Meetings(dict[str, _Table]):
    """From a target's cell, as it stands in the file, to the table for the marks that meet it under one rule."""

    def __init__(self, outcomes: list[Outcome], rule: MarkRule, value: Callable[[str], str]) -> None:
        super().__init__()
        self._outcomes = outcomes
        self._rule = rule
        self._value = value

    def __missing__(self, raw: str) -> _Table:
        held, rule = self._value(raw), self._rule
        self[raw] = table = _Table(self._outcomes, lambda text: decide(text, held, raw, rule))
        return table


@dataclass(frozen=True)
class _Lane:
    """Items that are decided alike: they share their tables."""

    rule: MarkRule
    meetings: _Meetings
    pick_source: _Pick
    pick_target: _Pick
    indices: range


class _Book:
    """The tables of one settling that are not a lane's own."""

    def __init__(self, target: Gradebook) -> None:
        self.outcomes: list[Outcome] = []
        self.value = target.grid.dialect.value
        self._unmet: dict[tuple[MarkRule | None, Fate, str, str], _Table] = {}
        self.untouched = self._table(self._decide_untouched)

    def unmet(self, rule: MarkRule | None, fate: Fate, slug: str, reason: str) -> _Table:
        """Return the table for marks that meet no target cell; with a rule, one that leaves blanks lets them be."""
        key = (rule, fate, slug, reason)
        if key not in self._unmet:
            lets_blanks_be = rule is not None and rule.blank is Blank.LEAVE

            def decision(text: str) -> Outcome:
                if lets_blanks_be and not text.strip():
                    return Outcome(Fate.LEFT_OUT, text, slug="blank", reason="blank")
                return Outcome(fate, text, slug=slug, reason=reason, before=read_number(text))

            self._unmet[key] = self._table(decision)
        return self._unmet[key]

    def _decide_untouched(self, raw: str) -> Outcome:
        return Outcome(None, "", held=self.value(raw), raw=raw)

    def _table(self, decision: Callable[[str], Outcome]) -> _Table:
        return _Table(self.outcomes, decision)


def settle(source: Gradebook, target: Gradebook, pairing: Pairing, items: Iterable[MappedItem]) -> Ledger:
    """Return the ledger of a transfer: a code for each cell of the source's items and of the fed target items."""
    book = _Book(target)
    fed, rest, lanes = _in_lanes(items, book)
    apart = _picker([item.source.index for item in rest])
    left_out_items = [book.unmet(None, Fate.LEFT_OUT, "not-mapped", item.reason) for item in rest]

    def rest_codes(cells: Sequence[str]) -> list[int]:
        return [table[text] for table, text in zip(left_out_items, apart(cells), strict=True)]

    def paired(ours: Student, theirs: Student) -> Entry:
        cells, raw = source.grid.cells(ours.row), target.grid.raw_cells(theirs.row)
        codes = array("I")
        for lane in lanes:
            texts, meets = lane.pick_source(cells), lane.pick_target(raw)
            found = list(map(lane.meetings[""].__getitem__, texts))
            for index in compress(lane.indices, meets):
                found[index] = lane.meetings[meets[index]][texts[index]]
            codes.extend(found)
        codes.extend(rest_codes(cells))
        return Entry(ours, theirs, codes)

    def unpaired(student: Student, fate: Fate, slug: str, reason: str) -> Entry:
        cells = source.grid.cells(student.row)
        codes = array("I")
        for lane in lanes:
            codes.extend(map(book.unmet(lane.rule, fate, slug, reason).__getitem__, lane.pick_source(cells)))
        codes.extend(rest_codes(cells))
        return Entry(student, None, codes)

    def target_only(student: Student) -> Entry:
        raw = target.grid.raw_cells(student.row)
        codes = array("I")
        for lane in lanes:
            codes.extend(map(book.untouched.__getitem__, lane.pick_target(raw)))
        return Entry(None, student, codes)

    entries = [paired(one.source, one.target) for one in pairing.pairs]
    entries += [
        unpaired(one, Fate.HELD, "not-in-template", "the student is not in the template") for one in pairing.source_only
    ]
    entries += [unpaired(one.student, Fate.HELD, one.slug, "the student is held") for one in pairing.held]
    entries += [
        unpaired(one, Fate.LEFT_OUT, "student-left-out", "the student is not to be moved") for one in pairing.left_out
    ]
    entries += [unpaired(one, Fate.LEFT_OUT, "no-student", "the row is no student") for one in source.struck]
    entries.sort(key=lambda entry: entry.source.row if entry.source else 0)
    without = [*pairing.target_only, *(one.student for one in pairing.held_target), *target.struck]
    entries += [target_only(student) for student in sorted(without, key=lambda student: student.row)]
    return Ledger((*fed, *rest), tuple(book.outcomes), tuple(entries))


def _in_lanes(items: Iterable[MappedItem], book: _Book) -> tuple[list[MappedItem], list[MappedItem], list[_Lane]]:
    """Return the items that feed something in the order of their lanes, the others, and the lanes."""
    by_rule: dict[MarkRule, list[MappedItem]] = {}
    rest: list[MappedItem] = []
    for item in items:
        (by_rule.setdefault(item.rule, []) if item.target else rest).append(item)
    lanes = [
        _Lane(
            rule,
            _Meetings(book.outcomes, rule, book.value),
            _picker([item.source.index for item in same]),
            _picker([item.target.index for item in same if item.target]),
            range(len(same)),
        )
        for rule, same in by_rule.items()
    ]
    return [item for same in by_rule.values() for item in same], rest, lanes


def _picker(columns: Sequence[int]) -> _Pick:
    """Return what takes the cells at `columns` out of a row, always as a tuple."""
    if len(columns) > 1:
        return itemgetter(*columns)
    return lambda cells: tuple(cells[column] for column in columns)
