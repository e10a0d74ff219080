"""The marks of a class as totals need them; each distinct text of an item is read once."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from skarvin.core.findings import Row, listed_rows
from skarvin.core.marks.convert import MarkRule, Points, read_points
from skarvin.core.marks.several import RowMark, Several, rows_in_time, which_counts
from skarvin.core.marks.totals.compute import Read
from skarvin.core.marks.totals.tree import MomentKey
from skarvin.core.texts.moments import day_of, read_moment


class TextPoints(dict[str, Points]):
    """From a text of an item to the points that it counts for."""

    def __init__(self, rule: MarkRule, title: str) -> None:
        super().__init__()
        self._rule = rule
        self.title = title

    def __missing__(self, text: str) -> Points:
        read = read_points(text, self._rule)
        self[text] = points = read._replace(reason=f"'{self.title}': {read.reason}" if read.reason else "")
        return points


class MomentPoints(dict[str, Points]):
    """From a text of a column with dates to the moment that it says, as a number of days."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title = title

    def __missing__(self, text: str) -> Points:
        moment = read_moment(text)
        why = f"'{self.title}': '{text.strip()}' isn't a date that can be read (2026-03-04, 4.3.2026)"
        self[text] = points = (
            Points(day_of(moment)) if moment else Points(None, why if text.strip() else "", is_excused=True)
        )
        return points


AllPoints = Mapping[int | MomentKey, TextPoints | MomentPoints]
"""The points of each column's texts, by its key."""


def _place(key: int | MomentKey) -> int:
    return key.place if isinstance(key, MomentKey) else key


def row_reader(cells_of: Callable[[Row], Sequence[str]], points: AllPoints) -> Read:
    """Return what reads some of a student's marks.

    Args:
        cells_of: gives the cells of a row.
        points: the points of each column's texts.
    """

    def read(row: Row, keys: Sequence[int | MomentKey]) -> list[Points]:
        cells = cells_of(row)
        return [points[key][cells[place] if (place := _place(key)) < len(cells) else ""] for key in keys]

    return read


class SeveralRows(NamedTuple):
    """The rows of each student who has several, by the first; when these are from; and the points of items' texts."""

    rows: Mapping[Row, Sequence[Row]]
    dates: Mapping[Row, str]
    points: AllPoints


def several_rows_reader(
    read: Read,
    cells_of: Callable[[Row], Sequence[str]],
    rules: Mapping[int, tuple[MarkRule, Several]],
    several: SeveralRows,
) -> Read:
    """Return what reads the marks of a student who may have several rows: for each item the one that counts.

    Args:
        read: what reads the marks of one row.
        cells_of: gives the cells of a row.
        rules: each item's rule, and which of several marks counts.
        several: the rows.
    """

    def read_student(row: Row, keys: Sequence[int | MomentKey]) -> Sequence[Points]:
        rows = several.rows.get(row)
        if rows is None:
            return read(row, keys)
        order = rows_in_time(rows, several.dates)
        cells = [cells_of(one) for one in rows]
        found = []
        for key in keys:
            place = _place(key)
            marks = [RowMark(texts[place] if place < len(texts) else "") for texts in cells]
            counting = which_counts(marks, *rules[place], order)
            points = several.points[key]
            if counting.place is None:
                where = listed_rows([rows[place] for place in counting.filled])
                found.append(Points(None, f"'{points.title}': a person must decide which mark counts, of {where}"))
            else:
                found.append(points[marks[counting.place].text])
        return found

    return read_student
