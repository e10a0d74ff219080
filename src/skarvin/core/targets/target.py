"""The seam: what every kind of target can do, so that nothing else asks which kind it is."""

from array import array
from collections.abc import Container, Iterator, Mapping, Sequence
from typing import NamedTuple, Protocol

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import Grid
from skarvin.core.reasons import Reason


class Part(NamedTuple):
    """Which rows and columns of a filled target a file has, by position and in their order; None for all."""

    rows: tuple[int, ...] | None = None
    columns: tuple[int, ...] | None = None


WHOLE = Part()
"""All of a target."""


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

    @property
    def computed(self) -> frozenset[int]:
        """The columns whose cells are computed by formulas: they tell nobody, since what they say may change."""

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

    @property
    def has_parts(self) -> bool:
        """Whether some of its rows and columns can be written by themselves."""

    def with_blank_lines(self) -> "Target":
        """Return the target with the lines at its end that have formats and no texts."""

    def takes(self, row: int, column: int) -> bool:
        """Tell whether a text can be put into a cell: no formula stands there, and nothing is in the way."""

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

    def extended(self, rows: Sequence[Sequence[str]], kept: int | None = None) -> "Target":
        """Return the target with rows of texts below its own, or below the first `kept` of them."""
