"""Fills some columns of a workbook form with one mark, and nothing else: the filling by itself."""

import sys
from pathlib import Path

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.read import read_grid
from skarvin.core.targets.opening import open_target

form = open_target(read_grid(Path(sys.argv[1])))
columns = [int(column) for column in sys.argv[2].split(",")]
rows = range(1, len(form.grid))
coding = Coding()
codes = form.code_cells(coding, rows, columns)
raws = list(coding.texts)
spelled = [*raws, *(form.spell("7", raw) for raw in raws)]
width = len(columns)
filled = {
    row: [len(raws) + code for code in codes[place * width : (place + 1) * width]] for place, row in enumerate(rows)
}
changed = frozenset(range(len(raws), len(spelled)))
Path(f"{sys.argv[1]}.filled").write_bytes(b"".join(form.filled(columns, filled, spelled, changed)))
