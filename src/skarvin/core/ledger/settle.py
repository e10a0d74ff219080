"""Gives each source mark and each target cell its one fate.

Every distinct text has a code, on either side; a source text that meets a target cell under one rule is decided once. A
student who has no row in the template meets, in place of cells, the reason for that.
"""

from array import array
from collections.abc import Iterable, Sequence
from decimal import Decimal
from itertools import groupby
from typing import NamedTuple

from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import TextGrid
from skarvin.core.ledger.codes import CodeTable, Lane, Meet, decide
from skarvin.core.ledger.fates import Fate, Outcome
from skarvin.core.ledger.fates import decide as decide_one
from skarvin.core.ledger.ledger import Entry, Ledger, MappedItem
from skarvin.core.marks.convert import Blank, MarkRule, convert
from skarvin.core.marks.numbers import read_number
from skarvin.core.marks.reading import read_mark
from skarvin.core.students.pairing import Pairing


class _Unmet(NamedTuple):
    """Why a student's marks meet no cell, and the fate that follows."""

    fate: Fate
    slug: str
    reason: str


_NOT_IN_TEMPLATE = _Unmet(Fate.HELD, "not-in-template", "the student is not in the template")
_LEFT_OUT = _Unmet(Fate.LEFT_OUT, "student-left-out", "the student is not to be moved")


class _Book:
    """Decides meetings of texts and writes the outcomes down."""

    def __init__(self, target: Gradebook) -> None:
        self.outcomes: list[Outcome] = []
        self.ours, self.theirs = Coding(), Coding()
        grid = target.grid
        self._value = grid.dialect.value if isinstance(grid, TextGrid) else str
        self._unmet: dict[int, _Unmet] = {}
        self._reasons: dict[_Unmet, int] = {}

    def reason(self, why: _Unmet) -> int:
        """Return the code that stands in place of a target's cell for a student who has none."""
        if why not in self._reasons:
            code = self.theirs.code(f"\0{len(self._reasons)}")  # no cell holds a NUL
            self._reasons[why], self._unmet[code] = code, why
        return self._reasons[why]

    def meeting(self, rule: MarkRule) -> Meet:
        """Return what decides the meetings of one rule."""

        def meet(their_code: int, our_code: int) -> int:
            text, raw = self.ours.texts[our_code], self.theirs.texts[their_code]
            why = self._unmet.get(their_code)
            return self._write(
                decide_one(text, self._value(raw), raw, rule) if why is None else _unmet(text, why, rule)
            )

        return meet

    def leaving_out(self, reason: str) -> Meet:
        """Return what leaves out the marks of an item that feeds nothing."""

        def meet(_: int, our_code: int) -> int:
            text = self.ours.texts[our_code]
            return self._write(Outcome(Fate.LEFT_OUT, text, slug="not-mapped", reason=reason, before=read_number(text)))

        return meet

    def untouched(self, their_code: int, _: int) -> int:
        """Write down a target's cell that no source mark meets."""
        raw = self.theirs.texts[their_code]
        return self._write(Outcome(None, "", held=self._value(raw), raw=raw))

    def _write(self, outcome: Outcome) -> int:
        self.outcomes.append(outcome)
        return len(self.outcomes) - 1


def _unmet(text: str, why: _Unmet, rule: MarkRule) -> Outcome:
    if rule.blank is Blank.LEAVE and not text.strip():
        return Outcome(Fate.LEFT_OUT, text, slug="blank", reason="blank")
    mark = read_mark(text, is_comma=rule.is_comma)
    return Outcome(why.fate, text, slug=why.slug, reason=why.reason, before=mark.number if mark else None)


def settle(source: Gradebook, target: Gradebook, pairing: Pairing, items: Iterable[MappedItem]) -> Ledger:
    """Return the ledger of a transfer: a fate for each cell of the source's items and of the fed target items."""
    book = _Book(target)
    fed, rest = _in_lanes(items)
    entries, meets = _entries(source, pairing, book)
    columns = [item.target.index for item in fed if item.target]
    ours = CodeTable(
        book.ours.cells(source.grid, [entry.source.row for entry in entries if entry.source], _sources([*fed, *rest])),
        len(fed) + len(rest),
    )
    paired = [entry.target.row for entry in entries if entry.target]
    met = book.theirs.cells(target.grid, paired, columns, raw=True)
    theirs = CodeTable(_spread(met, len(columns), meets, len(rest)), ours.width)
    _let_the_highest_count(entries, ours, theirs, [item.rule for item in fed], book)
    codes = decide(ours, theirs, [*_fed_lanes(fed, book), *_rest_lanes(rest, len(fed), book)])
    alone = _target_only(target, pairing)
    cells = book.theirs.cells(target.grid, [entry.target.row for entry in alone if entry.target], columns, raw=True)
    untouched = CodeTable(cells, len(fed))
    nothing = CodeTable(array("I", bytes(cells.itemsize * len(cells))), len(fed))
    untouched = decide(nothing, untouched, [Lane(0, len(fed), book.untouched)])
    return Ledger((*fed, *rest), tuple(book.outcomes), tuple(entries), codes, tuple(alone), untouched)


