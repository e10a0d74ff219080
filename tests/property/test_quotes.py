"""A quotation mark in the wrong place never costs a student without a word."""

import csv
import io
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import example, given
from hypothesis import strategies as st

from skarvin.core.findings import Unreadable
from skarvin.core.gradebook import understand
from skarvin.core.grid.dialect import Quotes
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.recognise import recognise

HEADINGS = ["Learner no", "Name", "Knots (out of 10)", "Remarks"]
PROSE = ["", "", "late", "sorry, very late", "two lines\nof it", 'said "ready"', "a; b, c\td", "see p. 4, 5"]


@st.composite
def written(draw: st.DrawFn) -> tuple[str, list[str], str]:
    """Return a file's text, its students' identifiers, and its delimiter."""
    delimiter = draw(st.sampled_from(",;\t"))
    count = draw(st.integers(1, 12))
    text = io.StringIO(newline="")
    end = draw(st.sampled_from(["\n", "\r\n"]))
    order = draw(st.permutations(range(4)))
    writer = csv.writer(text, delimiter=delimiter, lineterminator=end, quoting=draw(st.sampled_from([0, 0, 1])))
    writer.writerow([HEADINGS[place] for place in order])
    numbers = [f"{410_000 + 7 * place}" for place in range(count)]
    for number in numbers:
        name = draw(st.sampled_from(["Kim Anna", "Reyes, Luz", "O'Brien Tom", "Sá; Ana"]))
        cells = [number, name, draw(st.sampled_from(["7", "9.5", "", "10"])), draw(st.sampled_from(PROSE))]
        writer.writerow([cells[place] for place in order])
    return text.getvalue(), numbers, delimiter


@st.composite
def damaged(draw: st.DrawFn) -> tuple[str, list[str], str]:
    """Return such a file with quotation marks put into it anywhere."""
    text, numbers, delimiter = draw(written())
    for _ in range(draw(st.integers(0, 4))):
        at = draw(st.integers(0, len(text)))
        text = text[:at] + draw(st.sampled_from(['"', '"', '""', '"""'])) + text[at:]
    return text, numbers, delimiter


def lost(text: str, numbers: list[str], how: ReadAs) -> list[str] | None:
    """Return the students who are gone without a word; None where something was said."""
    with TemporaryDirectory() as folder:
        file = Path(folder) / "export.csv"
        file.write_text(text, encoding="utf-8", newline="")
        try:
            grid = read_grid(file, how)
        except Unreadable:
            return None
        layout = recognise(grid)
        if layout.faults or not layout.identifiers:
            return None
        book = understand(grid, layout, layout.identifiers[0], [])
        if not book.students:
            return None  # whoever drafts or pairs says so
        text_rows = (
            *book.lines,
            *(row.student.row for row in book.non_students),
            *map(grid.row, layout.top.title_rows),
        )
        told = " ".join(text for row in text_rows for text in book.cells(row))
        cells = {text.replace('"', "").strip() for student in book.students for text in book.cells(student.row)}
        return [number for number in numbers if number not in cells and number not in told]


@given(damaged())
@example(('No\tName\tKnots\tRemarks\n41\tA B\t7\t"late\n42\tC D\t8\t\n43\tE F\t9\t"ill\n', ["41", "42", "43"], "\t"))
@example(('No,Name,Remarks\n41,A B,"late\n42,C D,\n43,E F,very late"\n', ["41", "42", "43"], ","))
def test_a_quotation_mark_anywhere_loses_no_student_without_a_word(case: tuple[str, list[str], str]) -> None:
    text, numbers, delimiter = case
    assert not lost(text, numbers, ReadAs(delimiter=delimiter))


@given(damaged())
def test_quotation_marks_that_are_plain_signs_lose_no_line(case: tuple[str, list[str], str]) -> None:
    text, numbers, delimiter = case
    if "\nof it" not in text:
        assert not lost(text, numbers, ReadAs(delimiter=delimiter, quotes=Quotes.PLAIN))


@given(written())
def test_a_file_that_is_quoted_as_it_should_be_is_read_as_it_was_written(case: tuple[str, list[str], str]) -> None:
    text, _, delimiter = case
    with TemporaryDirectory() as folder:
        file = Path(folder) / "export.csv"
        file.write_text(text, encoding="utf-8", newline="")
        grid = read_grid(file)
    rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
    assert [list(grid.cells(row)) for row in range(len(grid))] == rows
