"""Every kind of file, made here so that what it says is known."""

import csv
import io
import json
import zipfile
from datetime import date
from pathlib import Path

import openpyxl
import pytest
import xlwt

from skarvin.core.findings import Unreadable
from skarvin.core.grid.encoding import mend_mangled
from skarvin.core.grid.grid import CellGrid, Grid, TextGrid
from skarvin.core.grid.read import ReadAs, read_grid

SPECTRUM = Path(__file__).parent.parent / "data" / "csv-spectrum"
ROWS = [["No", "Name", "Knots"], ["0017", "Łęcka, Małgorzata", "7,5"], ["0018", "D’Angelo", "8"]]
LATIN = [
    ["No", "Name", "Knots"],
    ["0017", "Müller, Jörg", "7"],
    ["0018", "García Peña, Inés", "8"],
    ["0019", "Çelik", ""],
]
POLISH = [["No", "Name"], ["1", "Łęcka, Małgorzata"], ["2", "Wójcik, Grażyna"], ["3", "Śliwa, Paweł"]]


def table(grid: Grid) -> list[list[str]]:
    return [list(row) for row in grid.rows()]


def text(rows: list[list[str]], delimiter: str = ";", end: str = "\r\n") -> str:
    lines = io.StringIO(newline="")
    csv.writer(lines, delimiter=delimiter, lineterminator=end).writerows(rows)
    return lines.getvalue()


@pytest.mark.parametrize("name", sorted(path.stem for path in (SPECTRUM / "csvs").iterdir()))
def test_the_public_acid_tests_read_right(name: str) -> None:
    head, *rows = table(read_grid(SPECTRUM / "csvs" / f"{name}.csv"))
    expected = json.loads((SPECTRUM / "json" / f"{name}.json").read_text(encoding="utf-8"))
    found = [dict(zip(head, row, strict=True)) for row in rows]
    if name == "location_coordinates":  # there the number in the CSV isn't the one in the JSON, which is no list either
        found[0]["Contact Phone Number"], expected = "1234567890", [expected]
    assert found == expected


@pytest.mark.parametrize(
    ("codec", "mark", "rows", "title"),
    [
        ("utf-8", b"", ROWS, "UTF-8"),
        ("utf-8", b"\xef\xbb\xbf", ROWS, "UTF-8 with BOM"),
        ("utf-16-le", b"\xff\xfe", ROWS, "UTF-16 LE with BOM"),
        ("utf-16-be", b"\xfe\xff", ROWS, "UTF-16 BE with BOM"),
        ("utf-16-le", b"", ROWS, "UTF-16 LE"),
        ("utf-16-be", b"", ROWS, "UTF-16 BE"),
        ("cp1252", b"", [*LATIN, ["0020", "D’Angelo", "9"]], "Windows-1252"),
        ("iso8859-1", b"", LATIN, "Windows-1252"),
        ("mac-roman", b"", LATIN, "Mac Roman"),
        ("cp1250", b"", POLISH, "Windows-1250"),
        ("iso8859-2", b"", POLISH, "ISO-8859-2"),
    ],
)
def test_an_encoding_is_told_by_the_bytes(
    tmp_path: Path, codec: str, mark: bytes, rows: list[list[str]], title: str
) -> None:
    file = tmp_path / "export.xls"
    file.write_bytes(mark + text(rows).encode(codec))
    grid = read_grid(file)
    assert isinstance(grid, TextGrid)
    assert (table(grid), grid.encoding.title) == (rows, title)
    assert "".join(a + b for a, b in zip(grid.records, grid.ends, strict=True)).encode(codec) == text(rows).encode(
        codec
    )


@pytest.mark.parametrize(
    ("written", "dialect"),
    [
        ("No|Name|Knots\n1|a;b|7,5\n2|c|8\n", "pipe between cells"),
        ("'No','Name'\n'1','O''Rourke, D'\n'2','x'\n", "comma between cells, single quotation marks"),
        ('"No","Name"\n"1","a \\"b\\", c"\n"2","d"\n', "comma between cells, escaped with a backslash"),
        ("No\tName\n1\ta, b\n2\tc; d\n", "tab between cells"),
        ("Tidewrack, autumn\n\nNo;Name\n1;a, b\n2;c\n", "semicolon between cells"),
        ("No;A;B\n1;7,5;8,5\n2;9,5;1,5\n", "semicolon between cells"),
    ],
)
def test_a_dialect_is_told_by_the_rows(tmp_path: Path, written: str, dialect: str) -> None:
    (tmp_path / "x.csv").write_text(written)
    grid = read_grid(tmp_path / "x.csv")
    assert isinstance(grid, TextGrid)
    assert grid.dialect.title == dialect
    assert [[grid.dialect.value(raw) for raw in grid.raw_cells(row)] for row in range(len(grid))] == table(grid)
    assert {"O'Rourke, D", 'a "b", c', "a, b", "7,5", "a;b"} & {cell for row in table(grid) for cell in row}


