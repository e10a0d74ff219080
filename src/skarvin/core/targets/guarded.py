"""The one guard on every way into a file: nothing that a spreadsheet would run gets by it, and no control character."""

from array import array
from collections.abc import Container, Iterator, Mapping, Sequence
from typing import NamedTuple

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import Grid
from skarvin.core.reasons import Cause, Reason
from skarvin.core.targets.target import WHOLE, Part, Target
from skarvin.core.texts.unsafe import UnsafeText, as_text, control_in, would_run

_SHOWN = 1
_MEND = 'unsafe_text = "apostrophe" sends it with \' in front'


class GuardedTarget(NamedTuple):
    """A target, and the rule for texts that a spreadsheet would run; all else is the target's own."""

    own: Target
    rule: UnsafeText = UnsafeText.HOLD

    @property
    def grid(self) -> Grid:
        """The target's cells."""
        return self.own.grid

    @property
    def has_parts(self) -> bool:
        """Whether some of its rows and columns can be written by themselves."""
        return self.own.has_parts

    def lacks(self, text: str, before: str = "") -> Reason | None:
        """Return why a text may not be sent, or why the cell can't be made to say it."""
        if control := control_in(text):
            return Reason(Cause.CONTROL_CHARACTER, f"it has a control character ({control})")
        if self.rule is UnsafeText.HOLD and would_run(text):
            sign = text.strip()[:_SHOWN]
            return Reason(Cause.WOULD_RUN, f"it begins with '{sign}', so that a spreadsheet would run it; {_MEND}")
        return self.own.lacks(self._safe(text), before)

    def shown(self, text: str, before: str) -> str:
        """Return how the cell will say a text."""
        return self.own.shown(self._safe(text), before)

    def spell(self, text: str, before: str = "") -> str:
        """Return a text as a raw cell."""
        return self.own.spell(self._safe(text), before)

    def _safe(self, text: str) -> str:
        return as_text(text) if self.rule is UnsafeText.APOSTROPHE else text

    def code_cells(self, coding: Coding, positions: Sequence[int], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the raw cells."""
        return self.own.code_cells(coding, positions, columns)

    def value(self, raw: str) -> str:
        """Return what a raw cell says."""
        return self.own.value(raw)

    def allowed(self, column: int) -> tuple[str, ...]:
        """Return the texts that alone may stand in a column."""
        return self.own.allowed(column)

    @property
    def computed(self) -> frozenset[int]:
        """The columns whose cells are computed by formulas."""
        return self.own.computed

    def takes(self, row: int, column: int) -> bool:
        """Tell whether a text can be put into a cell."""
        return self.own.takes(row, column)

    def filled(
        self,
        columns: Sequence[int],
        rows: Mapping[int, Sequence[int]],
        spelled: Sequence[str],
        changed: Container[int] = (),
        part: Part = WHOLE,
    ) -> Iterator[bytes]:
        """Yield the file with some cells replaced."""
        return self.own.filled(columns, rows, spelled, changed, part)

    def with_blank_lines(self) -> "GuardedTarget":
        """Return the target with the lines at its end that have formats and no texts."""
        return self._replace(own=self.own.with_blank_lines())

    def made(
        self,
        cells: Mapping[int, Mapping[int, str]],
        below: Sequence[Sequence[str]] = (),
        at: int | None = None,
        like: int | None = None,
    ) -> "GuardedTarget":
        """Return the target with other texts in some cells, and with rows below its own."""
        safe = {row: {column: self._safe(text) for column, text in texts.items()} for row, texts in cells.items()}
        return self._replace(own=self.own.made(safe, self._rows(below), at, like))

    def extended(self, rows: Sequence[Sequence[str]], kept: int | None = None) -> "GuardedTarget":
        """Return the target with rows below its own, or below the first `kept` of them."""
        return self._replace(own=self.own.extended(self._rows(rows), kept))

    def _rows(self, rows: Sequence[Sequence[str]]) -> list[list[str]]:
        return [[self._safe(text) for text in cells] for cells in rows]
