"""Settles a transfer: a fate for each mark, and books that balance. Nothing is written."""

from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path

import msgspec

from skarvin.core.findings import Finding, Refused, Row, counted, listing
from skarvin.core.layout.columns import Column, ItemSource
from skarvin.core.layout.reading_notes import notes_of_export
from skarvin.core.ledger.book import Made
from skarvin.core.ledger.control_totals import ItemBooks, check_balance, item_books
from skarvin.core.ledger.fates import Since, settle
from skarvin.core.ledger.ledger import Ledger, MappedItem
from skarvin.core.ledger.row_books import RowCount, check_rows, count_rows
from skarvin.core.plan.named_files import further_inputs, named_in
from skarvin.core.plan.plan import Plan, SincePlan
from skarvin.core.plan.reading import AS_NAMED, Instead, PlanFile
from skarvin.core.progress import report_progress
from skarvin.core.reasons import Cause, Fate
from skarvin.core.students.notes import class_notes
from skarvin.core.students.pairing import Pairing
from skarvin.core.targets.lines_form import LinesForm
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.after_upload.since_known import NOTHING_KNOWN, Asked, SinceFound
from skarvin.core.transfer.after_upload.since_last import check_stale, find_since
from skarvin.core.transfer.computed import NOTHING_MADE, MadeMarks, check_totals
from skarvin.core.transfer.correction_lists import UNUSED, listed_corrections
from skarvin.core.transfer.corrections import corrections_of, in_all_rows, with_corrections
from skarvin.core.transfer.disagreeing import find_disagreeing
from skarvin.core.transfer.group_marks import adjusted_marks
from skarvin.core.transfer.held_list import held_list
from skarvin.core.transfer.import_files import ONE_WHOLE, ImportFiles, import_files
from skarvin.core.transfer.items_to_tell import find_new_items, find_unbounded
from skarvin.core.transfer.later_attempts import later_attempts
from skarvin.core.transfer.rows_in_vain import check_some_rows, rows_in_vain
from skarvin.core.transfer.sides import Sides
from skarvin.core.transfer.who_is_who import (
    PairedTransfer,
    check_pairing,
    pair_plan,
    pair_transfer,
    pairing_rule,
    pairings_file,
)

LISTED_WHOLE = 20_000
"""Up to so many source marks `ledger.json` lists each; beyond, those that were changed, kept or held."""


_OF_READING = frozenset(
    {"files-of-nobody", "files-left-out", "folders-left-out", "controls-skipped", "mixed-encodings"}
)
"""Notes on what was left out when a file was read: whoever looks at the marks is told, too."""


class Settled(msgspec.Struct, frozen=True, kw_only=True, dict=True):
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
    since: SinceFound = NOTHING_KNOWN
    taken_over: tuple[str, ...] = ()

    @cached_property
    def notes(self) -> Sequence[Finding]:
        """What is worth knowing of the two classes, of lists, and of what goes into no file."""
        rule = pairing_rule(self.plan.students).identifiers
        only_some = self.plan.students.moves_only_some or bool(self.plan.list)
        sides = self.sides
        found = class_notes(sides.source.students, sides.target.students, self.pairing, rule, only_some=only_some)
        ledger = self.ledger
        told = [*self.told, *_unseen(ledger), *_comments_of_other_rows(ledger), *_comments_kept_back(ledger)]
        read = [note for book in sides.books for note in book.grid.notes if note.slug in _OF_READING]
        grids = [book.grid for book in sides.exports]
        read += [note for book in sides.exports for note in notes_of_export(book.grid, book.layout, grids)]
        return (*found, *told, *read, *self.files.notes, *_new_items(self.sides))

    @property
    def is_listed_whole(self) -> bool:
        """Whether the ledger lists each mark by itself."""
        own = self.sides.source.grid.source
        is_log = bool(own.lines) and not own.columns and own.elsewhere is None
        has_places = len(self.sides.parts) > 1 or (bool(own.stands_in) and not is_log)
        return has_places or sum(self.ledger.fates.values()) <= LISTED_WHOLE

    @property
    def is_anything_held(self) -> bool:
        """Whether a person must decide something."""
        pairing = self.pairing
        is_waiting = self.ledger.fates[Fate.HELD] or pairing.held or pairing.source_only
        return bool(is_waiting or pairing.checks or self.new_items or self.unused_corrections)

    @property
    def unused_corrections(self) -> list[Finding]:
        """The lines of lists of corrections that correct nothing."""
        return [note for note in self.told if note.slug == UNUSED]

    @cached_property
    def new_items(self) -> tuple[Column, ...]:
        """The export's items that the form has, too, by title, and that the transfer says nothing of."""
        return find_new_items(self.sides, self.plan.target.columns)

    @property
    def inputs(self) -> tuple[Path, ...]:
        """The files that are never written to."""
        grids = (*(book.grid.file for book in self.sides.parts), self.sides.target.grid.file)
        return (self.file, pairings_file(self.file), *grids, *self.further_inputs.values())

    @property
    def further_inputs(self) -> dict[str, Path]:
        """The files besides exports and form from which anything was read, by what they are."""
        return further_inputs(self.plan, self.file.parent)

    @cached_property
    def held_list(self) -> bytes | None:
        """The list of what is held, as a write leaves it with what a person wrote there; None if there is none."""
        return held_list(self.file, self.ledger, self.pairing)


