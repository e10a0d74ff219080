"""The marks of a class as totals need them; each distinct text of an item is read once."""

from collections.abc import Callable, Mapping, Sequence

from skarvin.core.findings import Row
from skarvin.core.marks.convert import MarkRule, Points, read_points
from skarvin.core.marks.totals.compute import Read


class TextPoints(dict[str, Points]):
    """From a text of an item to the points that it counts for."""

    def __init__(self, rule: MarkRule, title: str) -> None:
        super().__init__()
        self._rule = rule
        self._title = title

    def __missing__(self, text: str) -> Points:
        read = read_points(text, self._rule)
        self[text] = points = read._replace(reason=f"'{self._title}': {read.reason}" if read.reason else "")
        return points


def row_reader(cells_of: Callable[[Row], Sequence[str]], points: Mapping[int, TextPoints]) -> Read:
    """Return what reads some of a student's marks.

    Args:
        cells_of: gives the cells of a row.
        points: the points of each item's texts, by its key: the column's place in the row.
    """

    def read(row: Row, keys: Sequence[int]) -> list[Points]:
        cells = cells_of(row)
        return [points[key][cells[key] if key < len(cells) else ""] for key in keys]

    return read
