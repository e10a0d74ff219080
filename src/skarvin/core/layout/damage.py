"""What spreadsheets and wrong encodings do to texts, recognised and told with its place."""

import re
from collections import Counter
from collections.abc import Callable, Mapping

from skarvin.core.findings import Finding, counted, listed_rows
from skarvin.core.grid.encoding import mend_mangled
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.restoring import POINT_ZERO, SPACES
from skarvin.core.layout.traits import is_code
from skarvin.core.texts.folding import UNSEEN
from skarvin.core.texts.patterns import pattern

_CURLY = pattern("[\u2018\u2019\u201c\u201d]")
_SCIENTIFIC = pattern(r"\s*\d(?:[.,]\d+)?E\+?\d+\s*", re.IGNORECASE)
_FEWEST_ROUNDED = 16
_LONG_DIGITS = pattern(r"\s*\d{15,}0\s*")
_DAY = pattern(
    r"\s*(?:\d{4}-\d\d-\d\d(?:[ T].*)?|\d{1,2}([./-])\d{1,2}\1\d{2,4}|\d{1,2}-[A-Za-z]{3}(?:-\d{2,4})?"
    r"|[A-Za-z]{3}-\d{1,2}|\d{1,2}:\d\d(?::\d\d)?)\s*"
)
_NEARLY_ALL, _MOST_ODD = 0.8, 5
_CUT = frozenset({255, 32_767})


def find_damage(grid: Grid, layout: Layout, texts: Mapping[int, Counter[str]]) -> list[Finding]:
    """Return what looks damaged, column by column, with places.

    Args:
        grid: the cells.
        layout: what they mean.
        texts: for each column the distinct texts below the headings and how often each stands there.
    """
    findings = []
    for column in layout.columns:
        known = texts[column.index]
        if column.use in IDENTIFIERS:
            findings += _identifier_damage(grid, layout, column, known)
        if column.use is Use.ITEM:
            mend = "Enter the marks again, or export them from where they were made; until then they are held."
            findings += _cells(
                grid, layout, column, known, _DAY.fullmatch, "mark-day", "a mark turned into a day", mend
            )
        if column.use in NAMES:
            findings += _name_damage(grid, layout, column, known)
        if _CUT.isdisjoint(map(len, known)):
            continue
        mend = "The rest of the text is lost: export it again."
        findings += _cells(
            grid,
            layout,
            column,
            known,
            lambda text: len(text) in _CUT,
            "cut",
            "a text cut at 255 or 32,767 characters",
            mend,
        )
    return findings


def _identifier_damage(grid: Grid, layout: Layout, column: Column, known: Counter[str]) -> list[Finding]:
    mend = "The digits are lost: export the file again, and don't open it in a spreadsheet."
    odd = Counter({text: count for text, count in known.items() if not _is_plain_number(text)})
    findings = _cells(
        grid, layout, column, odd, _SCIENTIFIC.fullmatch, "scientific", "an identifier in scientific notation", mend
    )
    findings += _cells(
        grid, layout, column, odd, _LONG_DIGITS.fullmatch, "rounded", "an identifier rounded at 15 digits", mend
    )
    for slug, title, test in (
        ("point-zero", "an identifier with a trailing .0", POINT_ZERO.fullmatch),
        ("unseen", "an identifier with unseen characters", lambda text: UNSEEN.search(text) or SPACES.search(text)),
    ):
        findings += _cells(grid, layout, column, odd, test, slug, title, "It is set right when students are paired.")
    codes = {text for text in known if (len(text) > 1 and _is_plain_number(text)) or is_code(text)}
    filled = [text for text in known if text.strip()]
    if len(codes) < len(filled) <= len(codes) / _NEARLY_ALL and len(filled) - len(codes) <= _MOST_ODD:
        title = "an identifier unlike the others"
        mend = "Correct it in the export, or decide whose it is with: skarvin students"
        unlike = frozenset(text for text in filled if text not in codes)
        findings += _cells(grid, layout, column, known, unlike.__contains__, "identifier-odd", title, mend)
    return [*findings, *_lost_zeros(grid, column, known)]


def _is_plain_number(text: str) -> bool:
    """Tell whether an identifier is a number of so few digits that nothing can have been done to it."""
    return len(text) < _FEWEST_ROUNDED and text.isascii() and text.isdecimal()


def _lost_zeros(grid: Grid, column: Column, known: Counter[str]) -> list[Finding]:
    """Tell of identifiers that are all digits and nearly all of one length, some shorter: zeros may have been lost."""
    digits = [text.strip() for text in known if text.strip()]
    if not digits or not all(text.isdecimal() for text in digits):
        return []
    lengths = Counter(map(len, digits))
    usual, count = lengths.most_common(1)[0]
    shorter = sum(number for length, number in lengths.items() if length < usual)
    if not shorter or max(lengths) > usual or 2 * count < len(digits) or any(text[0] == "0" for text in digits):
        return []
    found = counted(shorter, "identifier is", "identifiers are")
    what = f"{found} shorter than the usual {usual} digits, and none begins with 0"
    mend = "Leading zeros may be lost; ignore_leading_zeros = true matches them all the same."
    return [Finding("zeros-lost", what, grid.place(None, column.index, column.heading), mend)]


def _name_damage(grid: Grid, layout: Layout, column: Column, known: Counter[str]) -> list[Finding]:
    findings = []
    mangled = {text: mended for text in known if (mended := mend_mangled(text))}
    if mangled:
        example, mended = next(iter(mangled.items()))
        title = f"a name read in the wrong encoding: '{example}' was '{mended}'"
        mend = "mend_mangled = true in the transfer sets them right."
        findings += _cells(grid, layout, column, known, mangled.__contains__, "mangled", title, mend)
    return [*findings, *_cells(grid, layout, column, known, _CURLY.search, "curly", "a curly quotation mark", "")]


def _cells(  # noqa: PLR0913 - a finding's parts
    grid: Grid,
    layout: Layout,
    column: Column,
    known: Counter[str],
    is_damaged: Callable[[str], object],
    slug: str,
    title: str,
    mend: str,
) -> list[Finding]:
    """Return one finding for all damaged cells of a column, with the places of the first."""
    texts = {text for text in known if is_damaged(text) and text.strip()}
    if not texts:
        return []
    rows = [grid.row(row) for row in range(layout.first_row, len(grid)) if _text(grid, row, column.index) in texts]
    where = listed_rows(rows)
    return [
        Finding(
            slug,
            f"{title}, {counted(len(rows), 'cell')}: {where}",
            grid.place(None, column.index, column.heading),
            mend,
        )
    ]


def _text(grid: Grid, row: int, column: int) -> str:
    cells = grid.cells(row)
    return cells[column] if column < len(cells) else ""
