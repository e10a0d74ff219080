"""Several exports as one: their items by title, each with the column that it has in each file."""

from collections.abc import Container, Iterable, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.texts.folding import fold

_NAMED = frozenset({Use.ITEM, Use.TOTAL, Use.ANSWER, Use.COMMENT, Use.RESULT})


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
    """Return the layouts in which a column that isn't known is what another file has below the very same heading."""
    known: dict[str, Column] = {}
    for column in (column for layout in layouts for column in layout.of_use(_NAMED)):
        known.setdefault(column.heading, column)
    return [
        replace(layout, columns=tuple(_as_elsewhere(column, known.get(column.heading)) for column in layout.columns))
        for layout in layouts
    ]


def _as_elsewhere(column: Column, other: Column | None) -> Column:
    if other is None or column.use is not Use.OTHER or not column.heading:
        return column
    evidence = "another export has it below the same heading"
    return replace(column, use=other.use, title=other.title, out_of=other.out_of, key=other.key, evidence=evidence)


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
