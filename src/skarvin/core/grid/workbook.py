"""Workbooks: choosing a sheet, and turning its cells into the text that the file shows."""

import datetime as dt
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable, listing

_MOST_CELLS = 40_000_000


@dataclass(frozen=True, slots=True)
class Sheet:
    """One sheet's cells as text, with what is to be said of it."""

    name: str
    table: list[list[str]]
    evidence: str = ""
    notes: tuple[Finding, ...] = ()
    hidden_rows: frozenset[int] = frozenset()
    hidden_columns: frozenset[int] = frozenset()
    shown: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Tab:
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
        if wanted.isdecimal() and 1 <= int(wanted) <= len(names):
            return names[int(wanted) - 1], "you named its position"
        what = f"there is no sheet '{wanted}': there are {listing([repr(name) for name in names], 8)}"
        raise Unreadable(Finding("no-such-sheet", what, Place(file), "Name one of them with --sheet."))
    shown = [tab.name for tab in tabs if not tab.is_hidden] or names
    if len(shown) == 1 or filled is None:
        return shown[0], "the only sheet" if len(names) == 1 else "the only sheet that is not hidden"
    best = max(shown, key=lambda name: filled[name])
    return best, f"it has the most filled cells of {len(shown)} sheets"


def count_filled(table: Iterable[Sequence[object]]) -> int:
    """Return how many cells say something."""
    return sum(len(row) - row.count("") for row in table)


def check_size(rows: int, columns: int, cells: int, file: Path) -> None:
    """Refuse a sheet whose few cells span so much that no memory would hold it."""
    if rows * columns > _MOST_CELLS and rows * columns > 4 * cells:
        what = f"a sheet's cells are strewn over {rows:,} rows and {columns:,} columns"
        raise Unreadable(Finding("strewn", what, Place(file), "Delete the cells far from the others, or export again."))


def damaged(file: Path) -> Unreadable:
    """Return the error for a workbook whose inside can't be read."""
    return Unreadable(Finding("damaged", "this workbook is damaged and can't be read", Place(file), "Export it again."))


def number_text(number: float) -> str:
    """Return a stored number with the fifteen digits that a workbook keeps, without an exponent."""
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
        mend = "Name another sheet with --sheet, or export it again."
        raise Unreadable(Finding("no-cells", "this sheet has no cells", place, mend))
