"""Where the cells of a worksheet stand in its XML (ECMA-376), so that some can be replaced and no other byte.

The parser tells at which byte each element begins; nothing is written by it.
"""

import re
from collections.abc import Container, Iterator, Sequence
from typing import NamedTuple
from xml.parsers import expat

from skarvin.core.findings import read_cell, row_position

_TAG = re.compile(rb"""<(?:[^>"']|"[^"]*"|'[^']*')*+>""")


class Slot(NamedTuple):
    """Where a cell stands, or would stand.

    Attributes:
        start: the first byte of its element; where there is none, the byte before which one goes.
        stop: the byte behind it.
        style: its style's number, or that of its row or column; blank for the sheet's own.
        has_formula: whether it is computed.
        is_there: whether there is an element.
    """

    start: int
    stop: int
    style: str = ""
    has_formula: bool = False
    is_there: bool = True


class FormulaCell(NamedTuple):
    """A cell that is computed: where it is, its formula, the number of the formula that it shares, its stored value."""

    row: int
    column: int
    formula: str
    shared: str
    value: tuple[int, int] | None


class Attributes(NamedTuple):
    """An element outside the cells that says something of them: its name, its attributes, its text."""

    name: str
    values: dict[str, str]
    parts: tuple[str, ...] = ()


class Scan(NamedTuple):
    """What a sheet's XML has.

    Attributes:
        slots: by row and column (from 0), where the cells of the wanted columns stand.
        formulas: the cells that are computed.
        about: merged ranges, validations, protection.
        prefix: what stands before the names of elements.
        rows: where the element of each row stands, by its position.
    """

    slots: dict[tuple[int, int], Slot]
    formulas: list[FormulaCell]
    about: list[Attributes]
    prefix: str
    rows: dict[int, tuple[int, int]]


class NotPlain(ValueError):
    """The XML declares types or entities, or isn't in UTF-8: a workbook has no need to."""


def scan(xml: bytes, columns: Sequence[int]) -> Scan:
    """Return where the cells at `columns` stand in each row of a sheet.

    Raises:
        NotPlain: the XML isn't what a workbook has.
        expat.ExpatError: it isn't XML.
    """
    scanner = _Scanner(xml, columns)
    scanner.run()
    return Scan(scanner.slots, scanner.formulas, scanner.about, scanner.prefix, scanner.rows)


