"""What the ledger claims: which mark stands in which cell of the export, and what each cell of the import file says.

Read from the bytes of `ledger.json` and, for many marks, from the file beside it with a line for each student.
"""

from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from heapq import merge
from itertools import groupby, islice
from operator import itemgetter
from pathlib import Path
from struct import unpack
from typing import NamedTuple

import msgspec

WRITTEN = frozenset({"sent", "changed"})
"""The fates of marks that a cell gets."""


_LOOKED_UP = 250
"""Of so many students the marks are looked up in the export, evenly spread; of fewer, all."""


_KINDS = {4: "H", 8: "I"}
"""What so many hexadecimal digits are called where bytes are unpacked."""
_BLOCK = 256


class LedgerFault(Exception):
    """The ledger contradicts itself: what, and the row and column (from 0) of the cell that it is about."""

    def __init__(self, what: str, row: int | None = None, column: int | None = None) -> None:
        super().__init__(what)
        self.what = what
        self.row = row
        self.column = column


class Outcome(msgspec.Struct, frozen=True):
    """What the ledger says of a mark: its fate, the mark, what the form's cell said and says; what was sent before."""

    fate: str | None
    mark: str = ""
    was: str = ""
    now: str | None = None
    last: str = ""


class Mark(Outcome, frozen=True):
    """One mark with its places, rows from 1 and columns by letters; of several exports, in which it stands.

    `row` is the student's; `mark_row` that of the mark, where it has a line of its own.
    """

    row: int | None = None
    column: str | None = None
    to_row: int | None = None
    to_column: str | None = None
    export: int = 0
    mark_row: int | None = None


class Untouched(msgspec.Struct, frozen=True):
    """What the form says in a cell that no mark of the export meets."""

    to_row: int
    to_column: str
    was: str


class _Marks(msgspec.Struct, frozen=True):
    list: Sequence[Mark]
    untouched: Sequence[Untouched] = ()
    columns: Sequence[tuple[str | None, str | None]] = ()
    outcomes: Sequence[Outcome] = ()
    digits: int = 0


class _Line(msgspec.Struct, frozen=True, array_like=True):
    """A line of the file beside the ledger.

    Attributes:
        row: the student's row in the export.
        to_row: the one in the form; None where there is none.
        codes: the digits of the codes of the outcomes.
        rows: of an export with a line for each mark, where each mark stands; zero where there is none.
    """

    row: int
    to_row: int | None
    codes: str
    rows: Sequence[int] = ()


class _Pair(msgspec.Struct, frozen=True):
    row: int
    to_row: int
    export: int = 0


class _Students(msgspec.Struct, frozen=True):
    pairs: Sequence[_Pair]


class _Added(msgspec.Struct, frozen=True):
    to_row: int
    cells: Sequence[str]
    over: Sequence[str] | None = None


class _Composed(msgspec.Struct, frozen=True):
    columns: Sequence[str | None]
    headings: Sequence[str]
    rows: Sequence[tuple[int, int]]
    heading_row: int | None


class _Part(msgspec.Struct, frozen=True):
    rows: Sequence[int] | None = None
    columns: Sequence[str] | None = None


class _Target(msgspec.Struct, frozen=True):
    added: Sequence[_Added] = ()
    added_like_row: int | None = None
    composed: _Composed | None = None
    import_files: Sequence[_Part] = ()


class _To(msgspec.Struct, frozen=True):
    column: str | None = None


class _Item(msgspec.Struct, frozen=True):
    fates: Mapping[str, int]
    to: _To | None = None


class _File(msgspec.Struct, frozen=True):
    sha256: str


class _Ledger(msgspec.Struct, frozen=True):
    marks: _Marks
    students: _Students
    target: _Target
    items: Sequence[_Item]
    files: Mapping[str, _File]


class Cell(NamedTuple):
    """What the ledger says of one cell of the import file: what the form's said, and what it says now if not that."""

    was: str
    now: str | None


class MadeClaim(NamedTuple):
    """A row that was made: its cells before any mark, and what the form's row in its place said, if there was one."""

    cells: Sequence[str]
    over: Sequence[str] | None


class PartClaim(NamedTuple):
    """Which rows and columns of the filled form a file has, counted from 0; None for all."""

    rows: Sequence[int] | None
    columns: Sequence[int] | None


class ComposedClaim(NamedTuple):
    """How a file follows its sample, counted from 0.

    Attributes:
        columns: for each column the sample's; None for a new one.
        headings: the heading of each column.
        rows: for each row that isn't a student's the sample's.
        heading_row: the row with the headings; None where there are none.
    """

    columns: Sequence[int | None]
    headings: Sequence[str]
    rows: Mapping[int, int]
    heading_row: int | None


