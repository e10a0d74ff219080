"""A target that takes a line for each mark: the lines that it has, seen as a table with a row for each student."""

from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import OF_OURS, read_grid
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.recognise import recognise
from skarvin.core.texts.lists import MARK, list_text


class LineColumns(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What the columns of a file with a line for each mark are, and which lines are written.

    Attributes:
        student: the column with the student's identifier.
        item: the column with the item: its title or code, as the items' `to` have it.
        mark: the column with the mark.
        name: the column with the student's name.
        keep: whether the lines that the file has are kept; else they are an example.
        blanks: whether each student has a line for each item, with or without a mark.
        columns: what stands in other columns of lines that are made, with fields such as {section}.
    """

    student: str
    item: str
    mark: str
    name: str = ""
    keep: bool = True
    blanks: bool = False
    columns: dict[str, str] = msgspec.field(default_factory=dict)


class LinesForm(NamedTuple):
    """The file, and the positions of its columns and of its first line."""

    grid: Grid
    first: int
    student: int
    item: int
    mark: int
    name: int | None
    others: tuple[tuple[int, str], ...]
    told: LineColumns

    def lines(self) -> list[tuple[int, str, str]]:
        """Return the position, the student and the item of each line that is kept."""
        found = []
        for row in range(self.first, len(self.grid)) if self.told.keep else ():
            cells = self.grid.cells(row)
            if len(cells) > max(self.student, self.item, self.mark) and cells[self.student].strip():
                found.append((row, cells[self.student].strip(), " ".join(cells[self.item].split())))
        return found


def read_lines_form(grid: Grid, told: LineColumns) -> LinesForm:
    """Return a file with a line for each mark, with its columns found.

    Raises:
        Unreadable: a column isn't there, or two lines are of one student and item.
    """
    layout = recognise(grid)

    def place(name: str, key: str) -> int:
        try:
            return find_column(layout.columns, name).index
        except NoSuchColumn as error:
            what = f'lines: {key} = "{name}": {error}'
            raise Unreadable(Finding("no-such-column", what, grid.place(), "Correct lines under [target].")) from None

    form = LinesForm(
        grid,
        layout.first_row,
        place(told.student, "student"),
        place(told.item, "item"),
        place(told.mark, "mark"),
        place(told.name, "name") if told.name else None,
        tuple((place(name, "columns"), text) for name, text in told.columns.items()),
        told,
    )
    first: dict[tuple[str, str], int] = {}
    for row, student, item in form.lines():
        earlier = first.setdefault((student, item), row)
        if earlier != row:
            what = f"{grid.row(earlier)} and this one are of one student and item"
            raise Unreadable(Finding("two-lines", what, grid.place(row), "Delete one of the lines."))
    return form


def as_wide_form(form: LinesForm, items: Sequence[str]) -> Grid:
    """Return a table with a row for each student of the lines, and a column for each item: theirs, and further ones."""
    titles = dict.fromkeys([*(item for _, _, item in form.lines()), *items])
    rows: dict[str, dict[str, str]] = {}
    names: dict[str, str] = {}
    for row, student, item in form.lines():
        cells = form.grid.cells(row)
        rows.setdefault(student, {})[item] = cells[form.mark]
        names.setdefault(student, cells[form.name].strip() if form.name is not None else "")
    heads = [form.told.student, *([form.told.name] if form.told.name else []), *titles]
    table = [
        [student, *([names[student]] if form.told.name else []), *(own.get(title, "") for title in titles)]
        for student, own in rows.items()
    ]
    data = MARK + list_text([heads, *table], end="\n")
    return read_grid(form.grid.file, OF_OURS, data.encode(), is_rfc_4180=True)
