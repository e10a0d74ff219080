"""Cells that hold a student's name and number together: `Okafor, Chidi (B1204)`, `B1204 - Okafor, Chidi`."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Column, Use
from skarvin.core.texts.patterns import pattern

MAY_BE_BOTH = IDENTIFIERS | NAMES | {Use.OTHER}
"""What a column is taken for, by its heading and cells, whose cells may hold both."""
_SIGN = r"[^\s()\[\],;:|]"
_NUMBER = rf"(?P<number>{_SIGN}*\d{_SIGN}*\d{_SIGN}*|{_SIGN}+@{_SIGN}+)"
_NAME = r"(?P<name>[^\d()\[\]]*[^\W\d_][^\d()\[\]]*)"
_BEHIND = pattern(rf"\s*{_NAME}\s*(?:\({_NUMBER}\)|\[{_NUMBER.replace('number', 'other')}\])\s*")
_BEFORE = pattern(rf"\s*{_NUMBER}\s*[-–—:|/]?\s+{_NAME}\s*")
_MOST, _FEWEST = 0.8, 2


class NameAndNumber(NamedTuple):
    """What a cell holds."""

    name: str
    number: str


def name_and_number(text: str) -> NameAndNumber:
    """Return the name and the number in a cell; one that doesn't have both holds a name."""
    match = _BEHIND.fullmatch(text) or _BEFORE.fullmatch(text)
    if match is None:
        return NameAndNumber(text.strip(), "")
    found = match.groupdict()
    return NameAndNumber(found["name"].strip(), found["number"] or found["other"])


def in_cell(cells: Sequence[str], column: Column) -> NameAndNumber:
    """Return what a column's cell says of who somebody is: it is a number's, or a name's, or has both."""
    text = cells[column.index].strip() if column.index < len(cells) else ""
    if column.use is Use.BOTH:
        return name_and_number(text)
    return NameAndNumber("", text) if column.use in IDENTIFIERS else NameAndNumber(text, "")


def together(name: str, number: str, like: str = "") -> str:
    """Return a name and a number as they stand in one cell, in the way of another cell, if that has both."""
    match = _BEHIND.fullmatch(like) or _BEFORE.fullmatch(like)
    if match is None:
        return f"{name} ({number})"
    spans = {key: match.span(key) for key, text in match.groupdict().items() if text is not None}
    text = like
    for key, (start, end) in sorted(spans.items(), key=lambda one: -one[1][0]):
        put = name if key == "name" else number
        text = text[:start] + put + text[start + len(text[start:end].rstrip()) :]
    return text


def hold_both(texts: Iterable[str]) -> bool:
    """Tell whether cells hold a name and a number each: nearly all do, and nearly all numbers are different."""
    filled = [text for text in texts if text.strip()]
    numbers = [number for text in filled if (number := name_and_number(text).number)]
    is_usual = len(numbers) >= max(_FEWEST, _MOST * len(filled))
    return is_usual and len(set(numbers)) >= _MOST * len(numbers)
