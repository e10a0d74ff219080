"""A ledger as it was filed, read again: what the target must say, student by student, if the upload went well."""

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Place, Unreadable, numbered_row, row_position
from skarvin.core.grid.file_bytes import is_bare_name, own_bytes
from skarvin.core.ledger.second_look.claims import WRITTEN, Cell, Claims, LedgerFault, Outcome, column_index

FiledCell = Cell
"""What the form said in a cell, and what it says now if that is something else."""
SCHEMA = "skarvin-ledger/3"
_FAMILY = "skarvin-ledger/"
_AGAIN = "Write again with this version, or name another ledger with --ledger."


class FiledStudent(msgspec.Struct, frozen=True):
    """A student of the form, with all by which the student can be found in another file of the target."""

    row: int
    identifier: str
    name: str = ""
    section: str = ""
    birth: str = ""
    also: Mapping[str, str] = {}

    @property
    def in_words(self) -> str:
        """Where the student stands."""
        return f"form {numbered_row(self.row)}"


class FiledColumn(msgspec.Struct, frozen=True):
    """An item of the export or of the form."""

    column: str | None
    heading: str
    title: str = ""
    out_of: str | None = None
    key: str = ""

    @property
    def index(self) -> int:
        """Where it stands in the form, from 0."""
        return column_index(self.column) or 0


class FiledFile(msgspec.Struct, frozen=True):
    """A file's name and fingerprint."""

    name: str
    sha256: str

    def __post_init__(self) -> None:
        """Refuse a name that leads out of the ledger's folder."""
        if not is_bare_name(self.name):
            raise ValueError(self.name)


class _Item(msgspec.Struct, frozen=True):
    to: FiledColumn | None = None


class _Students(msgspec.Struct, frozen=True):
    in_form: Sequence[FiledStudent]


class _Question(msgspec.Struct, frozen=True):
    to: str | None


class _Answers(msgspec.Struct, frozen=True):
    questions: Sequence[_Question] = ()


class _Side(msgspec.Struct, frozen=True):
    file: str
    identifier: str


class _Ledger(msgspec.Struct, frozen=True):
    schema: str
    students: _Students
    items: Sequence[_Item]
    files: Mapping[str, FiledFile]
    target: _Side
    when: str
    answers: _Answers = _Answers()
    needs_a_person: str = ""


class _Schema(msgspec.Struct, frozen=True):
    schema: str


class FiledRow(NamedTuple):
    """A student of the form, and what each of the items' cells says that something is known of, by its column."""

    student: FiledStudent
    cells: Mapping[int, FiledCell]


