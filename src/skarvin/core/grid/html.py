"""The largest table of an HTML page, which many systems hand out as if it were a workbook."""

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from lxml import etree, html

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.encoding import decode
from skarvin.core.grid.seen import hidden_text, in_lines, lowered, raised, struck
from skarvin.core.grid.workbook import (
    CellBudget,
    Sheet,
    Tab,
    check_size,
    choose,
    count_filled,
    count_of,
    others_of,
    trimmed,
)
from skarvin.core.texts.patterns import pattern

_MOST_SPAN = 1000
_MOST_COLUMNS = 16_384
_BLOCKS = frozenset(
    (
        *("address", "article", "aside", "blockquote", "br", "caption", "center", "dd", "details", "div", "dl", "dt"),
        *("fieldset", "figure", "footer", "form", "h1", "h2", "h3", "h4", "h5", "h6", "header", "hr", "li", "main"),
        *("nav", "ol", "p", "pre", "section", "summary", "table", "tbody", "td", "th", "thead", "tr", "ul"),
    )
)
"""The elements that stand in lines of their own."""
_UNSEEN = frozenset({"script", "style", "template", "noscript", "head", "title", "datalist", "button"})
"""What shows no text, or one that is a control's and not the cell's."""
_CONTROLS = frozenset({"hidden", "submit", "button", "image", "reset", "file", "password"})
_TOLD_APART = {"sup": raised, "sub": lowered, "s": struck, "del": struck, "strike": struck}
_HIDES = pattern(
    r"display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)|(?:font-size|opacity)\s*:\s*0(?:\.0+)?(?:px|pt|em|%)?\s*(?:;|!|$)"
    r"|text-indent\s*:\s*-\d{3}|left\s*:\s*-\d{3}"
)
_IN_LINES = pattern(r"display\s*:\s*(?:block|flex|grid|table)")
_FOR_MEDIA = pattern(r"@[^{}]{0,500}\{(?:[^{}]*+\{[^{}]*+\})*+[^{}]*+\}")
_RULE = pattern(r"([^{}]*+)\{([^{}]*+)\}")
_SIMPLE = pattern(r"\w{0,20}([.#][\w-]{1,80})")


def read_html(data: bytes, file: Path, wanted: str | None, codec: str | None) -> Sheet:
    """Return the chosen table of a page; tables are named `table 1`, `table 2` ... in their order."""
    text, _ = decode(data, file, codec or _declared(data))
    try:
        root = html.fromstring(text.encode(), parser=html.HTMLParser(encoding="utf-8", no_network=True))
    except (etree.ParserError, etree.XMLSyntaxError, ValueError):
        root = None
    elements, budget = [] if root is None else list(root.iter("table")), CellBudget(file)
    unseen = frozenset[str]() if root is None else _hiding_names(root)
    found = {f"table {number}": _cells(element, file, budget, unseen) for number, element in enumerate(elements, 1)}
    tables = {name: table.rows for name, table in found.items()}
    if not tables:
        mend = "Export the marks as CSV or a workbook."
        raise Unreadable(Finding("no-table", "this is a page without a table", Place(file), mend))
    tabs = [Tab(name) for name in tables]
    name, evidence = choose(tabs, wanted, {name: count_filled(table) for name, table in tables.items()}, file)
    notes = tuple(hidden_text(file, None, found[name].hidden))
    others = others_of(tables, name) if wanted is None else ()
    return Sheet(name, trimmed(tables[name]), evidence, notes, others=others)


def _declared(data: bytes) -> str | None:
    """Return the encoding that the page itself names."""
    head = data[:2048].lower()
    at = head.find(b"charset=")
    if at < 0:
        return None
    name = head[at + 8 : at + 40].strip(b"\"' ").split(b'"')[0].split(b"'")[0].split(b";")[0].split(b">")[0]
    codec = name.strip(b" /").decode("ascii", "replace")
    return {"iso-8859-1": "cp1252", "latin1": "cp1252", "windows-1252": "cp1252"}.get(codec, codec) or None


