"""What is read of a page, a workbook or an open document is what a person sees there; what isn't read is told."""

import csv
import datetime as dt
import io
import json
import re
import zipfile
from pathlib import Path

import openpyxl
import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import Skarvin, edit
from skarvin.core.findings import SkarvinError
from skarvin.core.grid.read import read_grid
from skarvin.core.plan.open_points import open_questions, with_answer

CELL = "<table:table-cell{}><text:p>{}</text:p></table:table-cell>"
FLOAT, PERCENT = (f" office:value-type='{kind}' office:value='{{}}'" for kind in ("float", "percentage"))
NAMES = ("Ann Lee", "Bo Rey", "Cy Fox", "Dee Gil", "Ed Ham", "Fi Ona", "Gus Hay", "Hal Roe", "Ida Sen", "Jo Tran")


def column(folder: Path, place: int) -> list[str]:
    with (folder / "form-import.csv").open(encoding="utf-8-sig", newline="") as lines:
        return [cells[place] for cells in csv.reader(lines)][1:]


def form(folder: Path, count: int, headings: str = "Knots", names: tuple[str, ...] = NAMES) -> None:
    blank = "," * headings.count(",")
    rows = "".join(f"{at + 2011},{name},{blank}\n" for at, name in enumerate(names[:count]))
    (folder / "form.csv").write_text(f"Id,Name,{headings}\n{rows}")


def page(folder: Path, cells: list[str], style: str = "", behind: str = "") -> str:
    rows = "".join(f"<tr><td>{at + 2011}<td>{NAMES[at]}<td>{cell}\n" for at, cell in enumerate(cells))
    table = f"<table><tr><th>Id<th>Name<th>Knots\n{rows}</table>"
    head = f"<meta charset=utf-8><style>{style}</style>"
    (folder / "export.html").write_text(f"<html>{head}<body>{table}{behind}</body></html>", encoding="utf-8")
    form(folder, len(cells))
    return "export.html"


def workbook(folder: Path, rows: list[list[object]], sheet: str = "Marks") -> str:
    with xlsxwriter.Workbook(str(folder / "export.xlsx")) as book:
        raised, lowered, struck = (book.add_format({key: value}) for key, value in
                                   (("font_script", 1), ("font_script", 2), ("font_strikeout", 1)))  # fmt: skip
        looks = {"^": raised, "_": lowered, "~": struck}
        page = book.add_worksheet(sheet)
        for row, cells in enumerate(rows):
            for place, cell in enumerate(cells):
                if isinstance(cell, tuple):
                    parts = [(looks[one[0]], one[1:]) if one[0] in looks else (one,) for one in cell]
                    page.write_rich_string(row, place, *(part for one in parts for part in one))
                else:
                    page.write(row, place, cell)
    return "export.xlsx"


def document(folder: Path, cells: list[str], styles: str = "") -> str:
    """Write an open document whose marks are given as the elements of their cells."""
    spaces = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for name in ("office", "table", "text", "style")
    )
    texts = [["Id", "Name", "Knots"], *([str(at + 2011), NAMES[at], cell] for at, cell in enumerate(cells))]
    rows = ""
    for row in texts:
        cells_of = (one if one.startswith("<table") else CELL.format("", one) for one in row)
        rows += f"<table:table-row>{''.join(cells_of)}</table:table-row>"
    sheet = f"<office:spreadsheet><table:table table:name='A'>{rows}</table:table></office:spreadsheet>"
    automatic = f"<office:automatic-styles>{styles}</office:automatic-styles>"
    xml = f"<office:document-content {spaces}>{automatic}<office:body>{sheet}</office:body></office:document-content>"
    with zipfile.ZipFile(folder / "export.ods", "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", xml)
    form(folder, len(cells))
    return "export.ods"


def sent(folder: Path, skarvin: Skarvin, export: str) -> list[str]:
    """Draft, write, and return the marks of the import file."""
    assert skarvin("draft", export, "form.csv").code == 0
    assert skarvin("write").code in {0, 1}
    return column(folder, 2)


def held(folder: Path) -> dict[str, str]:
    with (folder / "held.csv").open(encoding="utf-8-sig", newline="") as lines:
        return {row["Identifier"]: row["Mark"] for row in csv.DictReader(lines)}


