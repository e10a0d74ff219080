"""Whether quotation marks stand around cells or are signs like any other.

A file is read in both ways wherever they differ. That way counts in which the rows are as wide as the others; where
neither plainly does, a person must say. So a lone quotation mark never swallows the rows behind it without a word.
"""

from collections import Counter
from collections.abc import Sequence
from enum import Enum, auto
from itertools import islice
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple, NoReturn

from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.dialect import Dialect, Quotes
from skarvin.core.grid.mixed_quotes import holds_codes, is_code, read_row_by_row
from skarvin.core.grid.records import Cuts, Records, Span, join_records

_SAMPLE = 400
_MEND = "Correct this cell, or say what quotation marks are: --quotes around (cells), or --quotes plain (characters)."


class _Vote(Enum):
    """What one record says: quotes stand around cells, are plain characters, may be either, or it doesn't matter."""

    AROUND = auto()
    PLAIN = auto()
    EITHER = auto()
    NONE = auto()


class Quoted(NamedTuple):
    """The records of a text, the dialect in which its quotation marks mean what they mean, and what is to be told.

    `cuts` tell of lines in which some are plain characters though they stand around cells elsewhere.
    """

    records: Records
    dialect: Dialect
    notes: tuple[Finding, ...] = ()
    cuts: Cuts = MappingProxyType({})


def judge_quotes(
    records: Records, text: tuple[list[str], list[str]], dialect: Dialect, file: Path, quotes: Quotes | None
) -> Quoted:
    """Return the records of a text, read in the way in which the rows are as wide as the others.

    Args:
        records: the records, where quotation marks stand around cells.
        text: the lines, and the line end of each.
        dialect: the dialect, with quotation marks around cells.
        file: where the lines come from.
        quotes: what a person says of quotation marks; None leaves it to the rows.

    Raises:
        Unreadable: the rows don't tell how quotation marks are meant, or one opens and never closes.
    """
    lines, ends = text
    if quotes is Quotes.PLAIN:
        return Quoted(join_records(lines, ends, dialect.plain, file), dialect.plain)
    is_in_doubt = quotes is None and bool(dialect.quote) and not records.is_plain
    if is_in_doubt and (records.spans or _is_any_cut_otherwise(records, dialect)):
        votes = _votes(lines, records, dialect)
        first = dict(reversed(votes))
        if _Vote.EITHER in first or {_Vote.AROUND, _Vote.PLAIN} <= first.keys():
            found = _row_by_row(text, dialect, file)
            if found and _is_valid(records, dialect) and _repeats_codes(found.records, records, dialect):
                found = None
            return found or _refuse(*_unclear(first, lines, dialect, file))
        if _Vote.PLAIN in first:
            place = Place(file, line=first[_Vote.PLAIN].start + 1)
            what = "quotation marks are read as plain characters: around cells, they would swallow cells from here on"
            note = Finding("quotes-plain", what, place, "If they do stand around cells: --quotes around")
            return Quoted(join_records(lines, ends, dialect.plain, file), dialect.plain, (note,))
    if records.spans and not records.spans[-1].is_closed:
        found = _row_by_row(text, dialect, file) if quotes is None else None
        return found or _refuse(_unclosed(records, file))
    return Quoted(records, dialect)


def _is_valid(records: Records, dialect: Dialect) -> bool:
    """Tell whether all is quoted as it ought to be, and each record has as many cells as the first."""
    is_closed = all(span.is_closed for span in records.spans)
    return is_closed and len(set(records.widths)) == 1 and all(map(dialect.is_well_quoted, records.texts))


def _repeats_codes(read: Records, valid: Records, dialect: Dialect) -> bool:
    """Tell whether rows have a code twice that has it once where all quotation marks stand around cells."""
    spans = {span.record: span for span in valid.spans}
    return _Rows(valid, _usual_width(valid, spans, dialect), dialect).repeat_codes(read.texts)


def _row_by_row(text: tuple[list[str], list[str]], dialect: Dialect, file: Path) -> Quoted | None:
    found = read_row_by_row(text, dialect, file)
    return Quoted(found.records, dialect, (found.note,), found.cuts) if found else None


def _refuse(*findings: Finding) -> NoReturn:
    raise Unreadable(*findings)


def _is_any_cut_otherwise(records: Records, dialect: Dialect) -> bool:
    """Tell whether any record would have more cells if quotation marks were plain characters."""
    delimiter = dialect.delimiter
    return sum(text.count(delimiter) for text in records.texts) != sum(records.widths) - len(records.widths)


def _votes(lines: Sequence[str], records: Records, dialect: Dialect) -> list[tuple[_Vote, Span]]:
    """Return what each record says that the two ways cut differently, in their order."""
    delimiter = dialect.delimiter
    spans = {span.record: span for span in records.spans}
    width = _usual_width(records, spans, dialect)
    rows = _Rows(records, width, dialect)
    votes = []
    line = 0
    for place, (text, cells) in enumerate(zip(records.texts, records.widths, strict=True)):
        span = spans.get(place) or Span(place, line, line + 1)
        line = span.stop
        if span.stop - span.start == 1:
            bare = text.count(delimiter) + 1
            if span.is_closed and bare != cells:
                votes.append((_of_one_line(text, cells == width, bare == width, dialect), span))
        else:
            votes.append((_of_several_lines(text, span, lines[span.start : span.stop], rows), span))
    return [(vote, span) for vote, span in votes if vote is not _Vote.NONE]


def _of_one_line(text: str, is_right: bool, is_right_bare: bool, dialect: Dialect) -> _Vote:
    """Return what a record of one line says that the two ways cut differently."""
    if is_right_bare and not is_right:
        return _Vote.PLAIN
    if not dialect.is_well_quoted(text):
        return _Vote.EITHER
    return _Vote.AROUND if is_right else _Vote.NONE


