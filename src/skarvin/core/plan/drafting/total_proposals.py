"""Which simple rule a total of the export follows, told by trying some on every student."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.findings import Row, listing
from skarvin.core.gradebook import Student
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.marks.choices import Missing
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.totals.compute import Read, TotalRule, check_total, compute
from skarvin.core.marks.totals.language import parse
from skarvin.core.marks.totals.meaning import check
from skarvin.core.marks.totals.points import MomentPoints, TextPoints, row_reader
from skarvin.core.marks.totals.tree import FormulaFault, MomentKey, Part
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import decimal_comma, read_mark
from skarvin.core.texts.mark_kinds import Kind, kind_of_mark
from skarvin.core.texts.numbers import Number
from skarvin.core.texts.words import WORDS, phrase_set

CATEGORY = "marks"
_RANK = phrase_set(WORDS.headings.rank)
_FORMULAS = (
    "sum of marks",
    "mean of marks",
    "mean of percent of marks",
    "percent of sum of marks",
    "sum of percent of marks",
    "weighted mean of percent of marks",
    "weighted mean of marks",
)
_ENOUGH = 0.8
_LEAST, _MOST = 3, 400
_FEW = 30
"""On so many students a rule is tried first; one that most of them don't follow isn't tried on the others."""


class TotalProposal(NamedTuple):
    """A total of the export, the items before it, and the rule that it seems to follow; none if no simple rule does."""

    column: Column
    items: tuple[Column, ...]
    formula: str = ""
    missing: Missing = Missing.LEAVE_OUT
    decimals: int = 0
    agree: int = 0
    of: int = 0
    is_of_all: bool = True

    @property
    def is_rank(self) -> bool:
        """Whether its heading says that it is a place in the class."""
        return not _RANK.isdisjoint(fold(self.column.heading).split())

    @property
    def words(self) -> str:
        """The rule for a person: the items by their titles, unless it is over all of them."""
        some = "marks" if self.is_of_all else listing([item.title for item in self.items])
        return self.formula.replace(CATEGORY, some)


def propose_totals(
    grid: Grid, layout: Layout, students: Sequence[Student], maxima: Mapping[int, Decimal]
) -> tuple[TotalProposal, ...]:
    """Return a proposal for each total of an export whose marks are numbers."""
    if not layout.of_use(Use.TOTAL):
        return ()
    width = len(layout.columns)
    rows = {
        student.row: grid.cells(student.row.position)
        for student in students[:_MOST]
        if grid.widths[student.row.position] >= width
    }
    items = [column for column in layout.of_use(Use.ITEM) if column.counts and _holds_numbers(column, rows)]
    totals = [column for column in layout.of_use(Use.TOTAL) if _holds_numbers(column, rows)]
    stops = [column.index for column in layout.of_use(Use.TOTAL)]
    return tuple(_propose(total, items, stops, rows, maxima) for total in totals if items)


def _holds_numbers(column: Column, rows: Mapping[Row, Sequence[str]]) -> bool:
    kinds = [kind_of_mark(cells[column.index]) for cells in rows.values() if cells[column.index].strip()]
    return 2 * sum(kind in {Kind.POINTS, Kind.PERCENT} for kind in kinds) > len(kinds)


def _groups(total: Column, items: Sequence[Column], stops: Sequence[int]) -> Iterator[tuple[Column, ...]]:
    """Yield the items that a total may be over, each group once: beside it, before it, all.

    Args:
        total: the total.
        items: all items.
        stops: where totals stand; one is beside the items between its neighbour and itself.
    """
    last = max((stop for stop in stops if stop < total.index), default=-1)
    following = min((stop for stop in stops if stop > total.index), default=None)
    groups = (
        tuple(items),
        tuple(item for item in items if item.index < total.index),
        tuple(item for item in items if last < item.index < total.index),
        tuple(item for item in items if item.index > total.index and (following is None or item.index < following)),
    )
    return (group for group in dict.fromkeys(groups) if group)


def _propose(
    total: Column,
    items: Sequence[Column],
    stops: Sequence[int],
    rows: Mapping[Row, Sequence[str]],
    maxima: Mapping[int, Decimal],
) -> TotalProposal:
    """Return the rule that most students' totals follow."""
    says = _numbers(total, rows)
    decimals = max(
        (-int(number.as_tuple().exponent) for number in says.values() if isinstance(number, Decimal)), default=0
    )
    best = TotalProposal(total, tuple(items), decimals=decimals)
    read = _reader(items, rows, maxima)
    few = list(rows)[:_FEW]
    for some in _groups(total, items, stops):
        for rule in _rules(some, maxima, decimals, is_rank=best.is_rank):
            tried = check_total(rule, compute([rule], few, read)[0], says)
            if not best.is_rank and 2 * tried.agree < len(tried.differing):
                continue
            checked = check_total(rule, compute([rule], list(rows), read)[0], says)
            compared = checked.agree + len(checked.differing)
            if compared >= _LEAST and checked.agree > best.agree and checked.agree >= _ENOUGH * compared:
                is_of_all = len(some) == len(items)
                rule_is = (rule.text, rule.missing, decimals, checked.agree, compared, is_of_all)
                best = TotalProposal(total, some, *rule_is)
    return best


def _rules(
    items: Sequence[Column], maxima: Mapping[int, Decimal], decimals: int, *, is_rank: bool
) -> Iterator[TotalRule]:
    most = tuple(maxima.get(item.index) for item in items)
    weights = tuple(item.weight for item in items)
    parts = {CATEGORY: Part(tuple(item.index for item in items), is_list=True, out_of=most, weights=weights)}
    for text in _FORMULAS:
        formula = parse(f"rank of {text}" if is_rank else text)
        try:
            check(formula, parts)
        except FormulaFault:
            continue  # no maxima, or no weights
        for missing in (Missing.LEAVE_OUT, Missing.ZERO):
            yield TotalRule(
                name="",
                formula=formula,
                text=f"rank of {text}" if is_rank else text,
                parts=parts,
                missing=missing,
                decimals=decimals,
            )


def _reader(items: Sequence[Column], rows: Mapping[Row, Sequence[str]], maxima: Mapping[int, Decimal]) -> Read:
    points: dict[int | MomentKey, TextPoints | MomentPoints] = {}
    for item in items:
        rule = MarkRule(maxima.get(item.index), is_comma=bool(decimal_comma(_texts(item, rows))))
        points[item.index] = TextPoints(rule, item.title)
    return row_reader(rows.__getitem__, points)


def _texts(column: Column, rows: Mapping[Row, Sequence[str]]) -> dict[str, int]:
    return Counter(cells[column.index] for cells in rows.values())


def _numbers(column: Column, rows: Mapping[Row, Sequence[str]]) -> dict[Row, Number | None]:
    is_comma = bool(decimal_comma(_texts(column, rows)))
    marks = {row: read_mark(cells[column.index], is_comma=is_comma) for row, cells in rows.items()}
    return {row: mark.number if mark else None for row, mark in marks.items()}
