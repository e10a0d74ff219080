"""The list of what is held, in which a person corrects marks and says who is who: `held.csv`.

One row a held mark: whose, of which item, the mark, why it is held; who corrects it, why, and in the last column the
correction. One row a student who isn't found, without an item: its correction is the form's identifier, or `none`. The
list survives being edited in a spreadsheet; it is the program's own to write anew, with what a person wrote there.
"""

import csv
import io
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Student
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.ledger import Ledger, Line, MappedItem
from skarvin.core.reasons import Fate
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.names import name_key
from skarvin.core.texts.unsafe import as_text, without_apostrophe

HEADINGS = ("Cell", "Identifier", "Name", "Item", "Mark", "Reason", "By", "Why", "Correction")
_WHO = "{}: correct it with an identifier of the form, or with none"


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
        """Which mark it may be about, in a form that a lost leading zero doesn't change: several may be meant."""
        who = self.identifier.strip().casefold().lstrip("0") or name_key(self.name)
        return (who, self.item.strip(), self.mark.strip())

    @property
    def is_of_student(self) -> bool:
        """Whether it asks who a student is, and not what a mark is."""
        return not self.item.strip()

    @property
    def is_edited(self) -> bool:
        """Whether a person wrote anything into it."""
        return bool(self.correction or self.by or self.why)


def the_one_meant(listed: HeldMark, found: Sequence[HeldMark]) -> int | None:
    """Return which of several marks with one key a row of the list is about: None where that can't be told.

    An identifier with all its zeros tells more than one without, and the cell more than either.
    """
    if len(found) == 1:
        return 0
    exact = [at for at, one in enumerate(found) if one.identifier.strip() == listed.identifier.strip()]
    there = [at for at in exact or range(len(found)) if found[at].cell == listed.cell.strip()]
    meant = exact if len(exact) == 1 else there
    return meant[0] if len(meant) == 1 else None


def held_file(transfer: Path) -> Path:
    """Return where the held marks of a transfer are listed."""
    return transfer.with_name("held.csv" if transfer.name == "transfer.toml" else f"{transfer.stem}-held.csv")


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
        cells = [without_apostrophe(cell.strip()) for cell in grid.cells(position)]
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


def listed_mark(student: Student, item: MappedItem, column: Column, text: str) -> HeldMark:
    """Return the row of the list for a mark of the export, without a reason."""
    cell, identifier = item.cell(student.row), student.identifier.strip()
    return HeldMark(cell, identifier, student.name, column.heading.strip(), text.strip(), "")


def listed_student(student: Student, reason: str = "") -> HeldMark:
    """Return the row of the list for a student who isn't found."""
    return HeldMark(student.row.in_words, student.identifier.strip(), student.name, "", "", _WHO.format(reason))


def _held_marks(ledger: Ledger, pairing: Pairing) -> Iterator[HeldMark]:
    """Yield the held marks that a correction can help: those of the export itself that wait for no student."""
    waiting = pairing.waiting
    for line in ledger.lines([Fate.HELD]):
        source = line.entry.source
        if source and source.row not in waiting and isinstance(line.item.source, Column) and line.outcome.why:
            yield _listed(line, source, line.item.source)


def _listed(line: Line, student: Student, column: Column) -> HeldMark:
    reason = line.outcome.why.words if line.outcome.why else ""
    return listed_mark(student, line.item, column, line.outcome.source)._replace(reason=reason)


def _held_students(pairing: Pairing) -> Iterator[HeldMark]:
    """Yield the students who aren't found."""
    for waiting in pairing.held:
        yield listed_student(waiting.student, waiting.why.words)
    for student in pairing.source_only:
        yield listed_student(student, "missing from the form")


def held_list(transfer: Path, ledger: Ledger, pairing: Pairing) -> bytes | None:
    """Return the list of what is held anew, with what a person wrote there; None where there is nothing to list.

    Raises:
        Unreadable: what is there is no such list.
    """
    before = read_held(held_file(transfer))
    now: list[HeldMark] = [*_held_students(pairing), *_held_marks(ledger, pairing)]
    rows = list(now)
    by_key: dict[tuple[object, ...], list[int]] = {}
    for at, one in enumerate(now):
        by_key.setdefault(one.key, []).append(at)
    taken = set()
    for one in filter(lambda one: one.is_edited, before):
        places = [at for at in by_key.get(one.key, ()) if at not in taken]
        meant = the_one_meant(one, [now[at] for at in places]) if places else None
        if meant is not None:
            at = places[meant]
            taken.add(at)
            rows[at] = one._replace(reason=now[at].reason, cell=now[at].cell)
        elif one.correction:
            rows.append(one)
    return _as_text(rows) if rows or before else None


def _as_text(rows: Sequence[HeldMark]) -> bytes:
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(HEADINGS)
    for one in rows:
        cells = map(str, one[: len(HEADINGS)])
        writer.writerow([as_text(cell) for cell in cells])
    return b"\xef\xbb\xbf" + text.getvalue().encode()
