"""What the columns of a grid hold, counted over every row below the headings."""

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from skarvin.core.grid.coding import Coding, count_columns
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.texts.folding import fold

_EXAMPLES = 3
_FIRST = 16
"""Among so many columns it is cheap to look at some by themselves."""
_BLOCK = 4096


class ColumnSurvey(NamedTuple):
    """One column: its distinct texts with how often each stands there, in the order in which they were met."""

    column: Column
    texts: "Counter[str]"

    @property
    def filled(self) -> int:
        """How many cells say something."""
        return sum(count for text, count in self.texts.items() if text.strip())

    @property
    def distinct(self) -> int:
        """How many different texts there are."""
        return sum(1 for text in self.texts if text.strip())

    @property
    def examples(self) -> tuple[str, ...]:
        """A few texts that differ."""
        different: dict[str, str] = {}
        for text in self.texts:
            if text.strip():
                different.setdefault(fold(text) or text, text)
            if len(different) == _EXAMPLES:
                break
        return tuple(different.values())


def survey(grid: Grid, columns: Sequence[Column], rows: Sequence[int]) -> list[ColumnSurvey]:
    """Return a survey of each column over the given rows, which all have these columns."""
    first = [column for column in columns if column.use is not Use.ITEM and column.index < _FIRST]
    texts = _counted(grid, first, rows)
    others = [column for column in columns if column.index not in texts]
    coding = Coding()
    codes = coding.cells(grid, rows, [column.index for column in others])
    for column, count in zip(others, count_columns(codes, len(others)) if others else (), strict=True):
        texts[column.index] = Counter({coding.texts[code]: number for code, number in sorted(count.items())})
    return [ColumnSurvey(column, texts[column.index]) for column in columns]


def _counted(grid: Grid, columns: Sequence[Column], rows: Sequence[int]) -> dict[int, "Counter[str]"]:
    """Return how often each text stands in columns of which most hold another text in each row."""
    found: dict[int, Counter[str]] = {column.index: Counter() for column in columns}
    last = max(found, default=0) + 1
    for start in range(0, len(rows) if found else 0, _BLOCK):
        cells = grid.first_cells_each(rows[start : start + _BLOCK], last)
        for index, counts in found.items():
            counts.update([row[index] for row in cells])
    return found