def test_a_page_is_read_as_a_browser_shows_it(tmp_path: Path, skarvin: Skarvin) -> None:
    seen = {
        "9": "9", "<p>6</p>": "6", '<span style="display: none">1</span>5': "5", "<i class=key>0002</i>7": "7",
        '<input value="8">': "8", "<select><option>3<option selected>4</select>": "4", "<textarea>7</textarea>": "7",
        '<input type=hidden value="1">5': "5",
    }  # fmt: skip
    unclear = {"5<br>7": "5\n7", "5<sup>1</sup>": "5¹"}
    cells = [*list(seen), *unclear]
    export = page(tmp_path, cells, style=".key, .other { Display:none }\n@media print { p { display:none } }")
    assert sent(tmp_path, skarvin, export) == [*seen.values(), "", ""]
    assert [text.replace("\r\n", "\n") for text in held(tmp_path).values()] == list(unclear.values())
    told = " ".join(skarvin("preview").out.split())
    assert "2 cells of export.html (C4 first) have text that isn't shown, and isn't read" in told


@pytest.mark.parametrize(
    ("cell", "text"),
    [
        ("<div>5</div><div>7</div>", "5\n7"), ("5<sub>2</sub>", "5₂"),
        ("1<sup>023456789</sup>", "1⁰²³⁴⁵⁶⁷⁸⁹"), ("<s>5</s>7", "~5~ 7"),
        ("<input type=checkbox checked>", "☑"), ("<b>Mark</b>: 6", "Mark: 6"), ("a<div hidden>b</div>c", "ac"),
        ("1<span>2</span>3", "123"), ("<script>4</script>5<!-- 6 -->", "5"), ("&nbsp;7&nbsp;", "7"),
    ],
)  # fmt: skip
def test_what_stands_in_a_cell_of_a_page(tmp_path: Path, cell: str, text: str) -> None:
    assert read_grid(tmp_path / page(tmp_path, [cell])).cells(1)[2] == text


def test_a_workbook_s_texts_errors_and_values_that_are_not_stored(tmp_path: Path, skarvin: Skarvin) -> None:
    marks: list[object] = [("5", "^1"), ("~5", " 7"), ("H", "_2", "O"), "=NA()", "=3+4", 8, 9, 7, 6]
    rows: list[list[object]] = [
        ["Id", "Name", "Knots"],
        *([at + 2011, NAMES[at], mark] for at, mark in enumerate(marks)),
    ]
    export = workbook(tmp_path, rows)
    with zipfile.ZipFile(tmp_path / export) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    own = "xl/worksheets/sheet1.xml"
    parts[own] = (
        parts[own].replace(b"<f>NA()</f><v>0</v>", b"<f>NA()</f><v>#N/A</v>").replace(b'r="C5"', b'r="C5" t="e"')
    )
    parts[own] = parts[own].replace(b"<f>3+4</f><v>0</v>", b"<f>3+4</f>")
    with zipfile.ZipFile(tmp_path / export, "w") as archive:
        for name, data in parts.items():
            archive.writestr(name, data)
    form(tmp_path, len(marks))
    assert skarvin("draft", export, "form.csv").code == 0
    edit(tmp_path / "transfer.toml", 'blank = "leave"', 'blank = "zero"')
    assert skarvin("write").code == 1
    assert column(tmp_path, 2) == ["", "", "", "", "", "8", "9", "7", "6"]
    assert list(held(tmp_path).values()) == ["5¹", "~5~  7", "H₂O", "#N/A", "#not stored"]
    told = " ".join(skarvin("preview").out.split())
    assert "1 cell of export.xlsx (C5 first) has an error instead of a value: #N/A" in told
    assert "1 cell of export.xlsx (C6 first) has a formula whose value isn't stored" in told


def test_a_formula_that_gives_no_text_is_blank(tmp_path: Path) -> None:
    export = workbook(tmp_path, [["Id", "Name", "Knots"], [2011, "Ann Lee", 3]])
    with zipfile.ZipFile(tmp_path / export) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    own = "xl/worksheets/sheet1.xml"
    parts[own] = re.sub(rb'<c r="C2"><v>3</v></c>', rb'<c r="C2" t="str"><f>""</f><v></v></c>', parts[own])
    with zipfile.ZipFile(tmp_path / export, "w") as archive:
        for name, data in parts.items():
            archive.writestr(name, data)
    assert read_grid(tmp_path / export).cells(1)[2] == ""


