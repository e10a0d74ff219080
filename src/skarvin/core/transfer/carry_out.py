"""Carries a settled transfer out: write, look again, keep."""

from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from datetime import datetime
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple, Protocol

import msgspec

from skarvin.core.findings import Finding, Refused, Row
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.ledger.run_history import history_file, keeping
from skarvin.core.ledger.second_look.claims import Claims
from skarvin.core.ledger.second_look.comparison import Files, SecondLook, look_again, look_up_marks
from skarvin.core.ledger.second_look.readers import export_reading_of, reading_of
from skarvin.core.progress import report_progress
from skarvin.core.targets.lines_form import LinesForm
from skarvin.core.targets.target import WHOLE, Part, Target
from skarvin.core.transfer.after_upload.kept_runs import record_write, seen_from
from skarvin.core.transfer.held_list import held_file
from skarvin.core.transfer.import_files import ONE_WHOLE
from skarvin.core.transfer.outputs import Outputs, bundle_of
from skarvin.core.transfer.settling import Settled

if TYPE_CHECKING:
    from skarvin.core.targets.roster_form import ResultsForm

_TABLE: Mapping[str, str | None] = MappingProxyType(
    {
        "kind": "delimited text",
        "codec": "utf-8-sig",
        "delimiter": ",",
        "quote": '"',
        "escape": None,
        "cuts": "",
        "controls": None,
    }
)
"""How the table of all marks is read, which is made where the target takes a line for each."""


class Written(msgspec.Struct, frozen=True):
    """What was written, and what the second look found in it."""

    settled: Settled
    outputs: Outputs
    second_look: SecondLook


class Reports(Protocol):
    """Makes the ledger and the reports of a transfer; `when` is the time in ISO 8601."""

    when: str

    def ledger(self, settled: Settled) -> bytes:
        """Return `ledger.json` as far as it is known before the file is written: what each cell of it must say."""

    def marks(self, settled: Settled) -> Iterable[bytes]:
        """Yield the lines of the file with each student's marks."""

    def rest(self, written: Written, staged: Sequence[Path]) -> Iterable[tuple[Path, bytes]]:
        """Yield the ledger with what the second look found, and the page; the import files lie at `staged`."""


def write_transfer(settled: Settled, outputs: Outputs, reports: Reports, *, replace_existing: bool) -> Written:
    """Write the import file, look at it again, and put it and its reports in place together.

    Raises:
        Refused: a file is there already or can't be written, an input changed meanwhile, or the second look finds a
            fault; nothing is left then.
    """
    sides = settled.sides
    held, marks_held = held_file(settled.file), settled.held_list
    with Delivery(replace=replace_existing, inputs=settled.inputs, always=[held]) as delivery:
        delivery.check(*outputs)
        report_progress("writing the import file")
        ledger = reports.ledger(settled)
        marks = delivery.stage(outputs.marks, reports.marks(settled)) if outputs.marks else None
        filling = _filling(settled)
        by_line = _by_line(settled, reports.when)
        staged = [
            delivery.stage(path, by_line[0] if by_line else filling.part(one.part))
            for path, one in zip(outputs.imports, settled.files.files, strict=False)
        ]
        is_whole = settled.files == ONE_WHOLE and bool(staged) and not by_line
        form = outputs.data.with_name("form")
        whole = staged[0] if is_whole else delivery.scratch(outputs.data.with_name("whole"), filling.part(WHOLE))
        back = zip(outputs.restores, by_line[1:], strict=False) if by_line else _restores(settled, outputs)
        restores = [delivery.stage(path, data) for path, data in back]
        is_restored_whole = is_whole and not sides.is_composed and _back(settled) is None
        before = restores[0] if is_restored_whole else delivery.scratch(form, [_before(settled)])
        files = Files(sides.form.grid.file, before, whole, next(iter(outputs)))
        parts = [] if is_whole or by_line else list(zip(staged, outputs.imports, strict=True))
        report_progress("reading the import file back")
        second_look = _second_look(settled, files, ledger, marks, parts)
        if sides.lines:
            _look_at_lines(sides.lines, files, staged[0])
        elif sides.results:
            _look_at_results(sides.results, files, staged[0])
        written = Written(settled, outputs, second_look)
        bundle = bundle_of(settled, outputs.data.parent)
        if bundle and outputs.bundle and outputs.bundle_table:
            from skarvin.core.transfer.feedback import archive_bytes, table_bytes  # noqa: PLC0415

            delivery.stage(outputs.bundle, archive_bytes(bundle))
            delivery.stage(outputs.bundle_table, [table_bytes(bundle)])
        report_progress("writing the report")
        digest = ""
        for path, data in reports.rest(written, staged):
            delivery.stage(path, [data])
            digest = fingerprint(data) if path == outputs.data else digest
            if path in outputs.typed[:1]:
                _look_at_typed(settled, data, path, files, ledger)
        with _kept(settled, reports.when, digest, outputs.data):
            if marks_held is not None:
                _keep_list(held, marks_held, delivery, outputs.data.parent)
            delivery.commit()
    return written


