"""How a delimited text separates and quotes its cells."""

import csv
import re
from collections import Counter
from dataclasses import dataclass
from functools import cached_property

DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab"}
_LINE_ENDS = {"\n": "LF", "\r\n": "CRLF", "\r": "CR", "": "none"}
_SAMPLE = 200


@dataclass(frozen=True)
class Dialect:
    """The delimiter between cells and the quotation mark around them."""

    delimiter: str
    quote: str = '"'

    @property
    def title(self) -> str:
        """The delimiter's name."""
        return DELIMITERS[self.delimiter]

    @cached_property
    def cell(self) -> re.Pattern[str]:
        """Match one cell as it stands in a record, with its quotation marks."""
        quote, delimiter = re.escape(self.quote), re.escape(self.delimiter)
        return re.compile(f"{quote}[^{quote}]*+(?:{quote}{quote}[^{quote}]*+)*+{quote}[^{delimiter}]*|[^{delimiter}]*")

    def values(self, record: str) -> list[str]:
        """Return the cells of a record as a reader sees them."""
        if self.quote not in record:
            return record.split(self.delimiter)
        return next(csv.reader([record], delimiter=self.delimiter, quotechar=self.quote))

    def raw_cells(self, record: str) -> list[str]:
        """Return the cells of a record as they stand, quotation marks and all; joined they are the record."""
        if self.quote not in record:
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
        return self.values(raw)[0] if self.quote in raw else raw

    def spell(self, value: str, before: str = "") -> str:
        """Return `value` as a raw cell, quoted if it has to be or if the cell `before` it was."""
        needs = any(sign in value for sign in (self.delimiter, self.quote, "\n", "\r"))
        if needs or before.startswith(self.quote):
            return f"{self.quote}{value.replace(self.quote, self.quote * 2)}{self.quote}"
        return value


def detect(lines: list[str]) -> Dialect:
    """Return the dialect under which most of the first rows have as many cells as the headings, and more than one."""
    sample = [f"{line}\n" for line in lines[:_SAMPLE]]

    def fit(delimiter: str) -> tuple[float, int]:
        try:
            widths = [len(row) for row in csv.reader(sample, delimiter=delimiter) if row]
        except csv.Error:  # an endless cell: whoever reads the records will say where
            widths = []
        width = widths[0] if widths else 0
        return (widths.count(width) / len(widths), width) if width > 1 else (0, 0)

    return Dialect(max(DELIMITERS, key=fit))


def line_end_title(ends: list[str]) -> str:
    """Return the name of the line end in use, or of all of them."""
    found = Counter(ends[:-1] or ends)
    return " and ".join(_LINE_ENDS[end] for end, _ in found.most_common())