def _entries(source: Gradebook, pairing: Pairing, book: _Book) -> tuple[list[Entry], list[int | None]]:
    """Return a line for each source row in order, and for each what its marks meet: a reason, or None for cells."""
    found: list[tuple[Student, Student | None, int | None]] = [(one.source, one.target, None) for one in pairing.pairs]
    found += [(one, None, book.reason(_NOT_IN_TEMPLATE)) for one in pairing.source_only]
    found += [(one, None, book.reason(_LEFT_OUT)) for one in pairing.left_out]
    for one in pairing.repeated:
        found.append((one.student, None, book.reason(_Unmet(Fate.LEFT_OUT, one.slug, one.reason))))
    for struck in source.struck:
        why = _Unmet(Fate.LEFT_OUT, struck.slug, f"the row is no student: {struck.reason}")
        found.append((struck.student, None, book.reason(why)))
    for held in pairing.held:
        found.append((held.student, None, book.reason(_Unmet(Fate.HELD, held.slug, "the student is held"))))
    found.sort(key=lambda line: line[0].row)
    entries = [Entry(row, ours, theirs) for row, (ours, theirs, _) in enumerate(found)]
    return entries, [reason for _, _, reason in found]


def _let_the_highest_count(
    entries: Sequence[Entry], ours: CodeTable, theirs: CodeTable, rules: Sequence[MarkRule], book: _Book
) -> None:
    """Where several rows are one student's, let for each item only the highest mark meet the target's cell."""
    groups: dict[int, list[Entry]] = {}
    for entry in entries:
        if entry.target:
            groups.setdefault(entry.target.row, []).append(entry)
    for same in groups.values():
        if len(same) == 1:
            continue
        for column, rule in enumerate(rules):
            ranks = {entry.row: _rank(book.ours.texts[ours.row(entry.row)[column]], rule) for entry in same}
            best = max(same, key=lambda entry: (ranks[entry.row], -entry.row))
            for entry in same:
                if entry is not best and best.source:
                    reason = f"row {best.source.row + 1} of the same student counts"
                    position = entry.row * theirs.width + column
                    theirs.codes[position] = book.reason(_Unmet(Fate.LEFT_OUT, "repeated", reason))


def _rank(text: str, rule: MarkRule) -> tuple[int, Decimal]:
    """Return the order of marks: a blank, a code, a number; above all what a person must read, so that it is held."""
    if not text.strip():
        return (0, Decimal(0))
    converted = convert(text, rule)
    if converted.text is None:
        return (3, Decimal(0))
    number = read_number(converted.text)
    return (1, Decimal(0)) if number is None else (2, number)


def _spread(met: "array[int]", width: int, meets: Sequence[int | None], rest: int) -> "array[int]":
    """Return the codes that each source row meets: its target row's cells, or its reason everywhere."""
    spread = array("I")
    behind = array("I", [0] * rest)
    at = 0
    for reason in meets:
        if reason is None:
            spread += met[at : at + width]
            at += width
        else:
            spread.extend([reason] * width)
        spread += behind
    return spread


def _target_only(target: Gradebook, pairing: Pairing) -> list[Entry]:
    students = [
        *pairing.target_only,
        *(one.student for one in pairing.held_target),
        *(one.student for one in target.struck),
    ]
    students.sort(key=lambda student: student.row)
    return [Entry(row, None, student) for row, student in enumerate(students)]


def _in_lanes(items: Iterable[MappedItem]) -> tuple[list[MappedItem], list[MappedItem]]:
    """Return the items that feed something, those of one rule beside each other, and the others."""
    by_rule: dict[MarkRule, list[MappedItem]] = {}
    rest: list[MappedItem] = []
    for item in items:
        (by_rule.setdefault(item.rule, []) if item.target else rest).append(item)
    return [item for same in by_rule.values() for item in same], sorted(rest, key=lambda item: item.reason)


def _fed_lanes(fed: Sequence[MappedItem], book: _Book) -> list[Lane]:
    lanes, start = [], 0
    for rule, same in groupby(fed, key=lambda item: item.rule):
        stop = start + len(list(same))
        lanes.append(Lane(start, stop, book.meeting(rule)))
        start = stop
    return lanes


def _rest_lanes(rest: Sequence[MappedItem], start: int, book: _Book) -> list[Lane]:
    lanes = []
    for reason, same in groupby(rest, key=lambda item: item.reason):
        stop = start + len(list(same))
        lanes.append(Lane(start, stop, book.leaving_out(reason)))
        start = stop
    return lanes


def _sources(items: Sequence[MappedItem]) -> list[int]:
    return [item.source.index for item in items]