@pytest.mark.parametrize(
    ("cell", "text"),
    [
        ("<table:table-cell><text:p>5</text:p><text:p>7</text:p></table:table-cell>", "5\n7"),
        ("<table:table-cell><text:p>a<text:s text:c='2'/>b<text:line-break/>c</text:p></table:table-cell>", "a  b\nc"),
        ("<table:table-cell><text:p>5<text:span text:style-name='T1'>1</text:span></text:p></table:table-cell>", "5¹"),
        ("<table:table-cell><text:p>5<text:span text:style-name='T2'>1</text:span></text:p></table:table-cell>", "5"),
        (CELL.format(FLOAT.format("7.456"), "7.5"), "7.456"),
        (CELL.format(FLOAT.format("1500"), "1.500"), "1500"),
        (CELL.format(PERCENT.format("0.8567"), "86%"), "85.67%"),
        ("<table:table-cell table:formula='of:=1/0'><text:p>#DIV/0!</text:p></table:table-cell>", "#DIV/0!"),
        ("<table:table-cell table:formula='of:=[.A1]' office:value-type='float'/>", "#not stored"),
        ("<table:table-cell table:formula='of:=&quot;&quot;' office:value-type='string'/>", ""),
    ],
)  # fmt: skip
def test_what_stands_in_a_cell_of_an_open_document(tmp_path: Path, cell: str, text: str) -> None:
    styles = "<style:style style:name='T1'><style:text-properties style:text-position='super 58%'/></style:style>"
    styles += "<style:style style:name='T2'><style:text-properties text:display='none'/></style:style>"
    grid = read_grid(tmp_path / document(tmp_path, [cell, "1"], styles))
    assert grid.cells(1)[2] == text


def test_numbers_that_are_shown_rounded_are_sent_as_shown_and_told(tmp_path: Path, skarvin: Skarvin) -> None:
    with xlsxwriter.Workbook(str(tmp_path / "export.xlsx")) as book:
        sheet, one = book.add_worksheet(), book.add_format({"num_format": "0.0"})
        sheet.write_row(0, 0, ["Id", "Name", "Knots"])
        for at, mark in enumerate((7.456, 8.0, 6.25)):
            sheet.write_row(at + 1, 0, [at + 2011, NAMES[at]])
            sheet.write(at + 1, 2, mark, one)
    form(tmp_path, 3)
    assert sent(tmp_path, skarvin, "export.xlsx") == ["7.5", "8", "6.3"]
    told = " ".join(skarvin("preview").out.split())
    assert "2 numbers of export.xlsx are stored with more decimals than shown (C2: 7.456, shown with 1 decimal)" in told
    edit(tmp_path / "transfer.toml", "decimals = 1 ", "decimals = 3 ")
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 2) == ["7.456", "8", "6.25"]


