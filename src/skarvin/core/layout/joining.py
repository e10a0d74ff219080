"""Several exports as one: their items by title, each with the column that it has in each file."""

from collections.abc import Container, Iterable, Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.layout.address import find_column, has_column
from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import title_in
from skarvin.core.layout.told import TOLD
from skarvin.core.texts.folding import fold

_SURER = (Use.ITEM, Use.TOTAL, Use.ANSWER, Use.RESULT, Use.COMMENT)
"""What columns of one heading are in all files: the first of these that any of them has."""
_NAMED = frozenset(_SURER)


class Joined(NamedTuple):
    """A layout of the columns of several files: the first's, and behind them what only others have.

    Attributes:
        layout: it.
        orders: for each further file, for each of the columns the file's own column; None where it has none.
    """

    layout: Layout
    orders: tuple[tuple[int | None, ...], ...] = ()


def join_layouts(layouts: Sequence[Layout]) -> Joined:
    """Return the layout of several files. Items are one if their titles are, unless they state different maxima."""
    first, *others = _with_titles_of_others(layouts)
    columns = list(first.columns)
    places: list[dict[int, int]] = []
    for layout in others:
        own: dict[int, int] = {}
        for column in layout.columns:
            place = _place(column, columns, own)
            if place is None and column.use in _NAMED:
                place = len(columns)
                columns.append(replace(column, index=place, is_elsewhere_alone=True, belongs_to=None))
            if place is not None:
                own[place] = column.index
        places.append(own)
    orders = tuple(tuple(own.get(place) for place in range(len(columns))) for own in places)
    joined = (
        replace(column, elsewhere=tuple(order[place] for order in orders)) for place, column in enumerate(columns)
    )
    return Joined(replace(first, columns=tuple(joined)), orders)


def titled(layout: Layout, item: str) -> Layout:
    """Return the layout of a file whose marks are all of one item, of which its headings say nothing.

    One column of marks is called as the item; of several, and of comments, each has the item's name in front.
    """
    if not item:
        return layout
    is_one = len(layout.of_use(Use.ITEM)) == 1

    def called(column: Column) -> Column:
        if column.use not in _NAMED:
            return column
        name = item if is_one and column.use is Use.ITEM else f"{item} {column.title or column.heading}".strip()
        return replace(column, heading=name, title=name)

    return replace(layout, columns=tuple(map(called, layout.columns)))


def called_alike(layout: Layout, headings: Sequence[Sequence[str]]) -> Layout:
    """Return the layout of a file in which an item with several headings is called by the first of them."""
    columns = list(layout.columns)
    for first, *others in headings:
        found = [name for name in others if has_column(layout.columns, name)]
        if found and not has_column(layout.columns, first):
            column = find_column(layout.columns, found[0])
            columns[column.index] = replace(column, heading=first, title=title_in(first))
    return replace(layout, columns=tuple(columns))


def kept_apart(layouts: Sequence[Layout], files: Sequence[str], said: Iterable[str]) -> list[Layout]:
    """Return the layouts of files in which columns that are said of one file alone, as 'FILE:COLUMN', are called so.

    Items of one title in two files are different ones then.
    """
    names = {fold(name) for name in said if ":" in name}
    if not names:
        return list(layouts)
    return [
        replace(layout, columns=tuple(_said_of_file(column, file, names) for column in layout.columns))
        for layout, file in zip(layouts, files, strict=True)
    ]


def _said_of_file(column: Column, file: str, names: Container[str]) -> Column:
    whole = f"{file}:{column.heading}"
    if not column.heading or fold(whole) not in names:
        return column
    return replace(column, heading=whole, title=f"{column.title} ({file})")


def _with_titles_of_others(layouts: Sequence[Layout]) -> list[Layout]:
    """Return the layouts in which a column is what another file has below the same heading, if that says more.

    What one file's cells look like is no reason to pass over them: a word in place of a mark is held, never blank.
    """
    known: dict[str, Column] = {}
    for use in _SURER:
        for column in (column for layout in layouts for column in layout.of_use(use)):
            known.setdefault(fold(column.heading), column)
    return [_with_titles_of(layout, known) for layout in layouts]


def _with_titles_of(layout: Layout, known: Mapping[str, Column]) -> Layout:
    has = {(fold(column.heading), column.use) for column in layout.columns}

    def seen(column: Column) -> Column:
        other = known.get(fold(column.heading)) if column.heading and column.evidence != TOLD else None
        if other is None or _rank(other.use) >= _rank(column.use) or (fold(column.heading), other.use) in has:
            return column
        what = "" if column.use is Use.OTHER else f", though the cells look like a {column.use.value}"
        evidence = f"another export has it below the same heading{what}"
        return replace(column, use=other.use, title=other.title, out_of=other.out_of, key=other.key, evidence=evidence)

    return replace(layout, columns=tuple(map(seen, layout.columns)))


def _rank(use: Use) -> int:
    """Return how little a use says of what a heading means in another file; one that says who somebody is says all."""
    return -1 if use in STUDENT else _SURER.index(use) if use in _SURER else len(_SURER)


def _place(column: Column, columns: Sequence[Column], taken: dict[int, int]) -> int | None:
    """Return where a column of a further file stands among those known; None where it is new."""
    found = [
        place
        for place, known in enumerate(columns)
        if place not in taken and known.use is column.use and _is_one(known, column)
    ]
    alike = (place for place in found if fold(columns[place].heading) == fold(column.heading))
    return next(alike, found[0] if found else None)


def _is_one(known: Column, column: Column) -> bool:
    if column.use in STUDENT:
        return True
    is_same = bool(column.title) and fold(known.title) == fold(column.title)
    return is_same and (None in (known.out_of, column.out_of) or known.out_of == column.out_of)
