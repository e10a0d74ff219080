"""Whether a file has a line for each mark, and what its columns are then."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from itertools import chain, islice
from operator import itemgetter
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.log import MOST_ITEMS, LogGrid, Roles
from skarvin.core.layout.address import NoSuchColumn, find_column, name_of
from skarvin.core.layout.columns import IDENTIFIERS, LOG, STUDENT, WHO, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.heading_words import said_by_words
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import Told
from skarvin.core.texts.mark_kinds import may_be_mark
from skarvin.core.texts.moments import read_moment
from skarvin.core.texts.numbers import is_number

_LEAST_ROWS, _MOST_ROWS = 6, 5_000
_SOME = 200
_EACH, _ON_AVERAGE = 2, 1.5
"""An item has so many lines at least, and a student."""
_ONCE, _HALF, _MOSTLY, _OF_A_SIZE = 0.6, 0.5, 0.8, 0.4


def log_as_table(grid: Grid, told: Told, order: str = "") -> Grid:
    """Return a grid with a row for each student and a column for each item, where a person says that it is a log.

    Args:
        grid: the cells.
        told: what a person says of its columns.
        order: the column with the moment or the number of an attempt, if one is named.

    Raises:
        Unreadable: what is said names a column that isn't there, or half a log.
    """
    uses = set(told.uses.values())
    if not uses & LOG or grid.stands_in:
        return grid
    layout = recognise(grid, told)
    column_of = {use: next(iter(layout.of_use(use)), None) for use in LOG}
    title, mark = column_of[Use.ITEM_TITLE], column_of[Use.MARK]
    students = layout.of_use(WHO)
    if title is None or mark is None or not students:
        has = listing_of(title, mark)
        what = f"a file with a line for each mark has a column for the student, the item's title and the mark; {has}"
        mend = "Say which these are: 'Activity=item title', 'Result=mark'."
        raise Unreadable(Finding("half-a-log", what, grid.place(layout.heading_row), mend))
    roles = Roles(
        title.index,
        mark.index,
        tuple(column.index for column in students),
        _index(column_of[Use.MAXIMUM]),
        _index(column_of[Use.STATUS]),
        _index(_named(layout, order)),
        _index(next(iter(layout.of_use(Use.COMMENT)), None)),
    )
    return LogGrid(grid, layout.heading_row, layout.first_row, roles)


def listing_of(title: Column | None, mark: Column | None) -> str:
    """Return what is missing, in words."""
    lacks = "the item's title" if title is None else "the mark" if mark is None else "the student"
    return f"nothing is known to be {lacks}"


def _index(column: Column | None) -> int | None:
    return column.index if column else None


def _named(layout: Layout, name: str) -> Column | None:
    try:
        return find_column(layout.columns, name) if name else None
    except NoSuchColumn:  # whoever asks for it says so, with its line
        return None


class _Columns(NamedTuple):
    """The texts of each column below the headings, and the student of each row."""

    texts: Mapping[int, list[str]]
    whose: list[tuple[str, ...]]


def find_log(grid: Grid, layout: Layout) -> dict[str, Use]:
    """Return what columns are of a file that has a line for each mark, by their names; nothing of any other file.

    Students repeat in it, items repeat, and the pair of both hardly does; one column holds marks.
    """
    if layout.heading_row is None or grid.stands_in:
        return {}
    students, called = layout.of_use(WHO), list(filter(_is_called_student, layout.columns))
    others = [column for column in layout.columns if column.use not in STUDENT]
    found = _find(grid, layout, students, others) if students else {}
    if not found and called and called != students:
        found = _find(grid, layout, called, [column for column in layout.columns if column not in called])
        found |= dict.fromkeys(called, Use.NUMBER) if found else {}
    return {name_of(layout.columns, column): use for column, use in found.items()}


def _find(grid: Grid, layout: Layout, students: Sequence[Column], others: Sequence[Column]) -> dict[Column, Use]:
    """Return which of some columns are the item's title, the mark and the maximum, if others tell the students."""
    rows = _rows_of_some(grid, layout, students)
    if len(rows) < _LEAST_ROWS:
        return {}
    lines = dict.fromkeys(tuple(grid.cells(row)) for row in rows)  # a file may have a line, or all of them, twice
    cells = [own for own in lines if [text.strip() for text in own] != [column.heading for column in layout.columns]]
    read = _Columns(
        {column.index: [own[column.index].strip() for own in cells] for column in others},
        [tuple(own[column.index].strip() for column in students) for own in cells],
    )
    if len(set(read.whose)) * _ON_AVERAGE > len(cells):
        return {}
    titles = [column for column in others if _may_be_titles(read, column)]
    for title in sorted(titles, key=lambda column: (-len(set(read.texts[column.index])), column.index)):
        marks = [column for column in others if column is not title and _may_be_marks(read, title, column)]
        for keys in (read.texts[title.index], read.whose):  # what is one for each item, or each student, is no mark
            if len(marks) > 1:
                marks = [column for column in marks if not _is_told_by(keys, read.texts[column.index])]
        if len(marks) == 1:
            found = {title: Use.ITEM_TITLE, marks[0]: Use.MARK}
            if maximum := _maximum(read, title, marks[0], others):
                found[maximum] = Use.MAXIMUM
            return found
    return {}


