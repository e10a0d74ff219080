"""Tells what the columns of a grid hold, and on what grounds."""

import re
from collections.abc import Sequence

from skarvin.core.findings import Finding, counted
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, Column, Use
from skarvin.core.layout.headings import split_maximum, use_in_words
from skarvin.core.layout.layout import Layout

_SAMPLE = 400
_MOSTLY = 0.6
_HALF = 0.5
_NUMBER = re.compile(r"\s*[-+]?\d+(?:[.,]\d+)?\s*")
_ADDRESS = re.compile(r"\s*[^@\s]+@[^@\s]+\.[^@\s]+\s*")
_CODE = re.compile(r"\s*(?=.*\d)[\w#-]{4,}\s*")


def recognise(grid: Grid) -> Layout:
    """Return the layout of a grid with one row of headings on top."""
    headings = grid.cells(0)
    rows = [grid.cells(row) for row in _sample(grid)]
    columns = tuple(
        _column(index, heading, [cells[index] for cells in rows if index < len(cells)])
        for index, heading in enumerate(headings)
    )
    return Layout(0, columns, tuple(_oddities(grid, columns)), tuple(_ragged(grid, len(headings))))


def _sample(grid: Grid) -> Sequence[int]:
    """Return rows from all over the grid."""
    step = max(1, (len(grid) - 1) // _SAMPLE)
    return [row for row in range(1, len(grid), step) if not grid.is_blank(row)]


def _column(index: int, heading: str, texts: list[str]) -> Column:
    title, out_of = split_maximum(heading)
    filled = [text for text in texts if text.strip()]
    use, grounds = _use(heading, filled, stated=out_of is not None)
    return Column(index, heading.strip(), use, grounds, title, out_of if use is Use.ITEM else None)


def _use(heading: str, filled: list[str], *, stated: bool) -> tuple[Use, str]:
    if stated:
        return Use.ITEM, "states a maximum"
    numbers = _share(_NUMBER, filled)
    words = use_in_words(heading)
    if words and not _contradicts(words[0], filled, numbers):
        return words[0], f"says '{words[1]}'"
    return _use_by_cells(heading, filled, numbers)


def _use_by_cells(heading: str, filled: list[str], numbers: float) -> tuple[Use, str]:
    if _share(_ADDRESS, filled) > _MOSTLY:
        return Use.EMAIL, "most cells are addresses"
    if _looks_like_codes(filled):
        return Use.KEY, "every cell is another code"
    if not filled and heading.strip():
        return Use.ITEM, "blank, with a heading"
    if numbers >= _HALF:
        return Use.ITEM, f"{numbers:.0%} are numbers"
    return Use.OTHER, "not known" if filled else "blank"


def _contradicts(use: Use, filled: list[str], numbers: float) -> bool:
    """Tell whether the cells speak against what the heading's words say."""
    if not filled:
        return False
    if use in IDENTIFIERS:
        return len(set(filled)) < _MOSTLY * len(filled)
    return use in {Use.NAME, Use.FAMILY, Use.GIVEN, Use.COMMENT} and numbers > _MOSTLY


def _looks_like_codes(filled: list[str]) -> bool:
    return len(filled) > 1 and len(set(filled)) == len(filled) and _share(_CODE, filled) == 1


def _share(pattern: re.Pattern[str], texts: list[str]) -> float:
    return sum(1 for text in texts if pattern.fullmatch(text)) / len(texts) if texts else 0.0


def _oddities(grid: Grid, columns: tuple[Column, ...]) -> list[Finding]:
    findings = list(grid.notes)
    seen: dict[str, list[Column]] = {}
    for column in columns:
        seen.setdefault(column.heading, []).append(column)
    for heading, same in seen.items():
        letters = ", ".join(column.letter for column in same)
        place = grid.place(0, same[0].index)
        if heading and len(same) > 1:
            mend = "Name these columns by their letters."
            findings.append(
                Finding("heading-twice", f"the heading '{heading}' is used in columns {letters}", place, mend)
            )
        if not heading:
            what = f"{counted(len(same), 'column has', 'columns have')} no heading: {letters}"
            findings.append(Finding("heading-blank", what, place, "Name such a column by its letter."))
    blank = [row for row in range(1, len(grid)) if grid.is_blank(row)]
    if blank:
        findings.append(Finding("blank-rows", counted(len(blank), "blank row"), grid.place(blank[0])))
    return findings


def _ragged(grid: Grid, width: int) -> list[Finding]:
    """Return a fault for the first rows whose cells don't stand under the headings."""
    if set(grid.widths) == {width}:
        return []
    findings = []
    for row, cells in enumerate(grid.widths):
        if cells == width or grid.is_blank(row) or (cells > width and not any(grid.cells(row)[width:])):
            continue
        end = " and is the last one" if row == len(grid) - 1 else ""
        what = f"this row has {counted(cells, 'cell')}{end}; the headings have {width}"
        mend = (
            "The file may have been cut off: export it again."
            if cells < width
            else "A cell may hold the delimiter without quotation marks: correct the row, or export again."
        )
        findings.append(Finding("ragged-row", what, grid.place(row), mend))
    return findings
