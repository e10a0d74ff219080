"""The layout of a grid: where its headings are, what its columns hold, which rows are no students."""

from collections.abc import Iterable, Iterator, Sequence

import msgspec

from skarvin.core.findings import Finding
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, PERSONAL, Column, Use
from skarvin.core.layout.row_kinds import Top


class Layout(msgspec.Struct, frozen=True):
    """What the cells of a grid mean. `oddities` are worth telling; `faults` must be mended before marks move.

    `stores_numbers` says that its numbers are stored as numbers, with a point, as in a workbook.
    """

    top: Top
    columns: tuple[Column, ...]
    oddities: tuple[Finding, ...] = ()
    faults: tuple[Finding, ...] = ()
    stores_numbers: bool = False

    @property
    def heading_row(self) -> int | None:
        """The last row of headings; None where the file has none."""
        return self.top.heading_rows[-1] if self.top.heading_rows else None

    @property
    def first_row(self) -> int:
        """The first row below the headings and maxima."""
        return self.top.last + 1

    def of_use(self, uses: Use | Iterable[Use]) -> list[Column]:
        """Return the columns taken for one of `uses`, from left to right."""
        wanted = {uses} if isinstance(uses, Use) else set(uses)
        return [column for column in self.columns if column.use in wanted]

    def personal(self, cells: Sequence[str]) -> Iterator[str]:
        """Yield what a row's cells say of who somebody is."""
        places = (column.index for column in self.columns if column.use in PERSONAL)
        return (cells[place] for place in places if place < len(cells))

    @property
    def identifiers(self) -> list[Column]:
        """The columns that can tell students apart."""
        return self.of_use(IDENTIFIERS | {Use.BOTH})

    @property
    def names(self) -> list[Column]:
        """The columns that together name a student, family name first."""
        parts = sorted(self.of_use(NAMES), key=lambda column: column.use is Use.GIVEN)
        return self.of_use(Use.NAME)[:1] or parts or self.of_use(Use.BOTH)[:1]
