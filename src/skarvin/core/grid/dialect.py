"""How a delimited text separates and quotes its cells."""

import csv
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from enum import StrEnum
from functools import cached_property
from pathlib import Path

import msgspec

from skarvin.core.findings import Finding, Place, Unreadable

DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe"}


class Quotes(StrEnum):
    """What a person can say of quotation marks: they stand around cells, or are plain signs."""

    AROUND = "around"
    PLAIN = "plain"


_QUOTES = {'"': "double", "'": "single"}
_LINE_ENDS = {"\n": "LF", "\r\n": "CRLF", "\r": "CR", "": "none"}
_SAMPLE = 200
_LONG = 200_000


class Dialect(msgspec.Struct, frozen=True, dict=True):
    """The delimiter between cells, the quotation mark around them, and what stands before a mark inside.

    Without a quotation mark (`quote` is blank) these are signs like any other, and each line is a record.
    """

    delimiter: str
    quote: str = '"'
    escape: str | None = None

    @property
    def title(self) -> str:
        """The dialect in a person's words."""
        quote = {'"': "", "": ", quotation marks are plain characters"}.get(self.quote, ", single quotation marks")
        escape = ", escaped with a backslash" if self.escape else ""
        return f"{DELIMITERS[self.delimiter]} between cells{quote}{escape}"

    def reader(self, lines: Iterable[str]) -> "Iterator[list[str]]":
        """Return the csv module's reader for this dialect."""
        if not self.quote:
            return csv.reader(lines, delimiter=self.delimiter, quoting=csv.QUOTE_NONE, quotechar=None)
        return csv.reader(lines, delimiter=self.delimiter, quotechar=self.quote, escapechar=self.escape)

    @property
    def plain(self) -> "Dialect":
        """The same dialect with quotation marks that are signs like any other."""
        return Dialect(self.delimiter, "", None)

    @cached_property
    def cell(self) -> re.Pattern[str]:
        """Match one cell as it stands in a record, with its quotation marks."""
        quote, delimiter = re.escape(self.quote), re.escape(self.delimiter)
        escape = re.escape(self.escape) if self.escape else ""
        inside = f"[^{quote}{escape}]*+"
        more = f"{quote}{quote}|{escape}." if escape else f"{quote}{quote}"
        bare = f"(?:[^{delimiter}{escape}]|{escape}.)*+" if escape else f"[^{delimiter}]*+"
        return re.compile(f"{quote}{inside}(?:(?:{more}){inside})*+{quote}{bare}|{bare}", re.DOTALL)

    def is_plain(self, record: str) -> bool:
        """Tell whether the delimiter alone cuts the record into its cells."""
        return not self.quote or (self.quote not in record and (self.escape is None or self.escape not in record))

    def is_well_quoted(self, record: str) -> bool:
        """Tell whether each quotation mark that opens begins a cell, and each that closes ends one."""
        return self.is_plain(record) or self._well_quoted.fullmatch(record) is not None

    @cached_property
    def _well_quoted(self) -> re.Pattern[str]:
        quote, delimiter = re.escape(self.quote), re.escape(self.delimiter)
        escape = re.escape(self.escape) if self.escape else ""
        inside = f"(?:[^{quote}{escape}]|{quote}{quote}{f'|{escape}.' if escape else ''})*+"
        cell = f"(?:{quote}{inside}{quote}|(?!{quote})[^{delimiter}]*+)"
        return re.compile(f"{cell}(?:{delimiter}{cell})*+", re.DOTALL)

    def can_spell(self, value: str) -> bool:
        """Tell whether a cell can say `value`: where quotation marks are plain, nothing can hide a delimiter."""
        return bool(self.quote) or not any(sign in value for sign in (self.delimiter, "\n", "\r"))

    def without_quoted(self, text: str) -> str | None:
        """Return lines without what stands in quotation marks, and without these; None if they aren't plainly quoted.

        Plainly means: each quotation mark that opens begins a cell, each that closes ends one, and in the same line.
        """
        parts = text.split(self.quote)
        outside, inside = parts[::2], parts[1::2]
        if self.escape is not None or len(outside) == len(inside) or "\n" in "".join(inside):
            return None
        beside = {part[-1:] for part in outside[:-1]} | {part[:1] for part in outside[1:]}
        return "".join(outside) if beside <= {"", self.delimiter, "\n"} else None

    def values(self, record: str) -> list[str]:
        """Return the cells of a record as a reader sees them."""
        if self.is_plain(record):
            return record.split(self.delimiter)
        return next(self.reader([record]))

    def first_values(self, record: str, count: int) -> list[str]:
        """Return at least the first `count` cells of a record, without cutting up the rest."""
        start = 0
        for _ in range(count):
            match = self.cell.match(record, start)
            if match is None or match.end() == len(record):
                return self.values(record)
            start = match.end() + 1
        return self.values(record[: start - 1])

    def first_values_each(self, records: Sequence[str], count: int) -> list[list[str]]:
        """Return at least the first `count` cells of each of some records."""
        matches = map(self._first(count).match, records)
        heads = [match[0] if match else record for match, record in zip(matches, records, strict=True)]
        try:
            found = list(self.reader(heads))
        except csv.Error:  # an open quotation mark ran into the next record
            found = []
        is_whole = len(found) == len(records) and min(map(len, found), default=count) >= count
        return found if is_whole else [self.first_values(record, count) for record in records]

    def _first(self, count: int) -> re.Pattern[str]:
        """Match the first `count` cells of a record."""
        cell, delimiter = self.cell.pattern, re.escape(self.delimiter)
        return re.compile(f"(?>{cell})(?:{delimiter}(?>{cell})){{{count - 1}}}", re.DOTALL)

    def raw_cells(self, record: str) -> list[str]:
        """Return the cells of a record as they stand, quotation marks and all; joined they are the record."""
        if self.is_plain(record):
            return record.split(self.delimiter)
        cells, start = [], 0
        while match := self.cell.match(record, start):
            cells.append(match[0])
            start = match.end() + 1
            if start > len(record):
                break
        return cells

    def value(self, raw: str) -> str:
        """Return what a raw cell says."""
        return raw if self.is_plain(raw) else self.values(raw)[0]

    def spell(self, value: str, before: str = "") -> str:
        """Return `value` as a raw cell, quoted if it has to be or if the cell `before` it was."""
        if not self.quote:
            return value
        special = (self.delimiter, self.quote, "\n", "\r", *([self.escape] if self.escape else []))
        if any(sign in value for sign in special) or before.startswith(self.quote):
            if self.escape:
                value = value.replace(self.escape, self.escape * 2)
            return f"{self.quote}{value.replace(self.quote, (self.escape or self.quote) + self.quote)}{self.quote}"
        return value


