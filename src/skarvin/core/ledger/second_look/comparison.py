"""Reads the written file again, from the disk, and compares every cell with what the ledger says it must be."""

import csv
import hashlib
from collections.abc import Container, Iterator, Sequence
from itertools import islice, zip_longest
from pathlib import Path
from typing import NamedTuple
from zipfile import BadZipFile

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.ledger.second_look.claims import Cell, Claims, ComposedClaim, LedgerFault, MadeClaim
from skarvin.core.ledger.second_look.readers import ExportReading, Reading
from skarvin.core.ledger.second_look.text_rows import Row

_MOST = 1_000


class Files(NamedTuple):
    """The files that are compared.

    Attributes:
        form: the form, as it is called.
        before: a copy of it, byte for byte; what is compared.
        written: the import file where it lies now.
        final: what the import file will be called.
    """

    form: Path
    before: Path
    written: Path
    final: Path


class SecondLook(NamedTuple):
    """What the second look found: the rows compared, the cells that differ, the export's marks that were looked up."""

    rows: int
    differing: int
    looked_up: int = 0


def look_again(files: Files, reading: Reading, claims: Claims) -> SecondLook:
    """Return how the written file differs from the form, having found that it differs exactly as the ledger says.

    Args:
        files: the form and the written file.
        reading: how both are read.
        claims: what the ledger says.

    Raises:
        Refused: any cell, anywhere, says something else than it should; each difference is named.
    """
    try:
        _check_fingerprint(files, claims)
        found = _in_bulk(files, reading, claims)
        found = found or _Comparison(files, reading, claims).run()
    except LedgerFault as fault:
        place = Place(files.final, fault.row, fault.column)
        raise _refused([Finding("second-look", f"the ledger contradicts itself: {fault.what}", place)]) from None
    except (csv.Error, UnicodeDecodeError, BadZipFile, SyntaxError, KeyError, ValueError) as error:
        what = f"the file can't be read again ({type(error).__name__})"
        raise _refused([Finding("second-look", what, Place(files.final))]) from None
    if found.differing != claims.moved:
        what = f"{found.differing} cells differ from the form, and the ledger counts {claims.moved} sent or replaced"
        raise _refused([Finding("second-look", what, Place(files.final))])
    return found


def look_up_marks(export: Path, reading: ExportReading, claims: Claims, number: int = 0) -> int:
    """Return how many marks of the ledger stand in an export as it says, having found that all of them do.

    Raises:
        Refused: one doesn't.
    """
    wanted: dict[int, list[tuple[int, str]]] = {}
    for row, column, mark in claims.source_cells(number):
        wanted.setdefault(row, []).append((column, mark))
    faults: list[Finding] = []
    count = position = 0
    for position, line in enumerate(islice(reading.rows(export, wanted), max(wanted, default=-1) + 1)):
        for column, mark in wanted.get(position, ()):
            count += 1
            found = line.cells[column] if column < len(line.cells) else ""
            if not reading.says(found, mark):
                what = f"the export says '{found}' here, and the ledger '{mark}'"
                faults.append(Finding("second-look", what, Place(export, position, column)))
    gone = "the ledger has a mark of a row that isn't there"
    faults += [Finding("second-look", gone, Place(export, row)) for row in wanted if row > position]
    if faults:
        raise _refused(faults)
    return count


def _in_bulk(files: Files, reading: Reading, claims: Claims) -> SecondLook | None:
    """Return what is found in bulk; None where there is little to compare, or something isn't plain or isn't right."""
    if not claims.is_in_bulk or claims.added or claims.composed:
        return None
    if reading.bulk is None:
        return None
    from skarvin.core.ledger.second_look.bulk import BulkLook  # noqa: PLC0415 - it needs NumPy

    found = BulkLook(*reading.bulk, claims).look(files.before, files.written)
    return None if found is None else SecondLook(*found)


def _is_alike(some: Sequence[str], others: Sequence[str], computed: Container[int]) -> bool:
    """Tell whether two rows say the same besides what is computed; blank cells at the end need not be there."""
    pairs = enumerate(zip_longest(some, others, fillvalue=""))
    return all(one == other or column in computed for column, (one, other) in pairs)


