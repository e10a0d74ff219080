"""What a row that is added to a sheet has from the row that it is like: styles, height, formulas moved down."""

import re
from collections.abc import Mapping
from typing import NamedTuple
from xml.sax.saxutils import escape

from skarvin.core.findings import Row, read_cell
from skarvin.core.targets.sheet_xml import FormulaCell, Scan, end_of_tag

_ATTRIBUTE = re.compile(rb"""\s([\w:.-]+)\s*=\s*("[^"]*"|'[^']*')""")
_OWN = frozenset({b"r", b"spans"})
_ARRAY = re.compile(rb"""<(?:\w+:)?f\b[^>]*\bt=["'](?:array|dataTable)["']""")


class Pattern(NamedTuple):
    """What rows are added like.

    Attributes:
        attributes: those of the row's element, without its number.
        styles: the style's number of each cell.
        formulas: the formula of each computed cell.
        position: where the row stands, from 0.
    """

    attributes: bytes = b""
    styles: Mapping[int, str] = {}
    formulas: Mapping[int, str] = {}
    position: int = 0

    def formula(self, column: int, like: Row, row: Row) -> str:
        """Return a cell's formula as it is in another row, for XML."""
        return escape(_moved(self.formulas[column], like.cell(column), row.cell(column)))


def read_pattern(xml: bytes, seen: Scan, row: Row) -> Pattern:
    """Return what rows are like that carry on a row."""
    position = row.position
    if position not in seen.rows:
        return Pattern()
    start, stop = seen.rows[position]
    inside = end_of_tag(xml, start)
    own = [match[0] for match in _ATTRIBUTE.finditer(xml[start:inside]) if match[1] not in _OWN]
    styles: dict[int, str] = {}
    cell = f"<{seen.prefix}c".encode()
    at = inside
    while (at := xml.find(cell, at, stop)) >= 0:
        end = end_of_tag(xml, at)
        told = {match[1]: match[2][1:-1].decode() for match in _ATTRIBUTE.finditer(xml[at:end])}
        if b"r" in told:
            styles[read_cell(told[b"r"])[1]] = told.get(b"s", "")
        at = end
    formulas = {} if _ARRAY.search(xml, inside, stop) else _formulas(seen, row)
    return Pattern(b"".join(own), styles, formulas, position)


def _formulas(seen: Scan, row: Row) -> dict[int, str]:
    """Return the formulas of a row, those that are shared as each cell would have its own."""
    first: dict[str, FormulaCell] = {}
    for one in seen.formulas:
        if one.formula and one.shared:
            first.setdefault(one.shared, one)
    found = {}
    for one in seen.formulas:
        if one.row == row.position and one.formula:
            found[one.column] = one.formula
        elif one.row == row.position and one.shared in first:
            origin = first[one.shared]
            name = row.offset(origin.row - row.position).cell(origin.column)
            found[one.column] = _moved(origin.formula, name, row.cell(one.column))
    return found


def _moved(formula: str, origin: str, name: str) -> str:
    """Return a formula as another cell has it: what it reads moves along."""
    from openpyxl.formula.translate import Translator  # noqa: PLC0415 - few forms compute anything

    return str(Translator(f"={formula}", origin=origin).translate_formula(name)).removeprefix("=")
