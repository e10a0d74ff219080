"""One bare streaming read of a workbook, row by row, with openpyxl: the yardstick for workbooks that are filled."""

import sys

import openpyxl

for _ in openpyxl.load_workbook(sys.argv[1], read_only=True).worksheets[0].iter_rows(values_only=True):
    pass
