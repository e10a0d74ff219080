"""Workbooks and pages that are out to hang, kill or fool their reader."""

import io
import random
import zipfile
from collections.abc import Iterator, Mapping

import xlwt
from cases import EXPORT, PLAYS, Case, as_export

MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006"
TYPES = f"""<Types xmlns="{PACKAGE}/content-types"><Default Extension="xml" ContentType="application/xml"/>
<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/></Types>"""
ROOT = f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="r1" Type="{OFFICE}/officeDocument" Target="xl/workbook.xml"/></Relationships>'
ROWS = [line.replace('"', "").split(",") for line in EXPORT.replace(", ", " ").splitlines()]


def cell(name: str, text: str) -> str:
    """Return a cell with a text."""
    return f'<c r="{name}" t="inlineStr"><is><t>{text}</t></is></c>'


def ordinary_rows() -> str:
    """Return the rows of the small class."""
    return "".join(
        f'<row r="{number}">' + "".join(cell(f"{'ABCD'[at]}{number}", text) for at, text in enumerate(row)) + "</row>"
        for number, row in enumerate(ROWS, 1)
    )


def sheet_xml(rows: str = "", before: str = "", after: str = "", inside: str = "") -> str:
    """Return a sheet: the ordinary rows and some more."""
    return f"<worksheet {MAIN}>{before}<sheetData{inside}>{ordinary_rows()}{rows}</sheetData>{after}</worksheet>"


def book(
    sheets: Mapping[str, str | bytes], parts: Mapping[str, str | bytes | None] | None = None, level: int = 6
) -> bytes:
    """Return a workbook of some sheets; `parts` are further ones, or none where they are None."""
    names = "".join(f'<sheet name="{name}" sheetId="{at}" r:id="r{at}"/>' for at, name in enumerate(sheets, 1))
    links = "".join(
        f'<Relationship Id="r{at}" Type="{OFFICE}/worksheet" Target="worksheets/sheet{at}.xml"/>'
        for at in range(1, len(sheets) + 1)
    )
    whole: dict[str, str | bytes | None] = {
        "[Content_Types].xml": TYPES,
        "_rels/.rels": ROOT,
        "xl/workbook.xml": f'<workbook {MAIN} xmlns:r="{OFFICE}"><sheets>{names}</sheets></workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships">{links}</Relationships>',
    }
    whole |= {f"xl/worksheets/sheet{at}.xml": xml for at, xml in enumerate(sheets.values(), 1)}
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED, compresslevel=level) as archive:
        for name, part in (whole | dict(parts or {})).items():
            if part is not None:
                archive.writestr(name, part)
    return data.getvalue()


def workbook_cases() -> Iterator[Case]:
    """Yield the cases."""
    for name, data in (*_sheets(), *_parts(), *_archives()):
        yield as_export(f"xlsx: {name}", data, "strange.xlsx")
    for name, text in _open_documents():
        yield as_export(f"ods: {name}", _ods(text), "strange.ods")
    for name, text in _pages():
        yield as_export(f"html: {name}", text, "strange.html")
    for name, data in _legacy():
        yield as_export(f"xls: {name}", data, "strange.xls")