@pytest.mark.parametrize("kind", ["workbook", "page"])
def test_students_on_another_sheet_are_asked_about_and_told_and_the_lines_that_are_named_read_them(
    tmp_path: Path, skarvin: Skarvin, kind: str
) -> None:
    halves = ((0, 1, 2), (3, 4))
    if kind == "workbook":
        with xlsxwriter.Workbook(str(tmp_path / "export.xlsx")) as book:
            for name, half in zip(("Keel", "Mast"), halves, strict=True):
                sheet = book.add_worksheet(name)
                sheet.write_row(0, 0, ["Id", "Name", "Knots", *(["Berth"] if name == "Mast" else [])])
                for row, at in enumerate(half, 1):
                    sheet.write_row(row, 0, [at + 2011, NAMES[at], at + 3])
            book.add_worksheet("Legend").write_column(0, 0, ["Code", "ABS", "EXC"])
    else:
        tables = ["".join(f"<tr><td>{at + 2011}<td>{NAMES[at]}<td>{at + 3}" for at in half) for half in halves]
        whole = "".join(f"<table><tr><th>Id<th>Name<th>Knots{rows}</table>" for rows in tables)
        (tmp_path / "export.html").write_text(f"<html><body>{whole}</body></html>")
    export, other = ("export.xlsx", "Mast") if kind == "workbook" else ("export.html", "table 2")
    form(tmp_path, 5)
    said = " ".join(skarvin("draft", export, "form.csv").out.split())
    assert f"'{other}' of {export} holds 2 students, 2 of them not in" in said
    assert "Whether it is read, too, is asked. Written" in said
    assert "Legend" not in said
    transfer = tmp_path / "transfer.toml"
    assert skarvin("write").code == 4, "a question waits"
    (question,) = open_questions(transfer)
    assert f"'{other}' has students of the form" in question.asks
    draft, answers = transfer.read_text(encoding="utf-8"), [choice.answer for choice in question.choices[:2]]
    transfer.write_text(with_answer(draft, question, answers[0], "2026-11-30"), encoding="utf-8")
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["3", "4", "5", "6", "7"]
    left = with_answer(draft, question, answers[1], "2026-11-30")
    assert "[[export]]" not in left
    assert len(draft.splitlines()) - len(left.splitlines()) == 6
    transfer.write_text(left, encoding="utf-8")
    said = " ".join(skarvin("preview").out.split())
    assert f"'{other}' of {export} holds 2 students" in said
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 2) == ["3", "4", "5", "", ""]
    assert f"&#39;{other}&#39; of {export} holds 2 students" in (tmp_path / "report.html").read_text(encoding="utf-8")
    lines = f'[[export]]\nfile = "{export}"\nsheet = "{other}"\nidentifier = "Id"\n'
    form(tmp_path, 3)
    told = " ".join(skarvin("draft", export, "form.csv", "--transfer", "told.toml").out.split())
    assert ", ".join(lines.strip().split("\n")) in told
    assert '"?"' not in told, "nobody of the form is there"
    form(tmp_path, 5)
    edit(tmp_path / "transfer.toml", "[students]", f"{lines}[students]")
    said = " ".join(skarvin("preview", "--transfer", "transfer.toml").out.split())
    assert "isn't read" not in said
    first = "Keel" if kind == "workbook" else "table 1"
    assert f"{export}, sheet '{first}' and {export}, sheet '{other}' -> form.csv" in said
    assert f"{export}, sheet '{other}': 3 " in said
    assert skarvin("write", "--transfer", "transfer.toml", "--replace").code == 0
    assert column(tmp_path, 2) == ["3", "4", "5", "6", "7"]


@pytest.mark.parametrize(
    ("heading", "marks", "sent_as"),
    [
        ("Knots (out of 2000)", ["1.500", "980", "1.250", "2000"], ["1500", "980", "1250", "2000"]),
        ("Knots (out of 2000)", ["1.500", "980", "7.5", "2000"], ["", "980", "7.5", "2000"]),
        ("Knots (out of 1.500)", ["1.500", "980", "1.250", "700"], ["1500", "980", "1250", "700"]),
        ("Knots", ["1.500", "980", "1.250", "700"], ["", "980", "", "700"]),
        ("Knots", ["1.500", "2.250", "3.125", "99"], ["1.50", "2.25", "3.13", "99"]),
        ("Knots", ["1", "2", "3", "4", "5", "6"], ["1", "2", "3", "4", "5", "6"]),
        ("Email writing", ["7", "8", "9", "6"], ["7", "8", "9", "6"]),
    ],
)
def test_what_a_column_s_numbers_are_is_told_by_all_of_them(
    tmp_path: Path, skarvin: Skarvin, heading: str, marks: list[str], sent_as: list[str]
) -> None:
    rows = "".join(f"{at + 2011},{NAMES[at]},{mark}\n" for at, mark in enumerate(marks))
    (tmp_path / "export.csv").write_text(f"Id,Name,{heading}\n{rows}")
    form(tmp_path, len(marks), heading)
    assert sent(tmp_path, skarvin, "export.csv") == sent_as


@pytest.mark.parametrize(("highest", "taken"), [("20", "? -> 100"), ("21", "50 -> 100"), ("50", "50 -> 100")])
def test_two_maxima_of_one_item_are_told_and_asked_where_no_mark_decides(
    tmp_path: Path, skarvin: Skarvin, highest: str, taken: str
) -> None:
    rows = f"2011,Ann Lee,10\n2012,Bo Rey,{highest}\n2013,Cy Fox,4\n"
    (tmp_path / "export.csv").write_text(f"Id,Name,Knots (out of 20)\n,Points possible,50\n{rows}")
    form(tmp_path, 3, "Knots (out of 100)")
    said = skarvin("draft", "export.csv", "form.csv").out
    assert taken in said
    assert "its heading says out of 20, and the row of maxima another" in " ".join(said.split())
    assert skarvin("preview").code == (4 if "?" in taken else 0)


