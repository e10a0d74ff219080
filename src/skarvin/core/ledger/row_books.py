"""The books of a file's rows: they begin with its physical lines, and every row has a meaning."""

import msgspec

from skarvin.core.findings import Finding, Refused, Row
from skarvin.core.gradebook import Gradebook


class RowCount(msgspec.Struct, frozen=True, kw_only=True):
    """How many rows of each meaning a file has.

    Attributes:
        file: the file's name.
        lines: its physical lines; None for a workbook or a page, which have none.
        records: its records, a row each.
        spanning: how many records run over several lines.
        further_lines: how many lines these have beyond the first.
        titles: the rows of text above the headings.
        headings: the rows of headings and of maxima.
        texts: the rows of text between and below the students, headings said again among them.
        no_students: rows with marks that are no students.
        students: the students.
        further_are: what these are, one and several.
        further_marks: lines with further marks of these, where each mark has a line.
        apart: "sheet" or "file", where each student has one.
        blank: blank rows.
        hidden: rows that were left out since they are hidden.
        unknown: rows that hold something and were given no meaning.
        is_made_up: whether its people are made up.
    """

    file: str
    lines: int | None
    records: int
    spanning: int
    further_lines: int
    titles: tuple[Row, ...]
    headings: int
    texts: tuple[Row, ...]
    no_students: int
    students: int
    blank: int
    hidden: int
    unknown: tuple[Row, ...]
    is_made_up: bool = False
    further_marks: int = 0
    further_are: tuple[str, str] = ("more line of their marks", "more lines of their marks")
    apart: str = ""

    @property
    def with_a_meaning(self) -> int:
        """How many rows were given a meaning."""
        counted = self.headings + self.no_students + self.students + self.blank + self.hidden + self.further_marks
        return counted + len(self.titles) + len(self.texts)


def count_rows(book: Gradebook, added: int = 0, *, is_made_up: bool = False) -> RowCount:
    """Return the books of a gradebook's rows; `added` of its last rows don't stand in its file."""
    grid, top = book.grid, book.layout.top
    headings = {*top.heading_rows, *top.number_rows}
    known = {*headings, *top.title_rows, *grid.hidden, *grid.further}
    known.update(row.position for row in book.lines)
    known.update(student.row.position for student in book.students)
    known.update(non_student.student.row.position for non_student in book.non_students)
    rest = [row for row in range(len(grid)) if row not in known] if len(known) < len(grid) else []
    blank = [row for row in rest if grid.is_blank(row)]
    spanning = grid.spanning
    return RowCount(
        file=grid.source.called if grid.number else grid.source.file.name,
        lines=grid.lines,
        records=len(grid) - added,
        spanning=len(spanning),
        further_lines=sum(spanning) - len(spanning),
        titles=tuple(map(grid.row, top.title_rows)),
        headings=len(headings),
        texts=book.lines,
        no_students=len(book.non_students),
        students=len(book.students) - added,
        blank=len(blank),
        hidden=len(grid.hidden),
        unknown=tuple(map(grid.row, sorted(set(rest) - set(blank)))),
        is_made_up=is_made_up,
        further_marks=len(grid.further),
        further_are=grid.further_are,
        apart="" if not grid.source.sheets else "file" if grid.source.files else "sheet",
    )


def check_rows(count: RowCount, book: Gradebook) -> None:
    """Refuse a file whose rows don't add up.

    Raises:
        Refused: lines aren't records and what these run over, a row has no meaning, or one has two.
    """
    findings = []
    if count.lines is not None and count.lines != count.records + count.further_lines:
        what = f"{count.lines} lines don't make {count.records} records, of which {count.spanning} run over several"
        findings.append(Finding("unbalanced-lines", what, book.grid.place()))
    for row in count.unknown:
        what = "this row holds something and was given no meaning"
        findings.append(Finding("no-meaning", what, row.place(), "Tell what it is by a layout, or clear it."))
    if not findings and count.records != count.with_a_meaning:
        what = f"{count.records} records, and {count.with_a_meaning} rows with a meaning"
        findings.append(Finding("unbalanced-rows", what, book.grid.place()))
    if findings:
        raise Refused(*findings)
