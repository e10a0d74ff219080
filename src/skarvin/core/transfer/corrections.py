"""Held marks that a person corrects in a list: `held.csv`, which survives being edited in a spreadsheet.

One row a held mark: whose, of which item, the mark, why it is held; who corrects it, why, and in the last column the
correction. At the next write the correction is taken in place of the mark, as long as the export still says that mark.
"""

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

import msgspec

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.ledger import Ledger, Line
from skarvin.core.ledger.outcomes import Correction
from skarvin.core.ledger.settle import Corrections
from skarvin.core.reasons import Fate
from skarvin.core.texts.names import name_key
from skarvin.core.texts.unsafe import as_text

HEADINGS = ("Cell", "Identifier", "Name", "Item", "Mark", "Reason", "By", "Why", "Correction")
_NO_CORRECTIONS: Corrections = MappingProxyType({})


class HeldMark(NamedTuple):
    """One row of the list; `place` is where it stands there, if it was read."""

    cell: str
    identifier: str
    name: str
    item: str
    mark: str
    reason: str
    by: str = ""
    why: str = ""
    correction: str = ""
    place: Row | None = None

    @property
    def key(self) -> tuple[object, ...]:
        """Which mark it is about, in a form that a lost leading zero doesn't change."""
        who = self.identifier.strip().casefold().lstrip("0") or name_key(self.name)
        return (who, self.item.strip(), self.mark.strip())


class Corrected(NamedTuple):
    """The corrections that apply, by the export's rows and columns, and what is worth telling of the others."""

    corrections: Corrections = _NO_CORRECTIONS
    notes: tuple[Finding, ...] = ()


class CorrectedGradebook(Gradebook, frozen=True, kw_only=True):
    """A gradebook in which some marks are corrected."""

    corrections: Corrections

    def cells(self, row: Row) -> Sequence[str]:
        """Return the cells of a row, with the corrections in their places."""
        cells = super().cells(row)
        mine = self.corrections.get(row)
        return cells if not mine else [mine[at].text if at in mine else text for at, text in enumerate(cells)]


def held_file(transfer: Path) -> Path:
    """Return where the held marks of a transfer are listed."""
    return transfer.with_name("held.csv" if transfer.name == "transfer.toml" else f"{transfer.stem}-held.csv")


def with_corrections(book: Gradebook, corrections: Corrections) -> Gradebook:
    """Return a gradebook in which some marks are corrected."""
    if not corrections:
        return book
    parts: dict[str, Any] = {one.name: getattr(book, one.name) for one in msgspec.structs.fields(book)}
    return CorrectedGradebook(**parts, corrections=corrections)


def read_held(file: Path) -> list[HeldMark]:
    """Return the rows of a list; none where there is no list.

    Raises:
        Unreadable: it is no such list, or a correction says neither who made it nor why.
    """
    if not file.exists():
        return []
    grid = read_grid(file)
    if [cell.strip() for cell in grid.cells(0)][: len(HEADINGS)] != list(HEADINGS):
        columns = ", ".join(HEADINGS)
        mend = f"Its columns are: {columns}. Put them back, or move the file away: the next write makes it anew."
        raise Unreadable(Finding("no-held-list", "this isn't a list of held marks", grid.place(0), mend))
    found = []
    for position in range(1, len(grid)):
        cells = [cell.strip().removeprefix("'") for cell in grid.cells(position)]
        if not any(cells):
            continue
        cells += [""] * (len(HEADINGS) - len(cells))
        found.append(HeldMark._make([*cells[: len(HEADINGS)], grid.row(position)]))
    faults = [
        Finding(
            "no-reason-given",
            "a correction needs who made it and why",
            one.place.place(HEADINGS.index("By"), "By") if one.place else None,
            'Fill in the columns "By" and "Why".',
        )
        for one in found
        if one.correction and not (one.by and one.why)
    ]
    if faults:
        raise Unreadable(*faults)
    return found


def find_corrections(held: Sequence[HeldMark], book: Gradebook, columns: Iterable[Column]) -> Corrected:
    """Return which cells of the export are corrected, and tell of corrections whose mark isn't there any more."""
    wanted = {one.key: one for one in held if one.correction}
    if not wanted:
        return Corrected()
    by_item = {item: [one for one in wanted.values() if one.item.strip() == item] for _, item, _ in wanted}
    found: dict[Row, dict[int, Correction]] = {}
    used = set()
    for column in columns:
        if column.heading.strip() not in by_item:
            continue
        for student in book.students:
            key = _held_mark(student, column, book.text(student.row, column.index)).key
            if one := wanted.get(key):
                used.add(key)
                found.setdefault(student.row, {})[column.index] = Correction(one.correction, one.by, one.why)
    notes = [
        Finding(
            "correction-not-used",
            f"the export no longer has the mark '{one.mark}' in '{one.item}' for this student, so it isn't corrected",
            one.place.place() if one.place else None,
        )
        for key, one in wanted.items()
        if key not in used
    ]
    return Corrected(found, tuple(notes))


def _held_mark(student: Student, column: Column, text: str) -> HeldMark:
    return HeldMark("", student.identifier.strip(), student.name, column.heading.strip(), text.strip(), "")


def held_marks(ledger: Ledger) -> Iterator[HeldMark]:
    """Yield the held marks that a correction can help: those of the export itself, of students who are paired."""
    for line in ledger.lines([Fate.HELD]):
        if line.entry.source and line.entry.target and isinstance(line.item.source, Column) and line.outcome.why:
            yield _listed(line, line.entry.source, line.item.source)


def _listed(line: Line, student: Student, column: Column) -> HeldMark:
    reason = line.outcome.why.words if line.outcome.why else ""
    mark = _held_mark(student, column, line.outcome.source)
    return mark._replace(cell=line.item.cell(student.row), reason=reason)


def held_list(transfer: Path, ledger: Ledger) -> bytes | None:
    """Return the list of held marks anew, with the corrections that were made; None where there is nothing to list.

    Raises:
        Unreadable: what is there is no such list.
    """
    before = read_held(held_file(transfer))
    kept = {one.key: one for one in before if one.correction or one.by or one.why}
    now = {one.key: one for one in held_marks(ledger)}
    rows = [kept.get(key, one)._replace(reason=one.reason, cell=one.cell) for key, one in now.items()]
    rows += [one for key, one in kept.items() if key not in now and one.correction]
    return _as_text(rows) if rows or before else None


def _as_text(rows: Sequence[HeldMark]) -> bytes:
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(HEADINGS)
    for one in rows:
        cells = map(str, one[: len(HEADINGS)])
        writer.writerow([as_text(cell) for cell in cells])
    return b"\xef\xbb\xbf" + text.getvalue().encode()


def corrections_of(transfer: Path, book: Gradebook, columns: Iterable[Column]) -> Corrected:
    """Return the corrections that a person made in the list beside a transfer.

    Raises:
        Unreadable: what is there is no such list, or a correction says neither who made it nor why.
    """
    return find_corrections(read_held(held_file(transfer)), book, columns)