def _by_line(settled: Settled, when: str) -> tuple[Iterator[bytes], Iterator[bytes]] | None:
    """Return the import file and its restore file where the target takes a line for each mark, or a bundle."""
    sides = settled.sides
    if sides.results:
        from skarvin.core.transfer.result_files import result_files  # noqa: PLC0415 - few targets take bundles

        return result_files(sides, sides.results, settled.ledger, when)
    if sides.lines is None:
        return None
    from skarvin.core.transfer.line_file import line_files  # noqa: PLC0415 - most targets take rows

    day = datetime.fromisoformat(when).date()
    return line_files(settled.sides, settled.ledger, settled.plan.target, day)


def _look_at_results(form: "ResultsForm", files: Files, staged: Path) -> None:
    """Read the bundle with results again."""
    from skarvin.core.ledger.second_look.result_rows import look_at_results  # noqa: PLC0415

    table = reading_of(_TABLE)
    if table is None:
        raise AssertionError(staged)  # what can be written can be read again
    look_at_results(form.grid.file, staged, files.final, (files.before, files.written), table)


def _look_at_lines(form: LinesForm, files: Files, staged: Path) -> None:
    """Read the file with a line for each mark again."""
    from skarvin.core.ledger.second_look.line_rows import LinePlaces, Read, look_at_lines  # noqa: PLC0415

    reading = reading_of(form.grid.reading, [form.mark])
    table = reading_of(_TABLE)
    if reading is None or table is None:
        raise AssertionError(staged)  # what can be written can be read again
    places = LinePlaces(form.first, form.student, form.item, form.mark, form.told.keep, form.name)
    tables = Read(files.before, table), Read(files.written, table)
    look_at_lines(Read(form.grid.file, reading), Read(staged, reading), files.final, tables, places)


def _keep_list(held: Path, content: bytes, delivery: Delivery, folder: Path) -> None:
    """Put the list of held marks in its place: with the other files, or by itself where they go elsewhere."""
    if held.parent == folder:
        delivery.stage(held, [content])
        return
    with Delivery(replace=True, inputs=[]) as own:
        own.stage(held, [content])
        own.commit()


def _kept(settled: Settled, when: str, digest: str, ledger: Path) -> AbstractContextManager[int]:
    """Keep the write in the history of the transfer's folder, once its files are in place."""
    files = {"form": settled.sides.form.grid.fingerprint, "transfer": settled.plan_fingerprint}
    parts = settled.sides.parts
    files |= {f"export_{at}" if at > 1 else "export": book.grid.fingerprint for at, book in enumerate(parts, 1)}
    run, marks = record_write(settled.ledger, settled.file.name, when, files, digest)
    history = history_file(settled.file.parent)
    return keeping(history, run._replace(proof=seen_from(history, ledger)), marks)


class _Filling(NamedTuple):
    """What is filled into the form."""

    form: Target
    columns: list[int]
    rows: "Mapping[int, array[int]]"
    spelled: list[str]
    changed: frozenset[int]

    def part(self, part: Part) -> Iterator[bytes]:
        """Yield a part of the filled form."""
        return self.form.filled(self.columns, self.rows, self.spelled, self.changed, part)


def _filling(settled: Settled) -> _Filling:
    """Return the form's cells that a mark goes to, and what they say then."""
    ledger, form = settled.ledger, settled.sides.form
    columns = [item.target.index for item in ledger.fed if item.target]
    rows = _TargetRows(ledger, len(columns))
    spelled = [
        outcome.raw if outcome.written is None else form.spell(outcome.written, outcome.raw)
        for outcome in ledger.outcomes
    ]
    changed = frozenset(code for code, outcome in enumerate(ledger.outcomes) if outcome.written is not None)
    return _Filling(form, columns, rows, spelled, changed)


def _before(settled: Settled) -> bytes:
    """Return the bytes that the form was read from; of a target that takes no import, those of its table."""
    form = settled.sides.form
    is_made = settled.plan.target.file_as
    return b"".join((settled.sides.original or form).filled([], {}, [])) if is_made else read_bytes(form.grid.file)


