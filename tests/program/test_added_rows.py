"""Rows added below in a workbook: like the line above, read again by another reader."""

import re
import zipfile
from pathlib import Path

import openpyxl
import pytest
from openpyxl.styles import PatternFill
from openpyxl.worksheet.table import Table

from conftest import Skarvin
from skarvin.core.targets import carried, sheet_target
from workbooks import parts_that_differ, write_single_tags

EXPORT = """\
No,Name,Group,Knots (out of 10),Lofting (out of 20)
w-017,Aoife Byrne,Forenoon,7,15
w-002,"Çelik, Yağmur",Afternoon,8.50,
w-009,Chidi Okoro,Afternoon,9,12
w-044,Dana Sørli,Forenoon,3,4
"""
HEADS = ["Line", "Learner id", "Learner", "Group", "Knots [10]", "Lofting [20]", "Sum"]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    return tmp_path


def make(file: Path, *, blank: int = 1, table: str = "", is_protected: bool = False, formatted: int = 0) -> None:
    """Write a form with two students, numbered blank lines, formulas, and lines of formats alone below."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Marks"
    sheet.append(HEADS)
    people = [
        ("w-009", "Chidi Okoro", "Afternoon"),
        ("w-777", "Someone Else", "Forenoon"),
        *[(None, None, None)] * blank,
    ]
    for row, person in enumerate(people, 2):
        sheet.append([row - 1, *person, None, None, f'=SUM(E{row}:F{row})+$E$1*0&"A1"'])
        sheet.row_dimensions[row].height = 21
        for column in range(1, 8):
            sheet.cell(row, column).fill = PatternFill("solid", fgColor="FFEE99")
    for row in range(len(people) + 2, len(people) + 2 + formatted):
        sheet.cell(row, 2).fill = PatternFill("solid", fgColor="112233")
    if table:
        sheet.add_table(Table(displayName="T", ref=table))
    sheet.protection.sheet = is_protected
    book.create_sheet("Notes")["A1"] = "kept"
    book.save(file)
    write_single_tags(file)


def drafted(folder: Path, skarvin: Skarvin, *rules: str) -> None:
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    plan = folder / "transfer.toml"
    text = plan.read_text(encoding="utf-8").replace('add = "nobody"', "# add", 1)
    plan.write_text(text.replace("[target]", "\n".join(["[target]", *(rules or ('add = "below"',))])), encoding="utf-8")


def rows(file: Path) -> list[list[object]]:
    sheet = openpyxl.load_workbook(file)["Marks"]
    return [[cell.value for cell in row] for row in sheet.iter_rows(max_col=7)]


@pytest.mark.parametrize("formatted", [0, 1, 4])
def test_rows_go_into_blank_lines_and_below_with_the_formats_and_formulas_of_the_line_above(
    folder: Path, skarvin: Skarvin, formatted: int
) -> None:
    make(folder / "form.xlsx", formatted=formatted)
    drafted(folder, skarvin)
    run = skarvin("write")
    assert (run.code, run.err) == (0, "")
    found = rows(folder / "form-import.xlsx")
    assert [row[1:6] for row in found[1:6]] == [
        ["w-009", "Chidi Okoro", "Afternoon", 9, 12],
        ["w-777", "Someone Else", "Forenoon", None, None],
        ["w-017", "Aoife Byrne", "Forenoon", 7, 15],
        ["w-002", "Yağmur Çelik", "Afternoon", 8.5, None],
        ["w-044", "Dana Sørli", "Forenoon", 3, 4],
    ]
    last = 7 if not formatted else 5  # a blank line is filled as it stands: with its own formats, and without a formula
    assert [row[6] for row in found[1 : last - 1]] == [f'=SUM(E{row}:F{row})+$E$1*0&"A1"' for row in range(2, last)]
    sheet = openpyxl.load_workbook(folder / "form-import.xlsx")["Marks"]
    assert {sheet.cell(row, 5).fill.fgColor.rgb for row in range(2, last)} == {"00FFEE99"}
    assert (sheet.row_dimensions[6].height == 21) is not bool(formatted)
    with zipfile.ZipFile(folder / "form-import.xlsx") as parts:
        (stated,) = re.findall(rb'<dimension ref="([^"]+)"', parts.read("xl/worksheets/sheet1.xml"))
    assert stated == f"A1:G{len(found)}".encode()
    changed = set(parts_that_differ(folder / "form.xlsx", folder / "form-import.xlsx"))
    assert changed <= {"xl/worksheets/sheet1.xml", "xl/workbook.xml"}
    assert (folder / "form-restore.xlsx").read_bytes() == (folder / "form.xlsx").read_bytes()
    plan = folder / "transfer.toml"
    plan.write_text(plan.read_text(encoding="utf-8").replace("form.xlsx", "form-import.xlsx"), encoding="utf-8")
    again = skarvin("write", "--replace")
    assert (again.code, "Nothing new is sent" in again.out) == (0, True)
    assert rows(folder / "form-import-2.xlsx") == found


@pytest.mark.parametrize(
    ("shape", "told"),
    [
        ({"is_protected": True, "blank": 0}, "the sheet is protected"),
        ({"table": "A1:G4"}, "table ends above the rows"),
    ],
)
def test_where_rows_cannot_stand_nothing_is_written_and_blank_lines_help(
    folder: Path, skarvin: Skarvin, shape: dict[str, object], told: str
) -> None:
    make(folder / "form.xlsx", **shape)  # type: ignore[arg-type] # as the parameters are
    drafted(folder, skarvin)
    run = skarvin("write")
    assert (run.code, told in run.err, "blank lines" in run.err) == (3, True, True)
    assert not list(folder.glob("form-import*"))
    make(folder / "form.xlsx", blank=5)
    assert skarvin("write").code == 0


@pytest.mark.parametrize(
    ("place", "slip"),
    [
        ((carried, "_moved"), lambda formula, *_: formula),
        ((carried.Pattern, "formula"), lambda *_: "E2*0"),
        ((sheet_target.WorkbookTarget, "_new_rows"), lambda *_: iter(())),
        ((sheet_target, "read_pattern"), lambda *_: carried.Pattern()),
    ],
)
def test_a_slip_in_added_rows_is_seen_by_the_second_look(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, place: tuple[object, str], slip: object
) -> None:
    make(folder / "form.xlsx")
    drafted(folder, skarvin)
    monkeypatch.setattr(*place, slip)
    run = skarvin("write")
    assert (run.code, "withdrawn" in run.err, list(folder.glob("form-import*"))) == (4, True, [])
