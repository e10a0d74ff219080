"""OpenDocument spreadsheets (.ods, ISO/IEC 26300): each cell holds the text that it shows."""

import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import NamedTuple

from lxml import etree

from skarvin.core.findings import Finding, Place, counted
from skarvin.core.grid.package import Package, elements
from skarvin.core.grid.seen import NOT_STORED, Rounded, errors_in, hidden_text, lowered, raised, struck, without_values
from skarvin.core.grid.workbook import (
    CellBudget,
    Sheet,
    Tab,
    check_size,
    choose,
    count_filled,
    count_of,
    damaged,
    number_text,
    others_of,
    trimmed,
)
from skarvin.core.texts.numbers import read_number
from skarvin.core.texts.patterns import pattern

_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
_CALC_EXT = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"
_NOT_TEXT = frozenset({f"{_OFFICE}annotation", f"{_TEXT}note", f"{_TEXT}ruby-text"})
_MOST_COLUMNS = 16_384
_MOST_BLANKS = 1000
_LONGEST_NUMBER = 40
_NUMBER = pattern(r"([-+]?\d{1,20})(?:[.,](\d{1,20}))?\s?(%?)")
_ERROR = pattern(r"#[A-Z/0]{2,12}[!?]?|Err:\d{3}")


def read_ods(data: bytes, file: Path, wanted: str | None) -> Sheet:
    """Return the chosen sheet of an .ods workbook."""
    try:
        root = elements(Package(data).part("content.xml"))
    except (etree.XMLSyntaxError, KeyError, ValueError, zipfile.BadZipFile, zlib.error):
        raise damaged(file) from None
    sheets = {scale.get(f"{_TABLE}name", ""): scale for scale in root.iter(f"{_TABLE}table")}
    if not sheets:
        raise damaged(file)
    tabs, budget = [Tab(name) for name in sheets], CellBudget(file)
    names = list(sheets) if wanted is None else [choose(tabs, wanted, None, file)[0]]
    looks = {name: _Look(_text_styles(root), Rounded(), [], {}, []) for name in names}
    tables = {name: _table(sheets[name], file, budget, looks[name]) for name in names}
    name, evidence = choose(tabs, wanted, {name: count_filled(table) for name, table in tables.items()}, file)
    look = looks[name]
    hidden = frozenset(
        index for index, row in enumerate(sheets[name].iter(f"{_TABLE}table-row")) if row.get(f"{_TABLE}visibility")
    )
    notes = [
        *look.rounded.notes(file, name),
        *hidden_text(file, name, look.hidden),
        *errors_in(file, name, look.errors),
        *without_values(file, name, look.unstored),
    ]
    if hidden:
        what = f"{counted(len(hidden), 'row is', 'rows are')} hidden; included"
        notes.append(Finding("hidden-rows", what, Place(file, min(hidden), sheet=name)))
    return Sheet(
        name,
        trimmed(tables[name]),
        evidence,
        tuple(notes),
        hidden,
        rounded=look.rounded.columns,
        others=others_of(tables, name),
    )


_Styles = Mapping[str, Callable[[str], str] | None]


class _Look(NamedTuple):
    """How the texts of a sheet look: what each style does to them, and the cells of which there is something to say."""

    styles: _Styles
    rounded: Rounded
    hidden: list[tuple[int, int]]
    errors: dict[tuple[int, int], str]
    unstored: list[tuple[int, int]]


def _text_styles(root: etree._Element) -> dict[str, Callable[[str], str] | None]:
    """Return the styles of texts that raise, lower or strike out, and, with None, those that hide."""
    found: dict[str, Callable[[str], str] | None] = {}
    for style in root.iter(f"{_STYLE}style"):
        for rules in style.iter(f"{_STYLE}text-properties"):
            position = rules.get(f"{_STYLE}text-position", "").split(" ")[0]
            name = style.get(f"{_STYLE}name", "")
            if rules.get(f"{_TEXT}display") == "none":
                found[name] = None
            elif position.startswith(("super", "sub", "-")) or position.strip("0%"):
                found[name] = lowered if position.startswith(("sub", "-")) else raised
            elif rules.get(f"{_STYLE}text-line-through-style", "none") != "none":
                found[name] = struck
    return found


