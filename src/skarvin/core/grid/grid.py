"""One rectangle of text cells, as read from a file, before anything is understood."""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import islice
from pathlib import Path
from types import MappingProxyType

from msgspec import structs

from skarvin.core.findings import Finding, Place, Row, Source
from skarvin.core.grid.dialect import DELIMITERS, Dialect, line_end_title
from skarvin.core.grid.encoding import Encoding
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.records import Cuts

ANSWER = " answer"
"""What the headings of answers end with where the kind of file says which columns hold them."""


class Grid(ABC):
    """The cells of a file. Rows and columns are counted from 0 here; `place` turns them into what a person sees."""

    file: Path
    kind: Kind
    sheet: str | None
    notes: tuple[Finding, ...]
    title: str
    """What kind of file it is and how it is read, in a person's words."""

    lines: int | None
    """The physical lines of the file; None for a workbook or a page, which have none."""

    spanning: tuple[int, ...]
    """The number of lines of each record that runs over several."""
    widths: list[int]
    """The number of cells in each row."""
    fingerprint: str
    """The SHA-256 of the bytes that were read."""
    number: int
    """Its place among the files whose rows lie in one gradebook."""
    further: frozenset[int] = frozenset()
    """The lines with further marks of students who have a row already."""
    stands_in: Mapping[int, int] = MappingProxyType({})
    """For each column that the file doesn't have as such, the one in which its marks stand."""
    shape: str = ""
    """How the marks stand, where not in a row for each student."""
    further_are: tuple[str, str] = ("more line of their marks", "more lines of their marks")
    """What the further lines are, one and several."""
    said: Mapping[int, str] = MappingProxyType({})
    """What the file's kind says that columns hold, by the words of their uses."""
    key: Mapping[str, str] = MappingProxyType({})
    """The right answer to each question that the file itself says, by the heading of its column."""
    comments: frozenset[int] = frozenset()
    """Of the columns that the file doesn't have as such those that say something of marks."""
    files: tuple[str, ...] = ()
    """The names of the files that its rows are of, if it is a folder of them."""
    shown_sheets: tuple[str, ...] = ()
    """The names of a workbook's sheets in their order, but for hidden ones."""
    others: tuple[tuple[str, list[list[str]]], ...] = ()
    """The sheets or tables of its file that aren't read, by their names."""
    rounded: Mapping[int, int] = MappingProxyType({})
    """The decimals that a column shows, where more are stored."""
    known_source: Source | None = None
    """What its rows stand in, if it is another's grid with something changed: the rows stay the same ones."""

    hidden: frozenset[int]
    """The rows that are left out since they are hidden; they stand here without their texts."""

    @abstractmethod
    def __len__(self) -> int: ...

    @abstractmethod
    def cells(self, row: int) -> Sequence[str]:
        """Return the cells of a row as a reader sees them."""

    @abstractmethod
    def first_cells(self, row: int, count: int) -> Sequence[str]:
        """Return at least the first `count` cells of a row, without cutting up the rest."""

    def first_cells_each(self, rows: Sequence[int], count: int) -> list[Sequence[str]]:
        """Return at least the first `count` cells of each of some rows."""
        return [self.first_cells(row, count) for row in rows]

    @abstractmethod
    def is_blank(self, row: int) -> bool:
        """Tell whether no cell of the row says anything."""

    def blank_rows(self, start: int) -> list[int]:
        """Return the rows from `start` on of which no cell says anything in the file."""
        return [row for row in range(start, len(self)) if self.is_blank(row)]

    def filled_rows(self, start: int) -> Iterator[int]:
        """Yield the rows from `start` on of which a cell says something."""
        return (row for row in range(start, len(self)) if not self.is_blank(row))

    def rows(self, start: int = 0) -> Iterator[Sequence[str]]:
        """Yield the cells of each row from `start` on."""
        return map(self.cells, range(start, len(self)))

    def beside(self, name: str) -> "Grid":
        """Return another sheet or table of its file; without cells if there is none of that name."""
        return (
            self
            if name == str(self.sheet)
            else CellGrid(self.file, self.title, self.kind, self._others.get(name, []), name)
        )

    @cached_property
    def _others(self) -> Mapping[str, list[list[str]]]:
        return dict(self.others)

    def place(self, row: int | None = None, column: int | None = None, heading: str | None = None) -> Place:
        """Return where a row or a cell stands, as a person counts."""
        return Place(self.file, row, column, heading, sheet=self.sheet)

    @cached_property
    def source(self) -> Source:
        """What the rows of this grid stand in."""
        return self.known_source or Source(self.file, self.sheet, self.number, self.files, bool(self.others))

    @property
    @abstractmethod
    def facts(self) -> Mapping[str, str | None]:
        """How the file is read, fact by fact."""

    @property
    @abstractmethod
    def reading(self) -> Mapping[str, str | None]:
        """What a reader of its own needs to know to read the file again; `kind` is the kind of file."""

    @abstractmethod
    def numbered(self, number: int, *, is_sheet: bool = False) -> "Grid":
        """Return the same grid as one of several files of a transfer, at this place among them; or as another sheet."""

    def rows_behind(self, positions: Iterable[int], first: int) -> range:
        """Return the positions of the rows from `first` on that stand behind all of some others."""
        return range(max([first, *(position + 1 for position in positions)]), len(self))

    @property
    def stores_numbers(self) -> bool:
        """Whether its numbers are stored as such, with a point whatever the language: a workbook's are."""
        return self.kind in {Kind.XLSX, Kind.XLS, Kind.ODS}

    def position(self, number: int) -> int:
        """Return the position, from 0, of the row that a person counts as `number`."""
        return number - 1

    def row(self, position: int) -> Row:
        """Return the row at a position, from 0."""
        return Row(self.source, position)