class _Scanner:
    """Notes what the parser meets."""

    def __init__(self, xml: bytes, columns: Sequence[int]) -> None:
        self._xml = xml
        self._columns = sorted(columns)
        self._parser = expat.ParserCreate()
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.CharacterDataHandler = self._text
        self._parser.StartDoctypeDeclHandler = self._refuse
        self._parser.XmlDeclHandler = self._declared
        self._parser.buffer_text = True
        self.slots: dict[tuple[int, int], Slot] = {}
        self.formulas: list[FormulaCell] = []
        self.about: list[Attributes] = []
        self.prefix = ""
        self.rows: dict[int, tuple[int, int]] = {}
        self._row_start = 0
        self._column_styles: list[tuple[int, int, str]] = []
        self._line, self._row_style = -1, ""
        self._column = -1
        self._cells: list[tuple[int, int, int, str, bool]] = []
        self._cell_start = 0
        self._cell_style = ""
        self._formula: list[str] | None = None
        self._formula_shared = ""
        self._is_in_formula = False
        self._value: tuple[int, int] | None = None
        self._value_start = 0
        self._told: list[str] | None = None
        self._wanted: Container[int] = frozenset(columns)

    def run(self) -> None:
        """Read the whole of it."""
        self._parser.Parse(self._xml, True)

    def _refuse(self, *_: object) -> None:
        raise NotPlain("a document type")

    def _declared(self, _: str, encoding: str | None, __: int) -> None:
        if encoding is not None and encoding.casefold() not in {"utf-8", "us-ascii"}:
            raise NotPlain(encoding)

    def _start(self, qualified: str, attributes: dict[str, str]) -> None:
        prefix, _, name = qualified.rpartition(":")
        at = self._parser.CurrentByteIndex
        if name == "c":
            self._column = read_cell(attributes["r"])[1] if "r" in attributes else self._column + 1
            self._cell_start, self._cell_style = at, attributes.get("s", "")
            self._formula, self._value = None, None
        elif name == "row":
            self._line = row_position(attributes["r"]) if "r" in attributes else self._line + 1
            self._row_style = attributes.get("s", "") if attributes.get("customFormat") in {"1", "true"} else ""
            self._column = -1
            self._cells = []
            self._row_start = at
        elif name == "v":
            self._value_start = at
        elif name == "f":
            self._formula, self._formula_shared = [], attributes.get("si", "")
            self._is_in_formula = True
        elif name == "col":
            first, last = int(attributes["min"]) - 1, int(attributes["max"]) - 1
            self._column_styles.append((first, last, attributes.get("style", "")))
        elif name in {"mergeCell", "sheetProtection", "dataValidation", "tablePart", "dimension"}:
            self.about.append(Attributes(name, attributes))
        elif name in {"formula1", "formula2"}:
            self._told = []
        elif name == "worksheet":
            self.prefix = f"{prefix}:" if prefix else ""

    def _text(self, text: str) -> None:
        if self._told is not None:
            self._told.append(text)
        elif self._is_in_formula and self._formula is not None:
            self._formula.append(text)

    def _end(self, qualified: str) -> None:
        name = qualified.rpartition(":")[2]
        if name == "c":
            self._end_of_cell()
        elif name == "f":
            self._is_in_formula = False
        elif name == "v":
            self._value = (self._value_start, self._behind(self._value_start))
        elif name == "row":
            self._end_of_row()
        elif name in {"formula1", "formula2"} and self._told is not None:
            last = self.about.pop()
            self.about.append(last._replace(parts=(*last.parts, "".join(self._told))))
            self._told = None

    def _end_of_cell(self) -> None:
        has_formula = self._formula is not None
        self._cells.append(
            (self._column, self._cell_start, self._behind(self._cell_start), self._cell_style, has_formula)
        )
        if self._formula is not None:
            text = "".join(self._formula)
            self.formulas.append(FormulaCell(self._line, self._column, text, self._formula_shared, self._value))
            self._formula = None

    def _end_of_row(self) -> None:
        """Note where the wanted cells of a row are, or where they would go: in front of the next cell behind them."""
        end = self._parser.CurrentByteIndex
        self.rows[self._line] = self._row_start, self._behind(self._row_start)
        if self._is_bodyless(self._row_start):
            return
        there = {cell[0]: cell for cell in self._cells if cell[0] in self._wanted}
        for column in self._columns:
            if column in there:
                _, start, stop, style, has_formula = there[column]
                self.slots[self._line, column] = Slot(start, stop, style, has_formula)
            else:
                at = next((start for other, start, _, _, _ in self._cells if other > column), end)
                self.slots[self._line, column] = Slot(at, at, self._row_style or self._style_of(column), is_there=False)

    def _style_of(self, column: int) -> str:
        return next((style for first, last, style in self._column_styles if first <= column <= last), "")

    def _behind(self, start: int) -> int:
        """Return the byte behind the element that began at `start` and ends here."""
        end = self._parser.CurrentByteIndex
        return end if self._is_bodyless(start) else end_of_tag(self._xml, end)

    def _is_bodyless(self, start: int) -> bool:
        """Tell whether the element that ends here is a single tag, `<c r="C7"/>`: the parser then stands behind it."""
        end = self._parser.CurrentByteIndex
        return self._xml[end - 2 : end] == b"/>" and end_of_tag(self._xml, start) == end


def end_of_tag(xml: bytes, start: int) -> int:
    """Return the byte behind the tag that begins at `start`; a sign within quotation marks doesn't end it."""
    tag = _TAG.match(xml, start)
    if tag is None:
        raise NotPlain("a tag that doesn't end")
    return tag.end()


class Area(NamedTuple):
    """A range of cells, first and last included, counted from 0."""

    top: int
    left: int
    bottom: int
    right: int

    def holds(self, row: int, column: int) -> bool:
        """Tell whether a cell lies in it."""
        return self.top <= row <= self.bottom and self.left <= column <= self.right


def areas(text: str) -> Iterator[Area]:
    """Yield the ranges of a list such as `C2:C40 E2`; a name isn't one."""
    for part in text.replace("$", "").split():
        first, _, last = part.partition(":")
        ends = [read_cell(corner) for corner in (first, last or first)]
        (top, left), (bottom, right) = ends
        yield Area(top, left, bottom, right)
