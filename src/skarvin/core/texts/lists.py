"""Lists that a person opens in a spreadsheet, and those that the program keeps for itself, as delimited text."""

import csv
import io
from collections.abc import Callable, Iterable

from skarvin.core.texts.unsafe import as_text

MARK = "\ufeff"
"""What spreadsheets know UTF-8 by."""


def list_text(rows: Iterable[Iterable[str]], *, end: str = "\r\n", safe: Callable[[str], str] = as_text) -> str:
    """Return rows of cells as delimited text; `safe` keeps each from being run as a formula."""
    text = io.StringIO(newline="")
    csv.writer(text, lineterminator=end).writerows(map(safe, cells) for cells in rows)
    return text.getvalue()


def list_file(rows: Iterable[Iterable[str]]) -> bytes:
    """Return the bytes of a list that opens in a spreadsheet."""
    return (MARK + list_text(rows)).encode()
