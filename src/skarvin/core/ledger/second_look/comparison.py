"""Reads the written file again, from the disk, and compares every cell with what the ledger says it must be."""

import csv
import hashlib
from collections.abc import Sequence
from itertools import islice, zip_longest
from pathlib import Path
from typing import NamedTuple
from zipfile import BadZipFile

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.ledger.second_look.claims import Cell, Claims, LedgerFault
from skarvin.core.ledger.second_look.readers import Reading
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


def look_up_marks(export: Path, reading: Reading, claims: Claims, number: int = 0) -> int:
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
            if found != mark:
                what = f"the export says '{found}' here, and the ledger '{mark}'"
                faults.append(Finding("second-look", what, Place(export, position, column)))
    gone = "the ledger has a mark of a row that isn't there"
    faults += [Finding("second-look", gone, Place(export, row)) for row in wanted if row > position]
    if faults:
        raise _refused(faults)
    return count


def _in_bulk(files: Files, reading: Reading, claims: Claims) -> SecondLook | None:
    """Return what is found in bulk; None where there is little to compare, or something isn't plain or isn't right."""
    if not claims.is_in_bulk or claims.added or claims.left_out:
        return None
    if reading.bulk is None:
        return None
    from skarvin.core.ledger.second_look.bulk import BulkLook  # noqa: PLC0415 - it needs NumPy

    found = BulkLook(*reading.bulk, claims).look(files.before, files.written)
    return None if found is None else SecondLook(*found)


class _Comparison:
    """Holds a written file against the form and the ledger, row by row."""

    def __init__(self, files: Files, reading: Reading, claims: Claims) -> None:
        self._files = files
        self._reading = reading
        self._claims = claims
        self._added = claims.added
        self._faults: list[Finding] = []
        self._differing = 0

    def run(self) -> SecondLook:
        """Compare all rows."""
        claimed = self._claims.rows()
        following = next(claimed, None)
        top = rows = self._claims.left_out
        ends: list[tuple[str | None, str]] = []
        old_rows, new_rows = (self._reading.rows(file) for file in (self._files.before, self._files.written))
        left_out = list(islice(old_rows, top))
        for number, (old, new) in enumerate(zip_longest(old_rows, new_rows), top):
            rows += 1
            cells: dict[int, Cell] = {}
            if following and following[0] == number:
                cells = following[1]
                following = next(claimed, None)
            self._row(number, old, new, cells)
            if old is None or new is None or old.end != new.end:
                ends.append((old and old.end, new.end if new else ""))
        while following:
            self._say(following[0], None, "the row is missing")
            following = next(claimed, None)
        for number in self._added:
            if number >= rows:
                self._say(number, None, "the row is missing")
        self._check_ends(ends, is_open=bool(left_out) and not left_out[-1].end)
        before, after = (self._reading.around(file) for file in (self._files.before, self._files.written))
        for name in {**before, **after}:
            if before.get(name) != after.get(name):
                self._say(None, None, f"its {name} {'is' if name.endswith('l') else 'are'}n't as in the form")
        if self._faults:
            raise _refused(self._faults)
        return SecondLook(rows - top, self._differing)

    def _row(self, number: int, old: Row | None, new: Row | None, cells: dict[int, Cell]) -> None:
        """Compare one row of the form with the written one."""
        before = old.cells if old else self._added.get(number)
        if new is None or before is None:
            self._say(number, None, "the row is missing" if new is None else "the form has no such row")
            return
        if old and not cells and old.text != new.text:
            self._untouched(number, old, new)
            return
        if old and old.formulas and not cells and old.text == new.text:
            return  # what is computed may wait to be computed anew
        if self._reading.pads:
            width = max(len(before), len(new.cells))
            before = [*before, *[""] * (width - len(before))]
            new = new._replace(cells=[*new.cells, *[""] * (width - len(new.cells))])
        if len(before) != len(new.cells):
            self._say(number, None, f"the row has {len(new.cells)} cells, and {len(before)} in the form")
            return
        self._around_cells(number, old, new)
        for column, (was, now) in enumerate(zip(before, new.cells, strict=True)):
            cell = cells.get(column)
            if old and column in old.formulas and cell and cell.now is None:
                continue  # its value is the spreadsheet's
            self._cell(number, column, (was, now), cell)
        if any(column >= len(before) for column in cells):
            self._say(number, None, "the ledger has a mark for a cell that isn't there")

    def _around_cells(self, number: int, old: Row | None, new: Row) -> None:
        """Say what is different in a row besides the texts of the cells that marks go to."""
        if old is None:
            return
        if old.formulas != new.formulas or (old.styles and old.text != new.text):
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

    def _check_ends(self, ends: Sequence[tuple[str | None, str]], *, is_open: bool) -> None:
        """Find line ends as they were; where rows were added, the form's last one gets one and the last has its.

        `is_open` says that the form's last row has none and isn't written.
        """
        changed = [(old, new) for old, new in ends if old is not None]
        added = [new for old, new in ends if old is None]
        is_as_before = not changed and all(added[:-1] if is_open else added)
        had_none = added and changed and changed[0][0] == "" and all((*added[:-1], changed[0][1])) and not added[-1]
        if not is_as_before and not (had_none and len(changed) == 1):
            self._say(None, None, "its line ends aren't those of the form")

    def _say(self, row: int | None, column: int | None, what: str) -> None:
        if len(self._faults) < _MOST:
            place = Place(self._files.final, None if row is None else row - self._claims.left_out, column)
            self._faults.append(Finding("second-look", what, place))


def _check_fingerprint(files: Files, claims: Claims) -> None:
    with files.before.open("rb") as data:
        if hashlib.file_digest(data, "sha256").hexdigest() != claims.fingerprint("template"):
            what = "the file changed while this ran, so what was read of it no longer holds"
            raise Refused(Finding("changed-meanwhile", what, Place(files.form), "Nothing was written. Run it again."))


def _refused(faults: Sequence[Finding]) -> Refused:
    withdrawn = Finding("withdrawn", "the import file isn't what the ledger says and was withdrawn")
    return Refused(*faults, withdrawn)
