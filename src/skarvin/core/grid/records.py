"""A text cut into records: one a row of cells, though a record may run over several lines."""

import csv
import re
from collections.abc import Iterator
from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.dialect import Dialect

_LINE_END = re.compile("(\r\n|\r|\n)")


def split_lines(text: str) -> tuple[list[str], list[str]]:
    """Return the lines of a text and the line end of each; put together again they are the text."""
    returns, feeds = text.count("\r"), text.count("\n")
    if returns and feeds and (returns != feeds or returns != text.count("\r\n")):
        parts = _LINE_END.split(text)
        lines, ends = parts[::2], [*parts[1::2], ""]
    else:
        end = "\r\n" if returns and feeds else "\r" if returns else "\n"
        lines = text.split(end)
        ends = [end] * (len(lines) - 1) + [""]
    if not lines[-1]:
        lines.pop()
        ends.pop()
    return lines, ends


def join_records(lines: list[str], ends: list[str], dialect: Dialect, file: Path) -> tuple[list[str], list[str]]:
    """Return the records and their ends, where a quoted cell may hold line ends.

    Raises:
        Unreadable: a quotation mark opens and never closes, or a cell is longer than the csv module takes.
    """
    if all(map(dialect.is_plain, lines)):
        return lines, ends
    records: list[str] = []
    record_ends: list[str] = []
    at = 0
    ran_out = False

    def feed() -> Iterator[str]:
        nonlocal at, ran_out
        while at < len(lines):
            at += 1
            yield lines[at - 1] + (ends[at - 1] or "\n")
        ran_out = True

    reader = dialect.reader(feed())
    while at < len(lines):
        start = at
        if dialect.is_plain(lines[at]) or _is_one_record(lines[at], dialect):
            at += 1
        else:
            cells = _read_one(reader, Place(file, row=len(records) + 1))
            if ran_out:
                raise _unclosed(Place(file, len(records) + 1, len(cells) - 1))
        body = [part for pair in zip(lines[start:at], ends[start:at], strict=True) for part in pair]
        record_ends.append(body.pop())
        records.append("".join(body))
    return records, record_ends


def _is_one_record(line: str, dialect: Dialect) -> bool:
    """Tell whether all that is quoted in a line ends there, and is no longer than the csv module takes."""
    return len(line) < csv.field_size_limit() and dialect.count_cells(line) is not None


def _read_one(reader: Iterator[list[str]], place: Place) -> list[str]:
    """Return the cells of the record at `place`, reading as many lines as it takes."""
    try:
        return next(reader)
    except csv.Error:
        raise Unreadable(
            Finding(
                "endless-cell",
                f"a cell in this row is longer than {csv.field_size_limit():,} characters",
                place,
                "A quotation mark that never closes does this: see where the first cell of the row begins.",
            )
        ) from None


def _unclosed(place: Place) -> Unreadable:
    what = "a quotation mark opens here and never closes"
    return Unreadable(Finding("cut-off", what, place, "The file may have been cut off: export it again."))
