"""Forms that are workbooks, as a user meets them."""

import json
import re
import zipfile
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path

import openpyxl
import pytest
import xlsxwriter
import xlwt
from openpyxl.worksheet.datavalidation import DataValidation

from conftest import Skarvin, edit
from skarvin.core.grid.package import Package
from skarvin.core.targets import sheet_target
from skarvin.core.targets.sheet_target import WorkbookTarget, _Elements
from workbooks import make_form, parts_that_differ, texts

EXPORT = "No,Name,Knots (out of 10),Lofting (out of 20)\n007,Person 007,8,15\n017,Person 017,9.5,20\n"
SHEET = """<?xml version='1.0' encoding='UTF-8'?>
<x:worksheet xmlns:x='http://schemas.openxmlformats.org/spreadsheetml/2006/main'><!-- a > b -->
<x:cols><x:col min='3' max='4' style='1' width='9'/></x:cols>
<x:sheetData>
 <x:row r='1' note='a>b'><x:c t='s'><x:v>0</x:v></x:c><x:c t='s'><x:v>1</x:v></x:c><x:c t='s'><x:v>2</x:v></x:c>
  <x:c t='s'><x:v>3</x:v></x:c><x:c t='s'><x:v>4</x:v></x:c></x:row>
 <x:row r='2'><x:c r='A2' t='s'><x:v>5</x:v></x:c><x:c r='B2' t='s'><x:v>6</x:v></x:c>
  <x:c r='E2'><x:f t='shared' ref='E2:E4' si='0'>C2*2</x:f><x:v>14</x:v></x:c></x:row>
 <x:row r='3'/>
 <x:row r='4' s='2' customFormat='1'><x:c r='A4' t='inlineStr'><x:is><x:t>017</x:t></x:is></x:c>
  <x:c r='C4' s='3'><x:v>1</x:v></x:c><x:c r='E4'><x:f t='shared' si='0'/><x:v>2</x:v></x:c></x:row>
</x:sheetData><x:phoneticPr fontId='1'/></x:worksheet>"""
PARTS = {
    "[Content_Types].xml": "<Types xmlns='http://schemas.openxmlformats.org/package/2006/content-types'/>",
    "_rels/.rels": "<Relationships xmlns='http://schemas.openxmlformats.org/package/2006/relationships'>"
    "<Relationship Id='w' Type='http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument' "
    "Target='xl/workbook.xml'/></Relationships>",
    "xl/_rels/workbook.xml.rels": "<Relationships xmlns='http://schemas.openxmlformats.org/package/2006/relationships'>"
    "<Relationship Id='a' Type='http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet' "
    "Target='/xl/odd/one.xml'/>"
    "<Relationship Id='b' Type='http://schemas.openxmlformats.org/officeDocument/2006/relationships/sharedStrings' "
    "Target='sharedStrings.xml'/></Relationships>",
    "xl/workbook.xml": "<workbook xmlns='http://schemas.openxmlformats.org/spreadsheetml/2006/main' "
    "xmlns:r='http://schemas.openxmlformats.org/officeDocument/2006/relationships'>"
    "<sheets><sheet name='Kurs &amp; Noten' sheetId='1' r:id='a'/></sheets></workbook>",
    "xl/sharedStrings.xml": "<sst xmlns='http://schemas.openxmlformats.org/spreadsheetml/2006/main'>"
    "<si><t>No</t></si><si><r><t>Na</t></r><r><t>me</t></r></si><si><t>Knots [10]</t></si><si><t>Lofting [20]</t></si>"
    "<si><t>Twice</t></si><si><t>007</t></si><si><t>Per</t><rPh sb='0' eb='1'><t>pa</t></rPh></si></sst>",
    "xl/odd/one.xml": SHEET,
}


def write_parts(file: Path, parts: dict[str, str]) -> None:
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in parts.items():
            archive.writestr(name, text)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    return tmp_path


