"""What two files say of each other's columns: values that stand in both tell students, whatever the headings say."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, STUDENT, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import WeighedGrid, weigh_columns
from skarvin.core.layout.told import NOTHING_TOLD, Told
from skarvin.core.layout.traits import Traits
from skarvin.core.texts.folding import fold
from skarvin.core.texts.names import name_key
from skarvin.core.texts.patterns import pattern

_SIGNS = pattern(r"[\W_]+")
_SHARE, _FEWEST = 0.3, 2
_MOST_COLUMNS, _LARGE = 40, 5000
_SAMPLED = frozenset("37")
_LEAST_DIGITS, _LEAST_SIGNS = 4, 3
_HALF, _MOST = 0.5, 0.8
_BY_CELLS = STUDENT | {Use.ITEM, Use.COMMENT}


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
    sides = [weigh_columns(side.grid, side.told) for side in (source, target)]
    alone = [side.layout() for side in sides]
    codes = [_codes(side, layout) for side, layout in zip(sides, alone, strict=True)]
    met = [dict(_meet(codes[mine], codes[other], sides[other], of="codes")) for mine, other in _BOTH_WAYS]
    if not any(met):
        names = [_names(side, layout) for side, layout in zip(sides, alone, strict=True)]
        met = [dict(_meet(names[mine], names[other], sides[other], of="names")) for mine, other in _BOTH_WAYS]
    for mine, other in _BOTH_WAYS:
        met[mine] = {**dict(_same_titles(sides[mine], sides[other], alone[mine], alone[other])), **met[mine]}
    found = [
        side.with_met({column: dict([ground]) for column, ground in met[place].items()}).layout()
        if met[place]
        else alone[place]
        for place, side in enumerate(sides)
    ]
    return Both(found[0], found[1], (alone[0], alone[1]))


_BOTH_WAYS = ((0, 1), (1, 0))
Ground = tuple[Use, str]
"""What a column holds by the other file, and in which words that is said."""


def _same_titles(mine: WeighedGrid, other: WeighedGrid, ours: Layout, theirs: Layout) -> Iterable[tuple[int, Ground]]:
    """Yield for each blank column what the other file's column of its title holds: cells tell more than words."""
    known = {fold(column.title): column for column in theirs.columns if column.title and column.use in _BY_CELLS}
    for column in ours.columns if known else ():
        there = known.get(fold(column.title or column.heading)) or known.get(fold(column.heading))
        is_blank = not mine.table[column.index].traits.count
        if there and is_blank and other.table[there.index].traits.count and column.use is not there.use:
            yield column.index, (there.use, f"'{there.title}' of {other.grid.file.name} is that by its cells")


def _meet(
    mine: Sequence[Values], others: Sequence[Values], other: WeighedGrid, *, of: str
) -> Iterable[tuple[int, Ground]]:
    """Yield for each column of one side whose values stand in one of the other's what it holds, and the ground."""
    for one in mine:
        ranked = [(len(one.values & there.values), there) for there in others]
        count, best = max(ranked, key=lambda pair: pair[0], default=(0, None))
        if best is None or count < _FEWEST or count < _SHARE * min(len(one.values), len(best.values)):
            continue
        use = _use(one.use, best.use) if of == "codes" else Use.NAME
        where = f"column {best.letter} of {other.grid.file.name}" if best.letter else other.grid.file.name
        share = f"{count:,} of its {len(one.values):,} values stand"
        if len(other.grid) > _LARGE:
            share = f"{count * 100 // len(one.values)}% of its values stand"
        yield one.column, (use, f"{share} in {where}")


def _use(mine: Use, theirs: Use) -> Use:
    if mine in IDENTIFIERS:
        return mine
    return theirs if theirs in IDENTIFIERS - {Use.EMAIL} else Use.NUMBER


def _codes(side: WeighedGrid, layout: Layout) -> list[Values]:
    """Return the columns whose values may tell students apart: codes and addresses."""
    likely = [column for column, traits in _traits(side) if _may_be_codes(traits, layout.columns[column].use)]
    if not likely:
        return []
    is_large, last = len(side.grid) > _LARGE, max(likely) + 1
    found: dict[int, set[object]] = {column: set() for column in likely}
    for row in _rows(side.grid, layout):
        cells = side.grid.first_cells(row, last)
        for column in likely:
            text = cells[column] if column < len(cells) else ""
            if text and (not is_large or is_of_sample(text)):
                found[column].add(_code(text))
    columns = layout.columns
    return [
        Values(column, columns[column].letter, columns[column].use, frozenset(values - {""}))
        for column, values in found.items()
    ]


def _may_be_codes(traits: Traits, use: Use) -> bool:
    is_short = traits.codes >= _MOST and traits.numbers < 1 - _MOST and traits.distinct >= _MOST
    is_code = traits.long_codes >= _HALF or traits.addresses > _HALF or use in IDENTIFIERS or is_short
    return is_code and traits.distinct >= _HALF and traits.decimals < 1 - _MOST and traits.days < _HALF


def _names(side: WeighedGrid, layout: Layout) -> list[Values]:
    """Return the columns of whole names, and the names that several columns make together (under no letter)."""
    found = []
    for column, traits in _traits(side):
        if (
            traits.names >= _HALF
            and traits.full_names > _HALF
            and layout.columns[column].use not in {Use.FAMILY, Use.GIVEN}
        ):
            values = frozenset(name_key(text) for text in _texts(side.grid, layout, column))
            found.append(Values(column, layout.columns[column].letter, Use.NAME, values))
    parts = [column.index for column in layout.of_use(NAMES - {Use.NAME})]
    if len(parts) > 1:
        rows = (side.grid.first_cells(row, max(parts) + 1) for row in _rows(side.grid, layout))
        joined = frozenset(name_key(" ".join(cells[part] for part in parts if part < len(cells))) for cells in rows)
        found.append(Values(-1, "", Use.FAMILY, joined))
    return found


def _traits(side: WeighedGrid) -> Iterable[tuple[int, Traits]]:
    return ((one.index, one.traits) for one in side.table[:_MOST_COLUMNS])


def _rows(grid: Grid, layout: Layout) -> Iterable[int]:
    return range(layout.first_row, len(grid))


def _texts(grid: Grid, layout: Layout, column: int) -> Iterable[str]:
    for row in _rows(grid, layout):
        cells = grid.first_cells(row, column + 1)
        if column < len(cells) and cells[column].strip():
            yield cells[column]


def is_of_sample(text: str) -> bool:
    """Tell whether a code is one of those by which large files are compared: a fifth of them, the same ones in both."""
    last = text.rstrip()[-1:]
    return last in _SAMPLED or not last.isdigit()


def _code(text: str) -> str:
    """Return a code in the form in which codes of two systems are compared: its digits if these are enough."""
    bare = text.strip()
    if bare.isdecimal():
        digits = bare.lstrip("0")
        return digits if len(digits) >= _LEAST_DIGITS or len(bare) >= _LEAST_SIGNS else ""
    bare = bare.removesuffix(".0").partition("@")[0]
    digits = "".join(sign for sign in bare if sign.isdigit()).lstrip("0")
    signs = _SIGNS.sub("", bare).casefold()
    if len(digits) >= _LEAST_DIGITS:
        return digits
    is_mixed = not signs.isdigit() and not signs.isalpha()
    return signs if is_mixed or len(signs) >= _LEAST_SIGNS else ""
