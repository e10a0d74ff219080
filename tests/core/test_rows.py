"""A row knows its file, and nothing but the grid counts rows."""

import ast
from itertools import pairwise
from pathlib import Path

import pytest

from skarvin.core.gradebook import Gradebook, join, understand
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.joining import join_layouts
from skarvin.core.layout.recognise import recognise
from skarvin.core.ledger.fates import settle
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.convert import MarkRule
from skarvin.core.students.pair_students import PairingRule, pair_students
from skarvin.core.targets.opening import open_target

CORE = Path(__file__).parents[2] / "src" / "skarvin"
COUNTS_ROWS = (
    "core/findings.py",  # says what a place is called
    "core/grid/",  # makes rows
    "core/ledger/second_look/",  # has nothing but the ledger's numbers, and its own way of counting
)
OTHERS = [path for path in sorted(CORE.rglob("*.py")) if not path.relative_to(CORE).as_posix().startswith(COUNTS_ROWS)]


def counted_by_hand(text: str) -> list[int]:
    """Return the lines in which one is added to a row, or taken off, or a row's number is written out."""
    found = []
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add | ast.Sub):
            sides = (node.left, node.right)
            is_step = any(isinstance(side, ast.Constant) and side.value == 1 for side in sides)
            if is_step and any("row" in ast.unparse(side) for side in sides):
                found.append(node.lineno)
        if isinstance(node, ast.JoinedStr):
            for text_part, value in pairwise(node.values):
                is_row = isinstance(text_part, ast.Constant) and str(text_part.value).endswith(("row ", "rows "))
                if is_row and isinstance(value, ast.FormattedValue):
                    found.append(node.lineno)
    return found


@pytest.mark.parametrize("path", OTHERS, ids=lambda path: path.relative_to(CORE).as_posix())
def test_rows_are_counted_by_the_grid_alone(path: Path) -> None:
    assert counted_by_hand(path.read_text(encoding="utf-8")) == []


def test_a_row_that_is_counted_by_hand_would_be_seen() -> None:
    assert counted_by_hand('place = f"C{student.row.position + 1}"') == [1]
    assert counted_by_hand('\nwhat = f"see row {number}"') == [2]
    assert counted_by_hand("below = row - 1") == [1]


def book(file: Path, text: str, number: int = 0) -> Gradebook:
    file.write_text(text, encoding="utf-8")
    grid = read_grid(file).numbered(number)
    layout = recognise(grid)
    return understand(grid, layout, layout.identifiers[0], layout.columns[2:])


def test_rows_of_two_files_lie_in_one_gradebook(tmp_path: Path) -> None:
    first = book(tmp_path / "keel.csv", "No,Name,Knots\n11,A Kim,7\n12,B Sá,8\n")
    second = book(tmp_path / "mast.csv", "No,Name,Knots\n21,C Diallo,9\n12,B Sá,5\n", 1)
    form = book(tmp_path / "form.csv", "No,Name,Knots\n21,C Diallo,\n11,A Kim,\n12,B Sá,\n")
    joined = join_layouts([first.layout, second.layout])
    source = join([first, second], joined.layout, joined.orders, joined.layout.columns[2:])
    pairing = pair_students(source.students, form.students, PairingRule())
    assert [(str(waiting.student.row.place()), str(waiting.why)) for waiting in pairing.held] == [
        ("keel.csv, row 3", "duplicate identifier (also row 3 of mast.csv)"),
        ("mast.csv, row 3", "duplicate identifier (also row 3 of keel.csv)"),
    ]
    item = MappedItem(source.items[0], form.items[0], MarkRule())
    lines = [*settle(source, form, open_target(form.grid), pairing, [item]).lines(["sent", "held"])]  # type: ignore[list-item]
    assert [(str(line.entry.source.row.place(2)), line.outcome.written) for line in lines if line.entry.source] == [
        ("keel.csv, row 2, column C", "7"),
        ("keel.csv, row 3, column C", None),
        ("mast.csv, row 2, column C", "9"),
        ("mast.csv, row 3, column C", None),
    ]


HEAD = "No,Name,Knots,Sails,Rope\n"


def sorted_rows(folder: Path, text: str) -> tuple[list[int], list[int], list[int]]:
    """Return the numbers of the rows that are students, that are none, and that are lines of text."""
    read = book(folder / "rows.csv", text)
    return (
        [student.row.number for student in read.students],
        [one.student.row.number for one in read.non_students],
        [line.number for line in read.lines],
    )


@pytest.mark.parametrize(
    ("row", "kind"),
    [
        ("No,Name,Knots,Sails,Rope", "line"),  # as above
        ("No,Name,,,", "line"),  # two of two
        ("No,x,y,,", "student"),  # one of three
        ("No,x,,,", "student"),  # one of two
        ("No,Name,x,y,z", "student"),  # two of five
        ("No,Name,7,,", "student"),  # a mark
        ("Page 2,,,,", "line"),
        ("B 2,,,,", "student"),  # no word, so a code
        ("AB 2,,,,", "student"),
        ("ABC 2,,,,", "line"),
        ("B-77,,,,", "student"),
        (",Ana Sá,,,", "student"),
        (",the end,,,", "line"),
        (",Year Eleven,,,", "line"),
        (",Ana,,,", "line"),
        (",Average,7,8,9", "none"),
        (",,7,8,9", "none"),
        (",,,,", "blank"),
    ],
)
def test_a_row_below_the_headings_is_somebody_or_nobody(tmp_path: Path, row: str, kind: str) -> None:
    found = sorted_rows(tmp_path, f"{HEAD}B-11,Kim Nour,7,8,9\nB-12,Bo Sá,8,7,6\n{row}\nB-13,Cy Diallo,1,2,3\n")
    kinds = [name for name, rows in zip(("student", "none", "line"), found, strict=True) if 4 in rows]
    assert kinds == [kind] * (kind != "blank")
    assert {2, 3, 5} <= set(found[0])


@pytest.mark.parametrize("number", ["11", "B-11x", "0110", "X 11"])
def test_what_a_row_says_of_a_student_is_kept_however_the_number_is_written(tmp_path: Path, number: str) -> None:
    text = (
        f"No,Name,Date of birth,Leaving year,Section,Knots\n{number},Kim Nour,2008-03-01,2027,Keel,7\n12,Bo Sá,,,,8\n"
    )
    read = book(tmp_path / "rows.csv", text)
    assert [(one.name, one.birth, one.leaving, one.section) for one in read.students] == [
        ("Kim Nour", "2008-03-01", "2027", "Keel"),
        ("Bo Sá", "", "", ""),
    ]