def _sheets() -> Iterator[tuple[str, bytes]]:
    far = (
        "XFD1048576",
        "xfd1048576",
        "ZZ99999",
        "A1048576",
        "XFD1",
        "AAA1",
        "Z999999",
        "ZZZZZZ1",
        "A99999999999",
        "A0",
        "A-1",
        "",
    )
    for at in far:
        for form in ('r="{}"', "r='{}'", 'r = "{}"', 'r\n=\n"{}"', 's="0" r="{}"', 'r="&#65;{}"'):
            row = f"<row><c {form.format(at)} t='inlineStr'><is><t>x</t></is></c></row>"
            yield f"a cell {form.format(at)!r}", book({"Marks": sheet_xml(row)})
    for number in ("1048576", "99999999", "4294967296", "0", "-5", "x"):
        yield (
            f"a row {number} whose cells have no name",
            book({"Marks": sheet_xml(f"<row r='{number}'><c><v>5</v></c></row>")}),
        )
    for count in (1_000, 20_000):
        junk = {
            "comments": "<!-- a -->" * count,
            "comments with cells": '<!-- <c r="A1"><f>1</f> -->' * count,
            "comments that don't end": "<!-- " * count,
            "tags that don't end": "<c " * count,
            "tags with names that don't end": '<c r="A1" ' * count,
            "names in one tag": "<c " + 'r="A1" ' * count + "/>",
            "names of other kinds in one tag": "<c " + " ".join(f'q{i}:r="A1"' for i in range(count)) + "/>",
            "blanks in a tag": f'<row><c {" " * count}r="A9"{" " * count}><f>1</f></c></row>',
            "blank formulas": '<row><c r="A9"><f>1</f></c></row>' * count,
            "data sections": "<![CDATA[ <c r='A1'> ]]>" * count,
            "columns": '<cols><col min="1" max="16384" hidden="1"/></cols>' * count,
            "instructions": "<?x y?>" * count,
            "nested": "<a>" * count,
            "hidden rows": '<row r="9" hidden="1"/>' * count,
            "closing brackets": ">" * count,
        }
        for name, text in junk.items():
            yield f"{count} {name}", book({"Marks": sheet_xml(text)})
            yield f"{count} {name} before the rows", book({"Marks": sheet_xml(before=text)})
    yield "a cell of 5 MB", book({"Marks": sheet_xml(f"<row r='9'>{cell('A9', 'x' * 5_000_000)}</row>")})
    yield "a number of 5,000 digits", book({"Marks": sheet_xml(f"<row r='9'><c r='A9'><v>{'9' * 5_000}</v></c></row>")})
    yield (
        "a number 1e999",
        book({"Marks": sheet_xml("<row r='9'><c r='A9'><v>1e999</v></c><c r='B9'><v>nan</v></c></row>")}),
    )
    yield "a shared text that isn't there", book({"Marks": sheet_xml("<row r='9'><c r='A9' t='s'><v>99</v></c></row>")})
    yield "a date that is none", book({"Marks": sheet_xml("<row r='9'><c r='A9' t='d'><v>hello</v></c></row>")})
    yield "a kind of cell that is none", book({"Marks": sheet_xml("<row r='9'><c r='A9' t='zz'><v>1</v></c></row>")})
    yield "dimensions without end", book({"Marks": sheet_xml(before='<dimension ref="A1:XFD1048576"/>')})
    yield "a table of 16,384 columns", book({"Marks": sheet_xml("<row>" + "<c><v>5</v></c>" * 16_384 + "</row>")})
    yield "a table of 20,000 columns", book({"Marks": sheet_xml("<row>" + "<c><v>5</v></c>" * 20_000 + "</row>")})
    yield (
        "merged without end",
        book({"Marks": sheet_xml(after='<mergeCells><mergeCell ref="A1:XFD1048576"/></mergeCells>' * 5_000)}),
    )
    for play in PLAYS:
        sign = f"&#{ord(play[0])};" if ord(play[0]) > 127 else "&#27;"
        yield (
            f"{play!r} in cells and the sheet's name",
            book({f"Marks{sign}": sheet_xml(f"<row r='9'>{cell('A9', sign + play[1:])}</row>")}),
        )
    yield "1,000 sheets", book({f"Sheet {i}": sheet_xml() for i in range(1_000)})
    yield (
        "many strewn sheets",
        book({f"S{i}": sheet_xml("<row r='9000'><c r='ZY9000'><v>1</v></c></row>") for i in range(60)}),
    )
    bomb = (
        '<!DOCTYPE x [<!ENTITY a "ha">'
        + "".join(f"<!ENTITY {b} '{f'&{a};' * 10}'>" for a, b in zip("abcdefgh", "bcdefghi", strict=True))
        + "]>"
    )
    yield "entities that grow", book({"Marks": bomb + sheet_xml("<row r='9'>" + cell("A9", "&i;") + "</row>")})
    out = '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]>'
    yield "an entity from outside", book({"Marks": out + sheet_xml("<row r='9'>" + cell("A9", "&a;") + "</row>")})