def test_marks_never_go_unseen_into_cells_that_show_days_or_nothing(tmp_path: Path, skarvin: Skarvin) -> None:
    formats = ["yyyy-mm-dd", "0.0", ";;;", '#,##0" days"', "[h]:mm", "General"]
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(["Id", "Name", "Knots"])
    for at, code in enumerate(formats):
        sheet.append([at + 2011, NAMES[at], None])
        sheet.cell(at + 2, 3).number_format = code
    book.save(tmp_path / "form.xlsx")
    rows = "".join(f"{at + 2011},{NAMES[at]},80\n" for at in range(len(formats)))
    (tmp_path / "export.csv").write_text(f"Id,Name,Knots\n{rows}")
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    run = skarvin("write")
    assert run.code == 1
    assert "change the format or the lock of the form's cells" in " ".join(run.out.split())
    marks = [cell for (cell,) in openpyxl.load_workbook(tmp_path / "form-import.xlsx").worksheets[0].iter_rows(
        min_row=2, min_col=3, max_col=3, values_only=True)]  # fmt: skip
    assert [isinstance(mark, dt.date) for mark in marks] == [False] * 6
    assert marks == [None, 80, None, 80, None, 80]


@pytest.mark.parametrize("add", ["nobody", "below"])
def test_a_student_known_by_a_name_in_small_letters_is_one_and_is_never_added_again(
    tmp_path: Path, skarvin: Skarvin, add: str
) -> None:
    rows = "".join(f"{at + 2011},{name},{at + 3}\n" for at, name in enumerate(NAMES[:5]))
    (tmp_path / "export.csv").write_text(f"Id,Name,Knots\n{rows}")
    form(tmp_path, 4)
    with (tmp_path / "form.csv").open("a") as file:
        file.write(",ed ham,\n")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    edit(tmp_path / "transfer.toml", 'add = "nobody"', f'add = "{add}"')
    assert skarvin("write").code == 1
    assert column(tmp_path, 1) == [*NAMES[:4], "ed ham"]
    assert "same name as form row 6" in " ".join(skarvin("preview").out.split())


def test_a_form_all_in_small_letters_is_paired_by_name(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Name,Knots\n" + "".join(f"{name},{at}\n" for at, name in enumerate(NAMES)))
    (tmp_path / "form.csv").write_text("Name,Knots\n" + "".join(f"{name.lower()},\n" for name in NAMES))
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == [str(at) for at in range(len(NAMES))]


@pytest.mark.parametrize(
    ("behind", "marks"),
    [
        (("_14", "_15 (1)", " (1)", "_16", ""), ("14", "15", "", "16", "")),
        ((" (1)", "", "", " (2)", ""), ("", "", "", "", "")),
        ((" (4)", " (1)", " (5)", " (3)", " (2)"), ("4", "1", "5", "3", "2")),
    ],
)
def test_a_number_in_brackets_behind_a_file_s_name_may_count_its_copies(
    tmp_path: Path, skarvin: Skarvin, behind: tuple[str, ...], marks: tuple[str, ...]
) -> None:
    (tmp_path / "marked").mkdir()
    for at, text in enumerate(behind):
        (tmp_path / "marked" / f"{NAMES[at].replace(' ', '_')}_{at + 2011}_Essay{text}.txt").write_text("x")
    form(tmp_path, len(behind), "Essay")
    assert sent(tmp_path, skarvin, "marked") == list(marks)
    waiting = [text.strip() for text, mark in zip(behind, marks, strict=True) if text and not mark]
    assert (list(held(tmp_path).values()) if waiting else []) == waiting


def test_percent_in_a_file_s_name_is_read_with_a_blank_before_the_sign(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "marked").mkdir()
    for at, text in enumerate(("14", "12 %", "15", "16", "17")):
        (tmp_path / "marked" / f"{NAMES[at].replace(' ', '_')}_{at + 2011}_Essay_{text}.txt").write_text("x")
    form(tmp_path, 5, "Essay")
    assert sent(tmp_path, skarvin, "marked") == ["14", "", "15", "16", "17"]
    assert held(tmp_path) == {"2012": "12%"}


PIECES = (
    "good",
    '"late"',
    "see me",
    "2012,Bo Rey,4",
    "a;b",
    "x, y",
    "",
    '"',
    '5"',
    "Id,Name,Knots",
    ' "lead',
    ', "x", ',
)
"""What a line of a comment may look like."""


@settings(max_examples=60, deadline=None)
@given(
    comments=st.lists(st.lists(st.sampled_from(PIECES), min_size=1, max_size=4), min_size=1, max_size=6),
    is_last=st.booleans(),
    quoting=st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    delimiter=st.sampled_from(",;\t"),
)
def test_valid_text_with_comments_of_several_lines_is_read_right_or_refused(
    tmp_path_factory: pytest.TempPathFactory, comments: list[list[str]], is_last: bool, quoting: int, delimiter: str
) -> None:
    rows = [["Id", "Name", "Knots", "Comment"] if is_last else ["Id", "Name", "Comment", "Knots"]]
    for at, lines in enumerate(comments):
        own = [str(at), "\n".join(lines)]
        rows.append([str(at + 2011), "Rey, Bo", *(own if is_last else reversed(own))])
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=delimiter, quoting=quoting, lineterminator="\n").writerows(rows)  # type: ignore[arg-type]
    file = tmp_path_factory.mktemp("text") / "export.csv"
    file.write_text(out.getvalue())
    try:
        grid = read_grid(file)
    except SkarvinError as error:
        is_right = any("--quotes around" in found.mend for found in error.findings)
    else:
        is_right = [list(grid.cells(row)) for row in range(len(grid))] == rows
    assert is_right


