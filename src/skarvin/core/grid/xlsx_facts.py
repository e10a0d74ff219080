"""What the reader of .xlsx workbooks leaves out: formats that change what is shown, hidden parts, formulas.

Reads the parts of ECMA-376 that say so (workbook, relationships, styles, sheet) with bounded expressions over their
XML, which is quick on sheets of any size.
"""

import io
import re
import zipfile
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from posixpath import join, normpath
from typing import TYPE_CHECKING

from lxml import etree

from skarvin.core.findings import Finding, Place, Unreadable, counted
from skarvin.core.grid.workbook import Sheet, Tab, Texts, cell_text, check_size, number_text, trimmed

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_REF = re.compile(rb'<(?:\w+:)?c\b[^>]*?\br="([A-Z]{1,3})(\d{1,7})"')
_ROW = re.compile(rb"<(?:\w+:)?row\b[^>]*>")
_COLUMN = re.compile(rb"<(?:\w+:)?col\b[^>]*>")
_FORMULA = re.compile(
    rb'<(?:\w+:)?c\b[^>]*?\br="([A-Z]{1,3})(\d{1,7})"[^>]*>'
    rb"<(?:\w+:)?f\b[^>]*(?:/>|>[^<]*</(?:\w+:)?f>)(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v></(?:\w+:)?v>)?</(?:\w+:)?c>"
)
_PERCENT = re.compile(r"[0#](?:\.0*)?%")
_ZEROS = re.compile(r"0{2,}")
_BUILT_IN_PERCENT = {9, 10}
_STRINGS = "xl/sharedStrings.xml"
_MUCH = 16_000_000
_REACH = 16
_FAR = re.compile(rb'\br="(?:[A-Z]{3}\d|[A-Z]{1,3}\d{6})')


def _safe_xml(data: bytes) -> etree._Element:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    return etree.fromstring(data, parser)


class XlsxFacts:
    """The facts of one workbook."""

    def __init__(self, data: bytes, file: Path) -> None:
        self._file = file
        self._last: tuple[str, bytes] = ("", b"")
        self._archive = zipfile.ZipFile(io.BytesIO(data))
        try:
            self.tabs: list[Tab] = []
            self._sheets = self._sheet_paths()
            self._formats = self._special_formats()
            if _STRINGS in self._archive.namelist():
                self._archive.read(_STRINGS)  # fails here if it unpacks to more than it says
        except etree.XMLSyntaxError as error:
            what = "this workbook's XML is damaged or hostile"
            raise Unreadable(Finding("damaged", what, Place(file), "Export it again.")) from error

    def check_size(self, name: str) -> None:
        """Refuse a sheet whose few cells are strewn over more than memory holds."""
        xml = self._xml(name)
        if _is_far_flung(xml):
            cells = _REF.findall(xml)
            rows = max(int(row) for _, row in cells)
            check_size(rows, max(_index(letters) for letters, _ in cells) + 1, len(cells), self._file)

    def finish(self, name: str, evidence: str, table: Sequence[Sequence[object]]) -> Sheet:
        """Return the sheet as text, with all that is to be said of it."""
        xml = self._xml(name)
        if b't="b"' in xml:
            texts = [[cell_text(value) for value in row] for row in table]
        else:
            known = Texts()
            texts = [[*map(known.__getitem__, row)] for row in table]
        notes = [*self._apply_formats(xml, table, texts, name), *self._formula_notes(xml, name)]
        hidden_rows = _hidden_rows(xml)
        hidden_columns = _hidden_columns(xml, len(texts[0]) if texts else 0)
        notes += _hidden_notes(self._file, name, hidden_rows, hidden_columns, is_filtered=b"<autoFilter" in xml)
        merged = xml.count(b"<mergeCell ")
        if merged:
            what = f"{counted(merged, 'merged range')}: its text is in the first cell"
            notes.append(Finding("merged", what, Place(self._file, sheet=name)))
        shown = tuple(tab.name for tab in self.tabs if not tab.is_hidden)
        return Sheet(name, trimmed(texts), evidence, tuple(notes), hidden_rows, hidden_columns, shown)

    def _xml(self, name: str) -> bytes:
        if self._last[0] != name:
            self._last = (name, self._archive.read(self._sheets[name]))
        return self._last[1]

    def _sheet_paths(self) -> dict[str, str]:
        """Return the part of each sheet by its name."""
        relations = _safe_xml(self._archive.read("xl/_rels/workbook.xml.rels"))
        targets = {element.get("Id"): element.get("Target", "") for element in relations}
        paths = {}
        for sheet in _safe_xml(self._archive.read("xl/workbook.xml")).iter("{*}sheet"):
            key = next((str(value) for name, value in sheet.attrib.items() if str(name).endswith("}id")), "")
            target = targets.get(key) or ""
            if "chartsheets/" in target:
                continue
            name = sheet.get("name", "")
            self.tabs.append(Tab(name, sheet.get("state", "visible") != "visible"))
            paths[name] = target.lstrip("/") if target.startswith("/") else normpath(join("xl", target))
        return paths

    def _special_formats(self) -> dict[int, str]:
        """Return the cell formats that change what a number says: percent, and zeros put in front."""
        if "xl/styles.xml" not in self._archive.namelist():
            return {}
        styles = _safe_xml(self._archive.read("xl/styles.xml"))
        codes = {
            int(element.get("numFmtId", "0")): element.get("formatCode", "") for element in styles.iter("{*}numFmt")
        }
        special = {}
        for formats in styles.iter("{*}cellXfs"):
            for index, element in enumerate(formats):
                number = int(element.get("numFmtId", "0"))
                code = "0%" if number in _BUILT_IN_PERCENT else codes.get(number, "")
                if _PERCENT.search(code) or _ZEROS.fullmatch(code):
                    special[index] = code
        return special

    def _apply_formats(
        self, xml: bytes, table: Sequence[Sequence[object]], texts: list[list[str]], name: str
    ) -> list[Finding]:
        """Put what the formats show into `texts`."""
        if not self._formats:
            return []
        styles = b"|".join(str(style).encode() for style in self._formats)
        cell = re.compile(rb'<(?:\w+:)?c\b(?=[^>]*?\br="([A-Z]{1,3})(\d{1,7})")[^>]*?\bs="(' + styles + rb')"')
        changed = 0
        for match in cell.finditer(xml):
            row, column = int(match[2]) - 1, _index(match[1])
            value = table[row][column] if row < len(table) and column < len(table[row]) else ""
            if isinstance(value, (int, float)) and not isinstance(value, bool):
                texts[row][column] = _shown(float(value), self._formats[int(match[3])])
                changed += 1
        shown = counted(changed, "number is", "numbers are")
        what = f"{shown} shown with a format (percent, zeros in front) and read as shown"
        return [Finding("formatted", what, Place(self._file, sheet=name))] if changed else []

    def _formula_notes(self, xml: bytes, name: str) -> list[Finding]:
        has_formulas = b"<f" in xml or b":f>" in xml or b":f " in xml
        formulas = len(re.findall(rb"<(?:\w+:)?f\b", xml)) if has_formulas else 0
        if not formulas:
            return []
        place = Place(self._file, sheet=name)
        notes = []
        empty = [(int(row) - 1, _index(letters)) for letters, row in _FORMULA.findall(xml)]
        if formulas > len(empty):
            what = f"{counted(formulas - len(empty), 'formula')}: the value last computed is read"
            notes.append(Finding("formulas", what, place))
        if empty:
            row, column = empty[0]
            what = f"{counted(len(empty), 'formula')} without a stored value, first here; read as blank"
            mend = "Open the workbook in a spreadsheet and save it, so that the values are stored."
            notes.append(Finding("formula-without-value", what, Place(self._file, row, column, sheet=name), mend))
        return notes