def _hiding_names(root: etree._Element) -> frozenset[str]:
    """Return the classes (`.name`) and the elements (`#name`) that the page's own style rules hide on a screen."""
    found = set()
    for style in root.iter("style"):
        text = _FOR_MEDIA.sub("", "".join(map(str, style.itertext())))
        for names, rules in _RULE.findall(text):
            if _HIDES.search(rules.lower()):
                found |= {match[1] for name in names.split(",") if (match := _SIMPLE.fullmatch(name.strip()))}
    return frozenset(found)


class _Table(NamedTuple):
    """The cells of a table, and those that hide a part of their text."""

    rows: list[list[str]]
    hidden: list[tuple[int, int]]


def _seen(cell: etree._Element, unseen: frozenset[str]) -> tuple[str, bool]:
    """Return the text of a cell as a page shows it, and whether a part isn't shown: fields give their values."""
    if not len(cell):
        return " ".join((cell.text or "").split()), False
    hides: list[bool] = []
    return in_lines("".join(_shown(cell, unseen, hides))), any(hides)


def _shown(element: etree._Element, unseen: frozenset[str], hides: list[bool]) -> Iterator[str]:
    """Yield what an element shows, piece by piece; say in `hides` where a text isn't shown."""
    tag = element.tag if isinstance(element.tag, str) else ""
    style = (element.get("style") or "").lower()
    if not tag or tag in _UNSEEN:
        return
    names = {f".{name}" for name in (element.get("class") or "").split()} | {f"#{element.get('id')}"}
    if element.get("hidden") is not None or (style and _HIDES.search(style)) or names & unseen:
        hides.append(any(str(text).strip() for text in element.itertext()))
        return
    if tag == "input":
        yield _field(element)
        return
    if tag == "select":
        options = list(element.iter("option"))
        chosen = [one for one in options if one.get("selected") is not None]
        several = element.get("multiple") is not None
        for one in chosen if several else (chosen or options)[:1]:
            yield " ".join("".join(map(str, one.itertext())).split())
            yield "\n" if several else ""
        return
    pieces = [(element.text or "").replace("\n", "\n" if tag in {"pre", "textarea"} else " ")]
    for child in element:
        pieces += _shown(child, unseen, hides)
        pieces.append((child.tail or "").replace("\n", " "))
    apart = _TOLD_APART.get(tag)
    text = "".join(pieces)
    edge = "\n" if tag in _BLOCKS or (style and _IN_LINES.search(style)) else ""
    yield f"{edge}{apart(text) if apart else text}{edge}"


def _field(field: etree._Element) -> str:
    """Return what a field to fill in shows."""
    kind = (field.get("type") or "text").lower()
    if kind in {"checkbox", "radio"}:
        return "\N{BALLOT BOX WITH CHECK}" if field.get("checked") is not None else "\N{BALLOT BOX}"
    return "" if kind in _CONTROLS else field.get("value") or ""


def _cells(table: etree._Element, file: Path, budget: CellBudget, unseen: frozenset[str]) -> _Table:
    """Return the cells of a table; the text of a spanning cell stands in its first."""
    rows: list[list[str]] = []
    hidden: list[tuple[int, int]] = []
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
            text, hides = _seen(cell, unseen)
            if hides:
                hidden.append((len(rows), len(cells)))
            cells += [text, *[""] * (across - 1)]
            if len(cells) > _MOST_COLUMNS:
                what = f"a row of the table has more than {_MOST_COLUMNS:,} cells"
                raise Unreadable(Finding("too-wide", what, Place(file, number), "Export it again."))
        widest = max(widest, len(cells))
        budget.take(len(cells))
        rows.append(cells)
    check_size(len(rows), widest, sum(map(len, rows)), file)
    return _Table(rows, hidden)


def _owner(row: etree._Element) -> etree._Element | None:
    return next(row.iterancestors("table"), None)