class Filed:
    """What a filed ledger says of the target.

    Attributes:
        file: the ledger.
        when: when it was written, in ISO 8601.
        to_decide: what the write left to a person, in a sentence; blank if nothing.
        form: the form's name.
        identifier: the heading of the form's column that tells students apart; blank where names do.
        files: the files that it vouches for, by what they are.
        items: the form's items that marks were for.
        questions: the headings of those that are questions.
        students: the students of the form, in its order.
        digest: the SHA-256 of the ledger itself.
    """

    def __init__(self, file: Path, data: bytes, ledger: _Ledger) -> None:
        self.file = file
        self.digest = hashlib.sha256(data).hexdigest()
        self.when = ledger.when
        self.to_decide = ledger.needs_a_person
        self.form = ledger.target.file
        self.identifier = ledger.target.identifier
        self.files = ledger.files
        self.students = sorted(ledger.students.in_form, key=lambda student: student.row)
        self.questions = frozenset(one.to for one in ledger.answers.questions if one.to)
        found = {item.to.column: item.to for item in ledger.items if item.to and item.to.column}
        self.items = sorted(found.values(), key=lambda item: item.index)
        self._data = data

    def __iter__(self) -> Iterator[FiledRow]:
        """Yield what each student's cells say, in the order of the form; read anew each time, since it is much.

        Raises:
            Unreadable: the file with the marks isn't there or isn't this ledger's, or the ledger contradicts itself.
        """
        with self._told_faults():
            rows = Claims(self._data, self._marks()).rows()
            told = next(rows, None)
            for student in self.students:
                position = row_position(student.row)
                while told and told[0] < position:
                    told = next(rows, None)
                yield FiledRow(student, told[1] if told and told[0] == position else {})
            for _ in rows:  # what stands behind the last student may contradict the rest, too
                pass

    def sent_last(self) -> Iterator[tuple[int, Mapping[int, str]]]:
        """Yield what each cell was sent, or had as it would have been sent: the row, and the texts by column (from 0).

        Raises:
            Unreadable: as for the rows.
        """
        with self._told_faults():
            yield from self._sent_last()

    @contextmanager
    def _told_faults(self) -> Iterator[None]:
        try:
            yield
        except (LedgerFault, msgspec.MsgspecError, IndexError, ValueError) as error:
            told = error.what if isinstance(error, LedgerFault) else "it was changed"
            what = f"the ledger contradicts itself: {told}"
            raise Unreadable(Finding("not-a-ledger", what, Place(self.file), _AGAIN)) from None

    def _sent_last(self) -> Iterator[tuple[int, Mapping[int, str]]]:
        claims = Claims(self._data, self._marks())
        for mark in () if claims.is_in_bulk else claims.listed:
            column = column_index(mark.to_column)
            if mark.to_row is not None and column is not None and (text := _sent(mark)):
                yield row_position(mark.to_row), {column: text}
        texts = [_sent(outcome) for outcome in claims.outcomes] if claims.is_in_bulk else []
        for row, digits in claims.lines() if claims.is_in_bulk else ():
            codes = claims.codes(digits)
            cells = ((column, texts[codes[place]]) for place, column in zip(claims.fed, claims.columns, strict=True))
            yield row, {column: text for column, text in cells if text}

    def _marks(self) -> Path | None:
        known = self.files.get("marks")
        if known is None:
            return None
        file = self.file.with_name(known.name)
        try:
            with file.open("rb") as lines:
                digest = hashlib.file_digest(lines, "sha256").hexdigest()
        except OSError:
            digest = ""
        if digest != known.sha256:
            what = "the ledger's marks stand in this file, which isn't there or was changed"
            raise Unreadable(Finding("no-marks", what, Place(file), "Put it back beside the ledger, or write again."))
        return file


def _sent(outcome: Outcome) -> str:
    """Return what was sent of a mark; of one that was sent before, that."""
    if outcome.fate in WRITTEN:
        return outcome.now or ""
    return (outcome.last or outcome.was) if outcome.fate == "same" else outcome.last


def read_filed(file: Path) -> Filed:
    """Return a filed ledger.

    Raises:
        Unreadable: there is none, it is none, or it is of another version.
    """
    try:
        data = own_bytes(file)
    except OSError:
        mend = "Write first: skarvin write; or name the ledger of the write with --ledger."
        raise Unreadable(Finding("no-ledger", "there is no ledger to compare with", Place(file), mend)) from None
    schema = _schema(data)
    if schema != SCHEMA:
        what = "this isn't the ledger of a write"
        if schema.startswith(_FAMILY):
            what = f"this ledger is of another version: {schema}, and this program reads {SCHEMA}"
        raise Unreadable(Finding("not-a-ledger", what, Place(file), _AGAIN))
    try:
        return Filed(file, data, msgspec.json.decode(data, type=_Ledger))
    except (msgspec.MsgspecError, ValueError, RecursionError):
        what = "this ledger is damaged, or wasn't filed by a write"
        raise Unreadable(Finding("not-a-ledger", what, Place(file), _AGAIN)) from None


def _schema(data: bytes) -> str:
    try:
        return msgspec.json.decode(data, type=_Schema).schema
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return ""