def _unseen(ledger: Ledger) -> list[Finding]:
    """Return how many marks have characters that nobody sees, and where the first ones stand."""
    lines = ledger.lines_because(Cause.UNSEEN_IGNORED)
    places = ((line.entry.source, line.item.source) for line in lines)
    cells = [student.row.cell(column.index) for student, column in places if student and isinstance(column, Column)]
    if not cells:
        return []
    found = counted(len(cells), "mark has characters", "marks have characters")
    return [Finding("unseen-ignored", f"{found} that can't be seen, which were ignored: {listing(cells)}")]


def _comments_kept_back(ledger: Ledger) -> list[Finding]:
    """Return how many comments stay behind because their mark doesn't go, and where."""
    lines = [
        line for cause in (Cause.NO_MARK, Cause.MARK_KEPT, Cause.MARK_HELD) for line in ledger.lines_because(cause)
    ]
    cells = [line.item.cell(line.entry.source.row) for line in lines if line.entry.source]
    if not cells:
        return []
    stay = counted(len(cells), "comment stays behind", "comments stay behind")
    what = f'{stay}, since no mark of theirs goes; without_mark = "send" in their [[comment]] sends them: '
    return [Finding("comments-kept-back", what + listing(cells, 12))]


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


def settle_transfer(file: Path, library: Path | None = None, instead: Instead = AS_NAMED) -> Settled:
    """Return the transfer described in `file`, settled and balanced; layouts lie beside it or in the `library`.

    Other files may be read for once, in place of those that it names.

    Rows are made for whoever may have something to send; who has nothing after all gets none.

    Raises:
        Unreadable: the plan or one of its files can't be understood.
        Refused: something is open, too few students pair, or the books don't balance.
    """
    with named_in(file):
        settled = _settle(file, pair_transfer(file, library, instead=instead), library)
    in_vain = rows_in_vain(settled.sides, settled.ledger, settled.pairing)
    if not in_vain:
        return settled
    check_some_rows(settled.sides, settled.ledger, in_vain)
    return _settle(file, pair_transfer(file, library, in_vain, instead), library)


def pair_as_settled(file: Path, library: Path | None = None, instead: Instead = AS_NAMED) -> PairedTransfer:
    """Return who is who as it will be once all is settled: who has nothing that is sent gets no row.

    Raises:
        Unreadable: the plan or one of its files can't be understood.
        Refused: something is open.
    """
    with named_in(file):
        paired = pair_transfer(file, library, instead=instead)
    if not paired.sides.added:
        return paired
    try:
        settled = _settle(file, paired, library)
    except Refused:
        return paired  # who is who is told all the same
    in_vain = rows_in_vain(settled.sides, settled.ledger, settled.pairing)
    return pair_transfer(file, library, in_vain, instead) if in_vain else paired