def xlsx(folder: Path) -> Path:
    book = openpyxl.Workbook()
    cover = book.active
    assert cover is not None
    cover.title = "Cover"
    cover["A1"] = "Tidewrack"
    marks = book.create_sheet("Marks")
    for row in [["No", "Name", "Knots", "Share", "Day", "Sum"], [17, "Síle", 7.5, 0.625, date(2026, 3, 4), "=1+1"]]:
        marks.append(row)
    marks.append(["0018", "=SUM(", 8, 1, None, None])
    marks["B3"].data_type = "s"
    marks.append(["note"])
    marks["A2"].number_format, marks["D2"].number_format, marks["D3"].number_format = "0000", "0.0%", "0%"
    marks.row_dimensions[3].hidden = True
    marks.column_dimensions["F"].hidden = True
    marks.merge_cells("A4:B4")
    book.create_sheet("Old").sheet_state = "hidden"
    file = folder / "export.csv"
    book.save(file)
    return file


def test_a_workbook_is_read_as_it_shows_itself(tmp_path: Path) -> None:
    grid = read_grid(xlsx(tmp_path))
    assert isinstance(grid, CellGrid)
    assert grid.title == "workbook (.xlsx), 'Marks': it has the most filled cells of 2 sheets"
    assert table(grid) == [
        ["No", "Name", "Knots", "Share", "Day", "Sum"],
        ["0017", "Síle", "7.5", "62.5%", "2026-03-04", "#not stored"],
        ["0018", "=SUM(", "8", "100%", "", ""],
        ["note", "", "", "", "", ""],
    ]
    assert {(note.slug, note.place.row_number if note.place else None) for note in grid.notes} == {
        *(("formatted", None), ("formula-without-value", None)),
        *(("hidden-rows", 3), ("hidden-columns", None), ("merged", None)),
    }


def test_a_sheet_is_chosen_by_name_or_position_and_hidden_parts_are_skipped_when_told_to(tmp_path: Path) -> None:
    file = xlsx(tmp_path)
    assert table(read_grid(file, ReadAs(sheet="1"))) == [["Tidewrack"]]
    grid = read_grid(file, ReadAs(sheet="Marks", skip_hidden=True))
    assert [row[0] for row in table(grid)] == ["No", "0017", "", "note"]  # a hidden row keeps its place
    assert (str(grid.place(3)), grid.cells(0)[5]) == ("export.csv, sheet 'Marks', row 4", "")
    with pytest.raises(Unreadable, match="there is no sheet 'Mark'"):
        read_grid(file, ReadAs(sheet="Mark"))


def test_a_legacy_workbook_is_read_as_it_shows_itself(tmp_path: Path) -> None:
    book = xlwt.Workbook()
    sheet = book.add_sheet("Marks")
    zeros, percent = xlwt.easyxf(num_format_str="0000"), xlwt.easyxf(num_format_str="0.0%")
    day = xlwt.easyxf(num_format_str="YYYY-MM-DD")
    for column, (value, style) in enumerate(
        [
            (17, zeros),
            (0.625, percent),
            (date(2026, 3, 4), day),
            ("Łęcka", xlwt.Style.default_style),
            (7.5, xlwt.Style.default_style),
        ]
    ):
        sheet.write(0, column, value, style)
    book.save(str(tmp_path / "export.csv"))
    assert table(read_grid(tmp_path / "export.csv")) == [["0017", "62.5%", "2026-03-04", "Łęcka", "7.5"]]


def ods(rows: str) -> bytes:
    names = "".join(
        f' xmlns:{one}="urn:oasis:names:tc:opendocument:xmlns:{one}:1.0"' for one in ("office", "table", "text")
    )
    sheet = f'<table:table table:name="Marks">{rows}</table:table>'
    content = f"<office:document-content{names}>{sheet}</office:document-content>"
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
    return packed.getvalue()


def test_an_open_document_is_read_as_it_shows_itself(tmp_path: Path) -> None:
    cell = '<table:table-cell office:value="{}"><text:p>{}</text:p></table:table-cell>'
    rows = f"<table:table-row>{cell.format('17', '0017')}{cell.format('0.625', '62.5%')}"
    rows += '<table:table-cell table:number-columns-repeated="1000"/></table:table-row>'
    rows += '<table:table-row table:number-rows-repeated="1000000"><table:table-cell/></table:table-row>'
    (tmp_path / "export.csv").write_bytes(ods(rows))
    assert table(read_grid(tmp_path / "export.csv")) == [["0017", "62.5%"]]


def test_a_page_with_a_table_is_read_whatever_it_calls_itself(tmp_path: Path) -> None:
    page = """<html><head><meta charset="iso-8859-1"></head><body><table><tr><td>menu</td></tr></table>
    <table><tr><th>No</th><th colspan=2>Name</th></tr><tr><td>0017</td><td>Jörg</td><td rowspan=2>x</td></tr>
    <tr><td>0018</td><td>In&eacute;s<br> Peña</td></tr></table>"""
    (tmp_path / "export.xls").write_bytes(page.encode("iso8859-1"))
    assert table(read_grid(tmp_path / "export.xls")) == [
        ["No", "Name", ""],
        ["0017", "Jörg", "x"],
        ["0018", "Inés\nPeña", ""],
    ]


