"""The rows of a file in words and as data: how its lines become students."""

from typing import Any

from skarvin.core.findings import Row, counted, listed_rows
from skarvin.core.ledger.row_books import RowCount

_MOST = 6
_STUDENTS = ("row of a student", "rows of students")


def rows_in_words(count: RowCount) -> str:
    """Return how a file's lines become students, in one sentence without its full stop."""
    if count.apart:
        return counted(count.students, f"{count.apart} of a student", f"{count.apart}s of students")
    parts = [
        counted(count.headings, "row of headings", "rows of headings"),
        _with_rows(count.titles, "row of text above", "rows of text above"),
        _with_rows(count.texts, "row of text between or below", "rows of text between or below"),
        counted(count.blank, "blank row") if count.blank else "",
        counted(count.hidden, "hidden row") if count.hidden else "",
        counted(count.no_students, "row that isn't a student", "rows that aren't students")
        if count.no_students
        else "",
    ]
    known = ", ".join(filter(None, parts))
    nouns = ("row of a made-up person", "rows of made-up people") if count.is_made_up else _STUDENTS
    students = counted(count.students, *nouns)
    if count.further_marks:
        students += f", with {counted(count.further_marks, *count.further_are)}"
    return f"{_lines(count)} = {known} and {students}"


def _lines(count: RowCount) -> str:
    if count.lines is None:
        return counted(count.records, "row")
    spanning = f", {count.spanning} of them over several lines" if count.spanning else ""
    return f"{counted(count.lines, 'line')} = {counted(count.records, 'record')}{spanning}"


def _with_rows(rows: tuple[Row, ...], noun: str, many: str) -> str:
    if not rows:
        return ""
    return f"{counted(len(rows), noun, many)} ({listed_rows(rows, _MOST)})"


def rows_data(count: RowCount) -> dict[str, Any]:
    """Return the same as data."""
    return {
        "file": count.file,
        "lines": count.lines,
        "records": count.records,
        "records_over_several_lines": count.spanning,
        "further_lines": count.further_lines,
        "headings": count.headings,
        "text_above": [row.number for row in count.titles],
        "text_between_or_below": [row.number for row in count.texts],
        "blank": count.blank,
        "hidden": count.hidden,
        "no_students": count.no_students,
        "students": count.students,
        **({"further_marks": count.further_marks} if count.further_marks else {}),
    }
