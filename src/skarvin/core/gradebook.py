"""A gradebook: students and items with marks, as understood from a grid by a layout."""

from array import array
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from itertools import groupby, takewhile
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Row, Source, Unreadable
from skarvin.core.grid.arranged import ArrangedGrid
from skarvin.core.grid.coding import Coding, widened
from skarvin.core.grid.encoding import mend_mangled
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.name_with_number import name_and_number
from skarvin.core.layout.restoring import restore, thousands_sign
from skarvin.core.layout.row_kinds import name_test, summary_word
from skarvin.core.layout.traits import is_like_name
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.days import comparable_days
from skarvin.core.texts.names import NameKey, by_family, name_key, words
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set


class Student(NamedTuple):
    """One student: the row of the grid, the identifier, the name, the section, birth date and leaving year."""

    row: Row
    identifier: str
    name: str = ""
    section: str = ""
    birth: str = ""
    leaving: str = ""
    day: str = ""
    """The birth date as it is compared, where that isn't as it stands."""

    @property
    def born(self) -> str:
        """The birth date as it is compared."""
        return self.day or self.birth


class NonStudent(NamedTuple):
    """A row that looks like a student and is none, and why."""

    student: Student
    why: Reason


class Gradebook(msgspec.Struct, frozen=True, kw_only=True, dict=True):
    """Students and items of one file, or of several.

    Attributes:
        grid: the cells.
        layout: what they mean.
        identifier: the column that tells the students apart; None where only names do.
        students: the students, in the order of the file.
        non_students: rows with marks that are no students.
        lines: the rows of text between and below the class lists: titles, headings said again.
        items: the columns that hold marks.
        restored: how many identifiers were set right, for each kind of damage.
        others: the cells of further files, whose columns stand as they do in the first.
    """

    grid: Grid
    layout: Layout
    identifier: Column | None
    students: tuple[Student, ...]
    non_students: tuple[NonStudent, ...]
    lines: tuple[Row, ...]
    items: tuple[Column, ...]
    restored: "Counter[str]" = msgspec.field(default_factory=Counter)
    others: tuple[Grid, ...] = ()

    @property
    def told_by(self) -> str:
        """What tells the students apart, in words: the identifier's heading, or their names."""
        if self.identifier is None:
            return "the names"
        return f"'{self.identifier.heading}'" if self.identifier.heading else f"column {self.identifier.letter}"

    def cells(self, row: Row) -> Sequence[str]:
        """Return the cells of a row of this gradebook."""
        return self.grid_of(row.source).cells(row.position)

    def code_cells(self, coding: Coding, rows: Sequence[Row], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the cells at `columns` of rows, file after file."""
        codes = array("H")
        for file, some in groupby(rows, key=lambda row: row.source):
            found = coding.cells(self.grid_of(file), [row.position for row in some], columns)
            if codes and codes.typecode != found.typecode:
                codes, found = widened(codes), widened(found)
            codes = codes + found if codes else found
        return codes

    @cached_property
    def _first(self) -> Grid:
        """The first file's grid, with blanks where only others have a column."""
        width = len(self.layout.columns)
        own = [None if column.is_elsewhere_alone else column.index for column in self.layout.columns]
        return ArrangedGrid(self.grid, own) if self.others and None in own[:width] else self.grid

    def grid_of(self, source: Source) -> Grid:
        """Return the grid that some of the rows stand in."""
        if source is self.grid.source:
            return self._first
        return next(grid for grid in self.others if grid.source is source)

    def family_order(self, student: Student) -> tuple[tuple[str, ...], ...]:
        """Return what students are put in order by, by family name: that of its column, or of the whole name."""
        columns = self.layout.of_use(Use.FAMILY)
        return (
            (words(self.text(student.row, columns[0].index)), words(student.name))
            if columns
            else by_family(student.name)
        )

    def text(self, row: Row, column: int) -> str:
        """Return one cell of a row; nothing where the row is too short to have it."""
        cells = self.cells(row)
        return cells[column] if column < len(cells) else ""


def understand(  # noqa: PLR0913 - a gradebook's parts, each named at the call
    grid: Grid,
    layout: Layout,
    identifier: Column | None,
    items: Sequence[Column],
    not_students: Iterable[str] = (),
    *,
    mend: bool = False,
    known: Sequence[Student] = (),
) -> Gradebook:
    """Return the gradebook that `grid` holds.

    Args:
        grid: the cells.
        layout: what they mean.
        identifier: the column that tells the students apart; None if only their names do.
        items: the columns that hold marks.
        not_students: names of rows that the system itself put in.
        mend: whether names that were read in the wrong encoding are set right.
        known: the students of the other file: a row that says nothing but the name of one is a student.
    """
    reader = _Rows(grid, layout, identifier, name_test(not_students), mend=mend, known=known)
    for start in range(layout.first_row, len(grid), _BLOCK):
        reader.read(range(start, min(start + _BLOCK, len(grid))))
    reader.take_thousands_off()
    return Gradebook(
        grid=grid,
        layout=layout,
        identifier=identifier,
        students=with_days(reader.students),
        non_students=tuple(reader.non_students),
        lines=tuple(map(grid.row, reader.lines)),
        items=tuple(items),
        restored=reader.restored,
    )


def with_days(students: Iterable[Student]) -> tuple[Student, ...]:
    """Return students with their birth dates as they are compared, which all of them together tell."""
    every = tuple(students)
    if not any(student.birth for student in every):
        return every
    days = comparable_days([student.birth for student in every])
    return tuple(student._replace(day=day) for student, day in zip(every, days, strict=True))


def join(
    books: Sequence[Gradebook], layout: Layout, orders: Sequence[Sequence[int | None]], items: Iterable[Column]
) -> Gradebook:
    """Return one gradebook with the rows of several files, in their order.

    Args:
        books: the gradebooks of the files.
        layout: what the columns of all mean.
        orders: for each further file, for each of these columns the file's own.
        items: the columns that hold marks.
    """
    first, *others = books
    return replace(
        first,
        students=tuple(student for book in books for student in book.students),
        non_students=tuple(non_students for book in books for non_students in book.non_students),
        lines=tuple(row for book in books for row in book.lines),
        restored=sum((book.restored for book in books), Counter()),
        others=tuple(ArrangedGrid(book.grid, order) for book, order in zip(others, orders, strict=True)),
        layout=layout,
        items=tuple(items),
    )


_BLOCK = 512
_MARKED = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT})
_DIGITS = frozenset("0123456789")


