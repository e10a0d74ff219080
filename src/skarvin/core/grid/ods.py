"""OpenDocument spreadsheets (.ods, ISO/IEC 26300): each cell holds the text that it shows."""

import io
import zipfile
import zlib
from pathlib import Path

from lxml import etree

from skarvin.core.findings import Finding, Place, counted
from skarvin.core.grid.workbook import (
    CellBudget,
    Sheet,
    Tab,
    check_size,
    choose,
    count_filled,
    count_of,
    damaged,
    trimmed,
)

_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_MOST_COLUMNS = 16_384


def read_ods(data: bytes, file: Path, wanted: str | None) -> Sheet:
    """Return the chosen sheet of an .ods workbook."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            root = etree.fromstring(archive.read("content.xml"), parser)
    except (etree.XMLSyntaxError, KeyError, ValueError, zipfile.BadZipFile, zlib.error):
        raise damaged(file) from None
    sheets = {scale.get(f"{_TABLE}name", ""): scale for scale in root.iter(f"{_TABLE}table")}
    if not sheets:
        raise damaged(file)
    tabs, budget = [Tab(name) for name in sheets], CellBudget(file)
    names = list(sheets) if wanted is None else [choose(tabs, wanted, None, file)[0]]
    tables = {name: _table(sheets[name], file, budget) for name in names}
    name, evidence = choose(tabs, wanted, {name: count_filled(table) for name, table in tables.items()}, file)
    hidden = frozenset(
        index for index, row in enumerate(sheets[name].iter(f"{_TABLE}table-row")) if row.get(f"{_TABLE}visibility")
    )
    notes = []
    if hidden:
        what = f"{counted(len(hidden), 'row is', 'rows are')} hidden; included"
        notes.append(Finding("hidden-rows", what, Place(file, min(hidden), sheet=name)))
    return Sheet(name, trimmed(tables[name]), evidence, tuple(notes), hidden)


def _table(sheet: etree._Element, file: Path, budget: CellBudget) -> list[list[str]]:
    table: list[list[str]] = []
    blank = cells_so_far = widest = 0
    for row in sheet.iter(f"{_TABLE}table-row"):
        cells = _cells(row)
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


def _cells(row: etree._Element) -> list[str]:
    cells: list[str] = []
    blank = 0
    for cell in row.iterchildren(f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
        text = "\n".join("".join(map(str, part.itertext())) for part in cell.iterchildren(f"{_TEXT}p"))
        text = text or cell.get(f"{_OFFICE}value", "")
        repeated = count_of(cell.get(f"{_TABLE}number-columns-repeated"))
        if not text:
            blank += repeated
        elif len(cells) + blank + repeated <= _MOST_COLUMNS:
            cells += [""] * blank + [text] * repeated
            blank = 0
    return cells