class _Claimed:
    """The cells that the ledger speaks of, row by row from the top."""

    def __init__(self, rows: Iterator[tuple[int, dict[int, Cell]]]) -> None:
        self._rows = rows
        self._following = next(rows, None)

    def at(self, number: int) -> dict[int, Cell]:
        """Return the cells of a row; rows are asked for in their order."""
        if not self._following or self._following[0] != number:
            return {}
        cells = self._following[1]
        self._following = next(self._rows, None)
        return cells

    def rest(self) -> list[int]:
        """Return the rows that weren't asked for."""
        return [row for row, _ in (*filter(None, [self._following]), *self._rows)]


class _Ends:
    """The line ends of a written file: those of the form, each row's own; a row that was made has one as others do."""

    def __init__(self) -> None:
        self._changed: list[tuple[str, str]] = []
        self._made: list[str] = []
        self._last = ("", "")

    def note(self, old: Row | None, new: Row) -> None:
        """Note the end of a row, and of the form's if there is one."""
        if old is None:
            self._made.append(new.end)
        elif old.end != new.end:
            self._changed.append((old.end, new.end))
        self._last = (self._last[0] if old is None else old.end, new.end)

    def are_right(self, *, is_composed: bool) -> bool:
        """Tell whether none is missing or another; where rows were added, the last one ends as the form's did."""
        was, now = self._last
        if is_composed:
            return all(self._made[:-1])
        if not self._made:
            return not self._changed
        is_extended = all(old == "" and new for old, new in self._changed)  # only the last can have had none
        return is_extended and all(self._made[:-1]) and now == was