def detect(lines: list[str], file: Path, delimiter: str | None = None, *, is_rfc_4180: bool = False) -> Dialect:
    """Return the dialect under which most of the first rows have one number of cells, and more than one.

    Args:
        lines: the text's lines.
        file: where they come from.
        delimiter: the delimiter or its title, if it is known.
        is_rfc_4180: whether quotation marks are known to be those of RFC 4180: double, and doubled inside a cell.

    Raises:
        Unreadable: `delimiter` names none that is known.
    """
    by_title = {title: sign for sign, title in DELIMITERS.items()}
    wanted = by_title.get(delimiter or "", delimiter)
    if wanted is not None and wanted not in DELIMITERS:
        mend = f"Write one of: {', '.join(DELIMITERS.values())}."
        raise Unreadable(Finding("unknown-delimiter", f"there is no delimiter '{delimiter}'", Place(file), mend))
    sample = [f"{line}\n" for line in lines[:_SAMPLE] if len(line) < _LONG] or [
        f"{line[:_LONG]}\n" for line in lines[:1]
    ]
    text = "" if is_rfc_4180 else "".join(sample)
    dialects = [
        Dialect(sign, quote, escape)
        for sign in ([wanted] if wanted else DELIMITERS)
        for quote in (_QUOTES if _is_quoted(text, "'", sign) and not _is_quoted(text, '"', sign) else '"')
        for escape in ([None, "\\"] if f"\\{quote}" in text else [None])
    ]
    return max(dialects, key=lambda dialect: _fit(sample, dialect))


def _is_quoted(text: str, quote: str, delimiter: str) -> bool:
    """Tell whether the mark stands around cells, and so does more often than not; doubled, it stands for itself."""
    text = text.replace(quote * 2, "")
    around = len(
        re.findall(f"(?:^|{re.escape(delimiter)}){quote}|{quote}(?={re.escape(delimiter)}|$)", text, re.MULTILINE)
    )
    return around > 1 and 2 * around > text.count(quote)


def _fit(sample: list[str], dialect: Dialect) -> tuple[float, bool, int, int]:
    """Return how well a dialect fits: the share of rows of one width, whether quotes close, quotes left, the width."""
    try:
        rows = [row for row in dialect.reader(sample) if row]
    except csv.Error:  # an endless cell: whoever reads the records will say where
        return 0, False, 0, 0
    widths = Counter(len(row) for row in rows)
    width, count = max(widths.items(), key=lambda pair: (pair[0] > 1, pair[1], pair[0]), default=(0, 0))
    left_over = sum(row[index].count(dialect.quote) for row in rows[:_SAMPLE] for index in range(len(row)))
    is_closed = not rows or not rows[-1][-1].endswith("\n")
    return (count / len(rows), is_closed, -left_over, width) if width > 1 else (0, False, 0, 0)


def line_end_title(ends: list[str]) -> str:
    """Return the name of the line end in use, or of all of them."""
    found = Counter(ends[:-1] or ends)
    return " and ".join(_LINE_ENDS[end] for end, _ in found.most_common())
