"""Which rows and columns of the filled form go into which import file, and in which order."""

from collections.abc import Callable, Collection, Iterator, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable, counted
from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Use
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.marks.choices import FileChoice, RowChoice, RowOrder
from skarvin.core.plan.plan import TargetPlan
from skarvin.core.students.pairing import Pairing
from skarvin.core.targets.target import WHOLE, Part
from skarvin.core.texts.patterns import pattern
from skarvin.core.transfer.sides import Sides

_MARKED = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT, Use.COMMENT})
_SIGNS = pattern(r"[^\w.]+")
_LONGEST = 60


class ImportFile(NamedTuple):
    """One import file: what it is called after, which part of the filled form it has, and what of that the form had."""

    label: str
    part: Part
    before: Part


class ImportFiles(NamedTuple):
    """The import files of a transfer, and what is to be said about them."""

    files: tuple[ImportFile, ...]
    notes: tuple[Finding, ...] = ()


ONE_WHOLE = ImportFiles((ImportFile("", WHOLE, WHOLE),))
"""The filled form itself."""


def import_files(plan: TargetPlan, sides: Sides, pairing: Pairing, ledger: Ledger) -> ImportFiles:
    """Return what goes into which file.

    Args:
        plan: what is said of the target.
        sides: both gradebooks and the form, with the rows that were made.
        pairing: who is who.
        ledger: what is sent.

    Raises:
        Unreadable: the form can't be written in parts, or no row is left for a file.
    """
    is_whole_in_order = plan.order is RowOrder.FORM or len(sides.added) == len(sides.target.students)
    is_plain = plan.headings and not plan.columns and plan.rows is RowChoice.ALL and plan.files is FileChoice.ONE
    if is_plain and is_whole_in_order:
        return ONE_WHOLE
    if not sides.form.has_parts:
        mend = "Take a form in delimited text (CSV), or take headings, columns, rows, order and files out of [target]."
        what = "rows, headings and columns can't be left out of a workbook, nor put in another order"
        raise Unreadable(Finding("parts-of-workbook", what, sides.form.grid.place(), mend))
    return _Parts(plan, sides, pairing, ledger).all()


