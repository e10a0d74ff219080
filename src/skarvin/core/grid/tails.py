"""Writes the filled ends of many rows at once. Imported for much data alone, since it needs NumPy."""

from array import array
from collections.abc import Sequence

import numpy as np

from skarvin.core.grid.grid import TextGrid
from skarvin.core.grid.short_texts import SHORT


class Tails:
    """Writes the filled end of many rows at once, where nothing but filled cells follows a row's head."""

    def __init__(self, grid: TextGrid, columns: Sequence[int], texts: Sequence[bytes]) -> None:
        self.head = min(columns)
        self._grid = grid
        self._width = self.head + len(columns)
        self._delimiter = ord(grid.dialect.delimiter)
        self._in_file = sorted(range(len(columns)), key=columns.__getitem__)
        self._is_in_order = self._in_file == list(range(len(columns)))
        padded = b"".join(text.ljust(SHORT, b"\0") for text in texts)
        self._signs = np.frombuffer(padded, dtype=np.uint8).reshape(-1, SHORT)

    def fits(self, row: int) -> bool:
        """Tell whether the row is plain."""
        return self._grid.widths[row] == self._width and self._grid.dialect.is_plain(self._grid.records[row])

    def block(self, codes: Sequence[Sequence[int]]) -> list[bytes]:
        """Return the joined cells of each row of codes."""
        table = np.frombuffer(b"".join([array("I", row) for row in codes]), dtype=np.uint32).reshape(len(codes), -1)
        table = table if self._is_in_order else table[:, self._in_file]
        signs = np.empty((*table.shape, SHORT + 1), dtype=np.uint8)
        signs[:, :, :SHORT] = self._signs.take(table, axis=0)
        signs[:, :, SHORT] = self._delimiter
        signs[:, -1, SHORT] = ord("\n")
        return bytes(signs[signs != 0].tobytes()).split(b"\n")[:-1]
