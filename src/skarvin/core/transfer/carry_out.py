"""Carries a transfer out: settle, check, write, look again."""

import re
from array import array
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple, Protocol

from skarvin.core.findings import Finding, Place, Refused, Row, counted, listing
from skarvin.core.grid.read import fingerprint, read_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.control_totals import ItemBooks, check_balance, item_books
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.ledger.row_books import RowCount, check_rows, count_rows
from skarvin.core.ledger.second_look.claims import Claims
from skarvin.core.ledger.second_look.comparison import Files, SecondLook, look_again, look_up_marks
from skarvin.core.ledger.second_look.readers import export_reading_of, reading_of
from skarvin.core.ledger.settle import settle
from skarvin.core.plan.plan import Plan
from skarvin.core.progress import report_progress
from skarvin.core.reasons import Cause, Fate
from skarvin.core.students.notes import class_notes
from skarvin.core.students.pairing import Pairing
from skarvin.core.targets.target import WHOLE, Part, Target
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.disagreeing import find_disagreeing
from skarvin.core.transfer.import_files import ONE_WHOLE, ImportFiles, file_label, import_files
from skarvin.core.transfer.made import NOTHING_MADE, MadeMarks, check_totals
from skarvin.core.transfer.sides import Sides
from skarvin.core.transfer.who_is_who import check_pairing, pair_transfer, pairing_rule, pairings_file

if TYPE_CHECKING:
    from skarvin.core.transfer.feedback import Bundle

LISTED_WHOLE = 20_000
"""Up to so many source marks `ledger.json` lists each; beyond, those that were changed, kept or held."""


_MADE = re.compile(r"-(?:import|restore)(?:-(\d{1,4}))?$")
"""What the names of files end with that an earlier write made, and which write that was."""


@dataclass(frozen=True, kw_only=True)
class Settled:
    """A transfer with a fate for each mark, whose books balance. Nothing is written yet."""

    file: Path
    plan: Plan
    plan_text: str
    plan_fingerprint: str
    decisions_fingerprint: str
    sides: Sides
    pairing: Pairing
    ledger: Ledger
    totals: tuple[ItemBooks, ...]
    made: MadeMarks
    rows: tuple[RowCount, ...]
    files: ImportFiles
    told: tuple[Finding, ...] = ()

    @property
    def notes(self) -> list[Finding]:
        """What is worth knowing of the two classes, of lists, and of what goes into no file."""
        rule = pairing_rule(self.plan.students).identifiers
        only_some = self.plan.students.moves_only_some or bool(self.plan.list)
        sides = self.sides
        found = class_notes(sides.source.students, sides.target.students, self.pairing, rule, only_some=only_some)
        told = [*self.told, *_unseen(self.ledger), *_comments_of_other_rows(self.ledger)]
        return [*found, *told, *self.files.notes, *_new_items(self.sides)]

    @property
    def is_listed_whole(self) -> bool:
        """Whether the ledger lists each mark by itself."""
        return len(self.sides.parts) > 1 or sum(self.ledger.fates.values()) <= LISTED_WHOLE

    @property
    def is_anything_held(self) -> bool:
        """Whether a person must decide something."""
        return bool(self.ledger.fates[Fate.HELD] or self.pairing.held or self.pairing.source_only)

    @property
    def inputs(self) -> tuple[Path, ...]:
        """The files that are never written to."""
        grids = (*(book.grid.file for book in self.sides.parts), self.sides.target.grid.file)
        return (self.file, pairings_file(self.file), *grids, *self.further_inputs.values())

    @property
    def further_inputs(self) -> dict[str, Path]:
        """The files besides exports and form from which anything was read, by what they are."""
        return further_inputs(self.plan, self.file.parent)


def further_inputs(plan: Plan, folder: Path) -> dict[str, Path]:
    """Return the files besides exports and form that a plan names, by what they are."""
    found = {"roster": plan.roster.file} if plan.roster else {}
    found |= {"answer_key": plan.answers.key} if plan.answers.key else {}
    several = {"crosswalk": [one.file for one in plan.crosswalk], "list": [one.file for one in plan.list]}
    for what, files in several.items():
        found |= {what if number == 1 else f"{what}_{number}": name for number, name in enumerate(files, 1)}
    found |= {"screen": plan.target.file} if plan.target.typing else {}
    return {what: folder / name for what, name in found.items()}


