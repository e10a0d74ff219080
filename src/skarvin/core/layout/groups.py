"""Who is in which group: which columns of a table of groups and of a list of members say it, and what is added."""

from collections.abc import Iterator, Mapping, Sequence

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.group_grid import GroupGrid, Table
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import Members
from skarvin.core.texts.folding import fold
from skarvin.core.texts.patterns import pattern

ADJUSTMENT = pattern(
    r"\s*(?:([+\-\u2012-\u2015\u2212])\s?(\d{1,6}(?:[.,]\d{1,6})?)|[x×*]\s?(\d{1,3}(?:[.,]\d{1,6})?)"
    r"|(\d{1,3}(?:[.,]\d{1,4})?)\s?%)\s*"
)
"""What is added to a group's mark, taken from it, or by what it is multiplied: +1, -2, x0.9, 110%."""
_HALF = 0.5


def members_as_table(groups: Grid, members: Grid, told: Members) -> Grid:
    """Return a row for each member with the marks of the group.

    Raises:
        Unreadable: what is said names a column that isn't there.
    """
    theirs, ours = recognise(groups), recognise(members)
    key = _column(groups, theirs, told.in_export or told.group, "in_export")
    group = _column(members, ours, told.group, "group")
    headings = [column.heading or column.letter for column in theirs.columns]
    known = {fold(column.heading) for column in ours.columns}
    headings = [f"{groups.file.stem} {text}" if fold(text) in known else text for text in headings]
    people = [column.index for column in ours.of_use(IDENTIFIERS)] or [column.index for column in ours.of_use(NAMES)]
    return GroupGrid(
        Table(groups, theirs.heading_row, theirs.first_row, key.index),
        Table(members, ours.heading_row, ours.first_row, group.index),
        headings,
        people,
    )


def find_members(groups: Grid, members: Grid, file: str) -> Members:
    """Return which columns say who is in which group, and what is added to whom.

    Raises:
        Unreadable: no column of the list has groups of the table.
    """
    theirs, ours = recognise(groups), recognise(members)
    named = {column: list(map(fold, _texts(groups, theirs, column))) for column in theirs.columns}
    keys = {column: set(texts) for column, texts in named.items() if texts and len(set(texts)) == len(texts)}
    best: tuple[float, Column, Column] | None = None
    for mine in ours.columns:
        texts = list(map(fold, _texts(members, ours, mine)))
        for key, values in keys.items():
            met = sum(text in values for text in texts)
            share = met / len(texts) if texts else 0
            if share > _HALF and len(set(texts)) < len(texts) and (best is None or share > best[0]):
                best = (share, mine, key)
    if best is None:
        what = f"no column of {members.file.name} has the groups of {groups.file.name}"
        mend = "Is it the list of who is in which group? Say which columns are: members = { file, group, in_export }"
        raise Unreadable(Finding("no-groups", what, members.place(), mend))
    _, group, key = best
    items = [column for column in theirs.of_use({Use.ITEM, Use.TOTAL}) if column != key]
    adjustments = dict(_adjustments(members, ours, items))
    in_export = "" if fold(key.heading) == fold(group.heading) else key.named
    return Members(file=file, group=group.named, in_export=in_export, adjustments=adjustments)


def _adjustments(members: Grid, layout: Layout, items: Sequence[Column]) -> Iterator[tuple[str, str]]:
    """Yield for each item the column that says what is added: one that is called like it, or the only one."""
    found = [
        column
        for column in layout.columns
        if (texts := _texts(members, layout, column)) and all(map(ADJUSTMENT.fullmatch, texts))
    ]
    titles = [fold(item.title) for item in items if fold(item.title)]
    free = [column for column in found if not any(title in fold(column.heading) for title in titles)]
    for item in items:
        like = [column for column in found if fold(item.title) and fold(item.title) in fold(column.heading)]
        chosen = like or (free if len(free) == 1 else [])
        if chosen:
            yield item.heading, chosen[0].named


def _texts(grid: Grid, layout: Layout, column: Column) -> list[str]:
    rows = map(grid.cells, grid.filled_rows(layout.first_row))
    texts = (cells[column.index].strip() for cells in rows if column.index < len(cells))
    return list(filter(None, texts))


def _column(grid: Grid, layout: Layout, name: str, key: str) -> Column:
    try:
        return find_column(layout.columns, name)
    except NoSuchColumn as error:
        what = f'members: {key} = "{name}": {error}'
        raise Unreadable(Finding("no-such-column", what, grid.place(), "Correct this in members.")) from None


def said_of(members: Grid, names: Mapping[str, str]) -> Mapping[int, Mapping[str, str]]:
    """Return what is added to each member's mark of each item, by the rows of the list.

    Raises:
        Unreadable: a column isn't there.
    """
    layout = recognise(members)
    columns = {item: _column(members, layout, name, "adjustments") for item, name in names.items()}
    found: dict[int, dict[str, str]] = {}
    for row in range(layout.first_row, len(members)):
        cells = members.cells(row)
        for item, column in columns.items():
            if column.index < len(cells) and (text := cells[column.index].strip()):
                found.setdefault(row, {})[item] = text
    return found
