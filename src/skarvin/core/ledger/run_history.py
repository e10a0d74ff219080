"""The history of a folder's transfers: what each write sent, and what each confirmation found, in a small database.

It holds identifiers, marks, fates and fingerprints, and is readable by its owner alone. It is SQLite's file format
(https://www.sqlite.org/fileformat2.html), marked as ours by its application id.
"""

import hashlib
import json
import os
import sqlite3
import sys
from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, suppress
from itertools import chain, islice
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.grid.file_bytes import own_bytes
from skarvin.core.ledger.codes import CodeTable
from skarvin.core.ledger.since import HISTORY

WRITE, CONFIRM = "write", "confirm"
_APPLICATION, _VERSION = 0x536B7276, 2
_PATIENCE = 30.0
_SMALL = 1 << 26
"""Up to this size a history is checked whole each time; of a larger one the marks are, when they are read."""
_SHORT_CODES = 1 << 16
_BLOCK = 1_000
_NAMES = ("run", "mark", "block")
"""The tables; the last one is there from the second version on."""
_TABLES = """
CREATE TABLE run (
  number INTEGER PRIMARY KEY,
  kind TEXT NOT NULL,
  transfer TEXT NOT NULL,
  at TEXT NOT NULL,
  ledger TEXT NOT NULL,
  files TEXT NOT NULL,
  counts TEXT NOT NULL,
  items TEXT NOT NULL,
  outcomes TEXT NOT NULL,
  proof TEXT NOT NULL,
  pending TEXT NOT NULL
);
CREATE TABLE mark (
  run INTEGER NOT NULL REFERENCES run (number) ON DELETE CASCADE,
  student TEXT NOT NULL,
  codes BLOB NOT NULL,
  PRIMARY KEY (run, student)
) WITHOUT ROWID;
"""
_BLOCKS = """
CREATE TABLE IF NOT EXISTS block (
  number INTEGER PRIMARY KEY,
  run INTEGER NOT NULL REFERENCES run (number) ON DELETE CASCADE,
  students TEXT NOT NULL,
  codes BLOB NOT NULL
)
"""
"""The marks of many students at once, which costs less than a row for each, as the first version kept them."""


class Kept(NamedTuple):
    """What is kept of one mark.

    Attributes:
        fate: its fate in a write; of a confirmation what was found.
        text: what was sent last, by this write or one before it; of a confirmation what the target said.
        before: what the form's cell said at a write.
    """

    fate: str
    text: str
    before: str = ""


NOTHING = Kept("", "")


class ItemKey(NamedTuple):
    """An item of the target: its heading, and the letters of its column in the form."""

    heading: str
    column: str


class Run(NamedTuple):
    """One write, or one confirmation.

    Attributes:
        kind: which of both.
        transfer: the name of the transfer.
        at: when, in ISO 8601.
        ledger: the SHA-256 of the ledger of the write; of a confirmation that of the write that it confirms.
        files: the SHA-256 of the files, by what they are.
        counts: how many marks have each fate, or were found how.
        items: the items.
        outcomes: what the marks' codes stand for.
        number: which of the runs it is; 0 before it is kept.
        proof: a file of the run, seen from the history's folder: the ledger of a write, the page of a confirmation.
        digest: the SHA-256 of that file, which tells whether a run that was cut off came to its end.
    """

    kind: str
    transfer: str
    at: str
    ledger: str
    files: Mapping[str, str]
    counts: Mapping[str, int]
    items: Sequence[ItemKey]
    outcomes: Sequence[Kept]
    number: int = 0
    proof: str = ""
    digest: str = ""

    @property
    def kind_of_code(self) -> str:
        """How a code is kept, as the array module calls it: in two bytes as long as that is enough."""
        return "H" if len(self.outcomes) < _SHORT_CODES else "I"


Codes = tuple[str, bytes]
"""A student's identifier, and for each item the place of its outcome among those of the run, packed."""


def packed(codes: Iterable[int], kind: str) -> bytes:
    """Return codes as bytes, the lowest of each first; `kind` as the array module calls it."""
    found = array(kind, codes)
    if sys.byteorder == "big":
        found.byteswap()
    return found.tobytes()


def history_file(folder: Path) -> Path:
    """Return where the history of a folder's transfers stands."""
    return folder / HISTORY


@contextmanager
def keeping(file: Path, run: Run, marks: Iterable[Codes]) -> Iterator[int]:
    """Keep a run whose files the block puts in place; nothing is kept if it fails. Yields the run's number.

    Args:
        file: the history.
        run: the run.
        marks: each student's marks.

    Raises:
        Refused: the history is damaged, of a later version, no history of ours, or can't be written.
    """
    with opened(file, make=True) as database:
        with transaction(database):
            number = insert_run(database, run)
            database.executemany("INSERT INTO block VALUES (NULL, ?, ?, ?)", _blocks(number, marks))
        try:
            yield number
        except BaseException:
            with transaction(database):
                _forget(database, [number])
            raise
        with suppress(sqlite3.Error):  # whoever reads it next finds out
            database.execute("UPDATE run SET pending = '' WHERE number = ?", (number,))


