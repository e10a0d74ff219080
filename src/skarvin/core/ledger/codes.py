"""Counts and finds codes in one long array of them, row after row."""

from array import array
from collections import Counter
from collections.abc import Iterable, Iterator

_MANY = 1_000_000
"""From this many codes on NumPy is so much faster that it makes up for its import."""


def join_codes(rows: Iterable["array[int]"]) -> "array[int]":
    """Return the rows' codes one behind the other."""
    joined = array("I")
    for row in rows:
        joined += row
    return joined


def count_codes(codes: "array[int]", width: int) -> list["Counter[int]"]:
    """Return for each column of rows `width` long how often each code stands in it."""
    if len(codes) < _MANY:
        return [Counter(codes[column::width]) for column in range(width)]
    import numpy as np  # noqa: PLC0415 - worth its import for much data alone

    table = np.frombuffer(codes, dtype=np.uint32).reshape(-1, width)
    counted = (np.bincount(table[:, column]) for column in range(width))
    return [Counter({int(code): int(count[code]) for code in count.nonzero()[0]}) for count in counted]


def find_codes(codes: "array[int]", wanted: set[int]) -> Iterator[int]:
    """Return the positions at which one of the wanted codes stands, in order."""
    if len(codes) < _MANY:
        return (position for position, code in enumerate(codes) if code in wanted)
    import numpy as np  # noqa: PLC0415 - worth its import for much data alone

    is_wanted = np.zeros(int(np.frombuffer(codes, dtype=np.uint32).max()) + 1, dtype=bool)
    is_wanted[[code for code in wanted if code < len(is_wanted)]] = True
    return iter(np.flatnonzero(is_wanted[np.frombuffer(codes, dtype=np.uint32)]).tolist())
