"""Cells that hold a student's name and number together: `Okafor, Chidi (B1204)`, `B1204 - Okafor, Chidi`."""

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Column, Use
from skarvin.core.texts.patterns import pattern

MAY_BE_BOTH = IDENTIFIERS | NAMES | {Use.OTHER}
"""What a column is taken for, by its heading and cells, whose cells may hold both."""
_NUMBER, _NAME = r"(?P<number>[^\s()\[\],;:|]++)", r"(?P<name>[^()\[\]]++)"
_BEHIND = pattern(rf"{_NAME}[(\[]{_NUMBER}[)\]]")
_BEFORE = pattern(rf"{_NUMBER}(?:\s*+[-–—:|/])?+\s++{_NAME}")
_MOST, _FEWEST, _DIGITS = 0.8, 2, 2


class NameAndNumber(NamedTuple):
    """What a cell holds."""

    name: str
    number: str


def name_and_number(text: str) -> NameAndNumber:
    """Return the name and the number in a cell; one that doesn't have both holds a name."""
    match = _matched(text)
    return NameAndNumber(match["name"].strip(), match["number"]) if match else NameAndNumber(text.strip(), "")


def _matched(text: str) -> re.Match[str] | None:
    """Return the parts of a cell that has both: a name has a letter and no digit, a number two digits or an @."""
    match = _BEHIND.fullmatch(text.strip()) or _BEFORE.fullmatch(text.strip())
    if match is None:
        return None
    name, number = match["name"], match["number"]
    is_number = sum(map(str.isdigit, number)) >= _DIGITS or "@" in number.strip("@")
    return match if is_number and any(map(str.isalpha, name)) and not any(map(str.isdigit, name)) else None


def in_cell(cells: Sequence[str], column: Column) -> NameAndNumber:
    """Return what a column's cell says of who somebody is: it is a number's, or a name's, or has both."""
    text = cells[column.index].strip() if column.index < len(cells) else ""
    if column.use is Use.BOTH:
        return name_and_number(text)
    return NameAndNumber("", text) if column.use in IDENTIFIERS else NameAndNumber(text, "")


def together(name: str, number: str, like: str = "") -> str:
    """Return a name and a number as they stand in one cell, in the way of another cell, if that has both."""
    match = _matched(like)
    if match is None:
        return f"{name} ({number})"
    text = match.string
    for key, put in sorted((("name", name), ("number", number)), key=lambda one: -match.start(one[0])):
        start = match.start(key)
        text = text[:start] + put + text[start + len(match[key].rstrip()) :]
    return text


def hold_both(texts: Iterable[str]) -> bool:
    """Tell whether cells hold a name and a number each: nearly all do, and nearly all numbers are different."""
    filled = [text for text in texts if text.strip()]
    numbers = [number for text in filled if (number := name_and_number(text).number)]
    is_usual = len(numbers) >= max(_FEWEST, _MOST * len(filled))
    return is_usual and len(set(numbers)) >= _MOST * len(numbers)
