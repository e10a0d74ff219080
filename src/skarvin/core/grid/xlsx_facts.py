"""What the reader of .xlsx workbooks leaves out: formats that change what is shown, hidden parts, formulas.

Reads the parts of ECMA-376 that say so (workbook, relationships, styles, sheet) with bounded expressions over their
XML, which is quick on sheets of any size.
"""

import re
from collections.abc import Iterable, Sequence
from decimal import Decimal
from pathlib import Path

from lxml import etree

from skarvin.core.findings import Finding, Place, Unreadable, counted
from skarvin.core.grid.package import STRINGS, Package, elements
from skarvin.core.grid.seen import (
    NOT_STORED,
    Rounded,
    errors_in,
    lowered,
    raised,
    shown_decimals,
    struck,
    without_values,
)
from skarvin.core.grid.workbook import Sheet, Texts, cell_text, check_size, number_text, trimmed
from skarvin.core.grid.xlsx_extent import column_place, extent, is_far_flung
from skarvin.core.texts.patterns import pattern

_TAG = rb"<(?:\w{1,40}:)?"
_INSIDE = rb"[^<>]{0,500}?"
"""What may stand in a cell's tag in front of an attribute: a bound, so that no text takes longer than its length."""
_NAME = rb"\br\s*+=\s*+[\"']([A-Za-z]{1,3})(\d{1,7})[\"']"
_ROW = re.compile(_TAG + rb"row\b[^<>]*+>")
_COLUMN = re.compile(_TAG + rb"col\b[^<>]*+>")
_F = rb"</(?:\w{1,40}:)?f>"
_V = rb"(?:<(?:\w{1,40}:)?v\s*+/>|<(?:\w{1,40}:)?v></(?:\w{1,40}:)?v>)?"
_FORMULA = re.compile(
    _TAG + rb"c\b" + _INSIDE + _NAME + rb"[^<>]{0,500}+>" + _TAG + rb"f\b[^<>]*+(?:(?<=/)>|>[^<]*+" + _F + rb")"
    + _V + rb"</(?:\w{1,40}:)?c>"
)  # fmt: skip
_ERROR = re.compile(
    _TAG + rb"c\b(?=" + _INSIDE + rb"\bt\s*+=\s*+[\"']e[\"'])" + _INSIDE + _NAME + rb"[^<>]{0,500}+>"
    + rb"(?:" + _TAG + rb"f\b[^<>]*+(?:(?<=/)>|>[^<]*+" + _F + rb"))?" + _TAG + rb"v>([^<]{0,40})<"
)  # fmt: skip
_INLINE = re.compile(
    _TAG + rb"c\b(?=" + _INSIDE + rb"\bt\s*+=\s*+[\"']inlineStr[\"'])" + _INSIDE + _NAME + rb"[^<>]{0,500}+>"
    + rb"(" + _TAG + rb"is>.*?</(?:\w{1,40}:)?is>)", re.DOTALL
)  # fmt: skip
_SHARED = re.compile(
    _TAG + rb"c\b(?=" + _INSIDE + rb"\bt\s*+=\s*+[\"']s[\"'])" + _INSIDE + _NAME + rb"[^<>]{0,500}+>" + _TAG
    + rb"v>\s*+(\d{1,9})\s*+<"
)  # fmt: skip
_TEXT_RESULT = re.compile(rb"\bt\s*+=\s*+[\"']str[\"']")
_LOOKS = (b"vertAlign", b"strike")
_RICH = {"superscript": raised, "subscript": lowered}
_PERCENT = pattern(r"[0#](?:\.0*)?%")
_ZEROS = re.compile(r"0{2,}")
_COUNTS = re.compile(rb"[cC]ount\s*+=\s*+[\"'](\d++)")
_FIRST_TEXT = re.compile(rb"<(?:\w{1,40}:)?si\b")
_LONGEST_NUMBER = 20
_CLOSING = {b"<!--": b"-->", b"<![CDATA[": b"]]>"}
_MOST_STYLES = 50


