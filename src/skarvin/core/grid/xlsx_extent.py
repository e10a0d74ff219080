"""How far the cells of a sheet reach: told before it is read, since a few can span more than memory holds."""

import re

_TAG = rb"<(?:\w{1,40}:)?"
_CELL_OR_ROW = re.compile(_TAG + rb"(c|row)\b([^<>]*+)")
_OWN_NAME = re.compile(rb"\br\s*+=\s*+[\"']([A-Za-z]++)(\d++)")
_OWN_NUMBER = re.compile(rb"\br\s*+=\s*+[\"'](\d++)")
_MUCH = 16_000_000
_REACH = 16
_BLOCK = 16_000_000
_LETTER, _DIGIT, _MOST_DIGITS = 31, 15, 8
"""What is left of a letter's or a digit's code is its number."""
_LONGEST_NUMBER = 20
_BLANK = ord(" ")
_FAR = re.compile(rb"r\s*+=\s*+[\"'](?:[A-Za-z]{3,20}\d|[A-Za-z]{0,2}\d{6})")
_WIDE = re.compile(rb"r\s*+=\s*+[\"'][D-Zd-z][A-Za-z]\d")
_LONG = re.compile(rb"r\s*+=\s*+[\"'][A-Za-z]{0,2}\d{5}")
"""104 columns by 99,999 rows can be read whatever stands there; beyond that it is looked how far cells reach."""


def is_far_flung(xml: bytes) -> bool:
    """Tell whether it must be looked how far cells reach: of much data it always is."""
    start = _first(xml)
    if len(xml) >= _MUCH or _FAR.search(xml, start):
        return True
    return bool(_WIDE.search(xml, start) and _LONG.search(xml, start))


def _first(xml: bytes) -> int:
    """Return where the cells begin: what stands in front has names of other kinds."""
    return max(0, xml.find(b"sheetData"))


def extent(xml: bytes) -> tuple[int, int, int]:
    """Return how many rows and columns a sheet's cells span, and how many cells there are."""
    if len(xml) >= _MUCH and (found := _extent_in_bulk(xml)):
        return found
    rows = columns = cells = row = column = 0
    for match in _CELL_OR_ROW.finditer(xml, _first(xml)):
        if match[1] == b"row":
            number = _OWN_NUMBER.search(match[2])
            row, column = int(number[1][:_LONGEST_NUMBER]) if number else row + 1, 0
            continue
        name = _OWN_NAME.search(match[2])
        if name:
            row, column = int(name[2][:_LONGEST_NUMBER]), column_place(name[1][:_LONGEST_NUMBER].upper()) + 1
        else:
            column += 1
        rows, columns, cells = max(rows, row), max(columns, column), cells + 1
    return rows, columns, cells


def _extent_in_bulk(xml: bytes) -> tuple[int, int, int] | None:
    """Return the same for much data, or None unless each cell has a name, written as programs write it."""
    import numpy as np  # noqa: PLC0415 - worth its import for much data alone

    rows = columns = cells = 0
    for start in range(_first(xml), len(xml), _BLOCK):
        signs = np.frombuffer(xml[max(0, start - 1) : start + _BLOCK + _REACH], dtype=np.uint8)
        equals = np.flatnonzero(signs[1:-_REACH] == ord("=")) + 1
        before, behind = signs[equals - 1], signs[equals + 1]
        if ((before <= _BLANK) | (behind <= _BLANK) | (behind == ord("'"))).any():
            return None
        is_name = (before == ord("r")) & (behind == ord('"')) & (signs[equals + 2] >= ord("A"))
        at = equals[is_name] + 2
        if not len(at):
            continue
        cells += len(at)
        column = (signs[at] & _LETTER).astype(np.int64)
        for _ in range(2):
            is_letter = signs[at + 1] >= ord("A")
            at = at + is_letter
            column = np.where(is_letter, column * 26 + (signs[at] & _LETTER), column)
        at, number, is_digit = at + 1, np.zeros(len(at), dtype=np.int64), np.ones(len(at), dtype=bool)
        for step in range(_MOST_DIGITS):
            sign = signs[at + step]
            is_digit &= (sign >= ord("0")) & (sign <= ord("9"))
            if not is_digit.any():
                break
            number = np.where(is_digit, number * 10 + (sign & _DIGIT), number)
        if is_digit.any() or not number.all():  # more digits or more letters than a cell's name has
            return None
        rows, columns = max(rows, int(number.max())), max(columns, int(column.max()))
    has_names_alone = cells >= xml.count(b"<c ") + xml.count(b"<c>") + xml.count(b"<c/>") and b":c " not in xml
    return (rows, columns, cells) if has_names_alone else None


def column_place(letters: bytes) -> int:
    """Return the place of a column, from 0, by its letters."""
    index = 0
    for letter in letters:
        index = index * 26 + letter - ord("A") + 1
    return index - 1
