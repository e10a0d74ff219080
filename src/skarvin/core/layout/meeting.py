"""What two files say of each other's columns: values that stand in both tell students, whatever the headings say."""

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise_as_told, sample_rows
from skarvin.core.layout.told import NOTHING_TOLD, Told
from skarvin.core.layout.traits import Traits, read_traits
from skarvin.core.texts.folding import fold
from skarvin.core.texts.names import name_key

_SIGNS = re.compile(r"[\W_]+")
_SHARE, _FEWEST = 0.3, 2
_MOST_COLUMNS = 40
_LEAST_DIGITS, _LEAST_SIGNS = 4, 3
_HALF, _MOST = 0.5, 0.8
_BY_CELLS = frozenset({Use.ITEM, Use.COMMENT})


class Values(NamedTuple):
    """The values of one column, as they are compared; `use` is what it is taken for by itself."""

    column: int
    letter: str
    use: Use
    values: frozenset[object]


class Side(NamedTuple):
    """One file, and what a person says of its columns."""

    grid: Grid
    told: Told = NOTHING_TOLD


class Both(NamedTuple):
    """The layouts of two files, each recognised with an eye on the other; and by itself."""

    source: Layout
    target: Layout
    alone: tuple[Layout, Layout]


def recognise_both(source: Side, target: Side) -> Both:
    """Return the layouts of an export and a form, each recognised with an eye on the other.

    Raises:
        Unreadable: a person names a column that isn't there.
    """
    alone = [recognise_as_told(side.grid, side.told) for side in (source, target)]
    sides = (source, target)
    codes = [_codes(side.grid, layout) for side, layout in zip(sides, alone, strict=True)]
    names = [_names(side.grid, layout) for side, layout in zip(sides, alone, strict=True)]
    found = []
    for mine, other in ((0, 1), (1, 0)):
        met: dict[int, dict[Use, str]] = {}
        for column, use, ground in _meet(codes[mine], codes[other], sides[other].grid, of="codes"):
            met.setdefault(column, {})[use] = ground
        for column, use, ground in _meet(names[mine], names[other], sides[other].grid, of="names"):
            met.setdefault(column, {})[use] = ground
        for column, use, ground in _same_titles(alone[mine], alone[other], sides[mine].grid, sides[other].grid):
            met.setdefault(column, {})[use] = ground
        side = sides[mine]
        found.append(recognise_as_told(side.grid, side.told, met) if met else alone[mine])
    return Both(found[0], found[1], (alone[0], alone[1]))


def _same_titles(mine: Layout, others: Layout, grid: Grid, other: Grid) -> Iterable[tuple[int, Use, str]]:
    """Yield for each blank column what the other file's column of its title holds: cells tell more than words."""
    known = {fold(column.title): column for column in others.columns if column.title and column.use in _BY_CELLS}
    if not known:
        return
    blank = {column for column, traits in _traits(grid, mine) if not traits.count}
    filled = {column for column, traits in _traits(other, others) if traits.count}
    for column in mine.columns:
        there = known.get(fold(column.title or column.heading)) or known.get(fold(column.heading))
        if there and column.index in blank and there.index in filled and column.use is not there.use:
            yield column.index, there.use, f"'{there.title}' of {other.file.name} is that by its cells"


def _meet(mine: Sequence[Values], others: Sequence[Values], other: Grid, *, of: str) -> Iterable[tuple[int, Use, str]]:
    """Yield for each column of one side whose values stand in one of the other's what it holds, and the ground."""
    for one in mine:
        ranked = [(len(one.values & there.values), there) for there in others]
        count, best = max(ranked, key=lambda pair: pair[0], default=(0, None))
        if best is None or count < _FEWEST or count < _SHARE * min(len(one.values), len(best.values)):
            continue
        use = _use(one.use, best.use) if of == "codes" else Use.NAME
        where = f"column {best.letter} of {other.file.name}" if best.letter else other.file.name
        yield one.column, use, f"{count:,} of its {len(one.values):,} values stand in {where}"


def _use(mine: Use, theirs: Use) -> Use:
    if mine in IDENTIFIERS:
        return mine
    return theirs if theirs in IDENTIFIERS - {Use.EMAIL} else Use.NUMBER


def _codes(grid: Grid, layout: Layout) -> list[Values]:
    """Return the columns whose values may tell students apart: codes and addresses."""
    found = []
    for column, traits in _traits(grid, layout):
        is_short = traits.codes >= _MOST and traits.numbers < 1 - _MOST and traits.distinct >= _MOST
        is_code = traits.long_codes >= _HALF or traits.addresses > _HALF or layout.columns[column].use in IDENTIFIERS
        is_code = is_code or is_short
        if is_code and traits.distinct >= _HALF and traits.decimals < 1 - _MOST and traits.days < _HALF:
            values = frozenset(filter(None, map(_code, _texts(grid, layout, column))))
            found.append(Values(column, layout.columns[column].letter, layout.columns[column].use, values))
    return found


def _names(grid: Grid, layout: Layout) -> list[Values]:
    """Return the columns of whole names, and the names that several columns make together (under no letter)."""
    found = []
    for column, traits in _traits(grid, layout):
        if (
            traits.names >= _HALF
            and traits.full_names > _HALF
            and layout.columns[column].use not in {Use.FAMILY, Use.GIVEN}
        ):
            values = frozenset(name_key(text) for text in _texts(grid, layout, column))
            found.append(Values(column, layout.columns[column].letter, Use.NAME, values))
    parts = [column.index for column in layout.of_use(NAMES - {Use.NAME})]
    if len(parts) > 1:
        rows = (grid.first_cells(row, max(parts) + 1) for row in _rows(grid, layout))
        joined = frozenset(name_key(" ".join(cells[part] for part in parts if part < len(cells))) for cells in rows)
        found.append(Values(-1, "", Use.FAMILY, joined))
    return found


def _traits(grid: Grid, layout: Layout) -> Iterable[tuple[int, Traits]]:
    rows = sample_rows(grid, layout.first_row)
    for column in layout.columns[:_MOST_COLUMNS]:
        yield column.index, read_traits([cells[column.index] for cells in rows if column.index < len(cells)])


def _rows(grid: Grid, layout: Layout) -> Iterable[int]:
    return range(layout.first_row, len(grid))


def _texts(grid: Grid, layout: Layout, column: int) -> Iterable[str]:
    for row in _rows(grid, layout):
        cells = grid.first_cells(row, column + 1)
        if column < len(cells) and cells[column].strip():
            yield cells[column]


def _code(text: str) -> str:
    """Return a code in the form in which codes of two systems are compared: its digits if these are enough."""
    bare = text.strip().removesuffix(".0").partition("@")[0]
    digits = "".join(sign for sign in bare if sign.isdigit()).lstrip("0")
    signs = _SIGNS.sub("", bare).casefold()
    if len(digits) >= _LEAST_DIGITS:
        return digits
    return signs if len(signs) >= _LEAST_SIGNS else ""
