"""What can be said about an input: findings, where they stand, and the errors that carry them.

The tree of errors; `skarvin.cli.main` catches it in one place and turns each branch into its exit code:

    SkarvinError        something the user can mend
        Misused         the command was given something that it can't work with (2)
        Unreadable      an input can't be read or understood (3)
        Refused         all was understood, and nothing was written (4)
"""

from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import NamedTuple

import msgspec


@cache
def column_letter(index: int) -> str:
    """Return the letter that spreadsheets give the column at `index` (0 is A, 26 is AA)."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(ord("A") + rest) + letters
    return letters


@cache
def column_position(letters: str) -> int:
    """Return the position (from 0) of a column that goes by letters.

    Raises:
        ValueError: these are none.
    """
    position = 0
    for letter in letters:
        if not "A" <= letter <= "Z":
            raise ValueError(letters)
        position = position * 26 + ord(letter) - ord("A") + 1
    return position - 1


def read_cell(name: str) -> tuple[int, int]:
    """Return row and column (from 0) of a cell that goes by a name such as C4; row 0 if it names a column alone.

    Raises:
        ValueError: it is no such name.
    """
    letters = name.rstrip("0123456789")
    digits = name[len(letters) :]
    return row_position(digits) if digits else 0, column_position(letters)


def row_position(number: str | int) -> int:
    """Return the position (from 0) of a row that goes by a number."""
    return int(number) - 1


def numbered_row(number: int) -> str:
    """Return what a row is called of which nothing but the number is known."""
    return f"row {number}"


class Place(msgspec.Struct, frozen=True):
    """Where something stands: a file, and in it a line (of text) or a row and column (of cells).

    `row` and `column` are positions from 0 in the grid, shown as a spreadsheet shows them: by a number from 1 and a
    letter. `line` is the number of a line of text, from 1.
    """

    file: Path
    row: int | None = None
    column: int | None = None
    heading: str | None = None
    line: int | None = None
    sheet: str | None = None

    def __str__(self) -> str:
        parts = [self.file.name]
        if self.sheet is not None:
            parts.append(f"sheet '{self.sheet}'")
        if self.line is not None:
            parts.append(f"line {self.line}")
        if self.row is not None:
            parts.append(f"row {self.row_number}")
        if self.column is not None:
            heading = f" '{self.heading}'" if self.heading else ""
            parts.append(f"column {column_letter(self.column)}{heading}")
        return ", ".join(parts)

    @property
    def row_number(self) -> int | None:
        """The row's number as a spreadsheet shows it, from 1."""
        return None if self.row is None else self.row + 1


class Source(msgspec.Struct, frozen=True, eq=False):
    """What rows stand in: one file, or one sheet of it, as it was read once. Each reading is a source of its own.

    `number` puts the sources of a transfer in order. `files` are those that the rows below the first are of, where
    the source is a folder. `is_one_of_several` tells a sheet beside others with anything in them. Of a file with a line
    for each mark, `lines` says in which line the mark of a row and a column stands, `stands_in` in which column.
    Of a workbook with a sheet for each student `sheets` has the number of each row's sheet, and `columns` in which
    column each mark stands there. Of groups `elsewhere` is the file in which the lines stand.
    """

    file: Path
    sheet: str | None = None
    number: int = 0
    files: tuple[str, ...] = ()
    is_one_of_several: bool = False
    lines: Mapping[int, Mapping[int, int]] = {}
    stands_in: Mapping[int, int] = {}
    sheets: tuple[int, ...] = ()
    columns: Mapping[tuple[int, int], int] = {}
    elsewhere: "Source | None" = None

    @property
    def called(self) -> str:
        """What it is called where others are named, too: the file, and its sheet where the file has several."""
        return f"{self.file.name}, sheet '{self.sheet}'" if self.is_one_of_several else self.file.name

    def __lt__(self, other: "Source") -> bool:
        return self.number < other.number