class XlsxFacts:
    """The facts of one workbook."""

    def __init__(self, data: bytes, file: Path) -> None:
        self._file = file
        self._last: tuple[str, bytes] = ("", b"")
        self._package = Package(data)
        try:
            sheets = list(self._package.sheets())
            self.tabs = [tab for tab, _ in sheets]
            self._parts = {tab.name: part for tab, part in sheets}
            self._formats = {
                index: one.code for index, one in enumerate(self._package.formats()) if _is_special(one.code)
            }
            self._rich: dict[int, str] = {}
            if self._package.has(STRINGS):
                strings = self._package.part(STRINGS)  # fails here if it unpacks to more than it says
                self._check_strings(strings)
                self._rich = _rich_texts(strings)
        except etree.XMLSyntaxError as error:
            what = "this workbook's XML is damaged or hostile"
            raise Unreadable(Finding("damaged", what, Place(file), "Export it again.")) from error

    def _check_strings(self, xml: bytes) -> None:
        """Refuse a table of texts that says it has more than it can have: its reader makes room for so many."""
        bare = _without_comments(xml)
        first = _FIRST_TEXT.search(bare)
        for count in _COUNTS.findall(bare[: first.start()] if first else bare):
            if int(count[:_LONGEST_NUMBER]) > len(xml):
                what = f"this workbook says that it has {int(count[:_LONGEST_NUMBER]):,} texts, and hasn't"
                raise Unreadable(Finding("damaged", what, Place(self._file), "Export it again."))

    def check_size(self, name: str) -> None:
        """Refuse a sheet whose few cells are strewn over more than memory holds: its reader would be killed by that."""
        xml = self._xml(name)
        if b"<!DOCTYPE" in xml:
            what = "this sheet's XML has declarations, which no workbook has"
            raise Unreadable(Finding("damaged", what, Place(self._file, sheet=name), "Export it again."))
        if is_far_flung(xml):
            check_size(*extent(xml), self._file, name)

    def finish(
        self, name: str, evidence: str, table: Sequence[Sequence[object]], further: Sequence[Finding] = ()
    ) -> Sheet:
        """Return the sheet as text, with all that is to be said of it, and what is said of others."""
        xml = self._xml(name)
        if b't="b"' in xml:
            texts = [[cell_text(value) for value in row] for row in table]
        else:
            known = Texts()
            texts = [[*map(known.__getitem__, row)] for row in table]
        rounded = Rounded()
        notes = [*further, *self._apply_formats(xml, table, texts, name, rounded)]
        notes += rounded.notes(self._file, name)
        notes += self._apply_texts(xml, texts, name)
        notes += self._formula_notes(xml, texts, name)
        hidden_rows = _hidden_rows(xml)
        hidden_columns = _hidden_columns(xml, len(texts[0]) if texts else 0)
        notes += _hidden_notes(self._file, name, hidden_rows, hidden_columns, is_filtered=b"<autoFilter" in xml)
        merged = xml.count(b"<mergeCell ")
        if merged:
            what = f"{counted(merged, 'merged range')}: its text is in the first cell"
            notes.append(Finding("merged", what, Place(self._file, sheet=name)))
        shown = tuple(tab.name for tab in self.tabs if not tab.is_hidden)
        return Sheet(name, trimmed(texts), evidence, tuple(notes), hidden_rows, hidden_columns, shown, rounded.columns)

    def _apply_texts(self, xml: bytes, texts: list[list[str]], name: str) -> Iterable[Finding]:
        """Put errors, and texts with a raised, lowered or struck-out part, into `texts`; return notes on them."""
        if self._rich:
            for letters, row, number in _SHARED.findall(xml):
                if text := self._rich.get(int(number)):
                    _put(texts, int(row) - 1, column_place(letters), text)
        if any(look in xml for look in _LOOKS):
            for letters, row, inside in _INLINE.findall(xml):
                if any(look in inside for look in _LOOKS):
                    _put(texts, int(row) - 1, column_place(letters), _rich_text(elements(_bare(inside))))
        errors = {}
        if b'"e"' in xml or b"'e'" in xml:
            for letters, row, text in _ERROR.findall(xml):
                place = int(row) - 1, column_place(letters)
                errors[place] = text.decode("utf-8", "replace")
                _put(texts, *place, errors[place])
        return errors_in(self._file, name, errors)

    def _xml(self, name: str) -> bytes:
        if self._last[0] != name:
            self._last = (name, _without_comments(self._package.part(self._parts[name])))
        return self._last[1]

    def _apply_formats(
        self, xml: bytes, table: Sequence[Sequence[object]], texts: list[list[str]], name: str, rounded: Rounded
    ) -> list[Finding]:
        """Put what the formats show into `texts`; see which numbers are shown rounded."""
        if not self._formats:
            return []
        few = b"|".join(str(style).encode() for style in self._formats)
        styles = few if len(self._formats) <= _MOST_STYLES else rb"\d{1,6}"
        cell = re.compile(
            _TAG + rb"c\b(?=" + _INSIDE + _NAME + rb")" + _INSIDE + rb"\bs\s*+=\s*+[\"'](" + styles + rb")[\"']"
        )
        changed = 0
        for match in cell.finditer(xml):
            if int(match[3]) not in self._formats:
                continue
            row, column = int(match[2]) - 1, column_place(match[1])
            value = table[row][column] if row < len(table) and column < len(table[row]) else ""
            if isinstance(value, (int, float)) and not isinstance(value, bool):
                code = self._formats[int(match[3])]
                if _PERCENT.search(code) or _ZEROS.fullmatch(code):
                    texts[row][column] = _shown(float(value), code)
                    changed += 1
                if (decimals := shown_decimals(code)) is not None:
                    rounded.see(row, column, texts[row][column], decimals)
        shown = counted(changed, "number is", "numbers are")
        what = f"{shown} shown with a format (percent, zeros in front) and read as shown"
        return [Finding("formatted", what, Place(self._file, sheet=name))] if changed else []

    def _formula_notes(self, xml: bytes, texts: list[list[str]], name: str) -> list[Finding]:
        """Put into `texts` where a formula's value isn't stored; return notes on formulas."""
        has_formulas = b"<f" in xml or b":f>" in xml or b":f " in xml
        formulas = len(re.findall(_TAG + rb"f\b", xml)) if has_formulas else 0
        if not formulas:
            return []
        place = Place(self._file, sheet=name)
        notes = []
        without = [match for match in _FORMULA.finditer(xml) if not _TEXT_RESULT.search(match[0].partition(b">")[0])]
        empty = [(int(match[2]) - 1, column_place(match[1])) for match in without]
        for at in empty:
            _put(texts, *at, NOT_STORED)
        if formulas > len(empty):
            what = f"{counted(formulas - len(empty), 'formula')}: the value last computed is read"
            notes.append(Finding("formulas", what, place))
        return [*notes, *without_values(self._file, name, empty)]