def test_a_column_of_one_title_in_both_files_is_never_passed_over_in_silence(tmp_path: Path, skarvin: Skarvin) -> None:
    cells = ["1O", "x7", "7 (?)", "12", "zz"]
    rows = "".join(f"{at + 2011},{NAMES[at]},{at},{cell}\n" for at, cell in enumerate(cells))
    (tmp_path / "export.csv").write_text(f"Id,Name,Knots,Boards\n{rows}")
    form(tmp_path, 5, "Knots,Boards")
    assert "Not known, and left out: D 'Boards'" in " ".join(skarvin("draft", "export.csv", "form.csv").out.split())
    assert "1 item is in both files and not in the transfer ('Boards')" in " ".join(skarvin("preview").out.split())
    with (tmp_path / "transfer.toml").open("a") as file:
        file.write('\n[[item]]\nfrom = "Boards"\nto = ""\n')
    assert "in both files" not in skarvin("preview").out


HULLS = ["She worked well on this", "2026-03-04", "ok", "7 then", "very good\u2026"]


@pytest.mark.parametrize("hull", HULLS)
@pytest.mark.parametrize("first", ["numbers first", "words first"])
def test_what_has_marks_in_one_export_is_blank_in_none(tmp_path: Path, skarvin: Skarvin, hull: str, first: str) -> None:
    """Of two exports with one heading, cells that look like something else in one are held, and not passed over."""
    head = "Id,Name,Hull,Sail\n"
    texts = [head + "1,Ana Sato,7,8\n2,Rui Nair,9,6\n", head + f"3,Zoe Abara,{hull},5\n4,Ole Ek,{hull} too,4\n"]
    for name, text in zip("ab", texts if first == "numbers first" else texts[::-1], strict=True):
        (tmp_path / f"{name}.csv").write_text(text, encoding="utf-8")
    (tmp_path / "form.csv").write_text(head + "".join(f"{n},,,\n" for n in range(1, 5)))
    assert skarvin("draft", "a.csv", "b.csv", "form.csv").code == 0
    assert skarvin("write").code == 1
    (item,) = [
        one for one in json.loads((tmp_path / "ledger.json").read_bytes())["items"] if one["from"]["title"] == "Hull"
    ]
    assert {fate: count for fate, count in item["fates"].items() if count} == {"sent": 2, "held": 2}