class Row(NamedTuple):
    """A row of a file. Grids make it; it alone says which number the row has, and what its cells are called."""

    source: Source
    position: int

    def __str__(self) -> str:
        return self.of_sheet or f"row {self.number}"

    @property
    def in_sheet(self) -> int | None:
        """The number of the sheet that the row is, where the file has a sheet for each student."""
        at = self.position - 1
        return self.source.sheets[at] if 0 <= at < len(self.source.sheets) else None

    @property
    def of_sheet(self) -> str:
        """What the row is where each student has a sheet, or a file of a folder; else blank."""
        return "" if self.in_sheet is None else self.of_file or f"sheet {self.in_sheet}"

    @property
    def number(self) -> int:
        """The row's number as a spreadsheet shows it, from 1."""
        return self.position + 1

    @property
    def in_words(self) -> str:
        """The row, and the file too if that isn't the first of several."""
        return f"{self} of {self.source.called}" if self.source.number else str(self)

    @property
    def label(self) -> str:
        """The row's number for a table, with the file if that isn't the first of several."""
        if self.in_sheet is not None:
            return self.in_words
        return f"{self.number} of {self.source.called}" if self.source.number else str(self.number)

    @property
    def of_file(self) -> str:
        """The file that the row is of, where it stands in a folder of them; else blank."""
        return self.source.files[self.position - 1] if self.source.files and self.position else ""

    def offset(self, by: int) -> "Row":
        """Return the row so many rows below this one, or above it if `by` is less than zero."""
        return Row(self.source, self.position + by)

    def distance(self, other: "Row") -> int:
        """Return how many rows this one stands below another of the same source."""
        return self.position - other.position

    def cell(self, column: int) -> str:
        """Return the name that a spreadsheet gives the cell at `column`: C4."""
        line, own = self.stands(column)
        where = f" of {self.of_sheet}" if self.of_sheet else ""
        where = f" of {line.source.called}" if line.source is not self.source else where
        return f"{column_letter(own)}{line.number}{where}"

    def has(self, column: int) -> bool:
        """Tell whether the file has a cell there: a log has a line for each mark there is, and no blank ones."""
        return column not in self.source.stands_in or column in self.source.lines.get(self.position, {})

    def stands(self, column: int) -> "tuple[Row, int]":
        """Return the row and the column of the file in which a cell stands: of a mark in a line of its own, that."""
        line = self.source.lines.get(self.position, {}).get(column)
        own = self.source.columns.get((self.position, column), self.source.stands_in.get(column, column))
        return (self if line is None else Row(self.source.elsewhere or self.source, line)), own

    def numbers_of(self, columns: Sequence[int]) -> list[int]:
        """Return the number of the row in which each cell stands, from 1; 0 where the file has none."""
        own, apart = self.source.lines.get(self.position, {}), self.source.stands_in
        return [own.get(column, -1) + 1 if column in apart else self.number for column in columns]

    def place(self, column: int | None = None, heading: str | None = None) -> Place:
        """Return where the row, or a cell of it, stands."""
        line, own = (self, column) if column is None else self.stands(column)
        if line.source is not self.source:
            return Place(line.source.file, line.position, own, heading, sheet=line.source.sheet)
        if self.in_sheet is not None:
            sheet = None if self.of_file else str(self.in_sheet)
            at = line.position if line is not self else None
            return Place(self.source.file / self.of_file, at, own, heading, sheet=sheet)
        return Place(self.source.file, line.position, own, heading, sheet=self.source.sheet)


class Finding(msgspec.Struct, frozen=True):
    """One thing that was found: `slug` for machines, `what` and `mend` for people, `place` for both."""

    slug: str
    what: str
    place: Place | None = None
    mend: str = ""

    def __str__(self) -> str:
        where = f"{self.place}: " if self.place else ""
        mend = f" {self.mend}" if self.mend else ""
        stop = "" if self.what.endswith(("?", ".")) else "."
        return f"{where}{self.what}{stop}{mend}"


class SkarvinError(Exception):
    """Something that the user can mend; carries one finding or several."""

    def __init__(self, *findings: Finding) -> None:
        super().__init__("\n".join(str(finding) for finding in findings))
        self.findings = findings


class Misused(SkarvinError):
    """The command was given something that it can't work with."""


class Unreadable(SkarvinError):
    """An input can't be read or understood."""


class Refused(SkarvinError):
    """All was understood, but nothing was written."""


def listing(words: Sequence[str], most: int = 4) -> str:
    """Return `words` as a list in a sentence, cut with a count after `most`."""
    if len(words) > most:
        return f"{', '.join(words[:most])} and {len(words) - most} more"
    return " and ".join(filter(None, [", ".join(words[:-1]), *words[-1:]]))


def listed_rows(rows: Sequence[Row], most: int = 4, seen_from: Source | None = None) -> str:
    """Return rows as a list in a sentence: `rows 3, 5 and 8`; with their files if they are of several.

    Args:
        rows: the rows.
        most: after how many the list is cut, with a count.
        seen_from: where the reader is: of rows elsewhere the file is named.
    """
    sources = {row.source for row in rows} | ({seen_from} if seen_from else set())
    if len(sources) > 1:
        return listing([f"{row} of {row.source.called}" for row in rows], most)
    if all(row.in_sheet is not None and row.of_file for row in rows):
        return listing([row.of_file for row in rows], most)
    kind = "row" if any(row.in_sheet is None for row in rows) else "sheet"
    numbers = [str(row.number if kind == "row" else row.in_sheet) for row in rows]
    return f"{kind if len(rows) == 1 else f'{kind}s'} {listing(numbers, most)}"


def counted(number: int, noun: str, many: str = "") -> str:
    """Return the number with its noun: `1 mark`, `2 marks`."""
    return f"{number:,} {noun if number == 1 else many or noun + 's'}"
