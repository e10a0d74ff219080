"""The seam: what every kind of target can do, so that nothing else asks which kind it is."""

from array import array
from collections.abc import Container, Iterator, Mapping, Sequence
from typing import Protocol

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import Grid
from skarvin.core.reasons import Reason


class Target(Protocol):
    """A file that a transfer or a roster is written into: a form to fill, and to add rows to."""

    @property
    def grid(self) -> Grid:
        """Its cells; `file` is never written to."""

    def code_cells(self, coding: Coding, positions: Sequence[int], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the raw cells at `columns` of rows, row after row."""

    def value(self, raw: str) -> str:
        """Return what a raw cell says: raw is how it stands in the file."""

    def shown(self, text: str, before: str) -> str:
        """Return how the raw cell `before` will say a text: a workbook's number has no zeros behind its decimals.

        The ledger takes it from here and not from what is spelled, so that a slip in spelling is found.
        """

    def spell(self, text: str, before: str = "") -> str:
        """Return a text as a raw cell, in the place of the raw cell `before`."""

    def lacks(self, text: str, before: str = "") -> Reason | None:
        """Return why the raw cell `before` can't be made to say a text; None if it can."""

    def allowed(self, column: int) -> tuple[str, ...]:
        """Return the texts that alone may stand in a column, if the form lists them."""

    def filled(
        self,
        columns: Sequence[int],
        rows: Mapping[int, Sequence[int]],
        spelled: Sequence[str],
        changed: Container[int] = (),
    ) -> Iterator[bytes]:
        """Yield the file with the cells at `columns` of `rows` replaced, and everything else as it was.

        Args:
            columns: the columns, in the order of each row's codes.
            rows: for each row to fill, by its position, one code a column.
            spelled: for each code the raw cell to put there.
            changed: the codes by which a cell says something new.
        """

    def headless(self, count: int) -> "Target":
        """Return the target without its first rows in what is written.

        Raises:
            Unreadable: that can't be done to this kind of file.
        """

    @property
    def skipped(self) -> int:
        """How many of its first rows aren't written."""

    def extended(self, rows: Sequence[Sequence[str]], kept: int | None = None) -> "Target":
        """Return the target with rows of texts below its own, or below the first `kept` of them."""