def _is_far_flung(xml: bytes) -> bool:
    """Tell whether a cell stands beyond column ZZ or row 99,999."""
    if len(xml) < _MUCH:
        return bool(_FAR.search(xml))
    import numpy as np  # noqa: PLC0415 - worth its import for much data alone

    for start in range(0, len(xml), _MUCH):
        signs = np.frombuffer(xml[start : start + _MUCH + _REACH], dtype=np.uint8)
        ends = len(signs) - _REACH
        is_place = (signs[:ends] == ord("r")) & (signs[1 : ends + 1] == ord("=")) & (signs[2 : ends + 2] == ord('"'))
        at = np.flatnonzero(is_place & (signs[3 : ends + 3] >= ord("A")))
        has_third = (signs[at + 5] >= ord("A")) & (signs[at + 4] >= ord("A"))
        digit = np.where(signs[at + 4] < ord("A"), at + 4, at + 5)
        sixth = signs[digit + 5]
        if has_third.any() or ((sixth >= ord("0")) & (sixth <= ord("9")) & _all_digits(signs, digit)).any():
            return True
    return False


def _all_digits(signs: "NDArray[np.uint8]", start: "NDArray[np.int64]") -> "NDArray[np.bool_]":
    """Tell for each place whether five digits begin there."""
    found = signs[start] >= ord("0")
    for step in range(5):
        found &= (signs[start + step] >= ord("0")) & (signs[start + step] <= ord("9"))
    return found


def _shown(number: float, code: str) -> str:
    if "%" in code:
        text = f"{Decimal(number_text(number)) * 100:f}"
        return f"{text.rstrip('0').rstrip('.') if '.' in text else text}%"
    return number_text(number).zfill(len(code))


def _index(letters: bytes) -> int:
    index = 0
    for letter in letters:
        index = index * 26 + letter - ord("A") + 1
    return index - 1


def _attribute(tag: bytes, name: bytes) -> int | None:
    found = re.search(rb"\b" + name + rb'="(\d+)"', tag)
    return int(found[1]) if found else None


def _is_hidden(tag: bytes) -> bool:
    return b'hidden="1"' in tag or b'hidden="true"' in tag


def _hidden_rows(xml: bytes) -> frozenset[int]:
    if b"hidden=" not in xml:
        return frozenset()
    rows = (_attribute(tag, b"r") for tag in _ROW.findall(xml) if _is_hidden(tag))
    return frozenset(row - 1 for row in rows if row)


def _hidden_columns(xml: bytes, width: int) -> frozenset[int]:
    columns: set[int] = set()
    for tag in _COLUMN.findall(xml[: xml.find(b"<sheetData") + 1 or None]):
        first, last = _attribute(tag, b"min"), _attribute(tag, b"max")
        if _is_hidden(tag) and first and last:
            columns |= set(range(first - 1, min(last, width)))
    return frozenset(columns)


def _hidden_notes(
    file: Path, name: str, rows: frozenset[int], columns: frozenset[int], *, is_filtered: bool
) -> list[Finding]:
    notes = []
    if rows:
        why = " by a filter" if is_filtered else ""
        what = f"{counted(len(rows), 'row is', 'rows are')} hidden{why}, first here; included"
        place = Place(file, min(rows), sheet=name)
        notes.append(Finding("hidden-rows", what, place, "Give --skip-hidden to leave them out."))
    if columns:
        what = f"{counted(len(columns), 'column is', 'columns are')} hidden, first here; included"
        place = Place(file, None, min(columns), sheet=name)
        notes.append(Finding("hidden-columns", what, place, "Give --skip-hidden to leave them out."))
    return notes