def _is_called_student(column: Column) -> bool:
    """Tell whether a heading says that a column identifies students, though its cells repeat and look like marks."""
    said = said_by_words(column.heading)
    return bool(said) and set(said) <= WHO and not IDENTIFIERS.isdisjoint(said)


def _rows_of_some(grid: Grid, layout: Layout, students: Sequence[Column]) -> list[int]:
    """Return the first rows; where students hardly repeat in these and more follow, all rows of the first students."""
    width, told_in = len(layout.columns), [column.index for column in students]
    whole = (row for row in range(layout.first_row, len(grid)) if grid.widths[row] == width and not grid.is_blank(row))
    rows = list(islice(whole, _MOST_ROWS))
    if len(rows) < _MOST_ROWS:
        return rows
    key = itemgetter(*told_in)
    keys = [key(grid.cells(row)) for row in rows]
    if len(set(keys)) * _ON_AVERAGE <= len(rows):
        return rows
    some = set(keys[:_SOME])
    own = (row for row in chain(rows, whole) if key(grid.first_cells(row, max(told_in) + 1)) in some)
    return list(islice(own, _MOST_ROWS))


def _may_be_titles(read: _Columns, column: Column) -> bool:
    """Tell whether a column may hold the titles of items: each stands in several lines, and once for each student."""
    texts = read.texts[column.index]
    filled = [text for text in texts if text]
    if len(filled) < len(texts) or not _EACH <= len(set(filled)) <= min(MOST_ITEMS, len(filled) // _EACH):
        return False
    if any(map(is_number, filled)) or any(read_moment(text) for text in filled[:_EACH]):
        return False
    of_one: dict[tuple[str, ...], set[str]] = defaultdict(set)
    for whose, text in zip(read.whose, texts, strict=True):
        of_one[whose].add(text)
    pairs = sum(map(len, of_one.values()))
    return pairs >= _ONCE * len(texts) and pairs >= _ON_AVERAGE * len(of_one)


def _may_be_marks(read: _Columns, title: Column, column: Column) -> bool:
    """Tell whether a column may hold the marks: most are numbers or short codes, and they don't just count attempts."""
    texts = read.texts[column.index]
    filled = [text for text in texts if text]
    numbers = sum(map(is_number, filled))
    if not filled or numbers < _HALF * len(filled) or not all(map(may_be_mark, filled)):
        return False
    titles = read.texts[title.index]
    attempts: dict[object, list[str]] = defaultdict(list)
    for one, text in zip(zip(read.whose, titles, strict=True), texts, strict=True):
        attempts[one].append(text)
    counting = sum(sorted(own) == [str(number) for number in range(1, len(own) + 1)] for own in attempts.values())
    return counting < _MOSTLY * len(attempts)


def _is_told_by(keys: Sequence[object], texts: Sequence[str]) -> bool:
    """Tell whether the texts of a column are one and the same for each key."""
    said: dict[object, set[str]] = defaultdict(set)
    for key, text in zip(keys, texts, strict=True):
        said[key].add(text)
    return all(len(own) == 1 for own in said.values())


def _maximum(read: _Columns, title: Column, mark: Column, others: Sequence[Column]) -> Column | None:
    """Return the column with the items' maxima: numbers that are one for each item, and hardly a mark is above them.

    They are of the marks' own size: a year is none.
    """
    marks = read.texts[mark.index]
    for column in others:
        texts = read.texts[column.index]
        if column not in (title, mark) and all(map(is_number, texts)) and _is_told_by(read.texts[title.index], texts):
            pairs = [(_value(text), _value(top)) for text, top in zip(marks, texts, strict=True) if is_number(text)]
            within = sum(text <= top for text, top in pairs)
            if within >= _MOSTLY * len(pairs) and any(text >= _OF_A_SIZE * top for text, top in pairs):
                return column
    return None


def _value(text: str) -> float:
    return float(text.strip().rstrip("% ").replace(",", "."))