def _is_special(code: str) -> bool:
    """Tell whether a format changes what a number says: percent, zeros put in front, and few decimals."""
    return bool(_PERCENT.search(code) or _ZEROS.fullmatch(code)) or shown_decimals(code) is not None


def _put(texts: list[list[str]], row: int, column: int, text: str) -> None:
    """Put a text into a cell, which its reader may have left out as blank."""
    texts += [[] for _ in range(row + 1 - len(texts))]
    texts[row] += [""] * (column + 1 - len(texts[row]))
    texts[row][column] = text


def _rich_texts(xml: bytes) -> dict[int, str]:
    """Return the shared texts of which a part is raised, lowered or struck out, by their numbers."""
    if not any(look in xml for look in _LOOKS):
        return {}
    texts = enumerate(elements(xml).iter("{*}si"))
    return {number: _rich_text(element) for number, element in texts if element.find("{*}r/{*}rPr") is not None}


def _rich_text(element: etree._Element) -> str:
    """Return a text with its runs told apart (ECMA-376, 18.4.4 to 18.4.8)."""
    parts = [element.findtext("{*}t") or ""]
    for run in element.iter("{*}r"):
        text, looks = run.findtext("{*}t") or "", run.find("{*}rPr")
        if looks is not None:
            place = looks.find("{*}vertAlign")
            apart = _RICH.get(place.get("val", "")) if place is not None else None
            line = looks.find("{*}strike")
            if line is not None and line.get("val", "1") not in {"0", "false"}:
                apart = struck
            text = apart(text) if apart else text
        parts.append(text)
    return "".join(parts)


def _bare(xml: bytes) -> bytes:
    """Return an element without the prefixes of its tags, which are declared elsewhere."""
    return re.sub(rb"(</?)\w{1,40}:", rb"\1", xml)


def _without_comments(xml: bytes) -> bytes:
    """Return a sheet without its comments and data sections, in which a cell is none."""
    if b"<!" not in xml:
        return xml
    parts, at = [], 0
    while (start := xml.find(b"<!", at)) >= 0:
        opening = next((one for one in _CLOSING if xml.startswith(one, start)), None)
        end = xml.find(_CLOSING[opening], start) if opening else -1
        if opening is None:
            parts.append(xml[at : start + 2])
            at = start + 2
        elif end < 0:
            return b"".join([*parts, xml[at:start]])
        else:
            parts.append(xml[at:start])
            at = end + len(_CLOSING[opening])
    return b"".join([*parts, xml[at:]])


def _shown(number: float, code: str) -> str:
    if "%" in code:
        text = f"{Decimal(number_text(number)) * 100:f}"
        return f"{text.rstrip('0').rstrip('.') if '.' in text else text}%"
    return number_text(number).zfill(len(code))


def _attribute(tag: bytes, name: bytes) -> int | None:
    found = re.search(rb"\b" + name + rb"\s*+=\s*+[\"'](\d{1,9})[\"']", tag)
    return int(found[1]) if found else None


def _is_hidden(tag: bytes) -> bool:
    return re.search(rb"\bhidden\s*+=\s*+[\"'](?:1|true)[\"']", tag) is not None


def _hidden_rows(xml: bytes) -> frozenset[int]:
    if b"hidden" not in xml:
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
