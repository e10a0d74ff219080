"""Class lists read: who stands in them, as they are written there, and then with names in proper case."""

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Gradebook, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.address import has_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.fitting import layout_for
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.told import NOTHING_TOLD, Told
from skarvin.core.rosters.casing import FullName, proper_case, spelled_elsewhere, split_name
from skarvin.core.texts.folding import fold
from skarvin.core.texts.names import name_key
from skarvin.core.texts.words import WORDS, phrase_set

_YEAR = phrase_set(WORDS.headings.year)
_FURTHER = phrase_set(WORDS.headings.further_given)


class Newcomer(NamedTuple):
    """One student of the lists, as the roster will name him or her."""

    row: Row
    number: str
    family: str
    given: str
    further: str
    section: str
    birth: str
    email: str
    year: str

    @property
    def name(self) -> str:
        """The whole name, the family name first."""
        return ", ".join(filter(None, [self.family, " ".join(filter(None, [self.given, self.further]))]))

    @property
    def key(self) -> str:
        """What tells the student apart on every run: the number, or the name and section."""
        return self.number or " ".join([*name_key(self.name), self.section.casefold()])

    @property
    def identities(self) -> frozenset[str]:
        """By what the student is known in another file."""
        return frozenset({f"#{self.number}"} if self.number else {f"={' '.join(name_key(self.name))}"})


class ReadList(NamedTuple):
    """One class list: the book of its rows, its students as it writes them, and the layout that fits it.

    `says_section` tells whether the list, or a person, says their section; the file's name only stands in for it.
    """

    book: Gradebook
    students: list[Newcomer]
    layout_name: str
    says_section: bool

    @property
    def file(self) -> Path:
        """The file."""
        return self.book.grid.file

    @property
    def non_students(self) -> int:
        """How many of its rows are no students."""
        return len(self.book.non_students)


def is_year_column(column: Column) -> bool:
    """Tell whether a column holds years, of a student or of the roster."""
    may_be = column.use in {Use.OTHER, Use.ITEM, Use.KEY, Use.HOUSEKEEPING}
    return column.use is Use.LEAVING or (may_be and not _YEAR.isdisjoint(fold(column.heading).split()))


def further_column(layout: Layout) -> Column | None:
    """Return the column with the further given names, if there is one of its own."""
    return next((column for column in layout.columns if fold(column.heading) in _FURTHER), None)


def read_list(
    file: Path, label: str, folders: Sequence[Path], told: Told = NOTHING_TOLD, *, is_family_first: bool
) -> ReadList:
    """Return one class list, with names as they stand there.

    Args:
        file: the list.
        label: the section of all its students; blank for its own, or else the file's name.
        folders: where stored layouts lie.
        told: what a person says of columns; of those that this list doesn't have, nothing.
        is_family_first: how a name without a comma is split.

    Raises:
        Unreadable: it can't be read, or has no names.
    """
    grid = read_grid(file)
    layout, name = layout_for(grid, folders)
    if own := {name: use for name, use in told.uses.items() if has_column(layout.columns, name)}:
        layout, name = layout_for(grid, folders, told._replace(uses=own))
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    if not layout.names:
        mend = "A roster needs names: export the list with them."
        place = grid.place(layout.heading_row)
        raise Unreadable(Finding("no-names", "no column of this list holds names", place, mend))
    numbers = [*layout.of_use([Use.NUMBER, Use.KEY]), *layout.of_use(Use.BOTH)]
    numbers = [column for column in numbers if not is_year_column(column)]
    further = further_column(layout)
    year = next(filter(is_year_column, layout.columns), None)
    address = next(iter(layout.of_use(Use.EMAIL)), None)
    book = understand(grid, layout, next(iter(numbers), None), [], NOT_STUDENTS)
    found = []
    for student in book.students:
        cells = book.cells(student.row)
        family, given = _written_name(student.name, cells, layout, further, is_family_first=is_family_first)
        found.append(
            Newcomer(
                student.row,
                _bare(student.identifier, numbers[0]) if numbers else "",
                family,
                given,
                _cell(cells, further),
                label or student.section or file.stem,
                student.birth,
                _cell(cells, address),
                _cell(cells, year),
            )
        )
    return ReadList(book, found, name, bool(label) or any(student.section for student in book.students))


def in_proper_case(
    lists: Sequence[ReadList], others: Iterable[str], exceptions: Mapping[str, str]
) -> tuple[list[Newcomer], int]:
    """Return all students with their names in proper case, and how many were recased.

    A name in capitals or small letters is spelled as another row or the form spells it; a person's own spellings count
    before that.
    """
    written = [name for one in lists for student in one.students for name in (student.family, student.given)]
    known = {**spelled_elsewhere([*others, *written]), **exceptions}
    found, recased = [], 0
    for one in lists:
        for student in one.students:
            family = proper_case(student.family, known, student.given)
            given, further = (proper_case(name, known, student.family) for name in (student.given, student.further))
            better = student._replace(family=family, given=given, further=further)
            recased += better != student
            found.append(better)
    return found, recased


def _cell(cells: Sequence[str], column: Column | None) -> str:
    return " ".join(cells[column.index].split()) if column and column.index < len(cells) else ""


def _bare(text: str, column: Column) -> str:
    """Return an identifier without the sign that stands before or behind each of its column."""
    before, behind = column.around
    return text.strip().removeprefix(before).removesuffix(behind)


def _written_name(
    name: str, cells: Sequence[str], layout: Layout, further: Column | None, *, is_family_first: bool
) -> FullName:
    parts: dict[Use, str] = {}
    for column in layout.names:
        if column != further:
            parts.setdefault(column.use, " ".join(cells[column.index].split()))
    if not parts.keys() <= {Use.FAMILY, Use.GIVEN}:
        return split_name(" ".join(name.split()), is_family_first=is_family_first)
    return FullName(parts.get(Use.FAMILY, ""), parts.get(Use.GIVEN, ""))


def names_in(grid: Grid, layout: Layout) -> list[str]:
    """Return the names that stand in a file, part by part."""
    rows = map(grid.cells, range(layout.first_row, len(grid)))
    return [cells[column.index] for cells in rows for column in layout.names if column.index < len(cells)]