def _blocks(number: int, marks: Iterable[Codes]) -> Iterator[tuple[int, str, bytes]]:
    """Yield the rows of a run: identifiers of many students, and their codes one behind the other."""
    rest = iter(marks)
    while some := list(islice(rest, _BLOCK)):
        yield number, json.dumps([who for who, _ in some], ensure_ascii=False), b"".join(codes for _, codes in some)


@contextmanager
def transaction(database: sqlite3.Connection) -> Iterator[None]:
    """Change the database whole or not at all."""
    database.execute("BEGIN IMMEDIATE")
    try:
        yield
    except BaseException:
        database.execute("ROLLBACK")
        raise
    database.execute("COMMIT")


def _forget(database: sqlite3.Connection, numbers: Sequence[int]) -> None:
    """Forget runs; what is kept of each goes with it."""
    database.executemany("DELETE FROM run WHERE number = ?", [(number,) for number in numbers])


def read_runs(file: Path, transfer: str = "") -> list[Run]:
    """Return the runs of a transfer, or of all, in the order of time; none where there is no history.

    Raises:
        Refused: it can't be read.
    """
    if not file.exists() or not file.stat().st_size:
        return []
    with opened(file) as database:
        columns = "kind, transfer, at, ledger, files, counts, items, outcomes, number, proof, pending"
        found = [(_run(row), str(row[-1])) for row in database.execute(f"SELECT {columns} FROM run ORDER BY number")]  # noqa: S608 - ours
    done = [run for run, pending in found if not pending or _is_there(file.parent / run.proof, pending)]
    return [run for run in done if not transfer or run.transfer == transfer]


def _is_there(proof: Path, digest: str) -> bool:
    """Tell whether the proof of a run that was cut off is in its place."""
    try:
        return hashlib.sha256(own_bytes(proof)).hexdigest() == digest
    except OSError:
        return False


def read_marks(file: Path, run: Run, student: str | None = None) -> dict[str, list[Kept]]:
    """Return what was kept of each student's marks in a run, item by item; or of one student alone.

    Raises:
        Refused: it can't be read.
    """
    people, table = read_codes(file, run)
    rows = {who: place for place, who in enumerate(people) if student is None or who == student}
    return {who: [run.outcomes[code] for code in table.row(place)] for who, place in rows.items()}


def read_codes(file: Path, run: Run) -> tuple[list[str], CodeTable]:
    """Return the students of a run, and a row of codes for each: the places of their outcomes among those of the run.

    Raises:
        Refused: it can't be read.
    """
    people: list[str] = []
    table = CodeTable(array(run.kind_of_code), len(run.items))
    try:
        with opened(file, whole=True) as database:
            for names, codes in _rows_of(database, run):
                people += map(str, names)
                table.codes.extend(codes)
    except (TypeError, ValueError, RecursionError):
        raise _damaged(file) from None
    if table.largest >= len(run.outcomes):
        raise _damaged(file)
    return people, table


def _rows_of(database: sqlite3.Connection, run: Run) -> "Iterator[tuple[Sequence[object], array[int]]]":
    """Yield what is kept of a run: some of its students, and their codes.

    Raises:
        TypeError, ValueError, RecursionError: what was kept isn't whole.
    """
    singles = database.execute("SELECT student, codes FROM mark WHERE run = ?", (run.number,))
    rows: Iterator[tuple[Sequence[object], bytes]] = (([who], data) for who, data in singles)
    if database.execute("PRAGMA user_version").fetchone()[0] == _VERSION:
        query = "SELECT students, codes FROM block WHERE run = ? ORDER BY number"
        blocks = database.execute(query, (run.number,))
        rows = chain(rows, ((json.loads(names), data) for names, data in blocks))
    for names, data in rows:
        codes = _unpacked(data, run.kind_of_code)
        if len(codes) != len(names) * len(run.items):
            raise ValueError(names)
        yield names, codes


def prune(file: Path, before: str, transfer: str = "") -> int:
    """Forget all runs before a day (in ISO 8601) but each transfer's last write and its confirmations; return how many.

    Raises:
        Refused: it can't be read or written.
    """
    runs = read_runs(file, transfer)
    last = {run.transfer: run.ledger for run in runs if run.kind == WRITE}
    gone = [run.number for run in runs if run.at[:10] < before and run.ledger != last.get(run.transfer)]
    if gone:
        with opened(file, make=True, whole=True) as database:
            with transaction(database):
                _forget(database, gone)
            database.execute("VACUUM")  # what was forgotten is gone from the disk, too
    return len(gone)


