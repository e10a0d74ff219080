"""Writes the filled ends of many rows at once. Imported for much data alone, since it needs NumPy."""

from collections.abc import Sequence

import numpy as np

from skarvin.core.grid.grid import TextGrid
from skarvin.core.grid.short_texts import SHORT

_HALVES = 2
LONGEST = _HALVES * SHORT - 1
"""Two numbers of eight bytes hold a text so long and the delimiter behind it."""


class RowEnds:
    """Writes the filled end of many rows at once, where nothing but filled cells, none quoted, follows a head."""

    def __init__(self, grid: TextGrid, columns: Sequence[int], texts: Sequence[bytes]) -> None:
        self._grid = grid
        self._filled = len(columns)
        self._width = min(columns) + len(columns)
        self._delimiter = grid.dialect.delimiter
        self._in_file = sorted(range(len(columns)), key=columns.__getitem__)
        self._is_in_order = self._in_file == list(range(len(columns)))
        cells = [text + self._delimiter.encode() for text in texts]
        self._lengths = np.array([len(cell) for cell in cells], dtype=np.int64)
        self._words = np.frombuffer(b"".join(cell.ljust(_HALVES * SHORT, b"\0") for cell in cells), dtype="<u8")

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
        """Return the joined cells of each row of codes.

        Each cell is written as a number of eight bytes, so that the blanks behind a short one are overwritten by the
        next; of longer ones the second halves are written before.
        """
        table = np.stack([np.asarray(row) for row in codes])
        table = np.ascontiguousarray(table if self._is_in_order else table[:, self._in_file])
        lengths = self._lengths.take(table)
        ends = lengths.ravel().cumsum().reshape(table.shape)
        starts = ends - lengths
        signs = np.empty(int(ends[-1, -1]) + _HALVES * SHORT, dtype=np.uint8)
        windows = np.ndarray((len(signs) - SHORT + 1,), dtype="<u8", buffer=signs, strides=(1,))
        first, second = self._words.reshape(-1, _HALVES).T
        if lengths.max() > SHORT:
            is_long = lengths > SHORT
            windows[starts[is_long] + SHORT] = second.take(table[is_long])
        windows[starts.ravel()] = first.take(table.ravel())
        data = signs.tobytes()
        return [data[start : end - 1] for start, end in zip(starts[:, 0].tolist(), ends[:, -1].tolist(), strict=True)]
