"""How a person names a column: by its heading, by its key, by its letter or by its position."""

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.findings import column_letter
from skarvin.core.layout.columns import Column
from skarvin.core.texts.patterns import pattern

_LETTERS = pattern("[A-Z]{1,3}")
_LONGEST_NUMBER = 6


_NEAR, _MOST = 72, 10
"""How alike a heading must be to be suggested, in percent, and how many are listed otherwise."""


class NoSuchColumn(LookupError):
    """No column, or more than one, goes by this name; the message says what to write instead."""


def find_column(columns: Sequence[Column], name: str) -> Column:
    """Return the column that `name` means.

    A name in double quotes is a heading. Otherwise `G` is a letter, `7` a position counted from 1, and anything
    else a heading, or the system's own key from one.

    Raises:
        NoSuchColumn: none or several fit.
    """
    bare = name.strip()
    if len(bare) > 1 and bare[0] == bare[-1] == '"':
        return _by_heading(columns, bare[1:-1])
    index = _indexed(columns)
    by_place = index.by_place(bare)
    by_heading = index.by_heading.get(bare, ())
    if by_place and by_heading and list(by_heading) != [by_place]:
        raise NoSuchColumn(
            f"'{bare}' is a heading (column {by_heading[0].letter}) and a place (column {by_place.letter}): "
            f"""write '"{bare}"' for the heading, or '{by_place.index + 1}' for the place"""
        )
    by_key = index.by_key.get(bare, ())
    if not by_place and not by_heading and len(by_key) == 1:
        return by_key[0]
    return by_place or _by_heading(columns, bare)


def name_of(columns: Sequence[Column], column: Column) -> str:
    """Return a name by which `find_column` finds this column: its heading if that is enough."""
    for name in (column.heading, f'"{column.heading}"', column.letter):
        try:
            if name.strip('"') and find_column(columns, name) == column:
                return name
        except NoSuchColumn:
            continue
    return str(column.index + 1)


class _Index:
    """The columns of a table by all that a person may call them."""

    def __init__(self, columns: Sequence[Column]) -> None:
        self._columns = columns
        self.by_heading: dict[str, list[Column]] = {}
        self.by_key: dict[str, list[Column]] = {}
        self._by_letter: dict[str, Column] = {}
        for column in columns:
            self.by_heading.setdefault(column.heading, []).append(column)
            if column.key:
                self.by_key.setdefault(column.key, []).append(column)
            if not column.is_elsewhere_alone:
                self._by_letter.setdefault(column_letter(column.index), column)

    def by_place(self, name: str) -> Column | None:
        if (
            name.isdecimal()
            and name.isascii()
            and len(name) <= _LONGEST_NUMBER
            and 1 <= int(name) <= len(self._columns)
        ):
            return self._columns[int(name) - 1]
        return self._by_letter.get(name) if _LETTERS.fullmatch(name) else None


class _Same(NamedTuple):
    """Columns that are the same if they are one object: comparing thousands one by one would take too long."""

    columns: tuple[Column, ...]

    def __hash__(self) -> int:
        return id(self.columns)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.columns is self.columns

    def __ne__(self, other: object) -> bool:
        return not self == other


@lru_cache(maxsize=8)
def _index_of(same: _Same) -> _Index:
    return _Index(same.columns)


def _indexed(columns: Sequence[Column]) -> _Index:
    """Return the index of some columns, kept for those that can't change."""
    return _index_of(_Same(columns)) if isinstance(columns, tuple) else _Index(columns)


def _by_heading(columns: Sequence[Column], heading: str) -> Column:
    found = _indexed(columns).by_heading.get(heading, [])
    if len(found) == 1:
        return found[0]
    if found:
        letters = " and ".join(column.letter for column in found)
        raise NoSuchColumn(
            f"the heading '{heading}' is used in columns {letters}: write the letter of the one you mean"
        )
    raise NoSuchColumn(f"there is no column '{heading}'{_nearest(columns, heading)}")


def _nearest(columns: Sequence[Column], heading: str) -> str:
    from rapidfuzz import process  # noqa: PLC0415 - only for a message

    headings = [column.heading for column in columns if column.heading]
    best = process.extractOne(heading, headings, processor=str.casefold, score_cutoff=_NEAR)
    known = ", ".join(headings[:_MOST]) + (" ..." if len(headings) > _MOST else "")
    return f": did you mean '{best[0]}'?" if best else f". Columns: {known}" if known else ""


def has_column(columns: Sequence[Column], name: str) -> bool:
    """Tell whether a name is that of a column."""
    try:
        find_column(columns, name)
    except NoSuchColumn:
        return False
    return True
