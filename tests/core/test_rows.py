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
