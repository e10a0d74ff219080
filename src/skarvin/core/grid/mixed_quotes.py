"""Quotation marks of several kinds in one file: around cells, within them, and never closed, told apart row by row."""

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Unreadable, counted, listing
from skarvin.core.grid.dialect import Dialect
from skarvin.core.grid.records import Cuts, Records, join_records

_NEARLY_ALL = 0.95
_LEAST = 3
"""So many rows without doubt must tell what the others look like."""
_MOST = 20
_MOST_WAYS = 1000
_MEND = (
    "Correct these cells in the system that the file comes from, or in the file: a quotation mark within a cell is "
    "written twice, and the cell stands in quotation marks."
)


def holds_codes(texts: Sequence[str]) -> bool:
    """Tell whether nearly every text is a code, and hardly one stands twice."""
    codes = [text for text in texts if is_code(text)]
    return len(set(codes)) >= _NEARLY_ALL * len(texts)


def is_code(text: str) -> bool:
    """Tell whether a text may be an identifier: it has a digit, and no space inside."""
    bare = text.strip()
    return any(map(str.isdigit, bare)) and " " not in bare


class RowByRow(NamedTuple):
    """The records of a text read row by row, where cells begin in lines (from 0) that are cut otherwise, and a note."""

    records: Records
    cuts: Cuts
    note: Finding


class _Shape(NamedTuple):
    """What each row has: so many cells, and a code of one of some lengths in one column."""

    width: int
    column: int
    lengths: frozenset[int]
    dialect: Dialect

    def begins(self, line: str) -> bool:
        """Tell whether a row begins with a line: its identifier stands where it does in the others."""
        cells = line.split(self.dialect.delimiter)
        text = cells[self.column].strip().strip(self.dialect.quote) if self.column < len(cells) else ""
        return is_code(text) and len(text) in self.lengths

    def fits(self, text: str) -> bool:
        """Tell whether quotation marks stand around cells in a record, which is as wide as the others then."""
        return self.dialect.is_well_quoted(text) and len(self.dialect.values(text)) == self.width

    def cut(self, line: str) -> tuple[int, ...] | None:
        """Return where the cells of a line begin if it can be cut into as many as the others have in one way alone."""
        ways: list[tuple[int, ...]] = [(0,)]
        for _ in range(self.width - 1):
            ways = [(*way, end + 1) for way in ways for end in self._ends(line, way[-1]) if end < len(line)][
                :_MOST_WAYS
            ]
        found = {way for way in ways if len(line) in self._ends(line, way[-1])}
        return found.pop() if len(found) == 1 else None

    def _ends(self, line: str, start: int) -> set[int]:
        """Return where a cell may end: at the next delimiter, or, if it is quoted, behind a mark before a delimiter."""
        quote, delimiter = self.dialect.quote, self.dialect.delimiter
        bare = line.find(delimiter, start)
        ends = {len(line) if bare < 0 else bare}
        if line.startswith(quote, start):
            places = (at + 1 for at in range(start + 1, len(line)) if line[at] == quote)
            ends |= {at for at in places if at == len(line) or line[at] == delimiter}
        return ends


def read_row_by_row(text: tuple[list[str], list[str]], dialect: Dialect, file: Path) -> RowByRow | None:
    """Return a text whose rows are told by the identifier at their start and by their width; None if nothing tells.

    Raises:
        Unreadable: some rows can be read in neither way, or in both; all of them are named.
    """
    lines, ends = text
    shape = _shape(lines, dialect)
    if shape is None or dialect.escape is not None:
        return None
    cuts: dict[int, tuple[int, ...]] = {}
    unclear = []
    for start, stop in _rows(lines, shape):
        record = "\n".join(lines[start:stop])
        if shape.fits(record) or (dialect.is_well_quoted(record) and not shape.begins(lines[start])):
            continue
        cut = shape.cut(lines[start]) if stop == start + 1 else None
        if cut:
            cuts[start] = cut
        elif dialect.quote in record:
            unclear.append(start)
    if unclear:
        raise Unreadable(*_unclear(unclear, file))
    if not cuts:
        return None
    signs = dialect.quote, dialect.delimiter
    quoted = [_quoted(line, cuts[at], *signs) if at in cuts else line for at, line in enumerate(lines)]
    return RowByRow(join_records(quoted, ends, dialect, file), cuts, _note(sorted(cuts), file))


def _shape(lines: Sequence[str], dialect: Dialect) -> _Shape | None:
    """Return what the rows look like whose quotation marks leave no doubt."""
    well = [dialect.values(line) for line in lines if dialect.is_well_quoted(line)]
    width = Counter(len(cells) for cells in well if len(cells) > 1).most_common(1)
    rows = [cells for cells in well if width and len(cells) == width[0][0]][1:]  # the first may be the headings
    for column in range(width[0][0] if len(rows) >= _LEAST else 0):
        texts = [cells[column].strip() for cells in rows]
        if holds_codes(texts):
            return _Shape(width[0][0], column, frozenset(map(len, texts)), dialect)
    return None


def _rows(lines: Sequence[str], shape: _Shape) -> Iterator[tuple[int, int]]:
    """Yield the first line of each row and the line behind it: a row runs on until another begins, or a record ends."""
    start = 0
    while start < len(lines):
        stop = start + 1
        while not _is_whole(lines, start, stop, shape) and stop < len(lines) and not shape.begins(lines[stop]):
            stop += 1
        yield start, stop
        start = stop


def _is_whole(lines: Sequence[str], start: int, stop: int, shape: _Shape) -> bool:
    return shape.dialect.is_well_quoted("\n".join(lines[start:stop]))


def _quoted(line: str, cut: Sequence[int], quote: str, delimiter: str) -> str:
    """Return a line with each of its cells in quotation marks, as the csv module reads it."""
    cells = (line[start : end - 1] for start, end in pairwise([*cut, len(line) + 1]))
    bare = [cell[1:-1].replace(quote * 2, quote) if _is_quoted(cell, quote) else cell for cell in cells]
    return delimiter.join(f"{quote}{cell.replace(quote, quote * 2)}{quote}" for cell in bare)


def _is_quoted(cell: str, quote: str) -> bool:
    return len(cell) > 1 and cell.startswith(quote) and cell.endswith(quote)


def _note(plain: Sequence[int], file: Path) -> Finding:
    lines = listing([str(at + 1) for at in plain], _MOST)
    what = (
        f"quotation marks are read row by row: they stand around cells, and in {counted(len(plain), 'line')} ({lines}) "
        "some are plain characters, as the identifier at the row's start and the number of cells tell"
    )
    mend = "Look at these lines; if they are cut wrongly, correct them, or say --quotes around or --quotes plain."
    return Finding("quotes-mixed", what, Place(file, line=plain[0] + 1), mend)


def _unclear(unclear: Sequence[int], file: Path) -> Iterator[Finding]:
    what = "the quotation marks of this row make it neither as wide as the others nor a row that can be cut plainly"
    some = unclear[:_MOST]
    for at in some[:-1]:
        yield Finding("quotes", what, Place(file, line=at + 1))
    more = f" (and {len(unclear) - _MOST:,} more)" if len(unclear) > _MOST else ""
    yield Finding("quotes", what + more, Place(file, line=some[-1] + 1), _MEND)
