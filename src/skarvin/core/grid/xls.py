"""Legacy .xls workbooks (BIFF)."""

import contextlib
import io
import re
import struct
from pathlib import Path
from typing import Any

from skarvin.core.findings import Finding, Place, Unreadable, counted
from skarvin.core.grid.seen import Rounded, errors_in, lowered, raised, shown_decimals, struck
from skarvin.core.grid.workbook import (
    Sheet,
    Tab,
    cell_text,
    check_size,
    choose,
    count_filled,
    damaged,
    number_text,
    others_of,
    trimmed,
)

_PLACES = {1: raised, 2: lowered}
"""What a font's place above or below the line does to a text."""


def read_xls(data: bytes, file: Path, wanted: str | None) -> Sheet:
    """Return the chosen sheet of an .xls workbook."""
    import xlrd  # noqa: PLC0415 - for this kind alone
    import xlrd.biffh  # noqa: PLC0415 - for this kind alone
    import xlrd.compdoc  # noqa: PLC0415

    try:
        with contextlib.redirect_stdout(io.StringIO()):
            book = xlrd.open_workbook(file_contents=data, formatting_info=True, logfile=io.StringIO(), ragged_rows=True)
        tabs = [Tab(sheet.name, bool(sheet.visibility)) for sheet in book.sheets()]
        shown = [tab.name for tab in tabs if not tab.is_hidden] or [tab.name for tab in tabs]
        tables = {name: _table(book, book.sheet_by_name(name), file) for name in (shown if wanted is None else [])}
        filled = {name: count_filled(table) for name, table in tables.items()}
        name, evidence = choose(tabs, wanted, filled or None, file)
        sheet = book.sheet_by_name(name)
        table = tables.get(name) or _table(book, sheet, file)
    except (xlrd.biffh.XLRDError, xlrd.compdoc.CompDocError) as error:
        if "encrypted" in str(error).lower():
            mend = "Save it without a password."
            raise Unreadable(Finding("encrypted", "this workbook is encrypted", Place(file), mend)) from None
        raise damaged(file) from None
    except (AssertionError, IndexError, KeyError, ValueError, struct.error, UnicodeDecodeError, OverflowError):
        raise damaged(file) from None
    rows = frozenset(row for row, info in sheet.rowinfo_map.items() if info.hidden)
    columns = frozenset(column for column, info in sheet.colinfo_map.items() if info.hidden and column < sheet.ncols)
    rounded = Rounded()
    errors: dict[tuple[int, int], str] = {}
    for row, cells in enumerate(table):
        for column, text in enumerate(cells):
            cell = sheet.cell(row, column) if column < sheet.row_len(row) else None
            decimals = shown_decimals(_code(book, cell)) if cell and cell.ctype == xlrd.XL_CELL_NUMBER else None
            if decimals is not None:
                rounded.see(row, column, text, decimals)
            elif cell and cell.ctype == xlrd.XL_CELL_ERROR:
                errors[row, column] = text
    notes = [*rounded.notes(file, name), *errors_in(file, name, errors)]
    notes += [
        Finding(f"hidden-{what}", f"{counted(len(found), text)} hidden; included", Place(file, sheet=name))
        for what, text, found in (("rows", "row", rows), ("columns", "column", columns))
        if found
    ]
    if sheet.merged_cells:
        what = f"{counted(len(sheet.merged_cells), 'merged range')}: its text is in the first cell"
        notes.append(Finding("merged", what, Place(file, sheet=name)))
    return Sheet(
        name,
        trimmed(table),
        evidence,
        tuple(notes),
        rows,
        columns,
        rounded=rounded.columns,
        others=others_of(tables, name),
    )


def _table(book: Any, sheet: Any, file: Path) -> list[list[str]]:  # noqa: ANN401 - xlrd has no types
    widths = [sheet.row_len(row) for row in range(sheet.nrows)]
    check_size(len(widths), max(widths, default=0), sum(widths), file, sheet.name)
    table = [[_text(book, sheet.cell(row, column)) for column in range(width)] for row, width in enumerate(widths)]
    for (row, column), runs in sheet.rich_text_runlist_map.items():
        table[row][column] = _rich(book, table[row][column], runs)
    return table


def _rich(book: Any, text: str, runs: list[tuple[int, int]]) -> str:  # noqa: ANN401
    """Return a text with its runs told apart, each from a place on in a font of its own."""
    parts = [text[: runs[0][0]] if runs else text]
    for (start, number), end in zip(runs, [*(start for start, _ in runs[1:]), len(text)], strict=True):
        font, part = book.font_list[number], text[start:end]
        parts.append(struck(part) if font.struck_out else _PLACES.get(font.escapement, str)(part))
    return "".join(parts)


def _code(book: Any, cell: Any) -> str:  # noqa: ANN401
    return str(book.format_map[book.xf_list[cell.xf_index].format_key].format_str)


def _text(book: Any, cell: Any) -> str:  # noqa: ANN401
    import xlrd  # noqa: PLC0415

    if cell.ctype == xlrd.XL_CELL_NUMBER:
        code = _code(book, cell)
        if "%" in code:
            return f"{number_text(round(cell.value * 100, 12))}%"
        text = number_text(cell.value)
        return text.zfill(len(code)) if re.fullmatch("0{2,}", code) else text
    if cell.ctype == xlrd.XL_CELL_DATE:
        moment = xlrd.xldate_as_datetime(cell.value, book.datemode)
        return cell_text(moment if cell.value % 1 else moment.date()) if cell.value >= 1 else cell_text(moment.time())
    if cell.ctype == xlrd.XL_CELL_BOOLEAN:
        return cell_text(bool(cell.value))
    if cell.ctype == xlrd.XL_CELL_ERROR:
        return str(xlrd.error_text_from_code.get(cell.value, "#ERROR!"))
    return str(cell.value)
