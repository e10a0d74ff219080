"""A workbook's sheet read once more, from the parts of its package, in its own way: by an XML reader, row by row."""

import hashlib
import re
import zipfile
from collections.abc import Container, Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

from lxml import etree

from skarvin.core.findings import column_position, row_position
from skarvin.core.ledger.second_look.text_rows import Row, opened

_ON_LOAD = re.compile(rb"""\s+fullCalcOnLoad=["'][^"']*["']""")
_CALC_END = re.compile(rb"(<(?:\w+:)?calcPr\b[^>]*?)\s*/>")
_EMPTY_CALC = re.compile(rb"<(?:\w+:)?calcPr\s*/>")
_SIZE = re.compile(rb"<(?:\w+:)?dimension\b[^>]*>")
_DATA = re.compile(rb"<(?:\w+:)?sheetData\b.*</(?:\w+:)?sheetData>", re.DOTALL)
_PERCENT = re.compile(r"[0#](?:\.0*)?%")
_BUILT_IN_PERCENT = ("9", "10")
_CELL = re.compile(r"(?<![\w.$])(\$?)([A-Z]{1,3})(\$?)(\d+)(?![\w(])")
_FEW_DIGITS = 15
_LEVELS = {
    "superscript": dict(zip("0123456789+-=()", "⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻⁼⁽⁾", strict=True)),
    "subscript": dict(zip("0123456789+-=()", "₀₁₂₃₄₅₆₇₈₉₊₋₌₍₎", strict=True)),
}
_END = "row"
"""What stands in place of a line end: a row's element always ends."""


class _Formats(NamedTuple):
    """The styles that show a number as percent, and those that put zeros in front, with how many digits."""

    percent: frozenset[str]
    zeros: Mapping[str, int]


class SheetReading(NamedTuple):
    """How a workbook is read again: its sheet, and the columns that marks go to."""

    sheet: str
    columns: frozenset[int]

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:  # noqa: ARG002 - all are read
        """Yield the rows of the sheet; those without an element come blank."""
        with opened(file) as whole, zipfile.ZipFile(whole) as archive:
            part = _sheet_part(archive, self.sheet)
            texts, formats = _shared_texts(archive), _formats(archive)
            shared: dict[str, _Shared] = {}
            position = 0
            with archive.open(part) as data:
                for row in _elements(data, "row"):
                    number = row.get("r")
                    at = row_position(number) if number else position
                    while position < at:
                        yield Row("", _END, [""] * self._width)
                        position += 1
                    yield self._row(row, (texts, formats), position, shared)
                    position += 1

    def around(self, file: Path) -> Mapping[str, str]:
        """Return a fingerprint of every part, and of the sheet besides its rows; a stated size is no content.

        That all is to be computed when the workbook is opened may be asked for anew.
        """
        found = {}
        with zipfile.ZipFile(file) as archive:
            own = _sheet_part(archive, self.sheet)
            for name in archive.namelist():
                data = archive.read(name)
                if name == own:
                    data = _SIZE.sub(b"", _DATA.sub(b"", data))
                if name == "xl/workbook.xml":
                    data = _EMPTY_CALC.sub(b"", _CALC_END.sub(rb"\1/>", _ON_LOAD.sub(b"", data)))
                found[name] = hashlib.sha256(data).hexdigest()
        return found

    def carries_on(self, above: Row, row: Row, by: int) -> bool:
        """Tell whether a row has the styles of one above it, and its formulas moved down; a text may stand there."""
        moved = {column: _moved(text, by, 0) for column, text in above.computed.items()}
        is_computed = all(
            row.computed.get(column) == text or (column < len(row.cells) and row.cells[column])
            for column, text in moved.items()
        )
        has_styles = all(row.styles.get(column, "") == style for column, style in above.styles.items())
        return is_computed and has_styles and row.computed.keys() <= moved.keys()

    @property
    def pads(self) -> bool:
        """Whether rows may end before their last cells: blank ones need not stand there."""
        return True

    @property
    def bulk(self) -> None:
        """Nothing: cells are compared one by one."""
        return

    @property
    def _width(self) -> int:
        return max(self.columns, default=-1) + 1

    def _row(
        self, row: etree._Element, known: tuple[list[str], _Formats], position: int, shared: dict[str, "_Shared"]
    ) -> Row:
        """Return a row: its cells' texts, its formulas, and all that isn't the text of a cell that marks go to."""
        space = str(row.tag).removesuffix("row")
        cells = [""] * self._width
        formulas: dict[int, str] = {}
        styles: dict[int, str] = {}
        computed: dict[int, str] = {}
        rest = [str(sorted((key, value) for key, value in row.attrib.items() if key != "spans"))]
        column = -1
        for cell in row:
            name = cell.get("r")
            column = column_position(name.rstrip("0123456789")) if name else column + 1
            cells += [""] * (column + 1 - len(cells))
            style = cell.get("s", "")
            formula = cell.find(f"{space}f") if len(cell) else None
            if formula is not None:
                formulas[column] = f"{formula.text or ''}{sorted(formula.attrib.items())}"
                computed[column] = _own_formula(formula, column, position, shared)
            elif len(cell):
                cells[column] = _text(cell, space, style, known)
            styles[column] = style
            if column not in self.columns:
                rest.append(f"{column};{style};{formulas.get(column, '')};{cells[column]}")
        return Row("\n".join(rest), _END, cells, formulas, styles, computed)