def _unseen(ledger: Ledger) -> list[Finding]:
    """Return how many marks have characters that nobody sees, and where the first ones stand."""
    lines = ledger.lines_because(Cause.UNSEEN_IGNORED)
    places = ((line.entry.source, line.item.source) for line in lines)
    cells = [student.row.cell(column.index) for student, column in places if student and isinstance(column, Column)]
    if not cells:
        return []
    found = counted(len(cells), "mark has characters", "marks have characters")
    return [Finding("unseen-ignored", f"{found} that can't be seen, which were ignored: {listing(cells)}")]


def _comments_of_other_rows(ledger: Ledger) -> list[Finding]:
    """Return how many comments stay behind because the mark of another row of the student counts, and where."""
    lines = ledger.lines_because(Cause.COMMENT_OF_OTHER_ROW)
    cells = [line.item.cell(line.entry.source.row) for line in lines if line.entry.source]
    if not cells:
        return []
    what = f"{counted(len(cells), 'comment')} on marks that don't count, of students with several rows, not sent: "
    return [Finding("comments-of-other-rows", what + listing(cells, 12))]


def _new_items(sides: Sides) -> list[Finding]:
    """Return which items a file that is composed declares that its sample doesn't have."""
    new = sides.composition.new_items if sides.composition else []
    if not new:
        return []
    titles = [f"'{column.heading}'{_out_of(column)}" for column in new]
    what = f"{counted(len(new), 'item is', 'items are')} not in the sample, to be made in the target first: "
    return [Finding("new-items", f"{what}{listing(titles, 12)}")]


def _out_of(column: Column) -> str:
    told = "" if column.out_of is None else plain(column.out_of)
    return f" (out of {told})" if told and told not in column.heading else ""


@dataclass(frozen=True, slots=True)
class Outputs:
    """The files that a transfer writes.

    `marks` only where there are too many for the ledger's own list; `typed` where the target takes no import; `bundle`
    where marked files are to be handed out.
    """

    imports: tuple[Path, ...]
    restores: tuple[Path, ...]
    page: Path
    data: Path
    marks: Path | None = None
    typed: tuple[Path, ...] = ()
    bundle: Path | None = None
    bundle_table: Path | None = None

    def __iter__(self) -> Iterator[Path]:
        rest = (self.page, self.data, self.marks, self.bundle, self.bundle_table)
        return iter(path for path in (*self.imports, *self.restores, *self.typed, *rest) if path)


@dataclass(frozen=True)
class Written:
    """What was written, and what the second look found in it."""

    settled: Settled
    outputs: Outputs
    second_look: SecondLook


class Reports(Protocol):
    """Makes the ledger and the reports of a transfer."""

    def ledger(self, settled: Settled) -> bytes:
        """Return `ledger.json` as far as it is known before the file is written: what each cell of it must say."""

    def marks(self, settled: Settled) -> Iterable[bytes]:
        """Yield the lines of the file with each student's marks."""

    def rest(self, written: Written, staged: Sequence[Path]) -> Iterable[tuple[Path, bytes]]:
        """Yield the ledger with what the second look found, and the page; the import files lie at `staged`."""


def settle_transfer(file: Path, library: Path | None = None) -> Settled:
    """Return the transfer described in `file`, settled and balanced; layouts lie beside it or in the `library`.

    Raises:
        Unreadable: the plan or one of its files can't be understood.
        Refused: something is open, too few students pair, or the books don't balance.
    """
    plan, text, sides, pairing, fingerprint, roster, told, dates, decided = pair_transfer(file, library)
    check_pairing(sides, pairing, plan.students.minimum_paired_percent)
    told = (*find_disagreeing(sides, pairing), *told)
    report_progress("converting the marks")
    made = _made(sides, pairing, dates)
    check_totals(made.totals, file)
    ledger = settle(
        sides.source,
        sides.target,
        sides.form,
        pairing,
        sides.items,
        made.made,
        sides.column_map.follows,
        dates,
    )
    books = [*sides.parts, sides.target, *([roster] if roster else [])]
    below = sum(1 for made in sides.added.values() if made.over is None)
    rows = [count_rows(book, below if book is sides.target else 0) for book in books]
    for count, book in zip(rows, books, strict=True):
        check_rows(count, book)
    totals = item_books(ledger)
    check_balance(totals, len(sides.source.students) + len(sides.source.non_students))
    return Settled(
        file=file,
        plan=plan,
        plan_text=text,
        plan_fingerprint=fingerprint,
        decisions_fingerprint=decided,
        sides=sides,
        pairing=pairing,
        ledger=ledger,
        totals=tuple(totals),
        made=made,
        rows=tuple(rows),
        files=import_files(plan.target, sides, pairing, ledger),
        told=told,
    )