def _parts() -> Iterator[tuple[str, bytes]]:
    rows = {"Marks": sheet_xml()}
    for part in ("[Content_Types].xml", "_rels/.rels", "xl/_rels/workbook.xml.rels", "xl/worksheets/sheet1.xml"):
        yield f"without {part}", book(rows, {part: None})
        yield f"{part} is empty", book(rows, {part: ""})
        yield f"{part} is junk", book(rows, {part: b"\0\xff<" * 500})
        yield f"{part} is deep", book(rows, {part: "<a>" * 50_000})
    percent, zeros, brackets, digits = '<xf numFmtId="9"/>' * 60_000, "0" * 500_000, "[" * 50_000, "9" * 5_000
    styles = {
        "a style of no number": f'<styleSheet {MAIN}><numFmts><numFmt numFmtId="x" formatCode="0%"/></numFmts></styleSheet>',
        "a style of many digits": f'<styleSheet {MAIN}><numFmts><numFmt numFmtId="{digits}" formatCode="0%"/></numFmts></styleSheet>',
        "a format of zeros": f'<styleSheet {MAIN}><numFmts><numFmt numFmtId="200" formatCode="{zeros}"/></numFmts><cellXfs><xf numFmtId="200"/></cellXfs></styleSheet>',
        "many formats": f"<styleSheet {MAIN}><cellXfs>{percent}</cellXfs></styleSheet>",
        "a format of brackets": f'<styleSheet {MAIN}><numFmts><numFmt numFmtId="200" formatCode="{brackets}"/></numFmts><cellXfs><xf numFmtId="200"/></cellXfs></styleSheet>',
    }
    for name, text in styles.items():
        sheet = sheet_xml('<row r=\'9\'><c r="A9" s="0"><v>5</v></c></row>')
        links = f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="r1" Type="{OFFICE}/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r9" Type="{OFFICE}/styles" Target="styles.xml"/></Relationships>'
        yield name, book({"Marks": sheet}, {"xl/styles.xml": text, "xl/_rels/workbook.xml.rels": links})
    drawing = f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="d1" Type="{OFFICE}/drawing" Target="../drawings/none.xml"/></Relationships>'
    broken = sheet_xml("<row r='9'><c r='A9' t='s'><v>99</v></c></row>", after='<drawing r:id="d1"/>').replace(
        MAIN, f'{MAIN} xmlns:r="{OFFICE}"'
    )
    yield (
        "another sheet is damaged",
        book({"Marks": sheet_xml(), "Broken": broken}, {"xl/worksheets/_rels/sheet2.xml.rels": drawing}),
    )
    yield (
        "the target climbs out",
        book(
            rows,
            {
                "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="r1" Type="{OFFICE}/worksheet" Target="../../../../etc/passwd"/></Relationships>'
            },
        ),
    )
    shared = f'<sst {MAIN} count="4294967295" uniqueCount="4294967295"><si><t>x</t></si></sst>'
    yield "shared texts without end", book(rows, {"xl/sharedStrings.xml": shared})


def _archives() -> Iterator[tuple[str, bytes]]:
    whole = book({"Marks": sheet_xml()})
    chance = random.Random(3)
    for number in range(30):
        data = bytearray(whole)
        for _ in range(chance.randint(1, 10)):
            data[chance.randrange(len(data))] = chance.randrange(256)
        yield f"bytes changed at random, {number}", bytes(data)
    for number in range(30):
        xml = bytearray(sheet_xml().encode())
        for _ in range(chance.randint(1, 8)):
            xml[chance.randrange(len(xml))] = chance.choice(b"<>\"'=/ &;rcv0\x00")
        yield f"signs of the sheet changed at random, {number}", book({"Marks": bytes(xml)})
    for share in (0.1, 0.5, 0.9, 0.99):
        yield f"cut off at {share:.0%}", whole[: int(len(whole) * share)]
    yield "a bomb", book({"Marks": sheet_xml(" " * 300_000_000)}, level=9)
    yield (
        "a bomb that hides",
        book(
            {"Marks": sheet_xml(" " * 19_000_000)} | {f"S{i}": sheet_xml(" " * 19_000_000) for i in range(30)}, level=9
        ),
    )
    yield "50,000 parts", book({"Marks": sheet_xml()}, {f"x{i}": "" for i in range(50_000)})
    yield "parts of one name", book({"Marks": sheet_xml(), "marks": sheet_xml(), "MARKS": sheet_xml()})
    yield "behind other bytes", b"GIF8" + whole
    yield "before other bytes", whole + b"\0" * 70_000


def _ods(body: str) -> bytes:
    spaces = " ".join(
        f'xmlns:{short}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for short, name in (("office", "office"), ("table", "table"), ("text", "text"))
    )
    content = f"<office:document-content {spaces}><office:body><office:spreadsheet>{body}</office:spreadsheet></office:body></office:document-content>"
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", content)
    return data.getvalue()