@dataclass(frozen=True, eq=False)
class TextGrid(Grid):
    """The records of a delimited text, cut into cells when they are asked for.

    `lines` counts the file's physical lines, `spanning` has the number of lines of each record of several;
    `is_plain` says that the delimiter alone cuts every record.
    """

    kind = Kind.TEXT

    file: Path
    encoding: Encoding
    dialect: Dialect
    records: list[str]
    ends: list[str]
    widths: list[int]
    notes: tuple[Finding, ...] = ()
    sheet: str | None = None
    fingerprint: str = ""
    lines: int | None = 0
    spanning: tuple[int, ...] = ()
    cuts: Cuts = field(default_factory=lambda: MappingProxyType({}))
    hidden: frozenset[int] = frozenset()
    number: int = 0
    known_source: Source | None = None
    is_plain: bool = False

    def __len__(self) -> int:
        return len(self.records)

    def numbered(self, number: int, *, is_sheet: bool = False) -> "TextGrid":  # noqa: ARG002 - text has no sheets
        """Return the same grid as one of several."""
        return replace(self, number=number, known_source=None)

    def cells(self, row: int) -> list[str]:
        """Return the cells of a row as a reader sees them."""
        return self.dialect.values(self.records[row])

    def raw_cells(self, row: int) -> list[str]:
        """Return the cells of a row as they stand in the file."""
        return self.dialect.raw_cells(self.records[row])

    def first_cells(self, row: int, count: int) -> list[str]:
        """Return at least the first `count` cells of a row, without cutting up the rest."""
        record = self.records[row]
        cells = record.split(self.dialect.delimiter, count)
        if not self.dialect.is_plain(record) and not all(map(self.dialect.is_plain, cells[:count])):
            return self.dialect.first_values(record, count)
        return cells

    def first_cells_each(self, rows: Sequence[int], count: int) -> list[Sequence[str]]:
        """Return at least the first `count` cells of each of some rows."""
        if not self.is_plain:
            return list(self.dialect.first_values_each([self.records[row] for row in rows], count))
        delimiter = self.dialect.delimiter
        return [self.records[row].split(delimiter, count) for row in rows]

    def long_rows(self, most: int) -> Iterable[int]:
        """Return the rows in which a cell may have more than `most` characters."""
        if max(map(len, self.records), default=0) <= most:
            return ()
        return [row for row, record in enumerate(self.records) if len(record) > most]

    def rows(self, start: int = 0) -> Iterator[list[str]]:
        """Yield the cells of each row from `start` on."""
        return map(self.dialect.values, islice(self.records, start, None))

    def is_blank(self, row: int) -> bool:
        """Tell whether no cell of the row says anything."""
        record = self.records[row]
        return record[:1] in self._signs and not record.strip(self._signs)

    def blank_rows(self, start: int) -> list[int]:
        """Return the rows from `start` on of which no cell says anything."""
        signs, records = self._signs, enumerate(islice(self.records, start, None), start)
        return [row for row, record in records if record[:1] in signs and not record.strip(signs)]

    @cached_property
    def _signs(self) -> str:
        return f"{self.dialect.delimiter}{self.dialect.quote} "

    @property
    def line_ends(self) -> str:
        """The line ends in a person's words."""
        return line_end_title(self.ends)

    @property
    def title(self) -> str:  # type: ignore[override]
        """The encoding, the dialect and the line ends in a person's words."""
        return f"{self.encoding.title}, {self.dialect.title}, line ends {self.line_ends}"

    @property
    def facts(self) -> Mapping[str, str | None]:
        """The encoding and its evidence, the delimiter, the line ends."""
        return {
            "encoding": self.encoding.title,
            "encoding_because": self.encoding.evidence,
            "delimiter": DELIMITERS[self.dialect.delimiter],
            "line_ends": self.line_ends,
        }

    @property
    def reading(self) -> Mapping[str, str | None]:
        """The codec and the dialect."""
        dialect = self.dialect
        return {
            "kind": Kind.TEXT.value,
            "codec": self.encoding.reading_codec,
            "others": " ".join(self.encoding.others) if self.encoding.elsewhere else None,
            "delimiter": dialect.delimiter,
            "quote": dialect.quote,
            "escape": dialect.escape,
            "cuts": ";".join(f"{line} {' '.join(map(str, cut))}" for line, cut in self.cuts.items()),
            "controls": "skipped" if any(note.slug == "controls-skipped" for note in self.notes) else None,
        }


