"""Workbook forms for tests: made by another library, and read by it again."""

import re
import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import openpyxl
from openpyxl.chart import BarChart, Reference
from openpyxl.comments import Comment
from openpyxl.styles import PatternFill, Protection
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.worksheet import Worksheet

FORMATS = ("General", "0.00", "0%", "@", "0000", "[Red]0.0")


def make_form(  # noqa: C901, PLR0912 - one branch for each thing that a workbook may have
    file: Path,
    students: Sequence[str],
    *,
    formats: Sequence[str] = ("General", "General"),
    before: Sequence[Any] = (),
    extras: Sequence[str] = (),
) -> None:
    """Write a form with the students' numbers, two items (C and D), and what a registry's workbook has besides.

    Args:
        file: where it goes.
        students: their numbers.
        formats: the number formats of the items' cells.
        before: what the cells of the first item say already.
        extras: what else there is: `formulas`, `chart`, `list`, `range`, `merged`, `hidden`, `protected`, `sheet`,
            `comment`; `single`: elements without content as single tags, which is how other programs write them.
    """
    book = openpyxl.Workbook()
    sheet: Worksheet = book.create_sheet("Marks", 0)
    del book["Sheet"]
    sheet.append(["Registry no", "Name", "Knots [10]", "Lofting [20]", "Remarks", "Total"])
    last = len(students) + 1
    for row, number in enumerate(students, 2):
        sheet.cell(row, 1, number or None).number_format = "@"
        sheet.cell(row, 2, f"Person {number}" if number else None)
        for column, code in enumerate(formats, 3):
            cell = sheet.cell(row, column)
            cell.number_format, cell.fill = code, PatternFill("solid", fgColor="FFEE99")
            cell.protection = Protection(locked=False)
        if before:
            sheet.cell(row, 3, before[(row - 2) % len(before)])
    if "formulas" in extras:
        for row in range(2, last + 1):
            sheet.cell(row, 6, f"=C{row}+D{row}")
        sheet.cell(last + 2, 3, f"=AVERAGE(C2:C{last})")
    if "chart" in extras:
        chart = BarChart()
        chart.add_data(Reference(sheet, min_col=3, min_row=1, max_row=last))
        sheet.add_chart(chart, "H2")
    if "list" in extras:
        rule = DataValidation(type="list", formula1='"1,2,5"')
        rule.add(f"D2:D{last}")
        sheet.add_data_validation(rule)
    if "range" in extras:
        rule = DataValidation(type="decimal", operator="between", formula1="0", formula2="8")
        rule.add(f"C2:C{last}")
        sheet.add_data_validation(rule)
    if "merged" in extras:
        sheet.merge_cells(start_row=last + 4, end_row=last + 4, start_column=1, end_column=6)
        sheet.cell(last + 4, 1, "Signed")
    if "hidden" in extras:
        sheet.column_dimensions["E"].hidden = True
    if "protected" in extras:
        sheet.protection.sheet = True
    if "sheet" in extras:
        book.create_sheet("Sums")["A1"] = f"=SUM(Marks!C2:C{last})"
    if "comment" in extras:
        sheet["B2"].comment = Comment("moved here in March", "registry")
    book.save(file)
    if "single" in extras:
        write_single_tags(file)


def write_single_tags(file: Path) -> None:
    """Write a package again, `<c r="C2"></c>` as `<c r="C2"/>`."""
    with zipfile.ZipFile(file) as old:
        parts = {name: old.read(name) for name in old.namelist()}
    with zipfile.ZipFile(file, "w") as new:
        for name, data in parts.items():
            new.writestr(name, re.sub(rb"<((\w+)(?:\s[^<>]*)?)\s*></\2>", rb"<\1/>", data))


def texts(file: Path, sheet: str = "Marks") -> dict[str, Any]:
    """Return what each cell holds: formulas as such."""
    book = openpyxl.load_workbook(file)
    return {cell.coordinate: cell.value for row in book[sheet].iter_rows() for cell in row if cell.value is not None}


def looks(file: Path, sheet: str = "Marks") -> dict[str, tuple[str, str, bool]]:
    """Return how each cell looks: its number format, its colour, whether it is locked."""
    book = openpyxl.load_workbook(file)
    return {
        cell.coordinate: (cell.number_format, cell.fill.fgColor.rgb, cell.protection.locked)
        for row in book[sheet].iter_rows()
        for cell in row
    }


def parts_that_differ(one: Path, other: Path) -> Iterator[str]:
    """Yield the names of the parts of two packages that aren't the same bytes."""
    with zipfile.ZipFile(one) as first, zipfile.ZipFile(other) as second:
        assert first.namelist() == second.namelist()
        yield from (name for name in first.namelist() if first.read(name) != second.read(name))
