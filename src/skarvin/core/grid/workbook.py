"""Workbooks: choosing a sheet, and turning its cells into the text that the file shows."""

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from math import isfinite
from pathlib import Path
from types import MappingProxyType

import msgspec

from skarvin.core.findings import Finding, Place, Unreadable, listing

_MOST_STREWN = 1_000_000
_MOST_CELLS = 40_000_000
_MOST_DIGITS = 9
_MOST_TOLD = 20_000


class Sheet(msgspec.Struct, frozen=True):
    """One sheet's cells as text, with what is to be said of it."""

    name: str
    table: list[list[str]]
    evidence: str = ""
    notes: tuple[Finding, ...] = ()
    hidden_rows: frozenset[int] = frozenset()
    hidden_columns: frozenset[int] = frozenset()
    shown: tuple[str, ...] = ()
    rounded: Mapping[int, int] = MappingProxyType({})
    """The decimals that a column shows, where more are stored."""
    others: tuple[tuple[str, list[list[str]]], ...] = ()
    """The sheets or tables that could have been read instead, by name."""


class Tab(msgspec.Struct, frozen=True):
    """A sheet that can be chosen."""

    name: str
    is_hidden: bool = False


def choose(tabs: Sequence[Tab], wanted: str | None, filled: dict[str, int] | None, file: Path) -> tuple[str, str]:
    """Return the name of the sheet to read and the evidence: the one asked for, or the likeliest.

    Args:
        tabs: the workbook's sheets in their order.
        wanted: a name, or a position counted from 1.
        filled: how many cells say something in each sheet, once they were read.
        file: the workbook, for messages.
    """
    names = [tab.name for tab in tabs]
    if wanted is not None:
        if wanted in names:
            return wanted, "you named it"
        if wanted.isdecimal() and len(wanted) <= _MOST_DIGITS and 1 <= int(wanted) <= len(names):
            return names[int(wanted) - 1], "you named its position"
        what = f"there is no sheet '{wanted}': there are {listing([repr(name) for name in names], 8)}"
        raise Unreadable(Finding("no-such-sheet", what, Place(file), "Name one of them: --sheet."))
    shown = [tab.name for tab in tabs if not tab.is_hidden] or names
    if len(shown) == 1 or filled is None:
        return shown[0], "the only sheet" if len(names) == 1 else "the only sheet that is not hidden"
    best = max(shown, key=lambda name: filled[name])
    return best, f"it has the most filled cells of {len(shown)} sheets"


def others_of(tables: Mapping[str, Sequence[Sequence[object]]], name: str) -> tuple[tuple[str, list[list[str]]], ...]:
    """Return the tables that weren't chosen, as texts, those with few rows or very many left out."""
    some = ((own, table) for own, table in tables.items() if own != name and 1 < len(table) <= _MOST_TOLD)
    return tuple((own, trimmed([[*map(cell_text, row)] for row in table])) for own, table in some)


def count_filled(table: Iterable[Sequence[object]]) -> int:
    """Return how many cells say something."""
    return sum(len(row) - row.count("") for row in table)


def check_size(rows: int, columns: int, cells: int, file: Path, sheet: str | None = None) -> None:
    """Refuse a sheet whose few cells span so much that no memory would hold it, and one that is too large in any case.

    Args:
        rows: as far down as there are cells.
        columns: as far to the right.
        cells: how many there are.
        file: the workbook.
        sheet: the sheet's name, where there is one.
    """
    place = Place(file, sheet=sheet)
    if rows * columns > _MOST_STREWN and rows * columns > 4 * cells:
        what = f"a sheet's cells are strewn over {rows:,} rows and {columns:,} columns"
        raise Unreadable(Finding("strewn", what, place, "Delete the cells far from the others, or export again."))
    if rows * columns > _MOST_CELLS:
        what = f"a sheet has {rows:,} rows and {columns:,} columns; more than {_MOST_CELLS:,} cells can't be read"
        raise Unreadable(Finding("too-large", what, place, "Export the classes apart."))


class CellBudget:
    """How many cells all the sheets that are read may have together."""

    def __init__(self, file: Path) -> None:
        self._file = file
        self._left = _MOST_CELLS

    def take(self, cells: int) -> None:
        """Count some cells.

        Raises:
            Unreadable: there are more than can be read.
        """
        self._left -= cells
        if self._left < 0:
            what = f"its sheets have more than {_MOST_CELLS:,} cells together"
            mend = "Name the one to read: --sheet."
            raise Unreadable(Finding("too-large", what, Place(self._file), mend))


def count_of(text: str | None) -> int:
    """Return how often something is repeated, as an attribute says it; once where it says nothing that can be meant."""
    bare = (text or "").strip()
    return max(1, int(bare)) if bare.isascii() and bare.isdecimal() and len(bare) <= _MOST_DIGITS else 1


def damaged(file: Path, sheet: str | None = None) -> Unreadable:
    """Return the error for a workbook, or a sheet of it, whose inside can't be read."""
    what = f"this {'workbook' if sheet is None else 'sheet'} is damaged and can't be read"
    mend = "Open it in a spreadsheet and save it again, or export it again."
    return Unreadable(Finding("damaged", what, Place(file, sheet=sheet), mend))


def number_text(number: float) -> str:
    """Return a stored number with the fifteen digits that a workbook keeps, without an exponent."""
    if not isfinite(number):
        return str(number)
    if number == int(number) and abs(number) < 1e18:  # noqa: PLR2004 - whole numbers stay whole
        return str(int(number))
    text = f"{Decimal(f'{number:.15g}'):f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


class Texts(dict[object, str]):
    """From a stored value to its text; each different one is turned into text once."""

    def __missing__(self, value: object) -> str:
        self[value] = text = cell_text(value)
        return text


def cell_text(value: object) -> str:
    """Return the text of a stored value; days and times in the form of ISO 8601."""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, (int, float)):
        return number_text(float(value)) if isinstance(value, float) else str(value)
    if isinstance(value, dt.datetime):
        return value.isoformat(" ", "minutes" if not value.second else "seconds")
    if isinstance(value, (dt.date, dt.time)):
        return value.isoformat()
    return "" if value is None else str(value)


def trimmed(table: list[list[str]]) -> list[list[str]]:
    """Return the rows without the blank ones at the end, all of one width."""
    while table and not any(table[-1]):
        table.pop()
    width = max((len(row) for row in table), default=0)
    return [row if len(row) == width else [*row, *[""] * (width - len(row))] for row in table]


def no_cells(file: Path) -> Unreadable:
    """Return the error for a workbook in which no cell says anything."""
    return Unreadable(Finding("no-cells", "this workbook has no cells", Place(file), "Export it again."))


def check_cells(sheet: Sheet, file: Path) -> None:
    """Refuse a sheet in which no cell says anything."""
    if not any(map(any, sheet.table)):
        place = Place(file, sheet=sheet.name)
        mend = "Export it again, or name another sheet: --sheet."
        raise Unreadable(Finding("no-cells", "this sheet has no cells", place, mend))
