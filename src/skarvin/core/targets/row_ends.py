"""Writes the filled ends of many rows at once. Imported for much data alone, since it needs NumPy."""

from array import array
from collections.abc import Sequence

import numpy as np

from skarvin.core.grid.grid import TextGrid
from skarvin.core.grid.short_texts import SHORT


class RowEnds:
    """Writes the filled end of many rows at once, where nothing but filled cells, none quoted, follows a head."""

    def __init__(self, grid: TextGrid, columns: Sequence[int], texts: Sequence[bytes]) -> None:
        self._grid = grid
        self._filled = len(columns)
        self._width = min(columns) + len(columns)
        self._delimiter = grid.dialect.delimiter
        self._in_file = sorted(range(len(columns)), key=columns.__getitem__)
        self._is_in_order = self._in_file == list(range(len(columns)))
        padded = b"".join(text.ljust(SHORT, b"\0") for text in texts)
        self._signs = np.frombuffer(padded, dtype=np.uint8).reshape(-1, SHORT)

    def fits(self, row: int) -> bool:
        """Tell whether the row is as wide as it should be, and no quotation mark stands behind its head."""
        record, dialect = self._grid.records[row], self._grid.dialect
        if self._grid.widths[row] != self._width or dialect.is_plain(record):
            return self._grid.widths[row] == self._width
        last = record.rfind(dialect.quote)
        return dialect.escape is None and record.count(self._delimiter, last) >= self._filled

    def head(self, row: int) -> str:
        """Return what stands before the filled cells of a row, with the delimiter behind it."""
        record, delimiter = self._grid.records[row], self._delimiter
        if self._grid.dialect.is_plain(record):
            return record[: len(record) - len(record.split(delimiter, self._width - self._filled)[-1])]
        return record.rsplit(delimiter, self._filled)[0] + delimiter

    def block(self, codes: Sequence[Sequence[int]]) -> list[bytes]:
        """Return the joined cells of each row of codes."""
        table = np.frombuffer(b"".join([array("I", row) for row in codes]), dtype=np.uint32).reshape(len(codes), -1)
        table = table if self._is_in_order else table[:, self._in_file]
        signs = np.empty((*table.shape, SHORT + 1), dtype=np.uint8)
        signs[:, :, :SHORT] = self._signs.take(table, axis=0)
        signs[:, :, SHORT] = ord(self._delimiter)
        signs[:, -1, SHORT] = ord("\n")
        return bytes(signs[signs != 0].tobytes()).split(b"\n")[:-1]
