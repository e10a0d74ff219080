"""Workbooks in Office Open XML: .xlsx and .xlsm (ECMA-376)."""

import io
import zipfile
import zlib
from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.workbook import Sheet, choose, count_filled, damaged, no_cells
from skarvin.core.grid.xlsx_facts import XlsxFacts


def read_xlsx(data: bytes, file: Path, wanted: str | None) -> Sheet:
    """Return the chosen sheet of an .xlsx or .xlsm workbook (ECMA-376)."""
    from python_calamine import CalamineError, CalamineWorkbook, PasswordError  # noqa: PLC0415 - for this kind alone

    try:
        facts = XlsxFacts(data, file)
        if not facts.tabs:
            raise no_cells(file)
        shown = [tab.name for tab in facts.tabs if not tab.is_hidden] or [tab.name for tab in facts.tabs]
        names = shown if wanted is None else [choose(facts.tabs, wanted, None, file)[0]]
        for name in names:
            facts.check_size(name)
        workbook = CalamineWorkbook.from_filelike(io.BytesIO(data))
        tables = {name: workbook.get_sheet_by_name(name).to_python(skip_empty_area=False) for name in names}
        filled = {name: count_filled(table) for name, table in tables.items()} if len(tables) > 1 else None
        name, evidence = choose(facts.tabs, wanted, filled, file)
        return facts.finish(name, evidence, tables[name])
    except PasswordError:
        mend = "Save it without a password."
        raise Unreadable(Finding("encrypted", "this workbook is encrypted", Place(file), mend)) from None
    except (CalamineError, zipfile.BadZipFile, zlib.error, KeyError, IndexError, ValueError, OverflowError, OSError):
        raise damaged(file) from None