@pytest.mark.parametrize(
    ("mangled", "mended"), [("SÃ­le", "Síle"), ("Å\x81Ä™cka", "Łęcka"), ("Müller", None), ("Ã", None)]
)
def test_text_that_was_read_in_the_wrong_encoding_is_recognised(mangled: str, mended: str | None) -> None:
    assert mend_mangled(mangled) == mended


def packed(**parts: str | bytes) -> bytes:
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    return data.getvalue()


OOXML = "http://schemas.openxmlformats.org"
MAIN, RELS = f"{OOXML}/spreadsheetml/2006/main", f"{OOXML}/officeDocument/2006/relationships"
BOOK = {
    "[Content_Types].xml": f'<Types xmlns="{OOXML}/package/2006/content-types"/>',
    "xl/workbook.xml": f'<workbook xmlns="{MAIN}" xmlns:r="{RELS}"><sheets>'
    '<sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>',
    "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{OOXML}/package/2006/relationships">'
    f'<Relationship Id="r1" Type="{RELS}/worksheet" Target="worksheets/a.xml"/></Relationships>',
}
SHEET = (
    '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData></worksheet>'
)
ENTITIES = "<!DOCTYPE x [<!ENTITY a 'aaaaaaaaaa'>" + "".join(
    f"<!ENTITY {chr(98 + n)} '{f'&{chr(97 + n)};' * 10}'>" for n in range(9)
)


def workbook_without_cells() -> bytes:
    data = io.BytesIO()
    openpyxl.Workbook().save(data)
    return data.getvalue()


def lying() -> bytes:
    """A workbook whose sheet unpacks to far more than its archive says."""
    sheet = SHEET.format('<row r="1"><c r="A1"><v>1</v></c></row>' + " " * 5_000_000)
    data = packed(**BOOK, **{"xl/worksheets/a.xml": sheet})
    size = len(sheet).to_bytes(4, "little")
    assert data.count(size) == 2
    return data.replace(size, (1000).to_bytes(4, "little"))


def legacy() -> bytes:
    data = io.BytesIO()
    book = xlwt.Workbook()
    book.add_sheet("Marks").write(0, 0, "No")
    book.save(data)
    return data.getvalue()


HOSTILE = {
    "lying": (lying(), "damaged"),
    "bomb": (packed(**BOOK, **{"xl/worksheets/a.xml": b" " * 900_000_000}), "would unpack to 900 MB"),
    "entities": (packed(**BOOK | {"xl/workbook.xml": f"{ENTITIES}]><workbook>&j;</workbook>"}), "damaged"),
    "strewn": (
        packed(
            **BOOK, **{"xl/worksheets/a.xml": SHEET.format('<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>')}
        ),
        "strewn over 1,048,576 rows",
    ),
    "no cells": (workbook_without_cells(), "no cells"),
    "cut": (packed(**BOOK, **{"xl/worksheets/a.xml": "<worksheet><sheetData><row><c"}), "damaged|no cells"),
    "no sheet": (packed(**BOOK), "damaged"),
    "encrypted": (
        b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600 + "EncryptedPackage".encode("utf-16-le"),
        "encrypted",
    ),
    "cut legacy": (legacy()[:3000], "damaged"),
    "broken legacy": (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600, "damaged"),
    "open document with entities": (ods("<!ENTITY"), "damaged"),
    "archive": (packed(**{"marks.txt": "1"}), "an archive, and no workbook"),
}


@pytest.mark.parametrize("hostile", HOSTILE)
def test_a_hostile_or_damaged_workbook_gives_one_clear_message(tmp_path: Path, hostile: str) -> None:
    data, says = HOSTILE[hostile]
    (tmp_path / "export.xlsx").write_bytes(data)
    with pytest.raises(Unreadable, match=says):
        read_grid(tmp_path / "export.xlsx")


def test_a_legacy_workbook_tells_raised_and_struck_out_text_errors_and_rounded_numbers(tmp_path: Path) -> None:
    book = xlwt.Workbook()
    sheet = book.add_sheet("Marks")
    raised, struck, lowered = xlwt.Font(), xlwt.Font(), xlwt.Font()
    raised.escapement, lowered.escapement, struck.struck_out = 1, 2, True
    for place, text in enumerate(("No", "Name", "Knots")):
        sheet.write(0, place, text)
    sheet.write_rich_text(1, 2, ["5", ("1", raised)])
    sheet.write_rich_text(2, 2, [("5", struck), " 7"])
    sheet.write_rich_text(3, 2, ["H", ("2", lowered), "O"])
    sheet.write(4, 2, 7.456, xlwt.easyxf(num_format_str="0.0"))
    sheet.row(5).set_cell_error(2, 0x2A)
    book.save(tmp_path / "export.xls")
    grid = read_grid(tmp_path / "export.xls")
    assert isinstance(grid, CellGrid)
    texts = [" ".join(grid.cells(row)[2].split()) for row in range(1, 6)]
    assert texts == ["5¹", "~5~ 7", "H₂O", "7.456", "#N/A"]
    assert {note.slug for note in grid.notes} == {"shown-rounded", "error-cells"}
    assert dict(grid.rounded) == {2: 1}