def _made(sides: Sides, pairing: Pairing, dates: Mapping[Row, str]) -> MadeMarks:
    if not sides.column_map.makes_marks:
        return NOTHING_MADE
    from skarvin.core.transfer.making import make_marks  # noqa: PLC0415 - most transfers make nothing

    return make_marks(sides.source, pairing, sides.column_map, dates)


def outputs_for(settled: Settled, folder: Path) -> Outputs:
    """Return the names of the files that writing will make in `folder`; those for an import file are numbered on."""
    form = settled.sides.target.grid.file
    made = _MADE.search(form.stem)
    is_typed = settled.plan.target.typing
    number = f"-{int(made[1] or 1) + 1}" if made else ""
    stem = _MADE.sub("", form.stem)
    labels: dict[str, None] = {}
    for one in settled.files.files:
        labels[f"-{file_label(one.label, [label[1:] for label in labels])}" if one.label else ""] = None
    labels = {} if is_typed else labels
    return Outputs(
        tuple(folder / f"{stem}{label}-import{number}{form.suffix}" for label in labels),
        tuple(folder / f"{stem}{label}-restore{number}{form.suffix}" for label in labels),
        folder / "report.html",
        folder / "ledger.json",
        None if settled.is_listed_whole else folder / "ledger-marks.jsonl",
        (folder / f"{stem}-to-type.txt", folder / f"{stem}-to-type.html") if is_typed else (),
        *_bundle_files(bundle_of(settled, folder), folder),
    )


def bundle_of(settled: Settled, folder: Path) -> "Bundle | None":
    """Return the marked files that are to be handed out; those that were, by a table in the folder, are not again."""
    if settled.plan.feedback is None:
        return None
    from skarvin.core.transfer.feedback import make_bundle  # noqa: PLC0415 - few transfers hand files out

    return make_bundle(settled.plan.feedback.names, settled.sides.parts, settled.pairing, folder)


def _bundle_files(bundle: "Bundle | None", folder: Path) -> tuple[Path | None, Path | None]:
    if bundle is None or not bundle.new:
        return None, None
    return folder / bundle.archive, folder / "feedback.csv"


def misfit(outputs: Outputs) -> Finding | None:
    """Return what is to be said where an import file lies beside a ledger that vouches for another one."""
    for file in outputs.imports:
        try:
            ledger, written = outputs.data.read_bytes(), file.read_bytes()
        except OSError:
            continue
        if fingerprint(written).encode() not in ledger:
            what = f"this isn't the import file that {outputs.data.name} vouches for: it was changed or replaced since"
            return Finding("misfit", what, Place(file), "Write again with --replace before you upload it.")
    return None


def write_transfer(settled: Settled, outputs: Outputs, reports: Reports, *, replace_existing: bool) -> Written:
    """Write the import file, look at it again, and put it and its reports in place together.

    Raises:
        Refused: a file is there already or can't be written, an input changed meanwhile, or the second look finds a
            fault; nothing is left then.
    """
    sides = settled.sides
    with Delivery(replace=replace_existing, inputs=settled.inputs) as delivery:
        delivery.check(*outputs)
        report_progress("writing the import file")
        ledger = reports.ledger(settled)
        marks = delivery.stage(outputs.marks, reports.marks(settled)) if outputs.marks else None
        filling = _filling(settled)
        staged = [
            delivery.stage(path, filling.part(one.part))
            for path, one in zip(outputs.imports, settled.files.files, strict=False)
        ]
        is_whole = settled.files == ONE_WHOLE and bool(staged)
        form = outputs.data.with_name("form")
        whole = staged[0] if is_whole else delivery.scratch(outputs.data.with_name("whole"), filling.part(WHOLE))
        restores = [delivery.stage(path, data) for path, data in _restores(settled, outputs)]
        is_restored_whole = is_whole and not sides.is_composed
        before = restores[0] if is_restored_whole else delivery.scratch(form, [_before(settled)])
        files = Files(sides.form.grid.file, before, whole, next(iter(outputs)))
        parts = [] if is_whole else list(zip(staged, outputs.imports, strict=True))
        report_progress("reading the import file back")
        second_look = _second_look(settled, files, ledger, marks, parts)
        written = Written(settled, outputs, second_look)
        bundle = bundle_of(settled, outputs.data.parent)
        if bundle and outputs.bundle and outputs.bundle_table:
            from skarvin.core.transfer.feedback import archive_bytes, table_bytes  # noqa: PLC0415

            delivery.stage(outputs.bundle, archive_bytes(bundle))
            delivery.stage(outputs.bundle_table, [table_bytes(bundle)])
        report_progress("writing the report")
        for path, data in reports.rest(written, staged):
            delivery.stage(path, [data])
            if path in outputs.typed[:1]:
                _look_at_typed(settled, data, path, files, ledger)
        delivery.commit()
    return written


