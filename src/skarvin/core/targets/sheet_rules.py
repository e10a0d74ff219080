"""What a workbook says of its cells: how a style shows numbers, whether it is locked, and what validation allows."""

import re
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.grid.package import Package
from skarvin.core.targets.sheet_xml import Area, Attributes, areas
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.texts.patterns import pattern

_TEXT_FORMAT = 49
_PERCENT = pattern(r"[0#](?:\.0*)?%")
_ZEROS = pattern("0{2,}")
_DATE_FORMATS = frozenset({*range(14, 23), *range(27, 37), *range(45, 48), *range(50, 59)})
"""The built-in formats of days and times (ECMA-376, 18.8.30)."""
_SAID = pattern(r'"[^"]*"|\\.|\[[^\]]*\]|General')
_OF_DAYS = pattern(r"[ymdhsYMDHS]")
_LIST = pattern(r'"(.*)"', re.DOTALL)
_RANGE = pattern(r"(?:(?:'((?:[^']|'')+)'|([\w.]+))!)?(\$?[A-Z]{1,3}\$?\d+(?::\$?[A-Z]{1,3}\$?\d+)?)")
_SHOWN, _MOST_NAMES = 6, 8


class Style(NamedTuple):
    """How a cell shows what it holds, and whether it is locked once the sheet is protected."""

    is_percent: bool = False
    zeros: int = 0
    is_text: bool = False
    is_locked: bool = True
    shows: str = ""
    """What it shows in place of a number, if it doesn't show that: a day, or nothing."""


def read_styles(package: Package) -> list[Style]:
    """Return the styles of a workbook, by their numbers."""
    found = []
    for number, code, is_locked in package.formats():
        zeros = len(code) if _ZEROS.fullmatch(code) else 0
        is_text = number == _TEXT_FORMAT or code == "@"
        found.append(Style(bool(_PERCENT.search(code)), zeros, is_text, is_locked, _shown_instead(number, code)))
    return found or [Style()]


def _shown_instead(number: int, code: str) -> str:
    """Return what a format shows in place of a number; blank where it shows one."""
    if number in _DATE_FORMATS or _OF_DAYS.search(_SAID.sub("", code)):
        return "days or times"
    return "nothing" if code and not code.strip(";") else ""


class Allowed(NamedTuple):
    """What validation allows in some cells: which, in words, the test, and the texts if they are listed."""

    where: tuple[Area, ...]
    words: str
    test: Callable[[str], bool]
    texts: tuple[str, ...] = ()


Values = Callable[[str | None, Area], list[str]]
"""Gives the texts in a range of a sheet, by its name; None is the sheet itself."""


def read_validations(about: Sequence[Attributes], values_of: Values, names: Mapping[str, str]) -> list[Allowed]:
    """Return what a sheet's validations allow, as far as that can be told without computing.

    Args:
        about: the elements that say it.
        values_of: gives the texts in a range.
        names: what each defined name stands for.
    """
    found = []
    for one in about:
        if one.name != "dataValidation" or one.values.get("errorStyle", "stop") != "stop":
            continue
        told = _test(one, values_of, names)
        if told:
            found.append(Allowed(tuple(areas(one.values.get("sqref", ""))), *told))
    return found


def _test(
    formatting: Attributes, values_of: Values, names: Mapping[str, str]
) -> tuple[str, Callable[[str], bool], tuple[str, ...]] | None:
    """Return what one validation allows; None where only a spreadsheet can tell."""
    kind = formatting.values.get("type", "none")
    if kind == "list":
        texts = _listed(_meant(formatting.parts[0] if formatting.parts else "", names), values_of)
        if texts is None:
            return None
        shown = ", ".join(texts[:_SHOWN]) + (", ..." if len(texts) > _SHOWN else "")
        return f"one of {shown}", frozenset(map(_as_value, texts)).__contains__, tuple(texts)
    if kind not in {"whole", "decimal", "textLength"}:
        return None
    limits = [read_number(part) for part in formatting.parts]
    if not limits or None in limits:
        return None
    first, last = limits[0] or Decimal(0), limits[-1] or Decimal(0)
    words, in_range = _RANGES[formatting.values.get("operator", "between")](first, last)
    if kind == "textLength":
        return f"a text of a length {words}", lambda text: in_range(Decimal(len(text))), ()

    def is_allowed(text: str) -> bool:
        number = read_number(text)
        return number is not None and (kind == "decimal" or number == number.to_integral_value()) and in_range(number)

    return f"a {'whole number' if kind == 'whole' else 'number'} {words}", is_allowed, ()


_RANGES: dict[str, Callable[[Decimal, Decimal], tuple[str, Callable[[Decimal], bool]]]] = {
    "between": lambda a, b: (f"from {plain(a)} to {plain(b)}", lambda number: a <= number <= b),
    "notBetween": lambda a, b: (f"not from {plain(a)} to {plain(b)}", lambda number: not a <= number <= b),
    "equal": lambda a, _: (f"that is {plain(a)}", lambda number: number == a),
    "notEqual": lambda a, _: (f"other than {plain(a)}", lambda number: number != a),
    "greaterThan": lambda a, _: (f"above {plain(a)}", lambda number: number > a),
    "lessThan": lambda a, _: (f"below {plain(a)}", lambda number: number < a),
    "greaterThanOrEqual": lambda a, _: (f"of at least {plain(a)}", lambda number: number >= a),
    "lessThanOrEqual": lambda a, _: (f"of at most {plain(a)}", lambda number: number <= a),
}


def _meant(formula: str, names: Mapping[str, str]) -> str:
    """Return what a name stands for, though that may be another name; any other formula as it is."""
    folded = {name.casefold(): text for name, text in names.items()}
    for _ in range(_MOST_NAMES):
        bare = formula.strip().removeprefix("=")
        if bare.casefold() not in folded:
            return bare
        formula = folded[bare.casefold()]
    return formula


def _listed(formula: str, values_of: Values) -> list[str] | None:
    """Return the texts of a list: written out, or in a range; None where it is a formula."""
    if match := _LIST.fullmatch(formula):
        return [text.strip() for text in match[1].replace('""', '"').split(",")]
    match = _RANGE.fullmatch(formula)
    if match is None:
        return None
    sheet = (match[1] or "").replace("''", "'") or match[2]
    (area,) = areas(match[3])
    return [text for text in values_of(sheet, area) if text]


def _as_value(text: str) -> str:
    """Return a text in the form in which the cell would say it: numbers without zeros behind."""
    number = read_number(text)
    return text if number is None else plain(number)
