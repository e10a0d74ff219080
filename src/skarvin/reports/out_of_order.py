"""Where somebody stands tells who it is, to whoever has the list: places are left out, lists are in the order of codes.

Done to what is shown with --mask, at its last step: each table of a screen, a page, a workbook, a list.
"""

from collections.abc import Callable, Sequence
from typing import TypeVar

from skarvin.core.texts.patterns import pattern

_PLACES = ("row", "form row", "cell", "place")
"""How the headings begin of what says where somebody stands."""
_CODE = pattern(r"~[a-z2-7]{8}")
_ROWS = pattern(r"\b([Rr]ows?|[Ss]heets?)( of [\w ]+?)? \d+((, | and |\.\.)\d+)*\b")
_CELL = pattern(r"(?<![\w'~#.-])[A-Z]{1,3}[1-9]\d{0,6}(?![\w'.-])")
_BODY = pattern(r"(?s)<thead>(.*?)</thead>\s*<tbody>(.*?)</tbody>")
_HEAD = pattern(r"(?s)<th\b[^>]*>(.*?)</th>")
_LINE = pattern(r"(?s)<tr\b.*?</tr>")
_TD = pattern(r"(?s)(<t[dh]\b[^>]*>)(.*?)(?=</t[dh]>)")
_One = TypeVar("_One")
Cell = str | float


def without_places(text: str, titles: frozenset[str]) -> str:
    """Return a sentence without the rows and cells that it names; what is the title of an item is no cell."""
    text = _ROWS.sub(lambda found: f"{found[1]}{found[2] or ''} …", text)
    if _CELL.fullmatch(text.strip()):
        return text
    return _CELL.sub(lambda found: found[0] if found[0] in titles else "…", text)


def by_code(rows: Sequence[_One], said: Callable[[_One], str]) -> Sequence[_One]:
    """Return rows in the order of the code that each has first; as they are, where one has none."""
    found = [_CODE.search(said(row)) for row in rows]
    codes = [one[0] for one in found if one]
    if len(codes) < len(rows):
        return rows
    return [row for _, row in sorted(zip(codes, rows, strict=True), key=lambda one: one[0])]


def table_out_of_order(heads: Sequence[str], rows: Sequence[Sequence[Cell]]) -> Sequence[Sequence[Cell]]:
    """Return a table's rows, texts hidden already, without what says where somebody stands."""
    places = {at for at, head in enumerate(heads) if _is_place(head)}
    left = [["" if at in places else text for at, text in enumerate(row)] for row in rows]
    return by_code(left, lambda row: " ".join(map(str, row)))


def page_out_of_order(page: str) -> str:
    """Return a page, texts hidden already, whose tables are without what says where somebody stands."""

    def table(head: str, body: str) -> str:
        places = {at for at, title in enumerate(_HEAD.findall(head)) if _is_place(title)}
        lines = by_code([_cells_blanked(line, places) for line in _LINE.findall(body)], str)
        return "\n".join([f"<thead>{head}</thead><tbody>", *lines, "</tbody>"])

    return _BODY.sub(lambda found: table(found[1], found[2]), page)


def _is_place(head: str) -> bool:
    return head.casefold().startswith(_PLACES)


def _cells_blanked(line: str, places: set[int]) -> str:
    at = -1

    def cell(opening: str, text: str) -> str:
        nonlocal at
        at += 1
        return opening if at in places else opening + text

    return _TD.sub(lambda found: cell(found[1], found[2]), line) if places else line
