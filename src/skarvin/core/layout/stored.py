"""Layouts kept as readable TOML: written down, read back, and checked against a later file."""

from collections.abc import Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import Literal, NamedTuple

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.file_bytes import read_bytes
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.address import find_column
from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import NOTHING_TOLD, TOLD, Told
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import read_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault, load_toml

_USES = [use.value for use in Use]
_NAME = pattern(r"[\w][\w .-]{0,60}")
_HEAD = """\
# A Skarvin layout: what the columns of a file mean. Hand it to colleagues as this one file.
# To correct it, change `use`: {uses}.
# A column is known again by its heading, wherever it stands; `key` and `out_of` are the item's own.

version = 1
made_from = {made_from}
not_students = [{not_students}]
"""


class StoredColumn(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One column of a stored layout."""

    heading: str
    column: str
    use: str
    key: str | None = None
    out_of: str | None = None
    counts: bool = True

    def __post_init__(self) -> None:
        """Refuse a maximum that is none."""
        number = None if self.out_of is None else read_number(self.out_of)
        if self.out_of is not None and (number is None or number <= 0):
            raise ValueError(self.out_of)


class StoredLayout(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A layout as it is kept."""

    version: Literal[1]
    made_from: str = ""
    not_students: tuple[str, ...] = ()
    column: tuple[StoredColumn, ...] = ()


class Departure(NamedTuple):
    """One way in which a file departs from a stored layout; `is_certain` where the meaning is clear all the same."""

    slug: str
    what: str
    place: Place
    is_certain: bool


def layout_text(layout: Layout, made_from: str, not_students: tuple[str, ...], uses: Mapping[int, Use]) -> str:
    """Return the TOML text of a layout, with a person's corrections of what columns are taken for."""
    known = ", ".join(_USES)
    names = ", ".join(map(_quoted, not_students))
    head = _HEAD.format(uses=known, made_from=_quoted(made_from), not_students=names)
    return "\n".join([head, *(line for column in layout.columns for line in _column_lines(column, uses))])


def _column_lines(column: Column, uses: Mapping[int, Use]) -> Iterator[str]:
    use = uses.get(column.index, column.use)
    why = TOLD if column.index in uses else column.evidence
    yield "[[column]]"
    yield f"heading = {_quoted(column.heading)}"
    yield f"column = {_quoted(column.letter)}"
    yield f"use = {_quoted(use.value)}".ljust(32) + f"# {why}"
    if column.key:
        yield f"key = {_quoted(column.key)}"
    if column.out_of is not None and use in {Use.ITEM, Use.TOTAL}:
        yield f"out_of = {_quoted(f'{column.out_of:f}')}"
    if not column.counts:
        yield "counts = false"
    yield ""


def read_layout(file: Path) -> StoredLayout:
    """Return the layout that a file holds.

    Raises:
        Unreadable: there is no such file, or it is no layout.
    """
    try:
        stored = msgspec.convert(load_toml(read_bytes(file).decode("utf-8-sig")), StoredLayout)
    except Unreadable as error:
        if error.findings[0].slug != "missing-file":
            raise
        mend = "Learn it with: skarvin layout learn FILE --name NAME"
        raise Unreadable(Finding("no-layout", "there is no such layout", Place(file), mend)) from None
    except (UnicodeDecodeError, TomlFault, msgspec.ValidationError) as error:
        what = f"this isn't a layout: {str(error)[:1].lower()}{str(error)[1:]}"
        raise Unreadable(Finding("bad-layout", what, Place(file), "Correct it, or learn it anew.")) from None
    for column in stored.column:
        if column.use not in {*_USES, "housekeeping"}:
            what = f"'{column.use}' (column '{column.heading}') isn't something a column can be read as"
            raise Unreadable(Finding("bad-layout", what, Place(file), f"Write one of: {', '.join(_USES)}."))
    return stored


def is_layout_name(name: str) -> bool:
    """Tell whether a layout may have this name: it becomes a file's, and must stay in its folder."""
    return bool(_NAME.fullmatch(name)) and ".." not in name


def apply_layout(grid: Grid, stored: StoredLayout, told: Told = NOTHING_TOLD) -> tuple[Layout, list[Departure]]:
    """Return the layout of a grid as far as the stored one tells, and how the grid departs from it.

    A column is known again by its heading: one that moved keeps its meaning, a new one is recognised by its content.
    """
    found = recognise(grid, told)
    by_person = {find_column(found.columns, name).index for name in told.uses}
    known: dict[str, list[StoredColumn]] = {}
    for before in stored.column:
        known.setdefault(before.heading, []).append(before)
    seen: dict[str, int] = {}
    columns, departures = [], []
    for column in found.columns:
        same = known.get(column.heading, [])
        turn = seen.get(column.heading, 0)
        seen[column.heading] = turn + 1
        place = grid.place(found.heading_row, column.index, column.heading)
        if turn < len(same):
            columns.append(column if column.index in by_person else _as_stored(column, same[turn]))
            if same[turn].column != column.letter:
                what = f"moved from {same[turn].column} to {column.letter}"
                departures.append(Departure("moved", what, place, is_certain=True))
        else:
            columns.append(column)
            departures.append(_new(column, stored, {column.heading for column in found.columns}, place))
    for before in stored.column:
        if seen.get(before.heading, 0) < len(known[before.heading]):
            seen[before.heading] = len(known[before.heading])
            place = grid.place(found.heading_row)
            what = f"'{before.heading}' (it was in {before.column}, {before.use}) is missing"
            is_certain = Use(before.use) not in STUDENT | {Use.ITEM}
            departures.append(Departure("missing", what, place, is_certain))
    return replace(found, columns=tuple(columns)), departures


def _as_stored(column: Column, stored: StoredColumn) -> Column:
    out_of = Decimal(stored.out_of) if stored.out_of else column.out_of
    return replace(
        column,
        use=Use(stored.use),
        evidence="by the layout",
        key=stored.key or column.key,
        out_of=out_of,
        counts=stored.counts,
    )


def _new(column: Column, stored: StoredLayout, present: set[str], place: Place) -> Departure:
    """Return the departure for a heading that the layout doesn't know: new, or one of the missing renamed."""
    from rapidfuzz import fuzz  # noqa: PLC0415 - only for a message

    missing = [known for known in stored.column if known.heading not in present and known.heading]
    near = [stored for stored in missing if fuzz.ratio(fold(stored.heading), fold(column.heading)) >= 75]  # noqa: PLR2004
    if near:
        return Departure(
            "renamed", f"this may be '{near[0].heading}' (it was in {near[0].column}), renamed", place, False
        )
    return Departure("new", f"new, and taken for {column.use.value} ({column.evidence})", place, is_certain=True)


def _quoted(text: str) -> str:
    return msgspec.json.encode(text).decode().replace("\x7f", "\\u007f")
