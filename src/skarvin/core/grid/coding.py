"""Gives each distinct text of a grid a code, so that whatever is decided about a text is decided once.

Most cells of a large grid are short and without quotation marks; `short_texts` codes their rows many at a time.
"""

from array import array
from collections import Counter
from collections.abc import Callable, Sequence
from itertools import chain
from operator import itemgetter
from typing import TYPE_CHECKING, TypeVar

from skarvin.core.grid.grid import Grid, TextGrid

if TYPE_CHECKING:
    from skarvin.core.grid.short_texts import ShortTexts

Cell = TypeVar("Cell", str, int)
MANY = 1_000_000
"""From this many cells on NumPy is so much faster that it makes up for its import."""
_BLOCK = 256
_SHORT, _LONG = "H", "I"
MOST_SHORT = 1 << 16
"""So many codes take two bytes each."""


class _Codes(dict[object, int]):
    """From a text, or what stands in place of one, to its code; one met for the first time gets the next code."""

    def __init__(self) -> None:
        super().__init__()
        self.texts: list[str] = []

    def __missing__(self, key: object) -> int:
        self[key] = code = len(self)
        self.texts.append(key if isinstance(key, str) else "")
        return code


class Coding:
    """The texts met so far, and the code of each: its position among them."""

    def __init__(self) -> None:
        self._codes = _Codes()
        self._short: ShortTexts | None = None

    @property
    def texts(self) -> list[str]:
        """The text of each code; nothing for what stands in place of one."""
        return self._codes.texts

    def code(self, text: str) -> int:
        """Return the code of a text."""
        return self._codes[text]

    def code_for(self, thing: object) -> int:
        """Return the code of something that stands in place of a text, and is no text itself."""
        return self._codes[thing]

    def cells(self, grid: Grid, rows: Sequence[int], columns: Sequence[int], *, raw: bool = False) -> "array[int]":
        """Return the codes of the cells at `columns` of `rows`, row after row; of raw cells if `raw`.

        They take two bytes each as long as that is enough for all codes there are, and four from then on.
        """
        codes = array(_SHORT)
        if not columns:
            return codes
        pick = picker(columns)
        cut = grid.raw_cells if raw and isinstance(grid, TextGrid) else grid.cells
        is_many = len(rows) * len(columns) >= MANY and isinstance(grid, TextGrid)
        if is_many and self._short is None:
            from skarvin.core.grid.short_texts import ShortTexts  # noqa: PLC0415 - it needs NumPy

            self._short = ShortTexts(self.code)
        for start in range(0, len(rows), _BLOCK):
            some = rows[start : start + _BLOCK]
            block = None
            if isinstance(grid, TextGrid) and is_many and self._short:
                block = self._short.block([grid.records[row] for row in some], grid.dialect, columns, raw=raw)
            texts = () if block is not None else chain.from_iterable(pick(cut(row)) for row in some)
            found = list(map(self._codes.__getitem__, texts))
            if len(self._codes) > MOST_SHORT:
                codes = widened(codes)
            if block is not None:
                codes.frombytes(block.astype(codes.typecode).tobytes())
            else:
                codes += array(codes.typecode, found)  # which is much faster than one by one
        return codes


def widened(codes: "array[int]") -> "array[int]":
    """Return codes that take four bytes each."""
    return codes if codes.typecode == _LONG else array(_LONG, codes)


def count_columns(codes: "array[int]", width: int) -> list["Counter[int]"]:
    """Return for each column of rows `width` long how often each code stands in it."""
    if len(codes) < MANY:
        return [Counter(codes[column::width]) for column in range(width)]
    import numpy as np  # noqa: PLC0415 - worth its import for much data alone

    table = np.frombuffer(codes, dtype=codes.typecode).reshape(-1, width)
    size = int(table.max()) + 1
    if size * width > len(codes):  # nearly each cell is another text: as many places would mostly stay empty
        counted = [np.bincount(table[:, column]) for column in range(width)]
    else:
        firsts = np.arange(width) * size
        total = np.zeros(width * size, dtype=np.int64)
        for start in range(0, len(table), _BLOCK):
            total += np.bincount((table[start : start + _BLOCK] + firsts).ravel(), minlength=len(total))
        counted = list(total.reshape(width, size))
    return [
        Counter(dict(zip(there.tolist(), count[there].tolist(), strict=True)))
        for count in counted
        for there in [np.flatnonzero(count)]
    ]


def picker(columns: Sequence[int]) -> Callable[[Sequence[Cell]], Sequence[Cell]]:
    """Return what takes the cells at `columns` out of a row, always as a sequence."""
    if len(columns) > 1:
        return itemgetter(*columns)
    return lambda cells: [cells[column] for column in columns]
