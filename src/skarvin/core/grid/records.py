"""A text cut into records: one a row of cells, though a record may run over several lines."""

import csv
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.dialect import Dialect
from skarvin.core.texts.patterns import pattern

_LINE_END = pattern("(\r\n|\r|\n)")
_LONE_RETURN = pattern("\r(?!\n)")
_BLOCK = 1024


Cuts = Mapping[int, tuple[int, ...]]
"""For each line that the csv module would cut otherwise, the place of each cell's first character."""


class Span(NamedTuple):
    """A record with quotation marks: its place among the records, its lines (from 0), whether its quotes close."""

    record: int
    start: int
    stop: int
    is_closed: bool = True


class Records(NamedTuple):
    """The records of a text, the line end behind each, and how many cells each has.

    `spans` are those records with quotation marks that aren't one plainly quoted line; `is_plain` says that no record
    has any.
    """

    texts: list[str]
    ends: list[str]
    widths: list[int]
    spans: list[Span]
    is_plain: bool = False


def count_lines(text: str) -> int:
    """Return how many physical lines a text has, counted by its line ends; the last line may do without one."""
    ends = text.count("\n") + len(_LONE_RETURN.findall(text))
    return ends + (bool(text) and text[-1] not in "\r\n")


def split_lines(text: str) -> tuple[list[str], list[str]]:
    """Return the lines of a text and the line end of each; put together again they are the text."""
    lines, end = text.split("\n"), "\n"
    if "\r" in text:
        if len(lines) == 1:
            lines, end = text.split("\r"), "\r"
        elif all(line.endswith("\r") for line in lines[:-1]) and not _LONE_RETURN.search(text):
            end = "\r\n"
            for place in range(len(lines) - 1):  # one by one, so that each takes the room of the one before
                lines[place] = lines[place][:-1]
        else:
            end = ""
    if end:
        ends = [end] * (len(lines) - 1) + [""]
    else:
        parts = _LINE_END.split(text)
        lines, ends = parts[::2], [*parts[1::2], ""]
    if not lines[-1]:
        lines.pop()
        ends.pop()
    return lines, ends


def join_records(lines: list[str], ends: list[str], dialect: Dialect, file: Path, *, is_plain: bool = False) -> Records:
    """Return the records of some lines, where a quoted cell may hold line ends; if `is_plain`, none does.

    The last record may have a quotation mark that never closes: its span says so.

    Raises:
        Unreadable: a cell in one line is longer than the csv module takes.
    """
    if is_plain or all(map(dialect.is_plain, lines)):
        return Records(lines, ends, [line.count(dialect.delimiter) + 1 for line in lines], [], is_plain=True)
    joined = Records([], [], [], [])
    reader = _Reader(lines, ends, dialect, file)
    while reader.at < len(lines):
        until = reader.at + _BLOCK
        block = lines[reader.at : until]
        if (widths := _widths(block, dialect)) is not None:
            joined.texts.extend(block)
            joined.ends.extend(ends[reader.at : until])
            joined.widths.extend(widths)
            reader.at += len(block)
        while reader.at < min(until, len(lines)):
            reader.read_into(joined)
    return joined


def _widths(lines: list[str], dialect: Dialect) -> list[int] | None:
    """Return how many cells each line has; None unless each is a plainly quoted record, no longer than csv takes."""
    text = "\n".join(lines)
    if text.count("\n") != len(lines) - 1 or max(map(len, lines)) >= csv.field_size_limit():
        return None
    bare = dialect.without_quoted(text)
    return None if bare is None else [line.count(dialect.delimiter) + 1 for line in bare.split("\n")]


class _Reader:
    """Reads record after record by the csv module; `at` is the line that the next one begins with."""

    def __init__(self, lines: list[str], ends: list[str], dialect: Dialect, file: Path) -> None:
        self.at = 0
        self._lines = lines
        self._ends = ends
        self._dialect = dialect
        self._file = file
        self._ran_out = False
        self._reader = dialect.reader(self._feed())

    def _feed(self) -> Iterator[str]:
        while self.at < len(self._lines):
            self.at += 1
            yield self._lines[self.at - 1] + (self._ends[self.at - 1] or "\n")
        self._ran_out = True

    def read_into(self, joined: Records) -> None:
        """Add the record that begins with the next line: its text, the line end behind it, how many cells it has."""
        start, line = self.at, self._lines[self.at]
        if self._dialect.is_plain(line):
            self.at += 1
            joined.texts.append(line)
            joined.ends.append(self._ends[start])
            joined.widths.append(line.count(self._dialect.delimiter) + 1)
            return
        width = self._read_one(start, len(joined.texts))
        joined.spans.append(Span(len(joined.texts), start, self.at, not self._ran_out))
        pairs = zip(self._lines[start : self.at], self._ends[start : self.at], strict=True)
        *body, end = [part for pair in pairs for part in pair]
        joined.texts.append("".join(body))
        joined.ends.append(end)
        joined.widths.append(width)

    def _read_one(self, start: int, row: int) -> int:
        """Return how many cells the next record has, reading as many lines as it takes."""
        try:
            return len(next(self._reader))
        except csv.Error:
            if self.at - start > 1:  # so long only because a quotation mark doesn't close: whoever judges quotes sees
                self.at, self._ran_out = len(self._lines), True
                return 0
            what = f"a cell in this row is longer than {csv.field_size_limit():,} characters"
            mend = "A quotation mark that never closes does this: see where the first cell of the row begins."
            raise Unreadable(Finding("endless-cell", what, Place(self._file, row), mend)) from None
