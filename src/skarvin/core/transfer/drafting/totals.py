"""Which simple rule a total of the export follows, told by trying some on every student."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.gradebook import understand
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.headings import fold
from skarvin.core.layout.layout import Layout
from skarvin.core.layout.rows import NOT_STUDENTS
from skarvin.core.marks.convert import MarkRule, read_points
from skarvin.core.marks.kinds import Kind, kind_of_mark
from skarvin.core.marks.numbers import Number, plain
from skarvin.core.marks.reading import decimal_comma, read_mark
from skarvin.core.marks.totals.compute import Points, Read, TotalRule, check_total, compute
from skarvin.core.marks.totals.evaluate import Missing, check
from skarvin.core.marks.totals.language import parse
from skarvin.core.marks.totals.tree import FormulaFault, Part

CATEGORY = "marks"
_FORMULAS = (
    "sum of marks",
    "mean of marks",
    "mean of percent of marks",
    "percent of sum of marks",
    "sum of percent of marks",
)
_ENOUGH = 0.8
_LEAST, _MOST = 3, 400


class TotalProposal(NamedTuple):
    """A total of the export, the items before it, and the rule that it seems to follow; none if no simple rule does."""

    column: Column
    items: tuple[Column, ...]
    formula: str = ""
    missing: Missing = Missing.LEAVE_OUT
    decimals: int = 0
    agree: int = 0
    of: int = 0


def propose_totals(grid: Grid, layout: Layout, maxima: Mapping[int, Decimal]) -> tuple[TotalProposal, ...]:
    """Return a proposal for each total of an export whose marks are numbers."""
    if not layout.of_use(Use.TOTAL):
        return ()
    students = understand(grid, layout, layout.identifiers[0], [], NOT_STUDENTS).students
    width = len(layout.columns)
    rows = {one.row: grid.cells(one.row) for one in students[:_MOST] if grid.widths[one.row] >= width}
    items = [column for column in layout.of_use(Use.ITEM) if column.counts and _holds_numbers(column, rows)]
    totals = [column for column in layout.of_use(Use.TOTAL) if _holds_numbers(column, rows)]
    return tuple(_propose(total, items, rows, maxima) for total in totals if items)


def _holds_numbers(column: Column, rows: Mapping[int, Sequence[str]]) -> bool:
    kinds = [kind_of_mark(cells[column.index]) for cells in rows.values() if cells[column.index].strip()]
    return 2 * sum(kind in {Kind.POINTS, Kind.PERCENT} for kind in kinds) > len(kinds)


def _propose(
    total: Column, items: Sequence[Column], rows: Mapping[int, Sequence[str]], maxima: Mapping[int, Decimal]
) -> TotalProposal:
    """Return the rule that most students' totals follow: over the items before the total, or over all."""
    says = _numbers(total, rows)
    decimals = max(
        (-int(number.as_tuple().exponent) for number in says.values() if isinstance(number, Decimal)), default=0
    )
    best = TotalProposal(total, tuple(items), decimals=decimals)
    before = [item for item in items if item.index < total.index]
    is_rank = "rank" in fold(total.heading).split()
    for some in [items] if len(before) in (0, len(items)) else [before, items]:
        for rule in _rules(some, maxima, decimals, is_rank=is_rank):
            checked = check_total(rule, compute([rule], list(rows), _reader(some, rows, maxima))[0], says)
            compared = checked.agree + len(checked.differing)
            if compared >= _LEAST and checked.agree > best.agree and checked.agree >= _ENOUGH * compared:
                best = TotalProposal(total, tuple(some), rule.text, rule.missing, decimals, checked.agree, compared)
    return best


def _rules(
    items: Sequence[Column], maxima: Mapping[int, Decimal], decimals: int, *, is_rank: bool
) -> Iterator[TotalRule]:
    most = tuple(maxima.get(item.index) for item in items)
    parts = {CATEGORY: Part(tuple(item.index for item in items), is_list=True, out_of=most)}
    for text in _FORMULAS:
        formula = parse(f"rank of {text}" if is_rank else text)
        try:
            check(formula, parts)
        except FormulaFault:
            continue  # no maxima
        for missing in (Missing.LEAVE_OUT, Missing.ZERO):
            yield TotalRule("", formula, f"rank of {text}" if is_rank else text, parts, missing, decimals)


def _decimals(number: Number) -> int:
    return len(plain(number).partition(".")[2]) if isinstance(number, Decimal) else 0


def _reader(items: Sequence[Column], rows: Mapping[int, Sequence[str]], maxima: Mapping[int, Decimal]) -> Read:
    rules = {
        item.index: MarkRule(maxima.get(item.index), is_comma=bool(decimal_comma(_texts(item, rows)))) for item in items
    }

    def read(row: int, key: int) -> Points:
        return Points(*read_points(rows[row][key], rules[key]))

    return read


def _texts(column: Column, rows: Mapping[int, Sequence[str]]) -> dict[str, int]:
    return Counter(cells[column.index] for cells in rows.values())


def _numbers(column: Column, rows: Mapping[int, Sequence[str]]) -> dict[int, Number | None]:
    is_comma = bool(decimal_comma(_texts(column, rows)))
    marks = {row: read_mark(cells[column.index], is_comma=is_comma) for row, cells in rows.items()}
    return {row: mark.number if mark else None for row, mark in marks.items()}
