"""One bare read of a workbook with the library that reads them here: the yardstick for workbooks."""

import sys

from python_calamine import CalamineWorkbook

CalamineWorkbook.from_path(sys.argv[1]).get_sheet_by_index(0).to_python()
