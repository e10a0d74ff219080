"""Days in whatever way they are written, in the one form in which they are compared: `2004-11-26`, `04-11-26`.

Which number is the day, the month or the year is told from all days of a column. A century that isn't said is left
open; a slip may make a day that no calendar has, and it keeps its place.
"""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import MONTHS
from skarvin.core.texts.patterns import pattern

_NUMBERS = pattern(r"(\d{1,4})\s*[-./\s]\s*(\d{1,2})\s*[-./\s]\s*(\d{1,4})\.?(?:[T\s,]+\d{1,2}:\d\d\S*)?")
_NAMED = pattern(r"(\d{1,2})?(?:st|nd|rd|th|\.)?[-./\s]*([^\W\d_]{3,})[-./,\s]*(\d{1,4})(?:[-./,\s]+(\d{2,4}))?")
_TOGETHER = pattern(r"\d{8}|\d{6}")
_LONG, _SHORT = 8, 8
_CENTURIES = frozenset({"19", "20"})
_MONTHS_OF_A_YEAR, _DAYS_OF_A_MONTH = 12, 31
_ORDERS = ("ymd", "dmy", "mdy")


class _Day(NamedTuple):
    """The parts of a day, the orders that they may stand in, and the order that a month by its name speaks for."""

    parts: tuple[str, str, str]
    orders: tuple[str, ...]
    speaks_for: str = ""


def comparable_days(texts: Sequence[str]) -> list[str]:
    """Return the days of a column as they are compared; as it stands what can't be told.

    Args:
        texts: what the cells say; a blank stays blank.
    """
    read = [_read(text.strip()) for text in texts]
    votes = _votes(day for day in read if day)
    return [(day and _in_order(day, votes)) or text.strip() for day, text in zip(read, texts, strict=True)]


def is_day_together(text: str) -> bool:
    """Tell whether a text may be a day that is written without signs: 20041126, 26112004, 261104."""
    bare = text.strip()
    if not _TOGETHER.fullmatch(bare):
        return False
    ways = [bare, f"19{bare}", f"19{bare[4:]}{bare[2:4]}{bare[:2]}"]
    ways = [bare, f"{bare[4:]}{bare[2:4]}{bare[:2]}"] if len(bare) == _LONG else ways[1:]
    return any(way[:2] in _CENTURIES and _is_possible(way[4:6], way[6:]) for way in ways)


def names_a_month(text: str) -> bool:
    """Tell whether a text is a day whose month stands there by its name."""
    day = _read(text.strip())
    return day is not None and bool(day.speaks_for)


def _read(text: str) -> _Day | None:
    if match := _NUMBERS.fullmatch(text):
        first, second, third = match.groups()
        return _Day((first, second, third), ("ymd",) if len(first) > 2 else ("dmy", "mdy"))  # noqa: PLR2004 - a year
    if _TOGETHER.fullmatch(text):
        year = len(text) - 4
        return _Day((text[:year], text[year : year + 2], text[year + 2 :]), _ORDERS)
    match = _NAMED.fullmatch(text)
    month = MONTHS.get(fold(match[2])) if match else None
    if not match or month is None or not (match[1] or match[4]):
        return None
    day, year_text = (match[1], match[3]) if match[1] else (match[3], match[4])
    return _Day((year_text, str(month), day), ("ymd",), "dmy" if match[1] else "mdy")


def _votes(days: Iterable[_Day]) -> "Counter[str]":
    """Return how many of a column's days can stand in each order."""
    return Counter(
        order
        for day in days
        for order in ([day.speaks_for] if day.speaks_for else day.orders)
        if day.speaks_for or _fits(day, order)
    )


def _fits(day: _Day, order: str) -> bool:
    year, month, number = _sorted(day, order)
    is_year = len(year) != 4 or year[:2] in _CENTURIES  # noqa: PLR2004 - digits
    return is_year and _is_possible(month, number)


def _is_possible(month: str, day: str) -> bool:
    return 0 < int(month) <= _MONTHS_OF_A_YEAR and 0 < int(day) <= _DAYS_OF_A_MONTH


def _sorted(day: _Day, order: str) -> tuple[str, str, str]:
    """Return year, month and day; of one that is written without signs the parts are cut as the order has them."""
    parts = day.parts
    if day.orders == _ORDERS and order != "ymd":
        whole = "".join(parts)
        parts = whole[:2], whole[2:4], whole[4:]
    return parts[order.index("y")], parts[order.index("m")], parts[order.index("d")]


def _in_order(day: _Day, votes: Mapping[str, int]) -> str:
    """Return a day as it is compared; "" where two orders are as likely."""
    best = sorted(day.orders, key=lambda order: -votes[order])
    if len(best) > 1 and votes[best[0]] == votes[best[1]]:
        return ""
    return "-".join(f"{part:0>2}" for part in _sorted(day, best[0]))


def as_far_as_both(first: str, second: str) -> tuple[str, str]:
    """Return two days without their centuries where one of them has none."""
    return (first, second) if len(first) == len(second) else (without_century(first), without_century(second))


def without_century(day: str) -> str:
    """Return a day without what only some of those that it is compared with say."""
    return day[-_SHORT:] if day[-_SHORT + 2 : -_SHORT + 3] == "-" else day