@pytest.mark.parametrize(
    ("again", "says"),
    [
        (
            "Id,Name,Sail,Hull",
            "row 4, column C: the headings stand here again, and otherwise: 'Sail', and above 'Hull'",
        ),
        (
            "Id,Name,Mast,Hull",
            "row 4, column C: the headings stand here again, and otherwise: 'Mast', and above 'Hull'",
        ),
        ("Name,Id,Hull,Sail", "row 4, column A: the headings stand here again, and otherwise: 'Name', and above 'Id'"),
        ("Id,Name,Hull,Sail", ""),
    ],
)
def test_no_mark_is_read_under_a_heading_that_is_another_further_down(
    tmp_path: Path, skarvin: Skarvin, again: str, says: str
) -> None:
    above, below = "Id,Name,Hull,Sail\n1,Ana,7,8\n2,Rui,9,6\n", "3,Zoe,5,4\n4,Ole,6,7\n"
    below = "Zoe,3,5,4\nOle,4,6,7\n" if again.startswith("Name") else below
    (tmp_path / "export.csv").write_text(f"{above}{again}\n{below}")
    (tmp_path / "form.csv").write_text("Id,Hull,Sail\n1,,\n2,,\n3,,\n4,,\n")
    run = skarvin("draft", "export.csv", "form.csv")
    assert (run.code, says in run.err) == (3 if says else 0, True)
    if says:  # the way on
        (tmp_path / "export.csv").write_text(above)
        (tmp_path / "more.csv").write_text(f"{again}\n{below}")
        assert skarvin("draft", "export.csv", "more.csv", "form.csv").code == 0
    assert skarvin("write").code in {0, 1}
    sails = ["8", "6", *(["5", "6"] if again == "Id,Name,Sail,Hull" else ["", ""] if "Mast" in again else ["4", "7"])]
    assert column(tmp_path, 2) == sails


def test_the_identifiers_of_a_further_export_are_no_marks(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "a.csv").write_text("Id,Hull\n1,7\n2,9\n")
    (tmp_path / "b.csv").write_text("Hull,Sail\n3,5\n4,6\n")
    (tmp_path / "form.csv").write_text("Id,Hull,Sail\n1,,\n2,,\n3,,\n4,,\n")
    sides = '[source]\nfile = "a.csv"\nidentifier = "Id"\n[[export]]\nfile = "b.csv"\nidentifier = "Hull"\n'
    items = '[target]\nfile = "form.csv"\nidentifier = "Id"\n[[item]]\nfrom = "{}"\nto = "Hull"\n'
    for name, code in (("Hull", 3), ("a.csv:Hull", 1)):
        (tmp_path / "transfer.toml").write_text(f"version = 1\n{sides}{items.format(name)}")
        run = skarvin("write")
        assert run.code == code, run.err
        assert ("row 1, column A 'Hull': this column tells the students apart" in run.err) is (code == 3)
    assert (tmp_path / "form-import.csv").read_text() == "Id,Hull,Sail\n1,7,\n2,9,\n3,,\n4,,\n"


def test_a_correction_survives_the_line_ends_of_a_spreadsheet(tmp_path: Path, skarvin: Skarvin) -> None:
    export = page(tmp_path, ["5<br>7", "8", "9", "6"])
    edit(tmp_path / export, "<th>Knots", "<th>Knots<br>and bends")
    edit(tmp_path / "form.csv", "Knots", "Knots and bends")
    assert skarvin("draft", export, "form.csv").code == 0
    assert skarvin("write").code == 1
    text = (tmp_path / "held.csv").read_text(encoding="utf-8-sig")
    rows = list(csv.reader(io.StringIO(text, newline="")))
    rows[1][6:9] = ["M. S\u00e1", "seen on paper", "7"]
    rows[1] = [cell.replace("\r", "").replace("\n", "\r\n") for cell in rows[1]]
    with (tmp_path / "held.csv").open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines).writerows(rows)
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 2) == ["7", "8", "9", "6"]


def test_a_sheet_of_the_same_students_is_told_and_not_asked_about(tmp_path: Path, skarvin: Skarvin) -> None:
    with xlsxwriter.Workbook(str(tmp_path / "export.xlsx")) as book:
        for name, item in (("First", "Knots"), ("Second", "Ropes")):
            sheet = book.add_worksheet(name)
            sheet.write_row(0, 0, ["Id", "Name", item])
            for row in (1, 2, 3):
                sheet.write_row(row, 0, [row + 2010, NAMES[row - 1], row + 3])
    form(tmp_path, 3)
    said = " ".join(skarvin("draft", "export.xlsx", "form.csv").out.split())
    assert "'Second' of export.xlsx holds 3 students of 'First', and isn't read: 'First' is. To read it, too" in said
    assert "question" not in said
    assert skarvin("write").code == 0
