"""Looks at a file by itself, or at two side by side: what is in them, before anything is decided."""

from collections import Counter
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Row
from skarvin.core.gradebook import Gradebook, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.items.matching import propose
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.damage import find_damage
from skarvin.core.layout.fitting import Fitting, find_fitting
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.meeting import Side, recognise_both
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.shape import seen_as_table
from skarvin.core.layout.survey import ColumnSurvey, survey
from skarvin.core.layout.told import NOTHING_TOLD
from skarvin.core.students.conflicts import find_shift
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.likeness import is_contradiction
from skarvin.core.students.pairing import Pair, pair
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import in_ascii
from skarvin.core.texts.mark_kinds import Kind, kind_of_mark
from skarvin.core.texts.numbers import plain, read_number


class ItemLook(NamedTuple):
    """What an item holds: the kinds of its marks; the smallest, median and largest of its numbers, as written there."""

    column: Column
    kinds: "Counter[Kind]"
    smallest: str
    median: str
    largest: str


class Look(msgspec.Struct, frozen=True):
    """All that one look at a file shows.

    `book` is None where no column tells students apart; `fitting` is the stored layout that the file fits, or nearly.
    """

    grid: Grid
    layout: Layout
    surveys: tuple[ColumnSurvey, ...]
    book: Gradebook | None
    items: tuple[ItemLook, ...]
    oddities: tuple[Finding, ...]
    fitting: Fitting | None = None

    @property
    def sections(self) -> "Counter[str]":
        """How many students each section has."""
        return Counter(student.section for student in self.book.students if student.section) if self.book else Counter()


class Comparison(msgspec.Struct, frozen=True):
    """What two files have in common.

    Attributes:
        headings: the headings of both.
        items: the items of both, as proposed by their titles.
        identifiers: the columns by which most students meet; None if none do.
        students: how many students meet, and how many stand in one file alone.
        renamed: rows (of both files) of students who meet and whose names have no word in common.
        shift: that names and identifiers are out of step, if they are.
    """

    headings: tuple[str, ...]
    items: tuple[tuple[Column, Column], ...]
    identifiers: tuple[Column, Column] | None
    students: tuple[int, int, int]
    renamed: tuple[tuple[Row, Row], ...]
    shift: str = ""


class Asked(NamedTuple):
    """A file that is looked at: how it is read, and its bytes if they are piped in."""

    file: Path
    how: ReadAs = ReadAs()
    data: bytes | None = None


def look_at(asked: Sequence[Asked], folders: Sequence[Path] = ()) -> list[Look]:
    """Return what is in each of some files: by a stored layout if one fits; two files with an eye on each other.

    Args:
        asked: the files.
        folders: where stored layouts lie.

    Raises:
        Unreadable: a file can't be read.
    """
    seen = [seen_as_table(read_grid(one.file, one.how, one.data), NOTHING_TOLD) for one in asked]
    alone = len(seen) != 2  # noqa: PLR2004 - two are compared
    layouts = [recognise(*one) for one in seen] if alone else recognise_both(*(Side(*one) for one in seen))[:2]
    return [_look(grid, layout, find_fitting(grid, folders)) for (grid, _), layout in zip(seen, layouts, strict=True)]


def _look(grid: Grid, layout: Layout, fitting: Fitting | None) -> Look:
    if fitting and fitting.fits:
        layout = fitting.layout
    column = next(iter(layout.identifiers), None)
    book = understand(grid, layout, column, [], NOT_STUDENTS) if column or layout.names else None
    width = len(layout.columns)
    rows = [student.row.position for student in book.students] if book else grid.filled_rows(layout.first_row)
    surveys = survey(grid, layout.columns, sorted(row for row in rows if grid.widths[row] >= width))
    damage = find_damage(grid, layout, {surveyed.column.index: surveyed.texts for surveyed in surveys})
    items = tuple(_item(surveyed) for surveyed in surveys if surveyed.column.use is Use.ITEM)
    return Look(grid, layout, tuple(surveys), book, items, (*layout.oddities, *damage), fitting)


def _item(surveyed: ColumnSurvey) -> ItemLook:
    kinds: Counter[Kind] = Counter()
    numbers: list[tuple[Decimal, str, int]] = []
    for text, count in surveyed.texts.items():
        kinds[kind_of_mark(text)] += count
        number = read_number(in_ascii(text).strip().rstrip("% ").replace(",", "."))
        if number is not None:
            numbers.append((number, text.strip(), count))
    if not numbers:
        return ItemLook(surveyed.column, kinds, "", "", "")
    numbers.sort()
    has_comma = any("," in text for _, text, _ in numbers)
    return ItemLook(surveyed.column, kinds, numbers[0][1], _median(numbers, has_comma=has_comma), numbers[-1][1])


def _median(numbers: list[tuple[Decimal, str, int]], *, has_comma: bool) -> str:
    """Return the middle number as the file writes it; of two in the middle what lies between them."""
    total = sum(count for _, _, count in numbers)
    low, high = (_at(numbers, place) for place in ((total - 1) // 2, total // 2))
    if low[0] == high[0]:
        return low[1]
    between = plain((low[0] + high[0]) / 2)
    return between.replace(".", ",") if has_comma else between


def _at(numbers: list[tuple[Decimal, str, int]], place: int) -> tuple[Decimal, str]:
    """Return the number at a place, of numbers in order with how often each stands there."""
    seen = 0
    for number, text, count in numbers:
        seen += count
        if seen > place:
            return number, text
    return numbers[-1][:2]


def compare(first: Look, second: Look) -> Comparison:
    """Return what two files have in common: headings, items, students."""
    theirs = {fold(column.heading) for column in second.layout.columns}
    headings = tuple(column.heading for column in first.layout.columns if fold(column.heading) in theirs)
    proposals = propose(first.layout.of_use(Use.ITEM), second.layout.of_use(Use.ITEM))
    items = tuple((proposal.source, proposal.target) for proposal in proposals if proposal.target)
    best: tuple[int, Column, Column, tuple[tuple[Row, Row], ...], str] | None = None
    ours_in_all, theirs_in_all = (len(look.book.students) if look.book else 0 for look in (first, second))
    for mine in first.layout.identifiers:
        for yours in second.layout.identifiers:
            books = (
                understand(look.grid, look.layout, column, []) for look, column in ((first, mine), (second, yours))
            )
            ours, others = books
            pairing = pair(ours.students, others.students, IdentifierRule(ignore_case=True, ignore_leading_zeros=True))
            if len(pairing.pairs) > (best[0] if best else 0):
                renamed = tuple(
                    (found.source.row, found.target.row)
                    for found in pairing.pairs
                    if _contradict(found.source.name, found.target.name)
                )
                best = (len(pairing.pairs), mine, yours, renamed, _shift(pairing.pairs))
    if best is None:
        return Comparison(headings, items, None, (0, ours_in_all, theirs_in_all), ())
    met = best[0]
    return Comparison(
        headings, items, (best[1], best[2]), (met, ours_in_all - met, theirs_in_all - met), best[3], best[4]
    )


def _shift(pairs: Sequence[Pair]) -> str:
    """Return in which rows names and identifiers are out of step, in the words that `students` has for it."""
    wrong = [pair for pair in pairs if is_contradiction(pair.source.name, pair.target.name)]
    return find_shift(wrong, pairs).words


def _contradict(first: str, second: str) -> bool:
    """Tell whether two names have no word in common."""
    ours, theirs = set(fold(first).split()), set(fold(second).split())
    return bool(ours and theirs) and not ours & theirs
