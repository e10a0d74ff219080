"""Writes tables as pages, workbooks and open documents as systems do: cells with rich, hidden and broken parts.

What a cell of a table says is what a person sees there. `5\u00b9` stands for a raised digit, a line end for a break,
`#N/A` for an error and `#not stored` for a formula whose value isn't stored.
"""

import zipfile
from collections.abc import Sequence
from datetime import date
from html import escape
from pathlib import Path
from random import Random

import xlsxwriter

RAISED, LINES, ERROR, NOT_STORED = "5\u00b9", "5\n7", "#N/A", "#not stored"
BROKEN = {"page": (RAISED, LINES), "workbook": (RAISED, LINES, ERROR, NOT_STORED)}
BROKEN["document"] = BROKEN["workbook"]
Table = Sequence[Sequence[str]]
_HIDDEN = ("<span style='display:none'>007</span>{}", "{}<i hidden>9</i>", "{}<template>8</template>")
_RICH = ("{}", "{}", "<b>{}</b>", "<p>{}</p>", "&nbsp;{}&nbsp;", "<!-- 6 -->{}", "<font color=red>{}</font>", *_HIDDEN)
_NUMBERS = frozenset("0123456789.")


def write_page(file: Path, table: Table, rng: Random) -> None:
    """Write a table as a page."""
    rows = "".join(
        f"<tr>{''.join(f'<td>{_of_page(text, rng if place else None)}</td>' for text in cells)}</tr>\n"
        for place, cells in enumerate(table)
    )
    head = "<meta charset='utf-8'><style>.key { display: none }</style>"
    file.write_text(f"<html>{head}<body><table>\n{rows}</table></body></html>", encoding="utf-8")


def _of_page(text: str, rng: Random | None) -> str:
    shown = escape(text).replace("\n", "<br>").replace("\u00b9", "<sup>1</sup>")
    if rng is None or not text:
        return shown
    if rng.random() < 0.1 and "<" not in shown:
        return f"<input value='{shown}'>"
    return rng.choice(_RICH).format(shown)


def write_workbook(file: Path, table: Table, rng: Random) -> None:
    """Write a table as a workbook."""
    with xlsxwriter.Workbook(str(file)) as book:
        formats = {name: book.add_format(how) for name, how in _FORMATS.items()}
        sheet = book.add_worksheet("Marks")
        for row, cells in enumerate(table):
            for column, text in enumerate(cells):
                _to_workbook(sheet, formats, (row, column), text, rng)
    with zipfile.ZipFile(file) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    own = "xl/worksheets/sheet1.xml"
    parts[own] = parts[own].replace(b"<f>3+4</f><v>0</v>", b"<f>3+4</f>")
    with zipfile.ZipFile(file, "w") as archive:
        for name, data in parts.items():
            archive.writestr(name, data)


_FORMATS = {
    "raised": {"font_script": 1},
    "bold": {"bold": True},
    "day": {"num_format": "yyyy-mm-dd"},
    "whole": {"num_format": "0"},
    "percent": {"num_format": "0.0%"},
}


def _to_workbook(sheet: object, formats: dict[str, object], at: tuple[int, int], text: str, rng: Random) -> None:
    write = sheet.write_formula if text.startswith("=") else sheet.write_string  # type: ignore[attr-defined]
    chance = rng.random() if at[0] and text else 1
    is_number = _NUMBERS.issuperset(text) and text.count(".") < 2 and not (text[:1] == "0" and len(text) > 1)
    if text == ERROR:
        sheet.write_formula(*at, "=NA()", None, ERROR)  # type: ignore[attr-defined]
    elif text == NOT_STORED:
        sheet.write_formula(*at, "=3+4")  # type: ignore[attr-defined]
    elif text == RAISED:
        sheet.write_rich_string(*at, "5", formats["raised"], "1", formats["whole"])  # type: ignore[attr-defined]
    elif is_number and chance < 0.4:
        sheet.write_number(*at, float(text))  # type: ignore[attr-defined]
    elif is_number and chance < 0.5:
        sheet.write_formula(*at, f"={text}+0", None, float(text))  # type: ignore[attr-defined]
    elif text[:5] == "2026-" and chance < 0.5:
        sheet.write_datetime(*at, date.fromisoformat(text), formats["day"])  # type: ignore[attr-defined]
    elif text.endswith("%") and chance < 0.5:
        sheet.write_number(*at, float(text[:-1]) / 100, formats["percent"])  # type: ignore[attr-defined]
    elif len(text) > 3 and "\n" not in text and chance < 0.3:
        sheet.write_rich_string(*at, text[:2], formats["bold"], text[2:])  # type: ignore[attr-defined]
    else:
        write(*at, text)
        if chance < 0.6 and at[1] > 2:
            sheet.write_comment(*at, "see 17")  # type: ignore[attr-defined]


def write_document(file: Path, table: Table, rng: Random) -> None:
    """Write a table as an open document."""
    names = ("office", "table", "text", "style", "fo", "dc")
    spaces = " ".join(f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in names)
    styles = "<style:style style:name='T1'><style:text-properties style:text-position='super 58%'/></style:style>"
    styles += "<style:style style:name='T2'><style:text-properties text:display='none'/></style:style>"
    rows = "".join(
        f"<table:table-row>{''.join(_of_document(text, rng if place else None) for text in cells)}</table:table-row>"
        for place, cells in enumerate(table)
    )
    sheet = f"<office:spreadsheet><table:table table:name='Marks'>{rows}</table:table></office:spreadsheet>"
    automatic = f"<office:automatic-styles>{styles}</office:automatic-styles>"
    xml = f"<office:document-content {spaces}>{automatic}<office:body>{sheet}</office:body></office:document-content>"
    with zipfile.ZipFile(file, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", xml)


def _of_document(text: str, rng: Random | None) -> str:
    if not text:
        return "<table:table-cell/>"
    if text == ERROR:
        return f"<table:table-cell table:formula='of:=NA()'><text:p>{text}</text:p></table:table-cell>"
    if text == NOT_STORED:
        return "<table:table-cell table:formula='of:=[.A1]' office:value-type='float'/>"
    shown = escape(text).replace("\n", "<text:line-break/>").replace(
        "\u00b9", "<text:span text:style-name='T1'>1</text:span>"
    )  # fmt: skip
    chance = rng.random() if rng else 1
    of_kind = ""
    if chance < 0.4 and _NUMBERS.issuperset(text) and text.count(".") < 2 and not (text[0] == "0" and len(text) > 1):
        of_kind = f" office:value-type='float' office:value='{text}'"
    elif chance < 0.5:
        shown = f"<text:span>{shown}</text:span>"
    elif chance < 0.6:
        shown += "<text:span text:style-name='T2'>9</text:span>"
    note = "<office:annotation><text:p>see 17</text:p></office:annotation>" if 0.35 < chance < 0.45 else ""
    return f"<table:table-cell{of_kind}>{note}<text:p>{shown}</text:p></table:table-cell>"
