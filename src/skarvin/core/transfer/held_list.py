"""The list of what is held, in which a person corrects marks and says who is who: `held.csv`.

One row a held mark: whose, of which item, the mark, why it is held; who corrects it, why, and in the last column the
correction. One row a student who isn't found, without an item: its correction is the form's identifier, or `none`. The
list survives being edited in a spreadsheet; it is the program's own to write anew, with what a person wrote there.
"""

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Student
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.ledger import Ledger, Line, MappedItem
from skarvin.core.reasons import Fate
from skarvin.core.students.meant import Named, People
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.lists import list_file
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.unsafe import without_apostrophe

HEADINGS = ("Cell", "Identifier", "Name", "Item", "Mark", "Reason", "By", "Why", "Correction")
_LETTERS = pattern("[A-Z]{1,3}(?=\\d)")
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
    def named(self) -> Named:
        """Whom it is about."""
        return Named(self.identifier, self.name)

    @property
    def is_of_student(self) -> bool:
        """Whether it asks who a student is, and not what a mark is."""
        return not self.item.strip()

    @property
    def is_edited(self) -> bool:
        """Whether a person wrote anything into it."""
        return bool(self.correction or self.by or self.why)


def in_one_line(text: str) -> str:
    """Return a text as it is compared: a spreadsheet writes its line ends in a way of its own."""
    return " ".join(text.split())


Place = tuple[int, str]
"""A mark of the export: the place of its student's row among all rows, and the letters of its column."""


class Whereabouts:
    """Finds the marks of the export, and its students, that rows of the list are about."""

    def __init__(self, students: Sequence[Student], items: Iterable[MappedItem]) -> None:
        self._students = students
        self._people = People(Named(student.identifier, student.name) for student in students)
        self._columns: dict[str, dict[str, MappedItem]] = {}
        for item in items:
            if isinstance(item.source, Column):
                self._columns.setdefault(in_one_line(item.source.heading), {})[item.source.letter] = item

    def places(self, listed: HeldMark) -> list[Place]:
        """Return the marks that a row of the list may be about: those of its student, in the items of its title.

        Where several columns have the title, the letters of its cell tell which.
        """
        rows = self._people.meant(listed.named)
        columns = self._columns.get(in_one_line(listed.item), {})
        if len(columns) > 1:
            letters = _LETTERS.match(listed.cell.strip())
            columns = {letter: item for letter, item in columns.items() if letters and letters[0] == letter}
        return [(row, letter) for row in rows for letter in columns]

    def item(self, listed: HeldMark, place: Place) -> MappedItem:
        """Return the item of a mark."""
        return self._columns[in_one_line(listed.item)][place[1]]

    def cell(self, listed: HeldMark, place: Place) -> str:
        """Return the cell of a mark."""
        return self.item(listed, place).cell(self._students[place[0]].row)

    def meant(self, listed: HeldMark, places: Sequence[Place]) -> Place | None:
        """Return which of some marks a row of the list is about: the only one, or the one in its cell."""
        there = [place for place in places if self.cell(listed, place) == listed.cell.strip()]
        found = there or places
        return found[0] if len(found) == 1 else None

    def student(self, listed: HeldMark) -> list[int]:
        """Return the places of the rows that a row of the list about a student means: of several the one it names."""
        rows = list(self._people.meant(listed.named))
        named = [row for row in rows if self._students[row].row.in_words == listed.cell.strip()]
        return named or rows


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
    rows: list[HeldMark] = [*_held_students(pairing), *_held_marks(ledger, pairing)]
    if edited := [one for one in before if one.is_edited]:
        where = Whereabouts([entry.source for entry in ledger.entries if entry.source], ledger.items)
        rows = _with_edited(rows, edited, where)
    return list_file([HEADINGS, *(map(str, one[: len(HEADINGS)]) for one in rows)]) if rows or before else None


def _with_edited(rows: Sequence[HeldMark], edited: Iterable[HeldMark], where: Whereabouts) -> list[HeldMark]:
    """Return the rows with what a person wrote there, each in the place of the row that is about the same."""
    found = list(rows)
    open_rows: dict[object, list[int]] = {}
    for at, one in enumerate(rows):
        open_rows.setdefault(_about(one, where), []).append(at)
    for one in edited:
        places = open_rows.get(_about(one, where), [])
        there = [at for at in places if found[at].cell == one.cell.strip()]
        if same := there or places[:1]:
            at = same[0]
            places.remove(at)
            found[at] = one._replace(reason=found[at].reason, cell=found[at].cell)
        elif one.correction:
            found.append(one)
    return found


def _about(mark: HeldMark, where: Whereabouts) -> object:
    """Return what a row of the list is about: the rows of a student, and of a mark its columns and what it says."""
    if mark.is_of_student:
        return tuple(where.student(mark)) or mark.named
    return tuple(where.places(mark)) or mark.named, in_one_line(mark.item), in_one_line(mark.mark)
