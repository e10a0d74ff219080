"""The second look at a form whose lines mostly end alike, as a blank form's do.

What a line ends with is held once against the same claims. Imported for much data alone, since it needs NumPy.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

_ALIKE = 8
"""Lines end alike if there are so many of them for each distinct end."""


class AlikeEnds:
    """Compares a form's lines with what the ledger says of them.

    Args:
        delimiter: what stands between cells.
        quote: the quotation mark; nothing if there is none.
        columns: the columns that marks go to, in the order of a line's codes.
        claimed: what the form says in such a cell, by code.
    """

    def __init__(self, delimiter: bytes, quote: bytes, columns: Sequence[int], claimed: Sequence[bytes]) -> None:
        self._delimiter, self._quote, self._first = delimiter, quote, min(columns)
        self._texts = list(dict.fromkeys(claimed))
        place_of = {text: place for place, text in enumerate(self._texts)}
        self._places = np.array([place_of[text] for text in claimed], dtype=np.uint32)
        self._in_file = np.argsort(columns)
        self._may_be_alike = sorted(columns) == list(range(self._first, self._first + len(columns)))
        self._known: set[tuple[bytes, bytes]] = set()

    def heads(self, lines: Sequence[bytes], codes: NDArray[np.intp]) -> list[bytes] | None:
        """Return what stands in front of the columns in each line, if nothing but what is claimed stands behind it.

        None means that a closer look is due, and no more than that.
        """
        parts = [line.split(self._delimiter, self._first) for line in lines] if self._may_be_alike else []
        if not parts or min(map(len, parts)) <= self._first or (self._quote and self._quote in b"".join(lines)):
            return None
        ends = [part[-1] for part in parts]
        claims = [claimed.tobytes() for claimed in self._places.take(codes)]
        told = set(zip(ends, claims, strict=True)) - self._known
        self._may_be_alike = _ALIKE * len(told) <= len(lines)
        if not self._may_be_alike or not all(self._says(end, claimed) for end, claimed in told):
            return None
        self._known |= told
        return [line[: len(line) - len(end)] for line, end in zip(lines, ends, strict=True)]

    def _says(self, end: bytes, claims: bytes) -> bool:
        places = np.frombuffer(claims, dtype=np.uint32)[self._in_file].tolist()
        cells = end.removesuffix(b"\n").removesuffix(b"\r").split(self._delimiter)
        return cells == [self._texts[place] for place in places]
