"""The largest table of an HTML page, which many systems hand out as if it were a workbook."""

from pathlib import Path

from lxml import etree, html

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.encoding import decode
from skarvin.core.grid.workbook import CellBudget, Sheet, Tab, check_size, choose, count_filled, count_of, trimmed

_MOST_SPAN = 1000
_MOST_COLUMNS = 16_384


def read_html(data: bytes, file: Path, wanted: str | None, codec: str | None) -> Sheet:
    """Return the chosen table of a page; tables are named `table 1`, `table 2` ... in their order."""
    text, _ = decode(data, file, codec or _declared(data))
    try:
        root = html.fromstring(text.encode(), parser=html.HTMLParser(encoding="utf-8", no_network=True))
    except (etree.ParserError, etree.XMLSyntaxError, ValueError):
        root = None
    elements, budget = [] if root is None else list(root.iter("table")), CellBudget(file)
    tables = {f"table {number}": _cells(element, file, budget) for number, element in enumerate(elements, 1)}
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


def _cells(table: etree._Element, file: Path, budget: CellBudget) -> list[list[str]]:
    """Return the cells of a table; the text of a spanning cell stands in its first."""
    rows: list[list[str]] = []
    taken_until: dict[int, int] = {}
    widest = 0
    for number, row in enumerate(element for element in table.iter("tr") if _owner(element) is table):
        cells: list[str] = []
        for cell in row.iterchildren("td", "th"):
            while taken_until.get(len(cells), 0) > number:
                cells.append("")
            across, down = (min(count_of(cell.get(name)), _MOST_SPAN) for name in ("colspan", "rowspan"))
            if down > 1:
                taken_until |= dict.fromkeys(range(len(cells), len(cells) + across), number + down)
            cells += [" ".join("".join(map(str, cell.itertext())).split()), *[""] * (across - 1)]
            if len(cells) > _MOST_COLUMNS:
                what = f"a row of the table has more than {_MOST_COLUMNS:,} cells"
                raise Unreadable(Finding("too-wide", what, Place(file, number), "Export it again."))
        widest = max(widest, len(cells))
        budget.take(len(cells))
        rows.append(cells)
    check_size(len(rows), widest, sum(map(len, rows)), file)
    return rows


def _owner(row: etree._Element) -> etree._Element | None:
    return next(row.iterancestors("table"), None)