def _table(sheet: etree._Element, file: Path, budget: CellBudget, look: _Look) -> list[list[str]]:
    table: list[list[str]] = []
    blank = cells_so_far = widest = 0
    for row in sheet.iter(f"{_TABLE}table-row"):
        cells = _cells(row, len(table) + blank, look)
        repeated = count_of(row.get(f"{_TABLE}number-rows-repeated"))
        if not cells:
            blank += repeated
            continue
        cells_so_far += len(cells) if repeated == 1 else 1  # what is only repeated fills no table by itself
        widest = max(widest, len(cells))
        check_size(len(table) + blank + repeated, widest, cells_so_far, file, sheet.get(f"{_TABLE}name"))
        budget.take(blank + repeated * len(cells))
        table += [[] for _ in range(blank)]
        table += [list(cells) for _ in range(repeated)]
        blank = 0
    return table


def _cells(row: etree._Element, position: int, look: _Look) -> list[str]:
    cells: list[str] = []
    blank = 0
    for cell in row.iterchildren(f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
        hides: list[bool] = []
        text = "\n".join("".join(_shown(part, look.styles, hides)) for part in cell.iterchildren(f"{_TEXT}p"))
        text = _stored(cell, text, (position, len(cells) + blank), look)
        if any(hides):
            look.hidden.append((position, len(cells) + blank))
        repeated = count_of(cell.get(f"{_TABLE}number-columns-repeated"))
        if not text:
            blank += repeated
        elif len(cells) + blank + repeated <= _MOST_COLUMNS:
            cells += [""] * blank + [text] * repeated
            blank = 0
    return cells


def _shown(element: etree._Element, styles: _Styles, hides: list[bool]) -> Iterator[str]:
    """Yield what a paragraph, or a part of one, shows (ODF 1.3, part 3, 6.1); say in `hides` where one isn't shown."""
    yield element.text or ""
    for child in element:
        tag, name = child.tag, child.get(f"{_TEXT}style-name", "")
        if tag == f"{_TEXT}s":
            yield " " * min(count_of(child.get(f"{_TEXT}c")), _MOST_BLANKS)
        elif tag == f"{_TEXT}tab":
            yield " "
        elif tag == f"{_TEXT}line-break":
            yield "\n"
        elif tag == f"{_TEXT}hidden-text" or (name in styles and styles[name] is None):
            hides.append(True)
        elif isinstance(tag, str) and tag not in _NOT_TEXT:
            text = "".join(_shown(child, styles, hides))
            apart = styles.get(name)
            yield apart(text) if apart else text
        yield child.tail or ""


def _stored(cell: etree._Element, text: str, place: tuple[int, int], look: _Look) -> str:
    """Return what a cell says: its text; of a number that is shown rounded, what is stored; of a formula, its value."""
    stored, formula = cell.get(f"{_OFFICE}value", ""), cell.get(f"{_TABLE}formula")
    is_error = cell.get(f"{_CALC_EXT}value-type") == "error" or (
        formula is not None and _ERROR.fullmatch(text) is not None
    )
    if is_error:
        look.errors[place] = text or NOT_STORED
        return text or NOT_STORED
    if not text and not stored:
        is_text = cell.get(f"{_OFFICE}value-type") == "string"
        if formula is None or is_text:
            return text
        look.unstored.append(place)
        return NOT_STORED
    match = _NUMBER.fullmatch(text.strip())
    number = read_number(stored) if len(stored) <= _LONGEST_NUMBER else None
    if not match or number is None:
        return text or stored
    number *= 100 if match[3] else 1
    whole, decimals = number_text(float(number)), len(match[2] or "")
    shown = Decimal(f"{match[1]}.{match[2] or 0}")
    is_grouped = abs(shown - number) > Decimal(1).scaleb(-decimals)  # 1.500 is shown for 1500
    if not is_grouped and len(whole.partition(".")[2]) <= decimals:
        return text
    if not is_grouped:
        look.rounded.see(*place, whole, decimals)
    return f"{whole.replace('.', ',') if ',' in text else whole}{match[3]}"
