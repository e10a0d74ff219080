"""Where rows for further people go in a form: into its blank lines, then below; and how made-up people are emptied."""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.layout.columns import STUDENT, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.numbered import numbering_columns
from skarvin.core.targets.target import Target
from skarvin.core.texts.numbers import is_number

_MARKS = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT, Use.COMMENT})


class MadeRow(NamedTuple):
    """A row that was made: its cells before any mark, and those of the form's row in its place, if there was one."""

    cells: Sequence[str]
    over: Sequence[str] | None = None


class People(NamedTuple):
    """Who stands in a form.

    Attributes:
        layout: what its columns mean.
        identifier: the column that tells people apart.
        rows: the positions of their rows.
        ends: how many rows at the form's end always stay behind them.
    """

    layout: Layout
    identifier: int
    rows: Collection[int]
    ends: int = 0


class Placed(NamedTuple):
    """A form with rows made in it, by their positions, and the row that those below carry on."""

    form: Target
    made: Mapping[int, MadeRow]
    like: int | None


def empty_people(form: Target, people: People) -> Placed:
    """Return the form with the cells of its people emptied; a line's number stays, and nothing moves."""
    kept = numbering_columns(form.grid, people.layout) - {people.identifier}
    columns = [one.index for one in people.layout.columns if one.use in STUDENT | _MARKS and one.index not in kept]
    over = {row: tuple(form.grid.cells(row)) for row in people.rows}
    emptied = {
        row: {column: "" for column in columns if column < len(cells) and cells[column] and form.takes(row, column)}
        for row, cells in over.items()
    }
    made = form.made(emptied)
    return Placed(made, {row: MadeRow(tuple(made.grid.cells(row)), old) for row, old in over.items()}, None)


def place_rows(
    form: Target, people: People, rows: Sequence[Sequence[str]], emptied: Mapping[int, MadeRow] | None = None
) -> Placed:
    """Return the form with rows for further people.

    Args:
        form: the form.
        people: who stands in it.
        rows: what the rows say, in the form's columns.
        emptied: rows of people who were emptied, which are filled first.

    Raises:
        Unreadable: what stands below isn't anybody's, so that nothing may be added there.
    """
    before = emptied or {}
    form = form.with_blank_lines()
    own = len(form.grid) - people.ends
    free = _free_rows(form, people, before, own)[: len(rows)]
    width = len(people.layout.columns)
    cells: dict[int, dict[int, str]] = {}
    made: dict[int, MadeRow] = dict(before)
    for position, texts in zip(free, rows, strict=False):
        stood = tuple(form.grid.cells(position))
        old = [*stood, *[""] * (width - len(stood))]
        cells[position] = {column: text for column, text in enumerate(texts) if text and not old[column]}
        if len(stood) < width:
            cells[position].setdefault(width - 1, "")
        new = tuple(cells[position].get(column, text) for column, text in enumerate(old))
        made[position] = MadeRow(new, before[position].over if position in before else stood)
    below = rows[len(free) :]
    if below and not people.ends:
        _check_end(form, people, {*free, *before})
    like = max((row for row in (*people.rows, *free) if row < own), default=None)
    extended = form.made(cells, below, own, like)
    made |= {own + place: MadeRow(tuple(texts)) for place, texts in enumerate(below)}
    return Placed(extended, dict(sorted(made.items())), like)


def _free_rows(form: Target, people: People, emptied: Collection[int], stop: int) -> list[int]:
    """Return the form's blank lines below its last person: numbered ones and such with formulas are blank, too."""
    layout, first = people.layout, people.layout.first_row
    start = form.grid.rows_behind(people.rows, first).start
    used = {column.index for column in layout.columns if column.use in (STUDENT | _MARKS) - {Use.SECTION}}
    used = (used | {people.identifier}) - numbering_columns(form.grid, layout)
    alike = Counter(
        (column, text) for row in range(first, stop) for column, text in enumerate(form.grid.cells(row)) if text.strip()
    )

    def is_free(position: int) -> bool:
        """Tell whether nothing of anybody stands in a line: what many lines say is prepared."""
        for column, text in enumerate(form.grid.cells(position)):
            if text.strip() and form.takes(position, column):
                is_prepared = is_number(text) or alike[column, text] > 1
                if column in used or not is_prepared:
                    return False
        return form.takes(position, people.identifier)

    return [row for row in range(first, stop) if row in emptied or (row >= start and is_free(row))]


def _check_end(form: Target, people: People, known: Collection[int]) -> None:
    """Refuse to add rows below one that is nobody's: a sum, a note.

    Raises:
        Unreadable: there is such a row.
    """
    grid = form.grid
    rows = reversed(range(people.layout.first_row, len(grid)))
    last = next((row for row in rows if not grid.is_blank(row)), None)
    if last is not None and last not in people.rows and last not in known:
        what = "the last row of the form isn't a student's, so no rows can be added below it"
        mend = "Put enough blank lines above it in a copy of the form, or take it away."
        raise Unreadable(Finding("row-below", what, grid.place(last), mend))