@dataclass(frozen=True, eq=False)
class CellGrid(Grid):
    """Cells that a workbook or a page holds."""

    file: Path
    title: str
    kind: Kind
    table: list[list[str]]
    sheet: str | None = None
    notes: tuple[Finding, ...] = ()
    hidden: frozenset[int] = frozenset()
    fingerprint: str = ""
    number: int = 0

    lines: int | None = None
    spanning: tuple[int, ...] = ()
    shown_sheets: tuple[str, ...] = ()
    others: tuple[tuple[str, list[list[str]]], ...] = ()
    rounded: Mapping[int, int] = field(default_factory=lambda: MappingProxyType({}))
    files: tuple[str, ...] = ()
    known_source: Source | None = None
    stands_in: Mapping[int, int] = field(default_factory=lambda: MappingProxyType({}))
    shape: str = ""

    def __len__(self) -> int:
        return len(self.table)

    @property
    def facts(self) -> Mapping[str, str | None]:
        """The sheet."""
        return {"sheet": self.sheet}

    @property
    def reading(self) -> Mapping[str, str | None]:
        """The kind of file and the sheet; of a folder, the names of its files."""
        return {"kind": self.kind.value, "sheet": self.sheet, "names": "\n".join(self.files)}

    def changed(self, cells: Mapping[int, Mapping[int, str]]) -> "CellGrid":
        """Return the grid with other texts in some cells, by row and column."""
        if not cells:
            return self
        table = list(self.table)
        for row, texts in cells.items():
            table[row] = [texts.get(column, text) for column, text in enumerate(table[row])]
        return replace(self, table=table, known_source=self.source)

    def with_rows(self, rows: Sequence[Sequence[str]]) -> "CellGrid":
        """Return the grid with rows below its own, as wide as they are."""
        width = max(self.widths, default=0)
        more = [[*cells, *[""] * (width - len(cells))] for cells in rows]
        return replace(self, table=[*self.table, *more], known_source=self.source)

    def numbered(self, number: int, *, is_sheet: bool = False) -> "CellGrid":
        """Return the same grid as one of several."""
        own = self.source if self.stands_in else Source(self.file, self.sheet, files=self.files)
        numbered = structs.replace(own, number=number, is_one_of_several=is_sheet)
        return replace(self, number=number, known_source=numbered)

    def cells(self, row: int) -> list[str]:
        """Return the cells of a row."""
        return self.table[row]

    def first_cells(self, row: int, count: int) -> list[str]:  # noqa: ARG002 - they are apart already
        """Return the cells of a row."""
        return self.table[row]

    def long_rows(self, most: int) -> Iterable[int]:
        """Return the rows in which a cell may have more than `most` characters."""
        return [row for row, cells in enumerate(self.table) if len("".join(cells)) > most]

    def is_blank(self, row: int) -> bool:
        """Tell whether no cell of the row says anything."""
        return not any(text.strip() for text in self.table[row])

    @cached_property
    def widths(self) -> list[int]:  # type: ignore[override]
        """The number of cells in each row."""
        return list(map(len, self.table))