class SourceCell(NamedTuple):
    """A mark that the ledger says stands in a cell of the export; row and column count from 0."""

    row: int
    column: int
    mark: str


class Claims:
    """What a ledger claims."""

    def __init__(self, data: bytes, marks: Path | None) -> None:
        ledger = msgspec.json.decode(data, type=_Ledger)
        self._files, self._items, self._told = ledger.files, ledger.items, ledger.marks
        self._added = ledger.target.added
        self._parts = ledger.target.import_files
        self.like = None if ledger.target.added_like_row is None else ledger.target.added_like_row - 1
        self.composed = _composition(ledger.target.composed)
        self._marks = marks
        self.outcomes = self._told.outcomes
        self._targets = [column_index(to) for _, to in self._told.columns]
        self._pairs = {(pair.export, pair.row): pair.to_row for pair in ledger.students.pairs}

    def fingerprint(self, name: str) -> str:
        """Return the SHA-256 that the ledger gives for a file."""
        return self._files[name].sha256

    @property
    def is_in_bulk(self) -> bool:
        """Whether each mark stands in the file beside the ledger, by the code of its outcome."""
        return self._marks is not None

    @property
    def item_columns(self) -> frozenset[int]:
        """The columns of the form that items go to."""
        indices = (column_index(item.to.column) for item in self._items if item.to)
        return frozenset(index for index in indices if index is not None)

    @property
    def paired_rows(self) -> frozenset[int]:
        """The rows of the form, from 0, that are paired with a student of the export."""
        return frozenset(to_row - 1 for to_row in self._pairs.values())

    @property
    def held_cells(self) -> frozenset[tuple[int, int]]:
        """The cells of the form, from 0, for which a mark is held."""
        cells = ((mark.to_row, column_index(mark.to_column)) for mark in self.listed if mark.fate == "held")
        return frozenset((row - 1, column) for row, column in cells if row is not None and column is not None)

    @property
    def listed(self) -> Sequence[Mark]:
        """The marks that are listed one by one."""
        return self._told.list

    @property
    def columns(self) -> list[int]:
        """The columns of the form that marks go to, in the order of the codes in the file beside the ledger."""
        return [column for column in self._targets if column is not None]

    @property
    def fed(self) -> list[int]:
        """Which codes of a line are those of these columns."""
        return [place for place, column in enumerate(self._targets) if column is not None]

    @property
    def added(self) -> dict[int, MadeClaim]:
        """The rows that were made."""
        return {row.to_row - 1: MadeClaim(row.cells, row.over) for row in self._added}

    @property
    def parts(self) -> list[PartClaim]:
        """Which rows and columns each import file has."""
        return [
            PartClaim(
                None if part.rows is None else [row - 1 for row in part.rows],
                None if part.columns is None else [column_index(letters) or 0 for letters in part.columns],
            )
            for part in self._parts
        ]

    @property
    def moved(self) -> int:
        """How many marks were sent or changed, by the counts of the items."""
        return sum(item.fates[fate] for item in self._items for fate in WRITTEN)

    def rows(self) -> Iterator[tuple[int, dict[int, Cell]]]:
        """Yield for each row of the import file, from the top, what its cells say.

        Raises:
            LedgerFault: two marks for one cell, a mark for a student who isn't paired with that row, or a fate that
                doesn't fit what the cell says.
        """
        by_row = merge(
            self._coded() if self._marks else self._listed(), sorted(self.untouched.items()), key=itemgetter(0)
        )
        for to_row, group in groupby(by_row, key=itemgetter(0)):
            found: dict[int, Cell] = {}
            for _, more in group:
                if not found:
                    found = more
                    continue
                for column, cell in more.items():
                    found[column] = _joined(found.get(column), cell, to_row, column)
            yield to_row, found

    def _listed(self) -> Iterator[tuple[int, dict[int, Cell]]]:
        """Yield row, column and content of each cell that a listed mark meets, by rows."""
        found = []
        for mark in self._told.list:
            column = column_index(mark.to_column)
            if mark.to_row is None or column is None:
                check_outcome(mark, None, column)
                continue
            check_outcome(mark, mark.to_row - 1, column)
            self._check_pair(mark.row, mark.to_row, column, mark.export)
            found.append((mark.to_row - 1, column, Cell(mark.was, mark.now)))
        return ((row, {column: cell}) for row, column, cell in sorted(found, key=itemgetter(0, 1)))

    def _coded(self) -> Iterator[tuple[int, dict[int, Cell]]]:
        """Yield for each line its row and what its cells say; cell by cell where two items go to one column."""
        cells = [Cell(outcome.was, outcome.now) for outcome in self.outcomes]
        for outcome in self.outcomes:
            check_outcome(outcome, None, None)
        columns, fed = self.columns, self.fed
        is_once = len(set(columns)) == len(columns)
        for to_row, text in self.lines():
            codes = self.codes(text)
            pairs = zip(columns, [cells[codes[place]] for place in fed], strict=True)
            if is_once:
                yield to_row, dict(pairs)
            else:
                yield from ((to_row, {column: cell}) for column, cell in pairs)

    @property
    def untouched(self) -> dict[int, dict[int, Cell]]:
        """What the form's cells say that no mark meets, by row and column."""
        found: dict[int, dict[int, Cell]] = {}
        for one in self._told.untouched:
            found.setdefault(one.to_row - 1, {})[column_index(one.to_column) or 0] = Cell(one.was, None)
        return found

    def lines(self) -> Iterator[tuple[int, str]]:
        """Yield for each student in the form the row (from 0) and the digits of the outcomes' codes, from the top down.

        Raises:
            LedgerFault: a line isn't in its place, or of a student who isn't paired with that row.
        """
        before = 0
        for line in self._student_lines():
            if line.to_row is None:
                continue
            self._check_pair(line.row, line.to_row, None)
            if line.to_row < before:
                raise LedgerFault("its line in the file beside the ledger isn't in its place", line.to_row - 1)
            before = line.to_row
            yield line.to_row - 1, line.codes

    def source_cells(self, export: int = 0) -> Iterator[SourceCell]:
        """Yield each mark that the ledger says an export holds, with its cell; of many students, of some."""
        if not self._marks:
            for mark in self._told.list:
                column = column_index(mark.column)
                if mark.export == export and mark.row is not None and column is not None:
                    yield SourceCell((mark.mark_row or mark.row) - 1, column, mark.mark)
            return
        columns = [column_index(column) for column, _ in self._told.columns]
        step = max(1, len(self._pairs) // _LOOKED_UP)
        for line in self._student_lines(step):
            rows = line.rows or [line.row] * len(columns)
            for column, row, code in zip(columns, rows, self.codes(line.codes), strict=True):
                if column is not None and row:
                    yield SourceCell(row - 1, column, self.outcomes[code].mark)

    def _student_lines(self, step: int = 1) -> Iterator[_Line]:
        """Yield every so many of the lines with a student's marks."""
        decode = msgspec.json.Decoder(list[_Line]).decode
        if self._marks:
            with self._marks.open("rb") as lines:
                some = islice(lines, 0, None, step)
                while block := list(islice(some, _BLOCK)):
                    yield from decode(b"[%s]" % b",".join(block))

    @property
    def digits(self) -> int:
        """How many hexadecimal digits a code has."""
        return self._told.digits

    @property
    def width(self) -> int:
        """How many codes a line has."""
        return len(self._targets)

    def codes(self, text: str) -> Sequence[int]:
        """Return the codes that a line's digits are."""
        if len(text) != self.width * self.digits or self.digits not in _KINDS:
            raise LedgerFault("a line of the file beside the ledger is too short or too long")
        return unpack(f">{self.width}{_KINDS[self.digits]}", bytes.fromhex(text))

    def _check_pair(self, row: int | None, to_row: int, column: int | None, export: int = 0) -> None:
        paired = None if row is None else self._pairs.get((export, row))
        if paired != to_row:
            raise LedgerFault(f"the mark is that of row {row} of the export, which isn't its pair", to_row - 1, column)


def check_outcome(outcome: Outcome, row: int | None, column: int | None) -> None:
    """Find that a cell says something new exactly where a mark was sent or changed.

    Raises:
        LedgerFault: it doesn't.
    """
    if (outcome.now is not None) != (outcome.fate in WRITTEN):
        raise LedgerFault(
            f"a mark that is {outcome.fate} {'has' if outcome.now is not None else 'lacks'} a new text", row, column
        )


def _joined(before: Cell | None, cell: Cell, row: int, column: int) -> Cell:
    """Return what two marks that meet one cell make of it: at most one of them changes it."""
    if before is None:
        return cell
    if before.was != cell.was:
        raise LedgerFault("two marks meet this cell and differ in what it said before", row, column)
    if before.now is not None and cell.now is not None:
        raise LedgerFault("two marks go to this cell", row, column)
    return cell if before.now is None else before


def _composition(told: _Composed | None) -> ComposedClaim | None:
    if told is None:
        return None
    rows = {row - 1: old - 1 for row, old in told.rows}
    columns = [column_index(letters) for letters in told.columns]
    return ComposedClaim(columns, told.headings, rows, None if told.heading_row is None else told.heading_row - 1)


@lru_cache(maxsize=1 << 14)
def column_index(letters: str | None) -> int | None:
    """Return the position from 0 of a column that goes by letters."""
    if letters is None:
        return None
    position = 0
    for letter in letters:
        position = position * 26 + "ABCDEFGHIJKLMNOPQRSTUVWXYZ".index(letter) + 1
    return position - 1