class _Comparison:
    """Holds a written file against the form and the ledger, row by row."""

    def __init__(self, files: Files, reading: Reading, claims: Claims) -> None:
        self._files = files
        self._reading = reading
        self._claims = claims
        self._added = claims.added
        self._like = Row("", "", [])
        self._faults: list[Finding] = []
        self._differing = 0

    def run(self) -> SecondLook:
        """Compare all rows."""
        composed, ends = self._claims.composed, _Ends()
        old_rows, new_rows = (self._reading.rows(file) for file in (self._files.before, self._files.written))
        sample = list(old_rows) if composed else []
        claimed = _Claimed(self._claims.rows())
        count = 0
        for number, new in enumerate(new_rows):
            count += 1
            made = self._added.get(number)
            if composed and made is None:
                self._after_sample(number, new, sample, composed)
            else:
                old = None if composed or (made and made.over is None) else next(old_rows, None)
                self._row(number, old, new, claimed.at(number))
                self._carried_on(number, new)
                ends.note(old, new)
        for number, old in enumerate(old_rows, count):
            self._row(number, old, None, {})
        for number in {*claimed.rest(), *(number for number in self._added if number >= count)}:
            self._say(number, None, "the row is missing")
        if not ends.are_right(is_composed=composed is not None):
            self._say(None, None, "its line ends aren't those of the form")
        self._around()
        if self._faults:
            raise _refused(self._faults)
        return SecondLook(count, self._differing)

    def _carried_on(self, number: int, new: Row) -> None:
        """Say where a row below doesn't have what the row that it is like has."""
        made = self._added.get(number)
        if number == self._claims.like:
            self._like = new
        elif made and made.over is None:
            by = number - (self._claims.like or 0)
            if not self._reading.carries_on(self._like, new, by):
                self._say(number, None, "its formats and formulas aren't those of the row that it carries on")

    def _around(self) -> None:
        """Compare whatever there is besides rows."""
        before, after = (self._reading.around(file) for file in (self._files.before, self._files.written))
        for name in {**before, **after}:
            if before.get(name) != after.get(name):
                self._say(None, None, f"its {name} {'is' if name.endswith('l') else 'are'}n't as in the form")

    def _after_sample(self, number: int, new: Row, sample: Sequence[Row], composed: ComposedClaim) -> None:
        """Compare a row that is no student's with the sample's: whatever stood there stands there."""
        old = composed.rows.get(number)
        if old is None or old >= len(sample):
            self._say(number, None, "the ledger has no such row")
            return
        was = sample[old].cells
        if len(new.cells) != len(composed.columns):
            wanted = was
        elif number == composed.heading_row:
            wanted = [
                heading if column is None else was[column]
                for column, heading in zip(composed.columns, composed.headings, strict=True)
            ]
        else:  # a maximum of a new item may stand here
            columns = zip(composed.columns, new.cells, strict=True)
            wanted = [now if column is None else was[column] for column, now in columns]
        if new.cells != wanted:
            self._say(number, None, "the row isn't that of the sample")

    def _row(self, number: int, old: Row | None, new: Row | None, cells: dict[int, Cell]) -> None:
        """Compare one row of the form with the written one."""
        made = self._added.get(number)
        before = self._before(number, old, made)
        if new is None or before is None:
            self._say(number, None, "the row is missing" if new is None else "the form has no such row")
            return
        if old and not made and not cells and old.text != new.text:
            self._untouched(number, old, new)
            return
        if old and not made and old.formulas and not cells and old.text == new.text:
            return  # what is computed may wait to be computed anew
        if self._reading.pads:
            width = max(len(before), len(new.cells))
            before = [*before, *[""] * (width - len(before))]
            new = new._replace(cells=[*new.cells, *[""] * (width - len(new.cells))])
        if len(before) != len(new.cells):
            self._say(number, None, f"the row has {len(new.cells)} cells, and {len(before)} in the form")
            return
        self._around_cells(number, old, new, is_made=made is not None)
        for column, (was, now) in enumerate(zip(before, new.cells, strict=True)):
            cell = cells.get(column)
            if (old and column in old.formulas and (made or (cell and cell.now is None))) or column in new.computed:
                continue  # its value is the spreadsheet's
            self._cell(number, column, (was, now), cell)
        if any(column >= len(before) for column in cells):
            self._say(number, None, "the ledger has a mark for a cell that isn't there")

    def _before(self, number: int, old: Row | None, made: MadeClaim | None) -> Sequence[str] | None:
        """Return what a row said before any mark; say if the form's row isn't the one that the ledger has in mind."""
        if made is None:
            return old.cells if old else None
        if old and made.over is not None and not _is_alike(made.over, old.cells, old.formulas):
            self._say(number, None, "the form's row isn't what the ledger says that it was")
        return made.cells

    def _around_cells(self, number: int, old: Row | None, new: Row, *, is_made: bool) -> None:
        """Say what is different in a row besides the texts of the cells that marks go to."""
        if old is None:
            return
        if old.formulas != new.formulas or (old.styles and old.text != new.text and not is_made):
            self._say(number, None, "something else than a cell that a mark goes to isn't as it was in the form")
        for column, style in old.styles.items():
            if new.styles.get(column) != style:
                self._say(number, column, "the cell's style isn't that of the form")

    def _untouched(self, number: int, old: Row, new: Row) -> None:
        """Say where a row differs that no mark goes to."""
        found = (column for column, (was, now) in enumerate(zip_longest(old.cells, new.cells)) if was != now)
        columns: list[int | None] = [*found]
        for column in columns or [None]:
            self._say(number, column, "this isn't as it was in the form, and no mark goes here")

    def _cell(self, number: int, column: int, texts: tuple[str, str], cell: Cell | None) -> None:
        was, now = texts
        self._differing += was != now
        if cell and cell.was != was:
            self._say(number, column, f"the form says '{was}' here, and the ledger that it said '{cell.was}'")
        if cell and cell.now is not None:
            if now != cell.now:
                self._say(number, column, f"the cell says '{now}', and by the ledger it must say '{cell.now}'")
        elif was != now:
            self._say(number, column, "this isn't as it was in the form, and no mark goes here")

    def _say(self, row: int | None, column: int | None, what: str) -> None:
        if len(self._faults) < _MOST:
            place = Place(self._files.final, row, column)
            self._faults.append(Finding("second-look", what, place))


def _check_fingerprint(files: Files, claims: Claims) -> None:
    with files.before.open("rb") as data:
        if hashlib.file_digest(data, "sha256").hexdigest() != claims.fingerprint("form"):
            what = "the file changed while this ran, so what was read of it no longer holds"
            raise Refused(Finding("changed-meanwhile", what, Place(files.form), "Nothing was written. Run it again."))


def _refused(faults: Sequence[Finding]) -> Refused:
    withdrawn = Finding("withdrawn", "the import file isn't what the ledger says and was withdrawn")
    return Refused(*faults, withdrawn)