def _settle(file: Path, paired: PairedTransfer, library: Path | None) -> Settled:
    plan, text, sides, pairing, fingerprint, roster, told, dates, decided, taken_over = paired
    check_pairing(sides, pairing, plan.students.minimum_paired_percent)
    told = (*find_disagreeing(sides, pairing), *told)
    report_progress("converting the marks")
    listed = listed_corrections(plan, (file, text), sides, pairing.pairs)
    by_hand = corrections_of(file, sides.source, sides.items)
    corrected = {row: {**listed.corrections.get(row, {}), **own} for row, own in by_hand.corrections.items()}
    adjusted = adjusted_marks(plan, file.parent, sides)
    of_groups = {row: {**own, **listed.corrections.get(row, {})} for row, own in adjusted.items()}
    by_lists = in_all_rows({**listed.corrections, **of_groups, **corrected}, sides.source, pairing.pairs)
    attempts = later_attempts(plan, (file, text), sides, pairing, dates)
    corrections = {**attempts, **{row: {**attempts.get(row, {}), **own} for row, own in by_lists.items()}}
    made = _made(sides._replace(source=with_corrections(sides.source, corrections)), pairing, dates)
    check_totals(made.totals, file)
    asked = Asked(file, text, plan, sides)
    since = _since(asked, fingerprint, library)
    known = since.since._replace(corrections=corrections)
    ledger = settle(
        sides.source,
        sides.target,
        sides.form,
        pairing,
        sides.items,
        made.made,
        (sides.column_map.follows, sides.column_map.free),
        dates,
        known,
    )
    if since.since.cells:
        check_stale(asked, ledger)
    books = [*sides.parts, sides.stated or sides.target, *([roster] if roster else [])]
    lines = sides.lines
    below = sum(1 for made in sides.added.values() if made.over is None)
    rows = [count_rows(book, below if book is sides.target else 0, is_made_up=book is sides.stated) for book in books]
    if lines:
        shown = [_count_lines(lines) if book is sides.target else row for book, row in zip(books, rows, strict=True)]
    else:
        shown = rows
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
        rows=tuple(shown),
        files=ONE_WHOLE if sides.lines or sides.results else import_files(plan.target, sides, pairing, ledger),
        taken_over=taken_over,
        told=(*told, *since.notes, *listed.notes, *by_hand.notes, *find_unbounded(ledger)),
        since=since._replace(since=Since(), is_known=since.since.cells is not None),
    )


def _count_lines(form: LinesForm) -> RowCount:
    """Return the books of a file with a line for each mark."""
    grid, lines = form.grid, form.lines()
    blank = sum(1 for row in range(form.first, len(grid)) if grid.is_blank(row))
    people = len({student for _, student, _ in lines})
    others = [grid.row(row) for row in range(form.first, len(grid)) if not grid.is_blank(row)] if not lines else []
    return RowCount(
        file=grid.file.name,
        lines=grid.lines,
        records=len(grid),
        spanning=len(grid.spanning),
        further_lines=sum(grid.spanning) - len(grid.spanning),
        titles=(),
        headings=form.first,
        texts=tuple(others),
        no_students=0,
        students=people,
        blank=blank,
        hidden=0,
        unknown=(),
        further_marks=len(lines) - people,
    )


def _since(asked: Asked, fingerprint: str, library: Path | None) -> SinceFound:
    """Return what was sent before, and what the target says now."""

    def convert(name: str) -> dict[Row, dict[int, str]]:
        return _would_send(asked, name, fingerprint, library)

    return find_since(asked, convert)


def _would_send(asked: Asked, name: str, fingerprint: str, library: Path | None) -> dict[Row, dict[int, str]]:
    """Return what an earlier export would have sent, by the rows and columns of the form."""
    from msgspec.structs import replace as changed  # noqa: PLC0415 - few transfers name an earlier export

    plan = changed(asked.plan, source=changed(asked.plan.source, file=name), export=(), since=SincePlan())
    paired = pair_plan(PlanFile(plan, asked.text, fingerprint), asked.file, library)
    made = _made(paired.sides, paired.pairing, paired.dates).made
    rows = {student.row.position: student.row for student in asked.students}
    found: dict[Row, dict[int, str]] = {}
    for pair in paired.pairing.pairs:
        row = rows.get(pair.target.row.position)
        for item in paired.sides.items if row else ():
            text = _text_of(paired.sides, made, item, pair.source.row)
            converted = None if item.rule.is_blank(text) else item.rule.convert(text).text
            if row and item.target and converted:
                found.setdefault(row, {})[item.target.index] = converted
    return found


def _text_of(sides: Sides, made: Mapping[ItemSource, Made], item: MappedItem, row: Row) -> str:
    if item.source in made:
        return made[item.source].texts.get(row, "")
    return sides.source.text(row, item.source.index) if isinstance(item.source, Column) else ""


def _made(sides: Sides, pairing: Pairing, dates: Mapping[Row, str]) -> MadeMarks:
    if not sides.column_map.makes_marks:
        return NOTHING_MADE
    from skarvin.core.transfer.computing import make_marks  # noqa: PLC0415 - most transfers make nothing

    return make_marks(sides.source, pairing, sides.column_map, dates)
