"""A gradebook: students and items with marks, as understood from a grid by a layout."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column
from skarvin.core.layout.layout import Layout
from skarvin.core.layout.rows import striker


class Student(NamedTuple):
    """One student: the row of the grid, the identifier as it is written there, the name and the section."""

    row: int
    identifier: str
    name: str = ""
    section: str = ""


@dataclass(frozen=True)
class Gradebook:
    """Students and items of one file. `struck` are rows that look like students and are none."""

    grid: Grid
    layout: Layout
    identifier: Column
    students: tuple[Student, ...]
    struck: tuple[Student, ...]
    items: tuple[Column, ...]


def understand(
    grid: Grid, layout: Layout, identifier: Column, items: Sequence[Column], not_students: Iterable[str] = ()
) -> Gradebook:
    """Return the gradebook that `grid` holds.

    Args:
        grid: the cells.
        layout: what they mean.
        identifier: the column that tells the students apart.
        items: the columns that hold marks.
        not_students: names of rows that the system itself put in.
    """
    names = [column.index for column in layout.names]
    section = next((column.index for column in layout.columns if column.use == "section"), None)
    last = max([identifier.index, *names, section or 0]) + 1
    is_struck = striker(not_students)
    students: list[Student] = []
    struck: list[Student] = []
    for row in range(layout.first_row, len(grid)):
        if grid.is_blank(row):
            continue
        cells = grid.first_cells(row, last)
        name = " ".join([text for index in names if (text := cells[index].strip())])
        group = "" if section is None else cells[section].strip()
        student = Student(row, cells[identifier.index], name, group)
        (struck if is_struck(name) else students).append(student)
    return Gradebook(grid, layout, identifier, tuple(students), tuple(struck), tuple(items))
