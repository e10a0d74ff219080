"""What a person says before anything is proposed: what files hold, who is who, what feeds what, which maxima hold."""

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from pathlib import Path

import msgspec

from skarvin.core.findings import Finding, Misused, listing
from skarvin.core.grid.read import ReadAs
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.told import NOTHING_TOLD, Told

_MOST = 12


class Maxima(msgspec.Struct, frozen=True):
    """What the user says about maxima: for every item whose heading is silent, and for single headings."""

    every: Decimal | None = None
    single: Mapping[str, Decimal] = msgspec.field(default_factory=dict)


class Wishes(msgspec.Struct, frozen=True, kw_only=True):
    """What a person says. Each has a default: nothing is said.

    Attributes:
        reading: how the files are read, for `source` and `target`.
        told: what their columns hold.
        layouts: the names of stored layouts by which they are read.
        folders: where stored layouts lie.
        maxima: maxima of items whose headings give none.
        roster: a list that knows more of the target's students.
        key: an answer key.
        members: who is in which group, where the export has marks of groups.
        item_list: what the codes mean by which a file calls its items.
        corrections: lists of corrections, such as after an appeal.
        pair: the columns that tell the students apart, of the export and of the form: 'Apprentice=Boarder'.
        items: which item feeds which: 'Knots=Knots and splices'; nothing behind the sign leaves an item out.
        statuses: what is sent for words in place of marks: 'absent=ABS'.
        missing_maximum: what holds where only one side gives a maximum: 'same', or a number.
        is_sample: the people in the form are made up.
        heading: the pattern of headings for items that a sample doesn't have.
        is_shared: the export is for several forms.
        is_typed: the target takes no import: the form lists the students on its screen.
    """

    reading: Mapping[str, ReadAs] = msgspec.field(default_factory=dict)
    told: Mapping[str, Told] = msgspec.field(default_factory=dict)
    layouts: Mapping[str, str] = msgspec.field(default_factory=dict)
    folders: Sequence[Path] = ()
    maxima: Mapping[str, Maxima] = msgspec.field(default_factory=dict)
    roster: Path | None = None
    key: Path | None = None
    corrections: Sequence[Path] = ()
    members: Path | None = None
    item_list: Path | None = None
    pair: str = ""
    items: Sequence[str] = ()
    statuses: Sequence[str] = ()
    missing_maximum: str = ""
    is_sample: bool = False
    heading: str | None = None
    is_typed: bool = False
    is_shared: bool = False

    @property
    def files(self) -> list[Path]:
        """Which further files a person names."""
        return [file for file in (self.roster, self.key, self.members, self.item_list, *self.corrections) if file]

    @property
    def items_before_signs(self) -> list[str]:
        """What may be the export's items in what is said of items: a title may have signs of its own."""
        return [text[:at] for text in self.items for at, sign in enumerate(text) if sign == "="]

    def how(self, side: str) -> ReadAs:
        """Return how the file of a side is read."""
        return self.reading.get(side, ReadAs())

    def of(self, side: str) -> Told:
        """Return what is said of the columns of a side."""
        return self.told.get(side, NOTHING_TOLD)


NO_WISHES = Wishes()


def two_columns(text: str, source: Layout, target: Layout, option: str) -> tuple[Column, Column | None]:
    """Return the columns that 'FROM=TO' names; the second is None where nothing stands behind the sign.

    Raises:
        Misused: the text names none, in whatever way it is split.
    """
    said = ""
    for mine, other in _splits(text):
        try:
            ours = find_column(source.columns, mine)
            return ours, find_column(target.columns, other) if other else None
        except NoSuchColumn as error:
            said = said or f": {error}"
    mend = f"Columns of the export: {_columns(source)}. Columns of the form: {_columns(target)}."
    raise Misused(Finding("no-such-column", f"{option} '{text}' names no two columns{said}", None, mend))


def _splits(text: str) -> Iterator[tuple[str, str]]:
    """Yield each way to cut a text at an equals sign: a heading may have one, too."""
    parts = text.split("=")
    for place in range(1, len(parts)):
        yield "=".join(parts[:place]).strip(), "=".join(parts[place:]).strip()


def _columns(layout: Layout) -> str:
    return listing([column.heading or column.letter for column in layout.columns], _MOST)