class _Parts:
    """Makes the parts."""

    def __init__(self, plan: TargetPlan, sides: Sides, pairing: Pairing, ledger: Ledger) -> None:
        self._plan = plan
        self._sides = sides
        self._sources: dict[Row, Student] = {}
        for pair in pairing.pairs:
            self._sources.setdefault(pair.target.row, pair.source)
        self._sent = _sent(ledger)
        self._first = sides.target.layout.first_row

    def all(self) -> ImportFiles:
        """Return the files."""
        students = self._students()
        files = [self._file(label, *wanted) for label, wanted in self._wanted(students)]
        if not files:
            mend = "Change rows or files under [target]."
            raise Unreadable(Finding("no-rows", "no row is left to write", self._sides.form.grid.place(), mend))
        return ImportFiles(tuple(files), tuple(self._notes(students)))

    def _students(self) -> list[Student]:
        """Return the students of the form whose rows are written, in their order."""
        students = list(self._sides.target.students)
        if self._plan.rows is RowChoice.LISTED:
            students = [student for student in students if self._rank(student) is not None]
        elif self._plan.rows is RowChoice.SENT and self._plan.files is not FileChoice.AN_ITEM:
            students = [student for student in students if student.row.position in self._sent]
        key = self._key()
        return sorted(students, key=key) if key else students

    def _rank(self, student: Student) -> int | None:
        source = self._sources.get(student.row)
        return self._sides.listed.get(source.row) if source else None

    def _key(self) -> Callable[[Student], tuple[object, ...]] | None:
        """Return what students are put in order by; whoever it doesn't speak of comes last."""
        sources, order = self._sources, self._plan.order

        def by_export(student: Student) -> tuple[object, ...]:
            source = sources.get(student.row)
            return (source is None, source.row if source else student.row)

        def by_list(student: Student) -> tuple[object, ...]:
            rank = self._rank(student)
            return (rank is None, rank or 0)

        def by_name(student: Student) -> tuple[object, ...]:
            source = sources.get(student.row)
            if source and not student.name:
                return self._sides.source.family_order(source)
            return self._sides.target.family_order(student)

        return {
            RowOrder.EXPORT: by_export,
            RowOrder.LIST: by_list,
            RowOrder.FAMILY_NAME: by_name,
            RowOrder.IDENTIFIER: lambda student: (student.identifier,),
        }.get(order)

    def _wanted(self, students: Sequence[Student]) -> Iterator[tuple[str, tuple[Sequence[Student], Sequence[int]]]]:
        """Yield for each file what it is called after, its students and its columns."""
        columns = self._columns()
        if self._plan.files is FileChoice.ONE:
            yield "", (students, columns)
        elif self._plan.files is FileChoice.AN_ITEM:
            yield from self._by_item(students, columns)
        else:
            sections: dict[str, list[Student]] = {}
            for student in students:
                sections.setdefault(self._section(student), []).append(student)
            yield from ((section, (some, columns)) for section, some in sections.items() if section)

    def _by_item(
        self, students: Sequence[Student], columns: Sequence[int]
    ) -> Iterator[tuple[str, tuple[Sequence[Student], Sequence[int]]]]:
        own = {column.index for column in self._sides.target.layout.of_use(_MARKED)}
        groups = self._groups()
        own |= {column for group in groups.values() for column in group}
        for title, group in groups.items():
            some = list(students)
            if self._plan.rows is RowChoice.SENT:
                some = [
                    student for student in students if not group.isdisjoint(self._sent.get(student.row.position, ()))
                ]
            if some:
                yield title, (some, [column for column in columns if column in group or column not in own])

    def _groups(self) -> dict[str, set[int]]:
        """Return the columns that go together: a mark's and its comment's, by the mark's title."""
        follows = self._sides.column_map.follows
        fed = {item.source: item.target for item in self._sides.items if item.target}
        found: dict[str, set[int]] = {}
        for source, target in fed.items():
            leader = fed.get(follows.get(source, source)) or target
            found.setdefault(leader.title, set()).add(target.index)
        return found

    def _columns(self) -> list[int]:
        return list(self._sides.columns) or [column.index for column in self._sides.target.layout.columns]

    def _section(self, student: Student) -> str:
        source = self._sources.get(student.row)
        return student.section or (source.section if source else "")

    def _file(self, label: str, students: Sequence[Student], columns: Sequence[int]) -> ImportFile:
        heads = range(self._first) if self._plan.headings else ()
        own = [student.row.position for student in students]
        rows = (*heads, *own, *self._sides.ends)
        added = {row.position for row in self._sides.added}
        if self._is_all():
            rows = (*heads, *range(self._first, len(self._sides.form.grid)))
        before = tuple(row for row in rows if row not in added)
        everything = range(max(self._sides.form.grid.widths, default=0))
        chosen = None if list(columns) == list(everything) else tuple(columns)
        return ImportFile(label, Part(rows, chosen), Part(before, chosen))

    def _is_all(self) -> bool:
        """Tell whether every row below the headings is written as it comes, whatever it is."""
        plan = self._plan
        return plan.rows is RowChoice.ALL and plan.order is RowOrder.FORM and plan.files is not FileChoice.A_SECTION

    def _notes(self, students: Sequence[Student]) -> Iterator[Finding]:
        if self._plan.files is FileChoice.A_SECTION:
            without = [student for student in students if not self._section(student)]
            if without:
                what = f"{counted(len(without), 'row')} of the form belong to no section and are in no file"
                yield Finding("no-section", what, without[0].row.place())


def _sent(ledger: Ledger) -> dict[int, set[int]]:
    """Return the columns in which a row of the target says something new, by the rows' positions."""
    is_written = [outcome.written is not None for outcome in ledger.outcomes]
    columns = [item.target.index for item in ledger.fed if item.target]
    found: dict[int, set[int]] = {}
    for entry in ledger.entries:
        if entry.target:
            codes = ledger.codes.row(entry.position)
            new = {column for column, code in zip(columns, codes, strict=False) if is_written[code]}
            if new:
                found.setdefault(entry.target.row.position, set()).update(new)
    return found


def file_label(label: str, taken: Collection[str]) -> str:
    """Return a label as a part of a file's name that no other file has: letters, digits and dashes alone."""
    text = _SIGNS.sub("-", label).strip("-.")[:_LONGEST] or "file"
    number = 1
    while (text if number == 1 else f"{text}-{number}") in taken:
        number += 1
    return text if number == 1 else f"{text}-{number}"
