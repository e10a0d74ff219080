"""What the columns of a grid hold, counted over every row below the headings."""

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from skarvin.core.grid.coding import Coding, count_columns
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column
from skarvin.core.texts.folding import fold

_EXAMPLES = 3


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
    coding = Coding()
    codes = coding.cells(grid, rows, [column.index for column in columns])
    counts = count_columns(codes, len(columns))
    return [
        ColumnSurvey(column, Counter({coding.texts[code]: number for code, number in sorted(count.items())}))
        for column, count in zip(columns, counts, strict=True)
    ]
