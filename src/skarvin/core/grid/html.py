"""The largest table of an HTML page, which many systems hand out as if it were a workbook."""

from pathlib import Path

from lxml import etree, html

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.encoding import decode
from skarvin.core.grid.workbook import Sheet, Tab, check_size, choose, count_filled, trimmed

_MOST_SPAN = 1000


def read_html(data: bytes, file: Path, wanted: str | None, codec: str | None) -> Sheet:
    """Return the chosen table of a page; tables are named `table 1`, `table 2` ... in their order."""
    text, _ = decode(data, file, codec or _declared(data))
    try:
        root = html.fromstring(text.encode(), parser=html.HTMLParser(encoding="utf-8", no_network=True))
    except (etree.ParserError, etree.XMLSyntaxError, ValueError):
        root = None
    tables = (
        {}
        if root is None
        else {f"table {number}": _cells(element, file) for number, element in enumerate(root.iter("table"), 1)}
    )
    if not tables:
        mend = "Export the marks as CSV or a workbook."
        raise Unreadable(Finding("no-table", "this is a page without a table", Place(file), mend))
    tabs = [Tab(name) for name in tables]
    name, evidence = choose(tabs, wanted, {name: count_filled(table) for name, table in tables.items()}, file)
    return Sheet(name, trimmed(tables[name]), evidence)


def _declared(data: bytes) -> str | None:
    """Return the encoding that the page itself names."""
    head = data[:2048].lower()
    at = head.find(b"charset=")
    if at < 0:
        return None
    name = head[at + 8 : at + 40].strip(b"\"' ").split(b'"')[0].split(b"'")[0].split(b";")[0].split(b">")[0]
    codec = name.strip(b" /").decode("ascii", "replace")
    return {"iso-8859-1": "cp1252", "latin1": "cp1252", "windows-1252": "cp1252"}.get(codec, codec) or None


def _cells(table: etree._Element, file: Path) -> list[list[str]]:
    """Return the cells of a table; the text of a spanning cell stands in its first."""
    rows: list[list[str]] = []
    pending: dict[tuple[int, int], str] = {}
    for number, row in enumerate(element for element in table.iter("tr") if _owner(element) is table):
        cells: list[str] = []
        for cell in row.iterchildren("td", "th"):
            while (number, len(cells)) in pending:
                cells.append(pending.pop((number, len(cells))))
            across, down = _span(cell, "colspan"), _span(cell, "rowspan")
            for below in range(1, down):
                pending |= {(number + below, len(cells) + beside): "" for beside in range(across)}
            cells += [" ".join("".join(map(str, cell.itertext())).split()), *[""] * (across - 1)]
        check_size(number, len(cells), 1, file)
        rows.append(cells)
    return rows


def _owner(row: etree._Element) -> etree._Element | None:
    return next(row.iterancestors("table"), None)


def _span(cell: etree._Element, name: str) -> int:
    text = cell.get(name, "1").strip()
    return max(1, min(int(text), _MOST_SPAN)) if text.isdecimal() else 1
