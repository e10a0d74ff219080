"""What the columns of a grid hold, counted over every row: for `look`."""

from collections import Counter
from dataclasses import dataclass
from itertools import islice

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column
from skarvin.core.layout.layout import Layout

_EXAMPLES = 3
_BLOCK = 256


@dataclass(frozen=True, slots=True)
class ColumnSurvey:
    """One column: how many of its cells say something, how many different texts, and the commonest of them."""

    column: Column
    filled: int
    distinct: int
    examples: tuple[str, ...]


def survey(grid: Grid, layout: Layout) -> list[ColumnSurvey]:
    """Return a survey of each column, over the rows below the headings."""
    counts: list[Counter[str]] = [Counter() for _ in layout.columns]
    rows = grid.rows(layout.first_row)
    while block := list(islice(rows, _BLOCK)):
        width = max(map(len, block))
        even = [cells if len(cells) == width else [*cells, *[""] * (width - len(cells))] for cells in block]
        for count, texts in zip(counts, zip(*even, strict=True), strict=False):
            count.update(texts)
    return [_column(column, count) for column, count in zip(layout.columns, counts, strict=True)]


def _column(column: Column, count: "Counter[str]") -> ColumnSurvey:
    filled = {text: number for text, number in count.items() if text.strip()}
    examples = tuple(islice(filled, _EXAMPLES))
    return ColumnSurvey(column, sum(filled.values()), len(filled), examples)
