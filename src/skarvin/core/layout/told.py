"""What a person says of a file's columns: which is what, and where the headings stand."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.layout.columns import Use

TOLD = "as you said"
"""The reason for whatever a person says, which no evidence overrules."""
NO_USES: Mapping[str, Use] = MappingProxyType({})


class Told(NamedTuple):
    """What a person says of a file's columns.

    Attributes:
        uses: what columns are, by their names.
        heading_row: the row with the headings, from 1; 0 where there are none; None if nothing is said.
        marked: columns that marks come from or go to: whatever they look like, they tell nobody.
    """

    uses: Mapping[str, Use] = NO_USES
    heading_row: int | None = None
    marked: tuple[str, ...] = ()


NOTHING_TOLD = Told()
