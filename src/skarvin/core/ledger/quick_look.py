"""The second look at much data: says that all is as it should be, and how much differs, or says nothing at all.

Cells are compared many at a time, as numbers made of eight bytes each. Whatever is out of the ordinary, or wrong, is
left to the second look proper, which takes its time and names the place.
Imported for much data alone, since it needs NumPy.
"""

from array import array
from collections.abc import Mapping, Sequence
from itertools import islice
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_BLOCK = 512
_SHORT = 8


class _Cells(NamedTuple):
    """The cells of a block of lines: the block's bytes, eight from each place on, and each cell's start and length."""

    data: bytes
    windows: NDArray[np.uint64]
    starts: NDArray[np.int64]
    lengths: NDArray[np.int64]

    def numbers(self, kept: NDArray[np.uint64]) -> NDArray[np.uint64]:
        """Return the number that each cell's first eight bytes make."""
        numbers: NDArray[np.uint64] = self.windows.take(self.starts)
        numbers &= kept.take(np.minimum(self.lengths, _SHORT))
        return numbers

    def cell(self, row: int, column: int) -> bytes:
        start = int(self.starts[row, column])
        return self.data[start : start + int(self.lengths[row, column])]


class QuickLook:
    """Compares a template and a written file, both in UTF-8, with no quotation marks in the filled columns."""

    def __init__(self, delimiter: str, quote: str, columns: Sequence[int], texts: Sequence[str]) -> None:
        self._delimiter, self._quote = ord(delimiter), ord(quote)
        self._columns = list(columns)
        self._texts = [text.encode() for text in texts]
        self._kept = np.array([(1 << 8 * length) - 1 for length in range(_SHORT + 1)], dtype=np.uint64)
        self._lengths = np.array([len(text) for text in self._texts], dtype=np.int64)
        numbers = [int.from_bytes(text[:_SHORT], "little") for text in self._texts]
        self._numbers = np.array(numbers, dtype=np.uint64)
        run = range(columns[0], columns[0] + len(columns))
        self._wanted = slice(run.start, run.stop) if self._columns == list(run) else self._columns

    def look(self, template: Path, written: Path, rows: Mapping[int, Sequence[int]]) -> tuple[int, list[int]] | None:
        """Return how many lines there are and for each column how many cells differ; None if a closer look is due."""
        differing = np.zeros(len(self._columns), dtype=np.int64)
        count = 0
        with template.open("rb") as old, written.open("rb") as new:
            while old_lines := list(islice(old, _BLOCK)):
                new_lines = list(islice(new, len(old_lines)))
                found = self._lines(old_lines, new_lines, rows, count)
                if found is None:
                    return None
                differing += found
                count += len(old_lines)
            return None if new.read(1) else (count, differing.tolist())

    def _lines(
        self, old: list[bytes], new: list[bytes], rows: Mapping[int, Sequence[int]], start: int
    ) -> NDArray[np.int64] | None:
        """Return for each column how many cells differ in some lines, the first of them in the row `start`."""
        places = [place for place in range(len(old)) if start + place in rows]
        if len(old) != len(new):
            return None
        if len(places) < len(old):
            others = set(range(len(old))).difference(places)
            if any(old[place] != new[place] for place in others):
                return None
        if not places:
            return np.zeros(len(self._columns), dtype=np.int64)
        block = [rows[start + place] for place in places]
        return self._block([old[place] for place in places], [new[place] for place in places], block)

    def _block(
        self, old_lines: list[bytes], new_lines: list[bytes], block: Sequence[Sequence[int]]
    ) -> NDArray[np.int64] | None:
        old, new = self._cells(old_lines), self._cells(new_lines)
        if old is None or new is None or old.starts.shape != new.starts.shape:
            return None
        if self._is_quoted(old) or self._is_quoted(new):
            return None
        new_numbers = new.numbers(self._kept)
        differs = (old.lengths != new.lengths) | (old.numbers(self._kept) != new_numbers)
        self._compare_the_rest(old, new, differs)
        codes = np.frombuffer(b"".join([array("I", codes) for codes in block]), dtype=np.uint32).reshape(len(block), -1)
        lengths, numbers = new.lengths[:, self._wanted], new_numbers[:, self._wanted]
        if not ((lengths == self._lengths.take(codes)) & (numbers == self._numbers.take(codes))).all():
            return None
        for row, place in np.argwhere(lengths > _SHORT).tolist():
            if new.cell(row, self._columns[place]) != self._texts[codes[row, place]]:
                return None
        counts: NDArray[np.int64] = differs.sum(axis=0)
        if counts.sum() != counts[self._columns].sum():
            return None
        return counts[self._columns]

    def _is_quoted(self, cells: _Cells) -> bool:
        """Tell whether a cell that was filled stands in quotation marks, so that it says something else than it is."""
        signs = np.frombuffer(cells.data, dtype=np.uint8)
        return bytes([self._quote]) in cells.data and bool((signs[cells.starts[:, self._wanted]] == self._quote).any())

    def _compare_the_rest(self, old: _Cells, new: _Cells, differs: NDArray[np.bool_]) -> None:
        """Mark the longer cells that differ behind their first eight bytes."""
        for start in range(_SHORT, int(new.lengths.max()), _SHORT):
            longer = np.nonzero(~differs & (new.lengths > start))
            kept = self._kept.take(np.minimum(new.lengths[longer] - start, _SHORT))
            both = [one.windows.take(one.starts[longer] + start) & kept for one in (old, new)]
            differs[longer] = both[0] != both[1]

    def _cells(self, lines: list[bytes]) -> _Cells | None:
        data = b"".join(lines)
        data += b"" if data.endswith(b"\n") else b"\n"
        if b"\r" in data:
            data = data.replace(b"\r\n", b"\n")
        signs = np.frombuffer(data + bytes(_SHORT), dtype=np.uint8)
        is_end = (signs == self._delimiter) | (signs == ord("\n"))
        if bytes([self._quote]) in data:
            is_quote = signs == self._quote
            if not _are_plain(is_quote, is_end):
                return None
            is_end &= (np.cumsum(is_quote, dtype=np.uint8) & 1) == 0
        ends = np.flatnonzero(is_end)
        width, rest = divmod(len(ends), len(lines))
        if rest or not (signs[ends[width - 1 :: width]] == ord("\n")).all():
            return None
        starts = np.empty_like(ends)
        starts[0] = 0
        np.add(ends[:-1], 1, out=starts[1:])
        lengths = (ends - starts).reshape(-1, width)
        windows = np.ndarray((len(data),), dtype="<u8", buffer=signs, strides=(1,))
        return _Cells(data, windows, starts.reshape(-1, width), lengths)


def _are_plain(is_quote: NDArray[np.bool_], is_end: NDArray[np.bool_]) -> bool:
    """Tell whether each quotation mark that opens begins a cell, and each that closes ends one."""
    quotes = np.flatnonzero(is_quote)
    if len(quotes) % 2:
        return False
    opening, closing = quotes[::2], quotes[1::2]
    begins = (opening == 0) | is_end[opening - 1] | is_quote[opening - 1]
    return bool(begins.all() and (is_end[closing + 1] | is_quote[closing + 1]).all())