@contextmanager
def opened(file: Path, *, make: bool = False, whole: bool = False) -> Iterator[sqlite3.Connection]:
    """Open the database, made if it isn't there and may be; if `whole`, marks are checked too, however many they are.

    Raises:
        Refused: it is damaged, of a later version, no history of ours, or can't be opened.
    """
    try:
        if make:
            os.close(os.open(file, os.O_RDWR | os.O_CREAT, 0o600))
            file.chmod(0o600)
        is_cut_off = file.with_name(f"{file.name}-journal").exists()  # what was begun then is taken back first
        address = f"{file.resolve().as_uri()}?mode={'rw' if make or is_cut_off else 'ro'}"
        with closing(sqlite3.connect(address, timeout=_PATIENCE, uri=True, isolation_level=None)) as database:
            database.execute("PRAGMA secure_delete = ON")
            database.execute("PRAGMA foreign_keys = ON")
            if make:
                _begin(database)
            _check(file, database, whole=whole or file.stat().st_size <= _SMALL)
            if make and database.execute("PRAGMA user_version").fetchone()[0] < _VERSION:
                with transaction(database):
                    database.execute(_BLOCKS)
                    database.execute(f"PRAGMA user_version = {_VERSION}")
            yield database
    except sqlite3.OperationalError as error:
        raise _from_sqlite(file, error) from None
    except sqlite3.DatabaseError:
        raise _damaged(file) from None
    except OSError as error:
        if error.filename != str(file):
            raise
        raise _cannot(file, (error.strerror or str(error)).lower()) from None


def _begin(database: sqlite3.Connection) -> None:
    """Make the tables of a history that was just begun, unless another run was faster."""
    if database.execute("PRAGMA schema_version").fetchone()[0]:
        return
    with transaction(database):
        if not database.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]:
            for table in (*_TABLES.split(";")[:-1], _BLOCKS):
                database.execute(table)
            database.execute(f"PRAGMA application_id = {_APPLICATION}")
            database.execute(f"PRAGMA user_version = {_VERSION}")


def _check(file: Path, database: sqlite3.Connection, *, whole: bool) -> None:
    """Find that a database is a history that this version knows; that its runs are whole, and if asked its marks."""
    application = database.execute("PRAGMA application_id").fetchone()[0]
    version = database.execute("PRAGMA user_version").fetchone()[0]
    if application != _APPLICATION:
        what = "this isn't a history that Skarvin wrote"
        raise Refused(Finding("not-a-history", what, Place(file), f"Move it away, or rename it: {_ANEW}"))
    if version > _VERSION:
        what = f"this history is of a later version ({version}) than this program knows ({_VERSION})"
        mend = f"Use the version of Skarvin that wrote it; or move it away: {_ANEW}"
        raise Refused(Finding("newer-history", what, Place(file), mend))
    names = {name for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    if not names.issuperset(_NAMES[: max(version, 1) + 1]):
        raise _damaged(file)
    if database.execute(f"PRAGMA quick_check({1 if whole else 'run'})").fetchone()[0] != "ok":
        raise _damaged(file)


_ANEW = "a new one is begun then, and an earlier ledger can be named under [since] in the transfer."


def _damaged(file: Path) -> Refused:
    what = "the history is damaged; it was left as it is"
    return Refused(Finding("damaged-history", what, Place(file), f"Put a copy of it back, or move it away: {_ANEW}"))


def _from_sqlite(file: Path, error: sqlite3.OperationalError) -> Refused:
    if "locked" in str(error) or "busy" in str(error):
        what = "another run has been writing into the history for more than half a minute"
        return Refused(Finding("busy-history", what, Place(file), "Wait until it has ended, and run this again."))
    if any(sign in str(error) for sign in ("no such table", "no such column", "malformed")):
        return _damaged(file)
    return _cannot(file, str(error))


def _cannot(file: Path, reason: str) -> Refused:
    what = f"the history can't be kept: {reason}"
    mend = "Nothing was written. The folder of the transfer must be one that you may write to, with room on its disk."
    return Refused(Finding("cannot-keep", what, Place(file), mend))


def insert_run(database: sqlite3.Connection, run: Run) -> int:
    """Keep a run, and return its number."""
    told = (run.files, run.counts, run.items, run.outcomes)
    cells = [json.dumps(one, ensure_ascii=False, separators=(",", ":")) for one in told]
    values = (run.kind, run.transfer, run.at, run.ledger, *cells, run.proof, run.digest)
    columns = "kind, transfer, at, ledger, files, counts, items, outcomes, proof, pending"
    places = ", ".join("?" * len(values))
    found = database.execute(f"INSERT INTO run ({columns}) VALUES ({places})", values)  # noqa: S608 - ours
    return int(found.lastrowid or 0)


def _run(row: Sequence[object]) -> Run:
    kind, transfer, at, ledger, *cells = map(str, row[:8])
    cells[0] = cells[0].replace('"template":', '"form":', 1)  # as runs called it before
    try:
        return Run(
            kind,
            transfer,
            at,
            ledger,
            msgspec.json.decode(cells[0], type=dict[str, str]),
            msgspec.json.decode(cells[1], type=dict[str, int]),
            msgspec.json.decode(cells[2], type=tuple[ItemKey, ...]),
            msgspec.json.decode(cells[3], type=tuple[Kept, ...]),
            int(str(row[8])),
            str(row[9]),
        )
    except (msgspec.MsgspecError, RecursionError, UnicodeEncodeError, ValueError):
        raise sqlite3.DatabaseError from None


def _unpacked(data: bytes, kind: str) -> "array[int]":
    found = array(kind)
    found.frombytes(data)
    if sys.byteorder == "big":
        found.byteswap()
    return found
