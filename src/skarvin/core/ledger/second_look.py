"""Reads the written file again and compares it with the template and the ledger.

It knows nothing of how the file was written: it takes both files from the disk with the csv module, cell by cell.
"""

import csv
from collections.abc import Iterator, Mapping, Sequence
from itertools import zip_longest
from operator import itemgetter, ne
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Refused

_CHUNK = 1 << 20
_MOST = 5
_NONE_ADDED: Mapping[int, Sequence[str]] = MappingProxyType({})
_MANY = 1_000_000


class Reading(NamedTuple):
    """How both files are to be read."""

    codec: str
    delimiter: str
    quote: str
    escape: str | None = None


class SecondLook(NamedTuple):
    """What the second look found: the rows compared, and for each column how many cells differ."""

    rows: int
    differing: dict[int, int]


def look_again(  # noqa: PLR0913 - each is a fact of its own, and a bundle would be shared with the writer
    template: Path,
    written: Path,
    reading: Reading,
    columns: Sequence[int],
    rows: Mapping[int, Sequence[int]],
    texts: Sequence[str],
    added: Mapping[int, Sequence[str]] = _NONE_ADDED,
) -> SecondLook:
    """Return how the written file differs from the template, having found that it differs as it should.

    Args:
        template: the file as it was.
        written: the file as it was written.
        reading: how to read both.
        columns: the columns that marks go to, in the order of each row's codes.
        rows: for each row (from 0) that marks may go to, one code a column.
        texts: for each code what the cell must say.
        added: the cells of rows that the template doesn't have, before any mark went to them.

    Raises:
        Refused: any cell, anywhere, says something else than it should.
    """
    if len(rows) * len(columns) >= _MANY and not added:
        quick = _quick_look(template, written, reading, columns, rows, texts)
        if quick is not None:
            return quick
    faults: list[Finding] = []
    count, flags, width = 0, bytearray(), 0
    picks = itemgetter(*columns) if len(columns) > 1 else lambda cells: tuple(cells[one] for one in columns)
    text_of = texts.__getitem__
    breaks = _Breaks(reading.codec, [*texts, *(text for cells in added.values() for text in cells)])
    for row, (old, new) in enumerate(zip_longest(_rows(template, reading), _rows(written, reading))):
        count += 1
        codes = rows.get(row)
        breaks.count(old, new)
        old = list(added[row]) if old is None and row in added else old  # noqa: PLW2901 - as it would stand there
        if codes is None or old is None or new is None or len(old) != len(new):
            if old != new:
                faults.append(_fault(written, row, None, "the row isn't as it was in the template"))
            continue
        width = width or len(old)
        if picks(new) != tuple(map(text_of, codes)):
            faults += _wrong_cells(written, row, columns, new, [texts[code] for code in codes])
        flags += bytes(map(ne, old[:width], new[:width]))
        if old[width:] != new[width:]:
            faults.append(_fault(written, row, width, "the cell isn't as it was in the template"))
    differing = {column: flags[column::width].count(1) for column in range(width)}
    faults += [
        _fault(written, None, column, f"{number} cells changed in a column that no marks go to")
        for column, number in differing.items()
        if number and column not in columns
    ]
    faults += [_fault(written, row, None, "the row is missing") for row in sorted({*rows, *added}) if row >= count][
        :_MOST
    ]
    if not breaks.explain(_frame(template), _frame(written)):
        faults.append(_fault(written, None, None, "its first bytes or line ends aren't as they were in the template"))
    if faults:
        raise Refused(
            *faults[:_MOST],
            Finding("withdrawn", "the import file isn't what the ledger says and was withdrawn"),
        )
    return SecondLook(count, {column: differing.get(column, 0) for column in columns})


def _quick_look(  # noqa: PLR0913 - handed on as they are
    template: Path,
    written: Path,
    reading: Reading,
    columns: Sequence[int],
    rows: Mapping[int, Sequence[int]],
    texts: Sequence[str],
) -> SecondLook | None:
    """Return what the quick look finds; None if a closer one is due."""
    if reading.codec != "utf-8" or reading.escape or _frame(template) != _frame(written):
        return None
    from skarvin.core.ledger.quick_look import QuickLook  # noqa: PLC0415 - it needs NumPy

    found = QuickLook(reading.delimiter, reading.quote, columns, texts).look(template, written, rows)
    return None if found is None else SecondLook(found[0], dict(zip(columns, found[1], strict=True)))


class _Breaks:
    """Counts the line ends that texts of several lines, and rows that were added, bring into a file."""

    def __init__(self, codec: str, texts: Sequence[str]) -> None:
        self._codec = codec
        self._is_needed = codec.startswith("utf-16") or any("\n" in text or "\r" in text for text in texts)
        self._returns = self._newlines = self._rows = 0

    def count(self, old: Sequence[str] | None, new: Sequence[str] | None) -> None:
        """Count the line ends that a row got or lost inside its cells, and the row itself if it is a new one."""
        self._rows += old is None
        if self._is_needed and old != new:
            before, after = ("".join(cells or ()).encode(self._codec) for cells in (old, new))
            self._returns += after.count(b"\r") - before.count(b"\r")
            self._newlines += after.count(b"\n") - before.count(b"\n")

    def explain(self, before: tuple[bytes, int, int], after: tuple[bytes, int, int]) -> bool:
        """Tell whether they are all that a file's frame gained; a new row has a line end of one kind or another."""
        returns, newlines = after[1] - before[1] - self._returns, after[2] - before[2] - self._newlines
        kinds = {(0, self._rows), (self._rows, 0), (self._rows, self._rows)}
        return before[0] == after[0] and (returns, newlines) in kinds


def _rows(file: Path, reading: Reading) -> Iterator[list[str]]:
    """Yield the rows of a file; the csv module reads those with quotation marks, and gives the same for the others."""
    with file.open(encoding=reading.codec, newline="") as lines:
        first: list[str] = []
        reader = csv.reader(
            _with(first, lines), delimiter=reading.delimiter, quotechar=reading.quote, escapechar=reading.escape
        )
        for line in lines:
            if reading.quote in line or (reading.escape and reading.escape in line):
                first.append(line)
                yield next(reader)
            else:
                yield line.rstrip("\r\n").split(reading.delimiter)


def _with(first: list[str], lines: Iterator[str]) -> Iterator[str]:
    """Yield what was put into `first`, and lines whenever there is nothing in it."""
    while True:
        if first:
            yield first.pop()
        else:
            line = next(lines, None)
            if line is None:
                return
            yield line


def _wrong_cells(file: Path, row: int, columns: Sequence[int], cells: list[str], expected: list[str]) -> list[Finding]:
    return [
        _fault(file, row, column, f"the cell says '{cells[column]}' and should say '{text}'")
        for column, text in zip(columns, expected, strict=True)
        if cells[column] != text
    ]


def _frame(file: Path) -> tuple[bytes, int, int]:
    """Return what reading cells doesn't show: a byte order mark, and how many line ends of which kind there are."""
    returns = newlines = 0
    with file.open("rb") as data:
        first = data.read(3)
        data.seek(0)
        while chunk := data.read(_CHUNK):
            returns += chunk.count(b"\r")
            newlines += chunk.count(b"\n")
    return first, returns, newlines


def _fault(file: Path, row: int | None, column: int | None, what: str) -> Finding:
    return Finding("second-look", what, Place(file, None if row is None else row + 1, column))