class _Shared(NamedTuple):
    """A formula that cells share: as the first of them has it, and where that is."""

    text: str
    column: int
    row: int


def _own_formula(formula: etree._Element, column: int, row: int, shared: dict[str, _Shared]) -> str:
    """Return a cell's formula as it would have it for itself."""
    key = formula.get("si", "")
    text = formula.text or ""
    if not text and key in shared:
        first = shared[key]
        return _moved(first.text, row - first.row, column - first.column)
    if key:
        shared.setdefault(key, _Shared(text, column, row))
    return text


def _moved(formula: str, rows: int, columns: int) -> str:
    """Return a formula as another cell has it: what isn't fixed by a $ moves along; texts in it stay."""

    def move(match: re.Match[str]) -> str:
        column, number = match[2], match[4]
        if not match[1] and columns:
            column = _letters(column_position(column) + columns)
        return f"{match[1]}{column}{match[3]}{number if match[3] else int(number) + rows}"

    parts = formula.split('"')
    return '"'.join(part if place % 2 else _CELL.sub(move, part) for place, part in enumerate(parts))


def _letters(position: int) -> str:
    found = ""
    position += 1
    while position:
        position, rest = divmod(position - 1, 26)
        found = chr(ord("A") + rest) + found
    return found


def _text(cell: etree._Element, space: str, style: str, known: tuple[list[str], _Formats]) -> str:
    """Return what a cell shows."""
    kind = cell.get("t", "n")
    if kind == "inlineStr":
        return "".join(_runs(cell.find(f"{space}is")))
    text = cell.findtext(f"{space}v") or ""
    if kind == "s" and text:
        return known[0][int(text)]
    if kind == "b":
        return "TRUE" if text == "1" else "FALSE"
    return text if kind != "n" or not text else _number(text, style, known[1])


def _number(stored: str, style: str, formats: _Formats) -> str:
    """Return how a number is read: with the fifteen digits that a workbook keeps, by its format."""
    if stored.isdecimal() and len(stored) < _FEW_DIGITS and style not in formats.percent:
        return str(int(stored)).zfill(formats.zeros.get(style, 0))
    number = Decimal(f"{float(stored):.15g}")
    if style in formats.percent:
        number *= 100
    text = f"{number:f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    if style in formats.percent:
        return f"{text}%"
    return text.zfill(formats.zeros.get(style, 0))


def _elements(data: object, name: str) -> Iterator[etree._Element]:
    """Yield the elements of a name, one after the other, forgetting each."""
    for _, element in etree.iterparse(
        data, tag=f"{{*}}{name}", resolve_entities=False, no_network=True, load_dtd=False
    ):
        yield element
        element.clear()
        while element.getprevious() is not None:
            del element.getparent()[0]


def _root(archive: zipfile.ZipFile, part: str) -> etree._Element:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    return etree.fromstring(archive.read(part), parser)


def _sheet_part(archive: zipfile.ZipFile, sheet: str) -> str:
    """Return the part that holds a sheet."""
    for element in _root(archive, "xl/workbook.xml").iter("{*}sheet"):
        if element.get("name") == sheet:
            key = next(str(value) for name, value in element.attrib.items() if str(name).endswith("}id"))
            relations = _root(archive, "xl/_rels/workbook.xml.rels")
            target = next(one.get("Target", "") for one in relations if one.get("Id") == key)
            return target[1:] if target.startswith("/") else f"xl/{target}"
    raise KeyError(sheet)


def _shared_texts(archive: zipfile.ZipFile) -> list[str]:
    """Return the texts that cells of the workbook share; what tells how one is pronounced isn't part of it."""
    if "xl/sharedStrings.xml" not in archive.namelist():
        return []
    return ["".join(_runs(element)) for element in _root(archive, "xl/sharedStrings.xml").iter("{*}si")]


def _runs(element: etree._Element | None) -> Iterator[str]:
    """Yield the parts of a text, those that are raised, lowered or struck out told apart."""
    for part in element if element is not None else ():
        name = etree.QName(part).localname
        text = (part.text if name == "t" else part.findtext("{*}t")) or ""
        if name not in {"t", "r"}:
            continue
        looks = {etree.QName(look).localname: look.get("val", "1") for look in part.iterfind("{*}rPr/*")}
        if looks.get("strike", "0") not in {"0", "false"} and text.strip():
            text = f" ~{text.strip()}~ "
        elif (level := _LEVELS.get(looks.get("vertAlign", ""))) is not None:
            text = "".join(level.get(sign, sign) for sign in text)
        yield text


def _formats(archive: zipfile.ZipFile) -> _Formats:
    if "xl/styles.xml" not in archive.namelist():
        return _Formats(frozenset(), {})
    styles = _root(archive, "xl/styles.xml")
    codes = {one.get("numFmtId"): one.get("formatCode", "") for one in styles.iter("{*}numFmt")}
    numbers = [one.get("numFmtId", "0") for formats in styles.iter("{*}cellXfs") for one in formats]
    percent = {
        str(place)
        for place, number in enumerate(numbers)
        if number in _BUILT_IN_PERCENT or _PERCENT.search(codes.get(number, ""))
    }
    zeros = {
        str(place): len(codes[number])
        for place, number in enumerate(numbers)
        if re.fullmatch("0{2,}", codes.get(number, ""))
    }
    return _Formats(frozenset(percent), zeros)
