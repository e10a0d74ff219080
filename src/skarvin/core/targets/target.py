"""The seam: what every kind of target can do, so that nothing else asks which kind it is, and the guard of them all.

Nothing that a spreadsheet would run gets by the guard, and no control character. A kind says what only it can do; what
stands here holds where it says nothing.
"""

from abc import ABC, abstractmethod
from array import array
from collections.abc import Container, Iterator, Mapping, Sequence
from copy import copy
from typing import NamedTuple, Self

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import Grid
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.unsafe import UnsafeText, as_text, control_in, would_run

_SHOWN = 1
_MEND = 'unsafe_text = "apostrophe" sends it with \' in front'


class Part(NamedTuple):
    """Which rows and columns of a filled target a file has, by position and in their order; None for all."""

    rows: tuple[int, ...] | None = None
    columns: tuple[int, ...] | None = None


WHOLE = Part()
"""All of a target."""


class Target(ABC):
    """A file that a transfer or a roster is written into: a form to fill, and to add rows to.

    Attributes:
        grid: its cells; `file` is never written to.
        unsafe: the rule for texts that a spreadsheet would run.
        has_parts: whether some of its rows and columns can be written by themselves.
    """

    grid: Grid
    unsafe = UnsafeText.HOLD
    has_parts = False

    def guarded(self, unsafe: UnsafeText) -> Self:
        """Return the target under a rule for texts that a spreadsheet would run."""
        target = copy(self)
        target.unsafe = unsafe
        return target

    @abstractmethod
    def code_cells(self, coding: Coding, positions: Sequence[int], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the raw cells at `columns` of rows, row after row."""

    @abstractmethod
    def value(self, raw: str) -> str:
        """Return what a raw cell says: raw is how it stands in the file."""

    def shown(self, text: str, before: str) -> str:
        """Return how the raw cell `before` will say a text: a workbook's number has no zeros behind its decimals.

        The ledger takes it from here and not from what is spelled, so that a slip in spelling is found.
        """
        return self.shown_in(self._safe(text), before)

    def shown_in(self, text: str, before: str) -> str:  # noqa: ARG002 - most cells say a text as it is
        """Return the same of a text that is safe."""
        return text

    def spell(self, text: str, before: str = "") -> str:
        """Return a text as a raw cell, in the place of the raw cell `before`."""
        return self.spelled_in(self._safe(text), before)

    @abstractmethod
    def spelled_in(self, text: str, before: str = "") -> str:
        """Return the same of a text that is safe."""

    def lacks(self, text: str, before: str = "") -> Reason | None:
        """Return why a text may not be sent, or why the raw cell `before` can't be made to say it; None if it can."""
        if control := control_in(text):
            return Reason(Cause.CONTROL_CHARACTER, f"it has a control character ({control})")
        if self.unsafe is UnsafeText.HOLD and would_run(text):
            sign = text.strip()[:_SHOWN]
            return Reason(Cause.WOULD_RUN, f"it begins with '{sign}', so that a spreadsheet would run it; {_MEND}")
        return self.lacks_room(self._safe(text), before)

    @abstractmethod
    def lacks_room(self, text: str, before: str = "") -> Reason | None:
        """Return why the raw cell `before` can't be made to say a text that is safe."""

    def lacks_mark(self, text: str) -> Reason | None:  # noqa: ARG002 - most targets take any text for a mark
        """Return why a text, which is no comment, can't be a mark there; None if it can."""
        return None

    def allowed(self, column: int) -> tuple[str, ...]:  # noqa: ARG002 - most forms list none
        """Return the texts that alone may stand in a column, if the form lists them."""
        return ()

    @property
    def computed(self) -> frozenset[int]:
        """The columns whose cells are computed by formulas: they tell nobody, since what they say may change."""
        return frozenset()

    @abstractmethod
    def filled(
        self,
        columns: Sequence[int],
        rows: Mapping[int, Sequence[int]],
        spelled: Sequence[str],
        changed: Container[int] = (),
        part: Part = WHOLE,
    ) -> Iterator[bytes]:
        """Yield the file with the cells at `columns` of `rows` replaced, and everything else as it was.

        Args:
            columns: the columns, in the order of each row's codes.
            rows: for each row to fill, by its position, one code a column.
            spelled: for each code the raw cell to put there.
            changed: the codes by which a cell says something new.
            part: which of its rows and columns are written, where it has parts.
        """

    def with_blank_lines(self) -> "Target":
        """Return the target with the lines at its end that have formats and no texts."""
        return self

    def takes(self, row: int, column: int) -> bool:  # noqa: ARG002 - any cell of a text does
        """Tell whether a text can be put into a cell: no formula stands there, and nothing is in the way."""
        return True

    def made(
        self,
        cells: Mapping[int, Mapping[int, str]],
        below: Sequence[Sequence[str]] = (),
        at: int | None = None,
        like: int | None = None,
    ) -> "Target":
        """Return the target with some of its cells saying something else, and with rows below its own.

        Args:
            cells: by row and column, the texts.
            below: the texts of further rows.
            at: in front of which row these stand, if not below all.
            like: the row whose formats and formulas they carry on.

        Raises:
            Unreadable: rows can't stand there.
        """
        safe = {row: {column: self._safe(text) for column, text in texts.items()} for row, texts in cells.items()}
        return self.with_texts(safe, self._rows(below), at, like).guarded(self.unsafe)

    @abstractmethod
    def with_texts(
        self, cells: Mapping[int, Mapping[int, str]], below: Sequence[Sequence[str]], at: int | None, like: int | None
    ) -> "Target":
        """Return the same with texts that are safe."""

    def extended(self, rows: Sequence[Sequence[str]], kept: int | None = None) -> "Target":
        """Return the target with rows of texts below its own, or below the first `kept` of them."""
        return self.with_rows(self._rows(rows), kept).guarded(self.unsafe)

    @abstractmethod
    def with_rows(self, rows: Sequence[Sequence[str]], kept: int | None) -> "Target":
        """Return the same with texts that are safe."""

    def _safe(self, text: str) -> str:
        return as_text(text) if self.unsafe is UnsafeText.APOSTROPHE else text

    def _rows(self, rows: Sequence[Sequence[str]]) -> list[list[str]]:
        return [[self._safe(text) for text in cells] for cells in rows]