def _look_at_typed(settled: Settled, text: bytes, path: Path, files: Files, ledger: bytes) -> None:
    """Read the list to type from again."""
    from skarvin.core.ledger.second_look.typed import look_at_typed  # noqa: PLC0415 - most targets take an import

    claims = Claims(ledger, None)
    if reading := reading_of(settled.sides.form.grid.reading, claims.item_columns):
        look_at_typed(text, path, files.written, reading, claims)


def _restores(settled: Settled, outputs: Outputs) -> Iterator[tuple[Path, Iterable[bytes]]]:
    """Yield what puts the target back: for each import file, the same rows and columns as the form had them."""
    sides = settled.sides
    filling = _back(settled)
    for path, one in zip(outputs.restores, settled.files.files, strict=False):
        if filling and one.before in {WHOLE, one.part}:
            yield path, filling.part(one.before)
        elif sides.is_composed:
            yield path, sides.form.filled([], {}, [], (), one.part)
        elif one.before == WHOLE:
            yield path, [read_bytes(sides.form.grid.file)]
        else:
            yield path, (sides.original or sides.form).filled([], {}, [], (), one.before)


def _back(settled: Settled) -> _Filling | None:
    """Return what puts the target back where it says something else than the form; None where the form does."""
    if all(outcome.there is None or outcome.written is None for outcome in settled.ledger.outcomes):
        return None
    filling, form = _filling(settled), settled.sides.form
    outcomes = settled.ledger.outcomes
    changed = frozenset(code for code, one in enumerate(outcomes) if one.written is not None and one.there is not None)
    spelled = [form.spell(one.in_target, one.raw) if code in changed else one.raw for code, one in enumerate(outcomes)]
    return filling._replace(spelled=spelled, changed=changed)


class _TargetRows(Mapping[int, "array[int]"]):
    """For each target row, by its position, the codes of its cells, cut out of the ledger when they are asked for.

    Of several source rows for one, each cell has the code that changes it.

    Raises:
        Refused: two marks go to one cell.
    """

    def __init__(self, ledger: Ledger, width: int) -> None:
        self._codes, self._width = ledger.codes, width
        self._merged: dict[int, array[int]] = {}
        paired = [entry for entry in ledger.entries if entry.target]
        self._entries = {entry.target.row.position: entry.position for entry in paired if entry.target}
        if len(self._entries) == len(paired):
            return
        self._entries = {}
        is_written = [outcome.written is not None for outcome in ledger.outcomes]
        for entry in paired:
            if entry.target and self._entries.setdefault(entry.target.row.position, entry.position) != entry.position:
                self._merge(entry.target.row, entry.position, is_written)

    def _merge(self, row: Row, entry: int, is_written: Sequence[bool]) -> None:
        pairs = list(zip(self[row.position], self._codes.row(entry)[: self._width], strict=True))
        if any(is_written[a] and is_written[b] for a, b in pairs):
            raise Refused(Finding("two-marks", f"two marks go to one cell of {row}"))
        self._merged[row.position] = array("I", [b if is_written[b] else a for a, b in pairs])

    def __getitem__(self, row: int) -> "array[int]":
        return self._merged.get(row) or self._codes.row(self._entries[row])[: self._width]

    def __contains__(self, row: object) -> bool:
        return row in self._entries

    def __iter__(self) -> Iterator[int]:
        return iter(self._entries)

    def __len__(self) -> int:
        return len(self._entries)


def _second_look(
    settled: Settled, files: Files, ledger: bytes, marks: Path | None, parts: Sequence[tuple[Path, Path]]
) -> SecondLook:
    """Look at the staged files again, and look up the ledger's marks in the export, knowing the ledger alone."""
    claims = Claims(ledger, marks)
    reading = reading_of(settled.sides.form.grid.reading, claims.item_columns)
    if reading is None:
        raise AssertionError(files.form)  # what can be written can be read again
    found = look_again(files, reading, claims)
    if parts:
        from skarvin.core.ledger.second_look.parts import look_at_parts  # noqa: PLC0415 - most files are whole

        found = found._replace(rows=look_at_parts(files.written, parts, reading, claims))
    for number, book in enumerate(settled.sides.parts):
        if (source := export_reading_of(book.grid.reading)) is not None:
            looked_up = look_up_marks(book.grid.file, source, claims, number)
            found = found._replace(looked_up=found.looked_up + looked_up)
    return found
