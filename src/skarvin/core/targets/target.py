"""The seam: what every kind of target can do, so that nothing else asks which kind it is."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Protocol

from skarvin.core.grid.grid import Grid
from skarvin.core.reasons import Reason


class Target(Protocol):
    """A file that a transfer or a roster is written into: a form to fill, and to add rows to."""

    @property
    def grid(self) -> Grid:
        """Its cells; `file` is never written to."""

    def value(self, raw: str) -> str:
        """Return what a raw cell says: raw is how it stands in the file."""

    def spell(self, text: str, before: str = "") -> str:
        """Return a text as a raw cell, in the place of the raw cell `before`."""

    def lacks(self, text: str) -> Reason | None:
        """Return why no cell of the target can say a text; None if one can."""

    def filled(
        self, columns: Sequence[int], rows: Mapping[int, Sequence[int]], spelled: Sequence[str]
    ) -> Iterator[bytes]:
        """Yield the file with the cells at `columns` of `rows` replaced, and everything else as it was.

        Args:
            columns: the columns, in the order of each row's codes.
            rows: for each row to fill, by its position, one code a column.
            spelled: for each code the raw cell to put there.
        """

    def extended(self, rows: Sequence[Sequence[str]], kept: int | None = None) -> "Target":
        """Return the target with rows of texts below its own, or below the first `kept` of them."""