def _open_documents() -> Iterator[tuple[str, str]]:
    one = "<table:table-cell{}><text:p>{}</text:p></table:table-cell>"
    rows = "".join(
        "<table:table-row>" + "".join(one.format("", text) for text in row) + "</table:table-row>" for row in ROWS
    )
    across, down = ' table:number-columns-repeated="{}"', ' table:number-rows-repeated="{}"'
    for number in ("1048576", "16384", "999999999999", "-5", "0", "x", "9" * 5_000, "1e9", ""):
        wide = f"<table:table-row>{one.format(across.format(number), 'x')}</table:table-row>"
        tall = f"<table:table-row{down.format(number)}>{one.format('', 'x')}</table:table-row>"
        both = f"<table:table-row{down.format(number)}>{one.format(across.format(number), 'x')}</table:table-row>"
        blank = f"<table:table-row{down.format(number)}><table:table-cell{across.format(number)}/></table:table-row>"
        for name, text in {"wide": wide, "tall": tall, "both": both, "blank": blank + wide, "many": tall * 200}.items():
            yield f"{name} by {number[:14]}", f'<table:table table:name="Marks">{rows}{text}</table:table>'
    yield (
        "wide rows, often",
        f'<table:table table:name="Marks">{rows}'
        + f"<table:table-row{down.format(1_000)}>{one.format(across.format(16_000), 'x')}</table:table-row>" * 50
        + "</table:table>",
    )
    yield "deep", "<table:table>" * 50_000
    yield "no table", ""
    yield "tables in a table", '<table:table table:name="a">' * 200 + rows + "</table:table>" * 200
    yield "many sheets", f'<table:table table:name="Marks">{rows}</table:table>' * 2_000
    yield (
        "a long cell",
        f'<table:table table:name="Marks">{rows}<table:table-row>{one.format("", "x" * 5_000_000)}</table:table-row></table:table>',
    )


def _pages() -> Iterator[tuple[str, str]]:
    rows = "".join("<tr>" + "".join(f"<td>{text}</td>" for text in row) + "</tr>" for row in ROWS)
    for number in ("1000", "65534", "999999999", "-1", "9" * 5_000, "x"):
        yield f"a cell across {number[:10]}", f"<table>{rows}<tr><td colspan={number}>x</td></tr></table>"
        yield f"a cell down {number[:10]}", f"<table>{rows}<tr><td rowspan={number}>x</td><td>y</td></tr></table>"
        yield (
            f"a cell both ways {number[:10]}",
            f"<table>{rows}<tr>{f'<td colspan={number} rowspan={number}>x</td>' * 20}</tr></table>",
        )
    yield "spans in each row", "<table>" + "<tr><td rowspan=1000 colspan=1000>x</td></tr>" * 3_000 + "</table>"
    yield "spans down in each row", "<table>" + "<tr><td rowspan=1000>x</td></tr>" * 3_000 + "</table>"
    yield "tables in tables", "<table><tr><td>" * 3_000 + rows
    yield "many tables", f"<table>{rows}</table>" * 3_000
    yield "tags without end", "<table>" + "<td" * 200_000
    yield "nothing but open cells", "<table>" + "<tr><td>" * 200_000
    yield "entities", f"<table>{rows}<tr><td>{'&#x202e;&#27;[2J&#155;31m' * 1_000}</td></tr></table>"
    yield "comments that don't end", "<table>" + "<!--" * 200_000
    yield "a long cell", f"<table>{rows}<tr><td>{'x' * 5_000_000}</td></tr></table>"
    for codec in ("undefined", "hex", "idna", "utf-7", "x" * 500, "\x1b[2J", "utf-32"):
        yield f"in the encoding {codec[:12]!r}", f'<html><meta charset="{codec}"><table>{rows}</table></html>'


def _legacy() -> Iterator[tuple[str, bytes]]:
    made = xlwt.Workbook()
    sheet = made.add_sheet("Marks")
    for number, row in enumerate(ROWS):
        for at, text in enumerate(row):
            sheet.write(number, at, text)
    stream = io.BytesIO()
    made.save(stream)
    whole = stream.getvalue()
    chance = random.Random(5)
    for number in range(40):
        data = bytearray(whole)
        for _ in range(chance.randint(1, 30)):
            data[chance.randrange(8, len(data))] = chance.randrange(256)
        yield f"bytes changed at random, {number}", bytes(data)
    for share in (0.05, 0.3, 0.6, 0.95):
        yield f"cut off at {share:.0%}", whole[: int(len(whole) * share)]
    wide = xlwt.Workbook()
    sheet = wide.add_sheet("Marks")
    sheet.write(0, 0, "Learner no")
    sheet.write(65_535, 255, "x")
    stream = io.BytesIO()
    wide.save(stream)
    yield "strewn cells", stream.getvalue()