class _Filling(NamedTuple):
    """What is filled into the form."""

    form: Target
    columns: list[int]
    rows: "dict[int, array[int]]"
    spelled: list[str]
    changed: frozenset[int]

    def part(self, part: Part) -> Iterator[bytes]:
        """Yield a part of the filled form."""
        return self.form.filled(self.columns, self.rows, self.spelled, self.changed, part)


def _filling(settled: Settled) -> _Filling:
    """Return the form's cells that a mark goes to, and what they say then."""
    ledger, form = settled.ledger, settled.sides.form
    columns = [item.target.index for item in ledger.fed if item.target]
    rows = _target_rows(ledger, len(columns))
    spelled = [
        outcome.raw if outcome.written is None else form.spell(outcome.written, outcome.raw)
        for outcome in ledger.outcomes
    ]
    by_position = {row.position: codes for row, codes in rows.items()}
    changed = frozenset(code for code, outcome in enumerate(ledger.outcomes) if outcome.written is not None)
    return _Filling(form, columns, by_position, spelled, changed)


def _before(settled: Settled) -> bytes:
    """Return the bytes that the form was read from; of a target that takes no import, those of its table."""
    form = settled.sides.form
    return b"".join(form.filled([], {}, [])) if settled.plan.target.typing else read_bytes(form.grid.file)


def _look_at_typed(settled: Settled, text: bytes, path: Path, files: Files, ledger: bytes) -> None:
    """Read the list to type from again."""
    from skarvin.core.ledger.second_look.typed import look_at_typed  # noqa: PLC0415 - most targets take an import

    claims = Claims(ledger, None)
    if reading := reading_of(settled.sides.form.grid.reading, claims.item_columns):
        look_at_typed(text, path, files.written, reading, claims.item_columns)


def _restores(settled: Settled, outputs: Outputs) -> Iterator[tuple[Path, Iterable[bytes]]]:
    """Yield what puts the target back: for each import file, the same rows and columns as the form had them."""
    sides = settled.sides
    for path, one in zip(outputs.restores, settled.files.files, strict=False):
        if sides.is_composed:
            yield path, sides.form.filled([], {}, [], (), one.part)
        elif one.before == WHOLE:
            yield path, [read_bytes(sides.form.grid.file)]
        else:
            yield path, (sides.original or sides.form).filled([], {}, [], (), one.before)


def _target_rows(ledger: Ledger, width: int) -> "dict[Row, array[int]]":
    """Return for each target row the codes of its cells; of several source rows, the code that changes the cell.

    Raises:
        Refused: two marks go to one cell.
    """
    is_written = [outcome.written is not None for outcome in ledger.outcomes]
    rows: dict[Row, array[int]] = {}
    for entry in ledger.entries:
        if entry.target:
            codes = ledger.codes.row(entry.position)[:width]
            before = rows.setdefault(entry.target.row, codes)
            if before is not codes:
                if any(is_written[a] and is_written[b] for a, b in zip(before, codes, strict=True)):
                    what = f"two marks go to one cell of {entry.target.row}"
                    raise Refused(Finding("two-marks", what))
                merged = (b if is_written[b] else a for a, b in zip(before, codes, strict=True))
                rows[entry.target.row] = array("I", merged)
    return rows


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
        if source := export_reading_of(book.grid.reading):
            looked_up = look_up_marks(book.grid.file, source, claims, number)
            found = found._replace(looked_up=found.looked_up + looked_up)
    return found
