"""Workbooks in Office Open XML: .xlsx and .xlsm (ECMA-376)."""

import io
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.workbook import CellBudget, Sheet, choose, count_filled, damaged, no_cells, others_of
from skarvin.core.grid.xlsx_facts import XlsxFacts

if TYPE_CHECKING:
    from python_calamine import CalamineWorkbook

_PANIC = "PanicException"
"""What the library raises when it fails in a way that it didn't foresee; no `Exception`, and only known by its name."""


def read_xlsx(data: bytes, file: Path, wanted: str | None) -> Sheet:
    """Return the chosen sheet of an .xlsx or .xlsm workbook (ECMA-376).

    Where no sheet is named, one that is damaged is passed over, which is told.
    """
    from python_calamine import CalamineWorkbook  # noqa: PLC0415 - for this kind alone

    with _refusing(file):
        facts = XlsxFacts(data, file)
        if not facts.tabs:
            raise no_cells(file)
        shown = [tab.name for tab in facts.tabs if not tab.is_hidden] or [tab.name for tab in facts.tabs]
        names = shown if wanted is None else [choose(facts.tabs, wanted, None, file)[0]]
        if len(names) == 1:
            facts.check_size(names[0])
        workbook = CalamineWorkbook.from_filelike(io.BytesIO(data))
    if len(names) == 1:
        with _refusing(file, names[0]):
            table = _table(workbook, names[0])
            evidence = choose(facts.tabs, wanted, None, file)[1]
            return facts.finish(names[0], evidence, table)
    return _fullest(workbook, facts, names, file)


def _fullest(workbook: "CalamineWorkbook", facts: XlsxFacts, names: list[str], file: Path) -> Sheet:
    """Return the sheet with the most filled cells of those that can be read."""
    filled: dict[str, int] = {}
    broken: list[Finding] = []
    best: tuple[str, Sequence[Sequence[object]]] | None = None
    tables: dict[str, Sequence[Sequence[object]]] = {}
    budget = CellBudget(file)
    for name in names:
        try:
            with _refusing(file, name):
                facts.check_size(name)
                table = _table(workbook, name)
        except Unreadable as error:
            broken += error.findings
            filled[name] = -1
            continue
        budget.take(len(table) * len(table[0]) if table else 0)
        filled[name] = count_filled(table)
        tables[name] = table
        if best is None or filled[name] > filled[best[0]]:
            best = (name, table)
    if best is None:
        raise Unreadable(*broken)
    _, evidence = choose(facts.tabs, None, filled, file)
    with _refusing(file, best[0]):
        sheet = facts.finish(best[0], evidence, best[1], broken)
        return replace(sheet, others=others_of(tables, best[0]))


def _table(workbook: "CalamineWorkbook", name: str) -> Sequence[Sequence[object]]:
    table: Sequence[Sequence[object]] = workbook.get_sheet_by_name(name).to_python(skip_empty_area=False)
    return table


@contextmanager
def _refusing(file: Path, sheet: str | None = None) -> Iterator[None]:
    """Turn whatever a damaged workbook makes of its reader into an error that names it."""
    from python_calamine import CalamineError, PasswordError  # noqa: PLC0415 - for this kind alone

    try:
        yield
    except PasswordError:
        mend = "Save it without a password."
        raise Unreadable(Finding("encrypted", "this workbook is encrypted", Place(file), mend)) from None
    except (CalamineError, zipfile.BadZipFile, zlib.error, KeyError, IndexError, ValueError, OverflowError, OSError):
        raise damaged(file, sheet) from None
    except (RuntimeError, NotImplementedError, EOFError):  # what an archive holds that can't be unpacked
        raise damaged(file, sheet) from None
    except BaseException as error:
        if type(error).__name__ != _PANIC:
            raise
        raise damaged(file, sheet) from None