def test_a_workbook_form_goes_all_the_way(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"], before=[None, 5], extras=["formulas", "chart", "sheet"])
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert "1 replaced" in skarvin("preview").out
    run = skarvin("write")
    assert (run.code, "4 cells differ" in run.out) == (0, True)
    found = texts(folder / "form-import.xlsx")
    assert [found[cell] for cell in ("C2", "C3", "D2", "D3")] == [8, 9.5, 15, 20]
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    assert ledger["target"]["form"].startswith("workbook (.xlsx), 'Marks'")
    assert (folder / "form-restore.xlsx").read_bytes() == (folder / "form.xlsx").read_bytes()
    assert skarvin("write", "--replace").code == 0


def test_a_workbook_that_another_program_wrote_its_own_way_is_filled(folder: Path, skarvin: Skarvin) -> None:
    write_parts(folder / "form.xlsx", PARTS)
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert skarvin("write").code == 0
    assert list(parts_that_differ(folder / "form.xlsx", folder / "form-import.xlsx")) == [
        "xl/workbook.xml",
        "xl/odd/one.xml",
    ]
    with zipfile.ZipFile(folder / "form-import.xlsx") as archive:
        sheet = archive.read("xl/odd/one.xml").decode()
        assert b'<calcPr fullCalcOnLoad="1"/></workbook>' in archive.read("xl/workbook.xml")
    expected = SHEET.replace(
        "  <x:c r='E2'><x:f t='shared' ref='E2:E4' si='0'>C2*2</x:f><x:v>14</x:v></x:c>",
        '  <x:c r="C2" s="1"><x:v>8</x:v></x:c><x:c r="D2" s="1"><x:v>15</x:v></x:c>'
        "<x:c r='E2'><x:f t='shared' ref='E2:E4' si='0'>C2*2</x:f></x:c>",
    ).replace(
        "  <x:c r='C4' s='3'><x:v>1</x:v></x:c><x:c r='E4'><x:f t='shared' si='0'/><x:v>2</x:v></x:c>",
        '  <x:c r="C4" s="3"><x:v>9.5</x:v></x:c><x:c r="D4" s="2"><x:v>20</x:v></x:c>'
        "<x:c r='E4'><x:f t='shared' si='0'/></x:c>",
    )
    assert sheet == expected


def held_for(folder: Path, skarvin: Skarvin) -> list[tuple[str, str]]:
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert skarvin("write").code == 1
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    return [
        (f"{mark['to_column']}{mark['to_row']}", mark["reason"])
        for mark in ledger["marks"]["list"]
        if mark["fate"] == "held"
    ]


def test_what_validation_forbids_is_held(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"], extras=["range"])
    book = openpyxl.load_workbook(folder / "form.xlsx")
    book.create_sheet("Lists")["B3"] = 15
    rule = DataValidation(type="list", formula1="Lists!$B$3:$B$4")
    rule.add("D2:D3")
    book["Marks"].add_data_validation(rule)
    book.save(folder / "form.xlsx")
    assert held_for(folder, skarvin) == [
        ("C3", "the form's sheet allows a number from 0 to 8 here, and not '9.5'"),
        ("D3", "the form's sheet allows one of 15 here, and not '20'"),
    ]


def test_computed_merged_and_locked_cells_are_not_written_over(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"], extras=["protected"])
    book = openpyxl.load_workbook(folder / "form.xlsx")
    sheet = book["Marks"]
    sheet["C2"] = "=3+4"
    sheet["D2"].protection = openpyxl.styles.Protection(locked=True)
    sheet.merge_cells("C3:D3")
    book.save(folder / "form.xlsx")
    held = held_for(folder, skarvin)
    assert [(cell, reason.partition(",")[0]) for cell, reason in held] == [
        ("C2", "the form computes this cell by a formula"),
        ("D2", "the form's sheet is protected"),
        ("D3", "the form's cell is covered by a merged one"),
    ]


def test_a_cell_that_holds_any_sign_is_read_and_written_over(tmp_path: Path, skarvin: Skarvin) -> None:
    """The raw cell of a workbook is kept with signs of its own between its parts."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (
        ["Id", "Knots", "Remark"],
        ["w-1", None, "neat | square; 2"],
        ["w-2", None, ";;|"],
        ["w-3", None, None],
    ):
        sheet.append(row)
    book.save(tmp_path / "form.xlsx")
    remarks = ["w-1,7,a|b;c", "w-2,8,|", "w-3,9,;"]
    (tmp_path / "export.csv").write_text("\n".join(["Id,Knots,Remark", *remarks, ""]), encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.xlsx", "--missing-maximum", "same").code == 0
    comment = '\n[[comment]]\nfrom = "Remark"\nto = "Remark"\nexisting = "replace"\n'
    text = re.sub(r"\n\[\[comment\]\][^\[]*", "", (tmp_path / "transfer.toml").read_text(encoding="utf-8"))
    (tmp_path / "transfer.toml").write_text(text + comment, encoding="utf-8")
    run = skarvin("write")
    assert run.code == 0, run.err
    sheet = openpyxl.load_workbook(tmp_path / "form-import.xlsx").active
    assert sheet is not None
    assert [row[2] for row in sheet.iter_rows(min_row=2, values_only=True)] == ["a|b;c", "|", ";"]
    before = [one["was"] for one in json.loads((tmp_path / "ledger.json").read_bytes())["marks"]["list"]]
    assert {"neat | square; 2", ";;|"} <= set(before)


def test_a_workbook_form_without_students_gets_a_row_for_each(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", [])
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert skarvin("write").code == 0
    found = texts(folder / "form-import.xlsx")
    assert [found.get(cell) for cell in ("A2", "B2", "C2", "D2", "A3", "D3")] == [
        "007",
        "Person 007",
        8,
        15,
        "017",
        20,
    ]


@pytest.mark.parametrize(
    ("name", "says"),
    [("form.xls", "save it as .xlsx"), ("form.ods", "save it as .xlsx"), ("form.xlsm", "without its programs")],
)
def test_a_workbook_that_cannot_be_filled_is_refused_by_draft(
    folder: Path, skarvin: Skarvin, name: str, says: str
) -> None:
    if name == "form.xls":
        book = xlwt.Workbook()
        for column, text in enumerate(("No", "Name", "Knots")):
            book.add_sheet("Marks").write(0, 0, text) if not column else book.get_sheet(0).write(0, column, text)
        book.save(str(folder / name))
    elif name == "form.ods":
        content = (
            '<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
            'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
            'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>'
            '<table:table table:name="M"><table:table-row><table:table-cell><text:p>No</text:p></table:table-cell>'
            "</table:table-row></table:table></office:spreadsheet></office:body></office:document-content>"
        )
        write_parts(
            folder / name, {"mimetype": "application/vnd.oasis.opendocument.spreadsheet", "content.xml": content}
        )
    else:
        make_form(folder / name, ["007"])
        with zipfile.ZipFile(folder / name) as archive:
            parts = {part: archive.read(part).decode("utf-8", "surrogateescape") for part in archive.namelist()}
        types = parts["[Content_Types].xml"]
        parts["[Content_Types].xml"] = types.replace(
            "openxmlformats-officedocument.spreadsheetml.sheet.main", "ms-excel.sheet.macroEnabled.main"
        )
        write_parts(folder / name, parts)
    run = skarvin("draft", "export.csv", name)
    assert (run.code, says in run.err) == (3, True), run.err
    assert not (folder / "transfer.toml").exists()


def test_a_workbook_whose_sheet_declares_entities_is_refused(folder: Path, skarvin: Skarvin) -> None:
    hostile = SHEET.replace("<x:worksheet", "<!DOCTYPE x [<!ENTITY a 'b'>]><x:worksheet", 1)
    write_parts(folder / "form.xlsx", PARTS | {"xl/odd/one.xml": hostile})
    run = skarvin("draft", "export.csv", "form.xlsx")
    assert run.code in {0, 3}
    if run.code == 0:
        run = skarvin("write")
    assert (run.code, "has declarations, which no workbook has" in run.err) == (3, True)
    assert not (folder / "form-import.xlsx").exists()


def test_a_form_that_changes_while_a_transfer_runs_is_not_filled(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    make_form(folder / "form.xlsx", ["007", "017"])
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    monkeypatch.setattr("skarvin.core.targets.sheet_target.fingerprint", lambda _: "other")
    run = skarvin("write")
    assert (run.code, "changed while this ran" in run.err) == (3, True)


def test_the_sheet_of_the_form_can_be_named(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"])
    book = openpyxl.load_workbook(folder / "form.xlsx")
    other = book.copy_worksheet(book["Marks"])
    other.title = "Resits"
    book.save(folder / "form.xlsx")
    assert skarvin("draft", "export.csv", "form.xlsx", "--form-sheet", "Resits").code == 0
    assert 'sheet = "Resits"' in (folder / "transfer.toml").read_text(encoding="utf-8")
    assert skarvin("write").code == 0
    assert texts(folder / "form-import.xlsx", "Resits")["C2"] == 8
    assert "C2" not in texts(folder / "form-import.xlsx")
    edit(folder / "transfer.toml", '"Resits"', '"Gone"')
    run = skarvin("write", "--replace")
    assert (run.code, "there is no sheet 'Gone'" in run.err) == (3, True)


def test_the_sheet_is_chosen_in_which_the_students_stand(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"])
    book = openpyxl.load_workbook(folder / "form.xlsx")
    notes = book.create_sheet("How to fill this in", 0)
    for row in range(1, 60):
        notes.append(["Step", f"Line {row} of the instructions", "see above", "see below", row])
    book.save(folder / "form.xlsx")
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert 'sheet = "Marks"' in (folder / "transfer.toml").read_text(encoding="utf-8")
    assert skarvin("write").code == 0
    assert texts(folder / "form-import.xlsx")["C2"] == 8


def test_two_sheets_that_both_look_right_are_for_a_person_to_choose(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"])
    book = openpyxl.load_workbook(folder / "form.xlsx")
    book.copy_worksheet(book["Marks"]).title = "Resits"
    book.save(folder / "form.xlsx")
    run = skarvin("draft", "export.csv", "form.xlsx")
    assert (run.code, "2 sheets have the export's students: 'Marks' and 'Resits'" in run.err) == (3, True)
    assert "--form-sheet" in run.err
    assert skarvin("draft", "export.csv", "form.xlsx", "--form-sheet", "Marks").code == 0


def test_what_may_be_chosen_in_a_cell_is_drafted_as_a_scale(folder: Path, skarvin: Skarvin) -> None:
    make_form(folder / "form.xlsx", ["007", "017"])
    book = openpyxl.load_workbook(folder / "form.xlsx")
    book["Marks"]["D1"] = "Lofting"
    rule = DataValidation(type="list", formula1='"Sound,Fair,Not yet"')
    rule.add("D2:D3")
    book["Marks"].add_data_validation(rule)
    book.save(folder / "form.xlsx")
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    plan = folder / "transfer.toml"
    for word, start in (("Sound", 80), ("Fair", 50), ('"Not yet"', 0)):
        edit(plan, f'{word} = "?"', f"{word} = {start}")
    assert skarvin("write").code == 0
    found = texts(folder / "form-import.xlsx")
    assert [found["D2"], found["D3"]] == ["Fair", "Sound"]


def _another_number(patch: pytest.MonkeyPatch) -> None:
    element = _Elements.element
    patch.setattr(_Elements, "element", lambda *some: element(*some).replace(b"7.5", b"5.7"))


def _without_style(patch: pytest.MonkeyPatch) -> None:
    element = _Elements.element
    patch.setattr(_Elements, "element", lambda *some: re.sub(rb' s="\d+"', b"", element(*some)))


def _another_row(patch: pytest.MonkeyPatch) -> None:
    filled = WorkbookTarget.filled
    patch.setattr(
        WorkbookTarget,
        "filled",
        lambda it, columns, rows, *rest: filled(it, columns, {3 - row: codes for row, codes in rows.items()}, *rest),
    )


def _a_mark_as_text(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(sheet_target, "_stored", lambda text, _: None if text != "8" else Decimal(18))


def _a_part_lost(patch: pytest.MonkeyPatch) -> None:
    written = Package.written
    patch.setattr(Package, "written", lambda it, parts: written(it, parts | {"xl/styles.xml": b"<styleSheet/>"}))


def _a_cell_too_many(patch: pytest.MonkeyPatch) -> None:
    patched = sheet_target._patched  # noqa: SLF001
    patch.setattr(sheet_target, "_patched", lambda xml, some: patched(xml.replace(b"Person 017", b"Person 071"), some))


def _a_formula_changed(patch: pytest.MonkeyPatch) -> None:
    patched = sheet_target._patched  # noqa: SLF001
    patch.setattr(sheet_target, "_patched", lambda xml, some: patched(xml.replace(b"C2+D2", b"C3+D3"), some))


def _validation_lost(patch: pytest.MonkeyPatch) -> None:
    patched = sheet_target._patched  # noqa: SLF001
    patch.setattr(
        sheet_target, "_patched", lambda xml, some: patched(xml.replace(b"<formula2>8", b"<formula2>9"), some)
    )


@pytest.mark.parametrize(
    "slip",
    [
        _another_number,
        _without_style,
        _another_row,
        _a_mark_as_text,
        _a_part_lost,
        _a_cell_too_many,
        _a_formula_changed,
        _validation_lost,
    ],
)
def test_a_slip_in_writing_a_workbook_is_found_and_nothing_is_written(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, slip: Callable[[pytest.MonkeyPatch], None]
) -> None:
    (folder / "export.csv").write_text(EXPORT.replace("017,9.5", "017,7.5").replace(",15", ",9.5"), encoding="utf-8")
    make_form(folder / "form.xlsx", ["007", "017"], formats=("0.00", "0.00"), extras=["formulas", "range"])
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    slip(monkeypatch)
    run = skarvin("write")
    assert run.code == 4
    assert "was withdrawn" in run.err or "don't balance" in run.err
    assert not list(folder.glob("form-*"))


def test_a_sheet_that_is_a_chart_is_no_sheet_with_cells(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Knots\n101,7\n102,8\n", encoding="utf-8")
    with xlsxwriter.Workbook(str(tmp_path / "form.xlsx")) as book:
        chart = book.add_chart({"type": "column"})
        book.add_chartsheet("Overview").set_chart(chart)
        sheet = book.add_worksheet("Marks")
        for row, cells in enumerate([["No", "Knots"], ["102", ""], ["101", ""]]):
            sheet.write_row(row, 0, cells)
        chart.add_series({"values": "=Marks!$B$2:$B$3"})
    looked = skarvin("look", "form.xlsx").out
    assert "'Marks': the only sheet" in looked
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert skarvin("write").code == 0
    assert openpyxl.load_workbook(tmp_path / "form-import.xlsx")["Marks"]["B2"].value == 8


@pytest.mark.parametrize(("plain", "sent"), [(0, [0.85, 0.075, 1]), (1, [85, None, None]), (3, [85, 7.5, 100])])
def test_cells_that_show_percent_get_the_sign_where_all_do_and_else_the_reason_says_so(
    tmp_path: Path, skarvin: Skarvin, plain: int, sent: list[float | None]
) -> None:
    marks = ["85%", "7.5 %", "100%"]
    rows = "".join(f"10{at};Person {at};{mark};{at}\n" for at, mark in enumerate(marks))
    (tmp_path / "export.csv").write_text(f"Roll no;Name;Oral;Knots (out of 10)\n{rows}", encoding="utf-8")
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(["Roll no", "Name", "Oral (out of 100)", "Knots (out of 10)"])
    for at in range(3):
        sheet.append([f"10{at}", f"Person {at}"])
        sheet.cell(at + 2, 3).number_format = "General" if at < plain else "0.0%"
    book.save(tmp_path / "form.xlsx")
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    assert ('to_suffix = "%"' in (tmp_path / "transfer.toml").read_text(encoding="utf-8")) is (plain == 0)
    assert ("needs its sign: to_out_of" in " ".join(skarvin("preview").out.split())) is (None in sent)
    assert skarvin("write").code == (None in sent)
    written = openpyxl.load_workbook(tmp_path / "form-import.xlsx").worksheets[0]
    assert [[written.cell(at, column).value for at in (2, 3, 4)] for column in (3, 4)] == [sent, [0, 1, 2]]
    if None in sent:
        edit(tmp_path / "transfer.toml", "to_out_of = 100", 'to_out_of = 100\nto_suffix = "%"')
        assert skarvin("write", "--replace").code == 0
        written = openpyxl.load_workbook(tmp_path / "form-import.xlsx").worksheets[0]
        assert [written.cell(at, 3).value for at in (2, 3, 4)] == ["85%", 0.075, 1]


@pytest.mark.parametrize(
    ("heading", "is_told"), [("Knots", True), ("Knots (out of 100)", True), ("Knots (out of 10)", False)]
)
def test_a_mark_in_cells_of_percent_is_its_share_of_the_maximum(
    tmp_path: Path, skarvin: Skarvin, heading: str, is_told: bool
) -> None:
    (tmp_path / "export.csv").write_text("Roll no;Name;Knots (out of 10)\n100;Ana Lo;8\n101;Bo Kim;7.5\n")
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(["Roll no", "Name", heading])
    for at, name in enumerate(["Ana Lo", "Bo Kim"]):
        sheet.append([f"10{at}", name])
        sheet.cell(at + 2, 3).number_format = "0%"
    book.save(tmp_path / "form.xlsx")
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    if not is_told:  # what the form's heading says isn't what its cells show
        assert 'needs its sign: to_out_of = 100, to_suffix = "%"' in " ".join(skarvin("preview").out.split())
        text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
        text = re.sub(r"^to_out_of = 10\b", 'to_suffix = "%"\nto_out_of = 100', text, flags=re.MULTILINE)
        (tmp_path / "transfer.toml").write_text(text, encoding="utf-8")
    assert skarvin("write").code == 0
    written = openpyxl.load_workbook(tmp_path / "form-import.xlsx").worksheets[0]
    assert [written.cell(at, 3).value for at in (2, 3)] == [0.8, 0.75]