_GROUPS = phrase_set(WORDS.headings.names_a_section)
_SHAPE = pattern(r"[^\W\d_]+|\d+")
_SHORT_WORD = 2
_LETTERS = pattern(r"[^\W\d_]+")


class _Style(NamedTuple):
    """How a file writes identifiers, by their shapes, and names: with a comma, without, or both (None)."""

    shapes: frozenset[str]
    has_comma: bool | None


def _shape(text: str) -> str:
    return _SHAPE.sub(lambda match: "9" if match[0].isdecimal() else "a", text.strip())


class _Rows:
    """Sorts the rows below the headings: students, rows that are none, lines of text, headings said again."""

    def __init__(  # noqa: PLR0913 - what a gradebook is read by, each named at the call
        self,
        grid: Grid,
        layout: Layout,
        identifier: Column | None,
        is_practice: Callable[[str], bool],
        *,
        mend: bool,
        known: Sequence[Student],
    ) -> None:
        self._grid = grid
        self._source = grid.source
        self._layout = layout
        self._names = [column.index for column in layout.names]
        self._section = next((column.index for column in layout.columns if column.use is Use.SECTION), None)
        self._birth = next((column.index for column in layout.columns if column.use is Use.BIRTH), None)
        self._leaving = next((column.index for column in layout.columns if column.use is Use.LEAVING), None)
        self._identifier = None if identifier is None else identifier.index
        others = (self._section or 0, self._birth or 0, self._leaving or 0)
        self._last = max([self._identifier or 0, *self._names, *others]) + 1
        self._both = frozenset(column.index for column in layout.of_use(Use.BOTH))
        self._own = () if self._identifier is None else (self._identifier,)
        self._widths, self._width = grid.widths, len(layout.columns)
        heading = _stripped(grid, layout.heading_row)
        self._has_headings = bool(heading)
        self._heading = [*heading, *[""] * (self._width - len(heading))]  # of several rows, the last may be narrow
        top = layout.top
        above = [*top.heading_rows[:-1], *top.number_rows]
        self._other_ids = [column.index for column in layout.identifiers if column.index != self._identifier]
        self._own_heading = "" if self._identifier is None or not heading else self._heading[self._identifier]
        self._around_heading = [_stripped(grid, row) for row in above]
        self._is_practice = is_practice
        self._mend = mend
        self._known = known
        self._list = ""
        self._first_of_next = 0
        self.students: list[Student] = []
        self.non_students: list[NonStudent] = []
        self.lines: list[int] = []
        self.restored: Counter[str] = Counter()

    def read(self, some: range) -> None:
        """Put some rows where they belong: most can be nothing but students."""
        further = self._grid.further
        rows: Sequence[int] = [row for row in some if row not in further] if further else some
        if self._identifier is None or self._both:
            for row in rows:
                self._sort(row)
            return
        which, heading = self._identifier, self._own_heading
        for row, cells in zip(rows, self._grid.first_cells_each(rows, self._last), strict=True):
            identifier = cells[which] if self._widths[row] >= self._width else ""
            is_plain = identifier[-1:] in _DIGITS and identifier.isalnum() and identifier.isascii()
            if not is_plain or identifier == heading or not self._add_plain(row, identifier, cells):
                self._sort(row)

    def _add_plain(self, row: int, identifier: str, cells: Sequence[str]) -> bool:
        """Add a student whose identifier has nothing to be set right, unless the name is to be looked at."""
        name = " ".join([text for index in self._names if (text := cells[index].strip())])
        if (self._mend and not name.isascii()) or self._is_practice(name):
            return False
        section = self._list if self._section is None else cells[self._section].strip()
        birth = "" if self._birth is None else cells[self._birth].strip()
        leaving = "" if self._leaving is None else cells[self._leaving].strip()
        self.students.append(Student(Row(self._source, row), identifier, name, section, birth, leaving))
        return True

    def _sort(self, row: int) -> None:
        cells = self._grid.first_cells(row, self._last)
        if self._widths[row] < self._width:  # what else a narrow row can be was refused before
            if not self._grid.is_blank(row):
                self.lines.append(row)
            return
        identifier = "" if self._identifier is None else cells[self._identifier]
        if not identifier.strip() and self._grid.is_blank(row) and not self._source.files:
            return
        if (
            self._has_headings
            and (self._identifier is None or identifier.strip() == self._heading[self._identifier])
            and _stripped(self._grid, row) == self._heading
        ):
            self._begin_list(row)
            return
        if self._identifier in self._both:
            identifier = name_and_number(identifier).number
        if not identifier.isascii() or not identifier[:1].isalnum() or identifier.rstrip().endswith("0"):
            identifier, done = restore(identifier)
            self.restored.update(done)
        texts = [name_and_number(cells[index]).name if index in self._both else cells[index] for index in self._names]
        name = " ".join([bare for text in texts if (bare := text.strip())])
        if self._mend and not name.isascii():
            name = mend_mangled(name) or name
        section = self._list if self._section is None else cells[self._section].strip()
        birth = "" if self._birth is None else cells[self._birth].strip()
        leaving = "" if self._leaving is None else cells[self._leaving].strip()
        student = Student(Row(self._source, row), identifier, name, section, birth, leaving)
        if self._is_practice(name):
            self.non_students.append(NonStudent(student, Reason(Cause.PRACTICE, "added by the system")))
        elif not identifier.isascii() or not identifier[-1:].isdigit() or " " in identifier.strip():
            self._doubtful(student)
        else:
            self.students.append(student)

    def take_thousands_off(self) -> None:
        """Take the signs off that stand between the thousands of all identifiers."""
        first = self.students[0].identifier if self.students else ""
        if first.strip().isalnum() and (len(first.strip()) > 3 or not first.strip().isdecimal()):  # noqa: PLR2004 - has none
            return
        if sign := thousands_sign([student.identifier for student in self.students]):
            count = sum(sign in student.identifier for student in self.students)
            self.students = [
                student._replace(identifier=student.identifier.replace(sign, "")) for student in self.students
            ]
            self.restored.update({"thousands separators removed": count})

    def _doubtful(self, student: Student) -> None:
        """Place a row whose identifier is blank or no code: a student all the same, a summary, or a line of text."""
        cells = [text.strip() for text in self._grid.cells(student.row.position)]
        filled = [text for text in cells if text]
        has_digit = any(sign.isdigit() for sign in student.identifier)
        if student.row.of_file:
            is_known = student.identifier.strip() or student.name
            nobody = NonStudent(student, Reason(Cause.NOBODY, "its name tells nobody"))
            (self.students.append(student) if is_known else self.non_students.append(nobody))
        elif self._repeats_headings(cells):
            self._check_order(student.row, cells)
            self._begin_list(student.row.position)
        elif cells in self._around_heading or (len(filled) <= 1 and self._is_line(cells, filled[0])):
            self.lines.append(student.row.position)
        elif not has_digit and (word := self._summary(cells)):
            self.non_students.append(NonStudent(student, Reason(Cause.SUMMARY, f"contains '{word}'")))
        elif (
            not student.identifier.strip() and not student.name and not any(cells[number] for number in self._other_ids)
        ):
            self.non_students.append(NonStudent(student, Reason(Cause.NOBODY, "has no identifier and no name")))
        else:
            self.students.append(student)

    def _repeats_headings(self, cells: Sequence[str]) -> bool:
        """Tell whether a row says some of the headings again, such as at the top of a page, and no mark."""
        said = [text for text in cells if text]
        again = sum(text in self._heading for text in said)
        return again > 1 and again * 2 >= len(said) and not any(map(is_number, said))

    def _check_order(self, row: Row, cells: Sequence[str]) -> None:
        """Refuse headings that are said again otherwise than above: the marks below would stand under wrong ones.

        Raises:
            Unreadable: a column of marks, or of what tells students apart, has another heading here.
        """
        own = {*self._own, *self._names, *(column.index for column in self._layout.of_use(_MARKED))}
        for column, (text, head) in enumerate(zip(cells, self._heading, strict=False)):
            if column in own and text and head and text != head:
                what = f"the headings stand here again, and otherwise: '{text}', and above '{head}'"
                mend = "Put the rows from here on into a file of their own, and name it as a further export."
                raise Unreadable(Finding("headings-again", what, row.place(column), mend))

    def _is_line(self, cells: Sequence[str], text: str) -> bool:
        """Tell whether a row with a single text is a title or a remark, and nobody."""
        column = list(cells).index(text)
        if is_number(text):
            return False
        if column in self._names and self._is_somebody(text):
            return False
        if any(sign.isdigit() for sign in text):  # a code stands for somebody, and 'Page 2' for nobody
            has_word = any(len(word) > _SHORT_WORD for word in _LETTERS.findall(text))
            return " " in text and _shape(text) not in self._style.shapes and has_word
        return bool(self._names) or " " in text

    def _is_somebody(self, text: str) -> bool:
        """Tell whether a name that stands alone is a person's, written as the others are, and no group's."""
        if name_key(text) in self._known_names:
            return True
        if not is_like_name(text.title() if self._writes_small else text) or self._summary([text]):
            return False
        if self._identifier is None:
            return True
        is_group = not _GROUPS.isdisjoint(word for word in words(text))
        has_comma = self._style.has_comma
        return len(words(text)) > 1 and not is_group and has_comma in {None, "," in text}

    @cached_property
    def _known_names(self) -> frozenset[NameKey]:
        """The names of the other file's students."""
        return frozenset(name_key(student.name) for student in self._known if student.name)

    @cached_property
    def _writes_small(self) -> bool:
        """Whether most names of the first rows are written without capitals."""
        rows = range(self._layout.first_row, min(len(self._grid), self._layout.first_row + _BLOCK))
        cells = (self._grid.first_cells(row, self._last) for row in rows)
        names = ["".join(own[index] for index in self._names if index < len(own)) for own in cells]
        filled = [name for name in names if name.strip()]
        return sum(name.islower() for name in filled) * 2 > len(filled)

    @cached_property
    def _style(self) -> "_Style":
        """How identifiers and names are written in the first rows that have both."""
        shapes, commas = set(), set()
        for row in range(self._layout.first_row, min(len(self._grid), self._layout.first_row + _BLOCK)):
            cells = self._grid.first_cells(row, self._last)
            if len(cells) < self._last or self._identifier is None:
                continue
            name = " ".join([text for index in self._names if (text := cells[index].strip())])
            if name and (identifier := cells[self._identifier].strip()):
                shapes.add(_shape(identifier))
                commas.add("," in name)
        return _Style(frozenset(shapes), commas.pop() if len(commas) == 1 else None)

    def _summary(self, cells: Sequence[str]) -> str | None:
        """Return the word by which a row sums others up: at most one of its cells says who it is."""
        names = [cells[index] for index in {*self._own, *self._names} if index < len(cells) and cells[index]]
        return None if len(names) > 1 else summary_word(names or [text for text in cells if text][:1])

    def _begin_list(self, row: int) -> None:
        """Begin another class list: the line of text above its headings names it."""
        since = max(self._first_of_next, self.students[-1].row.position if self.students else 0)
        since_then = takewhile(lambda line: line > since, reversed(self.lines))
        own = [line for line in since_then if _stripped(self._grid, line) not in self._around_heading]
        if not self._first_of_next:
            titles = self._layout.top.title_rows
            first = self._line(titles[-1]) if titles else ""
            if self._section is None:
                self.students = [student._replace(section=first) for student in self.students]
        self._first_of_next = row
        self._list = self._line(own[0]) if own else ""
        self.lines.append(row)

    def _line(self, row: int) -> str:
        return " ".join(text.strip() for text in self._grid.cells(row) if text.strip())


def _stripped(grid: Grid, row: int | None) -> list[str]:
    return [text.strip() for text in grid.cells(row)] if row is not None and row < len(grid) else []
