"""Which computed cells depend on cells that are filled, so that what they last gave no longer holds."""

from bisect import bisect_left
from collections.abc import Iterable, Sequence

from skarvin.core.findings import row_position
from skarvin.core.targets.sheet_xml import Area, FormulaCell, areas
from skarvin.core.texts.patterns import pattern

_TEXT = pattern(r'"[^"]*"')
_OTHER_SHEET = pattern(r"(?:'(?:[^']|'')+'|[\w.\[\]]+)!\$?[A-Z]{1,3}\$?\d+(?::\$?[A-Z]{1,3}\$?\d+)?")
_CELLS = pattern(r"(?<![\w.$!])\$?[A-Z]{1,3}\$?\d+(?::\$?[A-Z]{1,3}\$?\d+)?(?![\w(!])")
_WHOLE = pattern(r"(?<![\w.$!])\$?([A-Z]{1,3}):\$?([A-Z]{1,3})(?![\w(!])|(?<![\w.$!])\$?(\d+):\$?(\d+)(?!\w)")
_FUNCTION = pattern(r"[A-Z][A-Z0-9.]*\(")
_NAME = pattern(r"[^\W\d]\w*")
_LAST = 1_048_576
_KNOWN = frozenset({"TRUE", "FALSE"})


def stale(formulas: Sequence[FormulaCell], filled: Iterable[tuple[int, int]]) -> list[FormulaCell]:
    """Return the computed cells whose value depends on filled ones, directly or through others.

    Where a formula names something that isn't a range of this sheet (a name, a table, a formula that it shares),
    it is taken to depend.
    """
    reads = {(one.row, one.column): _reads(one) for one in formulas}
    by_place = {(one.row, one.column): one for one in formulas}
    found: dict[tuple[int, int], FormulaCell] = {}
    changed = _Cells(filled)
    waiting = dict(reads)
    while True:
        new = [place for place, read in waiting.items() if read is None or any(map(changed.meets, read))]
        if not new:
            return [found[place] for place in sorted(found)]
        for place in new:
            found[place] = by_place[place]
            del waiting[place]
        changed = _Cells(new)


class _Cells:
    """Some cells, quickly found in a range."""

    def __init__(self, cells: Iterable[tuple[int, int]]) -> None:
        self._rows: dict[int, list[int]] = {}
        for row, column in cells:
            self._rows.setdefault(column, []).append(row)
        for rows in self._rows.values():
            rows.sort()

    def meets(self, area: Area) -> bool:
        """Tell whether any of the cells lies in a range."""
        columns = (column for column in self._rows if area.left <= column <= area.right)
        return any(self._holds(self._rows[column], area) for column in columns)

    @staticmethod
    def _holds(rows: list[int], area: Area) -> bool:
        at = bisect_left(rows, area.top)
        return at < len(rows) and rows[at] <= area.bottom


def _reads(cell: FormulaCell) -> list[Area] | None:
    """Return the ranges of its own sheet that a formula reads; None where that can't be told."""
    if not cell.formula and cell.shared:
        return None
    text = _OTHER_SHEET.sub(" ", _TEXT.sub(" ", cell.formula))
    found = [area for match in _CELLS.findall(text) for area in areas(match)]
    text = _CELLS.sub(" ", text)
    for left, right, top, bottom in _WHOLE.findall(text):
        if left:
            (area,) = areas(f"{left}1:{right}1")
            found.append(Area(0, area.left, _LAST, area.right))
        else:
            found.append(Area(row_position(top), 0, row_position(bottom), _LAST))
    rest = _FUNCTION.sub(" ", _WHOLE.sub(" ", text))
    functions = {name[:-1] for name in _FUNCTION.findall(text)}
    names = set(_NAME.findall(rest)) - _KNOWN
    return None if names or not functions.isdisjoint({"INDIRECT", "OFFSET"}) or "[" in rest else found