def _of_several_lines(text: str, span: Span, lines: Sequence[str], rows: "_Rows") -> _Vote:
    """Return what a record of several lines says: does it hold one row, or did it swallow others?"""
    is_well_quoted = span.is_closed and rows.dialect.is_well_quoted(text)
    if is_well_quoted:  # a comment may have a line with a code: only a line that is a whole row may be swallowed
        swallowed = any(map(rows.is_row, rows.within(text, lines)))
    else:
        swallowed = rows.count_codes(lines) > 1 or (not rows.have_codes and any(map(rows.is_row, lines)))
    if is_well_quoted and not swallowed and len(rows.dialect.values(text)) == rows.width:
        return _Vote.AROUND
    if not is_well_quoted and all(map(rows.is_row, lines)):
        return _Vote.PLAIN
    is_text = (is_well_quoted or not span.is_closed) and not any(map(rows.is_row, lines)) and not swallowed
    return _Vote.NONE if is_text else _Vote.EITHER  # a title of several lines, or a file that was cut


def _usual_width(records: Records, spans: dict[int, Span], dialect: Dialect) -> int:
    """Return the width of most rows that hold something and whose quotation marks, if any, leave no doubt."""
    widths = Counter(
        width
        for place, (text, width) in enumerate(zip(records.texts, records.widths, strict=True))
        if text.strip(f"{dialect.delimiter} ") and (place not in spans or dialect.is_well_quoted(text))
    )
    return max(widths, key=lambda width: (width > 1, widths[width], width), default=0)


class _Rows:
    """What the rows of a file look like that are surely rows: how wide, and in which column each has its own code."""

    def __init__(self, records: Records, width: int, dialect: Dialect) -> None:
        self.width = width
        self.dialect = dialect
        unclosed = {span.record for span in records.spans if not span.is_closed}
        sure = (
            text
            for place, (text, cells) in enumerate(zip(records.texts, records.widths, strict=True))
            if cells == width and place not in unclosed and dialect.is_well_quoted(text)
        )
        below = [dialect.values(text) for text in islice(sure, 1, _SAMPLE)]  # the first may be the headings
        columns = [[cells[column] for cells in below] for column in range(width if below else 0)]
        coded = [column for column, texts in enumerate(columns) if holds_codes(texts)]
        longest = max(coded, key=lambda column: sum(map(len, columns[column])), default=None)  # marks are short
        self._coded = [] if longest is None else [longest]
        self._lengths = {len(text.strip()) for column in self._coded for text in columns[column]}

    @property
    def have_codes(self) -> bool:
        """Whether a column holds codes, such as student numbers."""
        return bool(self._coded)

    def is_row(self, line: str) -> bool:
        """Tell whether a line looks like a row: wide enough, with a code; without codes, as wide as the others."""
        cells = line.split(self.dialect.delimiter)
        if not self._coded:
            return len(cells) == self.width
        return len(cells) >= self.width and self._has_code(cells)

    def count_codes(self, lines: Sequence[str]) -> int:
        """Return how many lines have a code where rows have one, counted from the left or from the right."""
        return sum(self._has_code(line.split(self.dialect.delimiter)) for line in lines)

    def repeat_codes(self, lines: Sequence[str]) -> bool:
        """Tell whether several lines have one code where rows have one."""
        cells = [line.split(self.dialect.delimiter) for line in lines[1:]]
        codes = [
            own[column].strip(f"{self.dialect.quote} ") for own in cells for column in self._coded if column < len(own)
        ]
        return len(set(codes)) < len(codes)

    def within(self, text: str, lines: Sequence[str]) -> Sequence[str]:
        """Return the lines of a record but those that its own row begins and ends with."""
        return lines[1:-1] if text.startswith(self.dialect.quote) else lines[1:]

    def _has_code(self, cells: Sequence[str]) -> bool:
        places = (place for column in self._coded for place in (column, column - self.width))
        found = (
            cells[place].strip().strip(self.dialect.quote) for place in places if -len(cells) <= place < len(cells)
        )
        return any(is_code(text) and len(text) in self._lengths for text in found)


def _unclear(first: dict[_Vote, Span], lines: Sequence[str], dialect: Dialect, file: Path) -> list[Finding]:
    """Return where each way of reading goes wrong."""
    findings = []
    span = first.get(_Vote.EITHER) or first[_Vote.PLAIN]
    if span.stop - span.start > 1:
        over = f"up to line {span.stop}" if span.is_closed else "up to the end of the file"
        what = f"a quotation mark opens here; around a cell, it would swallow the lines {over}, which look like rows"
    elif _Vote.EITHER in first:
        what = "quotation marks open and close in the middle of cells here, and more than one way of cutting is likely"
    else:
        what = "quotation marks around cells make this row narrower than the others"
    findings.append(Finding("quotes", what, Place(file, line=span.start + 1)))
    wide = first.get(_Vote.AROUND)
    if wide:
        bare = lines[wide.start].count(dialect.delimiter) + 1
        what = f"as plain characters, quotation marks leave {bare} cells in this line, which isn't a row then"
        findings.append(Finding("quotes", what, Place(file, line=wide.start + 1)))
    elif span.stop - span.start > 1:
        what = "as plain characters, quotation marks make this line the last of those rows"
        findings.append(Finding("quotes", what, Place(file, line=span.stop)))
    return [*findings[:-1], replace(findings[-1], mend=_MEND)]


def _unclosed(records: Records, file: Path) -> Finding:
    place = Place(file, records.spans[-1].record, max(0, records.widths[-1] - 1))
    mend = "The file may have been cut off: export it again. If it is a plain character: --quotes plain."
    return Finding("cut-off", "a quotation mark opens here and never closes", place, mend)
