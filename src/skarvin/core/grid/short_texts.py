"""Codes rows of short texts many at a time. Imported for much data alone, since it needs NumPy.

The eight bytes at a cell's start, with those behind its end blanked, are a number that stands for its text.
"""

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from skarvin.core.grid.dialect import Dialect

SHORT = 8
_SLOTS_BITS = 16
_SPREAD = 0x9E3779B97F4A7C15  # an odd number whose bits are well mixed: 2**64 divided by the golden ratio
_MOSTLY = 0.8
_PADDING = "\0" * SHORT
"""Behind the last cell, so that eight bytes can be taken from its start on."""
_NO_QUOTES = np.zeros(0, dtype=np.int64)


Codes = NDArray[np.uint32]


class ShortTexts:
    """Codes blocks of plain records. A table of slots leads from a short text, taken as a number, to its code."""

    def __init__(self, code: Callable[[str], int]) -> None:
        self._code = code
        self._keys = np.zeros(1 << _SLOTS_BITS, dtype=np.uint64)
        self._codes = np.zeros(1 << _SLOTS_BITS, dtype=np.uint32)
        self._codes[0] = code("")
        self._kept = np.array([(1 << 8 * length) - 1 for length in range(SHORT + 1)], dtype=np.uint64)

    def block(self, records: list[str], dialect: Dialect, columns: Sequence[int], *, raw: bool) -> "Codes | None":
        """Return the codes of the records' cells, row by row, or None if the records are not plain enough.

        Args:
            records: the records.
            dialect: how they are cut.
            columns: which cells.
            raw: whether the cells are taken with their quotation marks.
        """
        text = "\n".join([*records, _PADDING])
        if (dialect.escape and dialect.escape in text) or text.count("\n") != len(records):
            return None
        data = text.encode()
        signs = np.frombuffer(data, dtype=np.uint8)
        is_end = signs == ord(dialect.delimiter)
        is_end |= signs == ord("\n")
        quotes = np.flatnonzero(signs == ord(dialect.quote)) if dialect.quote and dialect.quote in text else _NO_QUOTES
        if len(quotes):
            if not _are_plain(signs, quotes, is_end, ord(dialect.quote)):
                return None
            is_end &= (np.cumsum(signs == ord(dialect.quote), dtype=np.uint8) & 1) == 0
        ends = np.flatnonzero(is_end)
        width, rest = divmod(len(ends), len(records))
        if rest or max(columns) >= width or not (signs[ends[width - 1 :: width]] == ord("\n")).all():
            return None
        starts = np.empty_like(ends)
        starts[0] = 0
        np.add(ends[:-1], 1, out=starts[1:])
        is_run = list(columns) == list(range(columns[0], columns[0] + len(columns)))
        wanted = slice(columns[0], columns[0] + len(columns)) if is_run else columns
        starts = np.ascontiguousarray(starts.reshape(-1, width)[:, wanted])
        lengths = ends.reshape(-1, width)[:, wanted] - starts
        if len(quotes) and not raw:
            starts, lengths = _without_quotes(signs, starts, lengths, quotes)
        return self._codes_of(data, signs, starts, lengths, dialect)

    def _codes_of(
        self,
        data: bytes,
        signs: NDArray[np.uint8],
        starts: NDArray[np.int64],
        lengths: NDArray[np.int64],
        dialect: Dialect,
    ) -> "Codes | None":
        """Return the codes of cells; a length below zero is that of a cell with quotation marks inside."""
        has_long = bool(lengths.max() > SHORT or lengths.min() < 0)
        if has_long:
            is_long = (lengths > SHORT) | (lengths < 0)
            if is_long.sum() > lengths.size * (1 - _MOSTLY):
                return None
        windows = np.ndarray((len(data) - SHORT,), dtype="<u8", buffer=signs, strides=(1,))
        keys = windows.take(starts)
        keys &= self._kept.take(np.where(is_long, 0, lengths) if has_long else lengths)
        codes = self._find(keys)
        if has_long:
            texts = zip(starts[is_long].tolist(), lengths[is_long].tolist(), strict=True)
            codes[is_long] = [self._long(data[start : start + abs(length)], length, dialect) for start, length in texts]
        return codes

    def _long(self, cell: bytes, length: int, dialect: Dialect) -> int:
        """Return the code of a cell that is no short text."""
        text = cell.decode()
        return self._code(dialect.value(text) if length < 0 else text)

    def _find(self, keys: NDArray[np.uint64]) -> Codes:
        slots = _slots(keys)
        codes = self._codes.take(slots)
        known = self._keys.take(slots)
        if not np.array_equal(known, keys):
            is_new = known != keys
            new = np.unique(keys[is_new])
            new_codes = np.array([self._code(_text(key)) for key in new.tolist()], dtype=np.uint32)
            codes[is_new] = new_codes[np.searchsorted(new, keys[is_new])]
            self._remember(new, new_codes)
        return codes

    def _remember(self, keys: NDArray[np.uint64], codes: Codes) -> None:
        """Put new texts into their slots; one whose slot is taken is looked up anew in each block."""
        slots = _slots(keys)
        is_free = (self._keys[slots] == 0) & (slots != 0)
        self._keys[slots[is_free]] = keys[is_free]
        self._codes[slots[is_free]] = codes[is_free]


def _slots(keys: NDArray[np.uint64]) -> NDArray[np.int64]:
    """Return the place in the table of each short text: the highest bits of its number, well mixed."""
    slots = keys * np.uint64(_SPREAD)
    slots >>= np.uint64(64 - _SLOTS_BITS)
    return slots.view(np.int64)


def _are_plain(signs: NDArray[np.uint8], quotes: NDArray[np.int64], is_end: NDArray[np.bool_], quote: int) -> bool:
    """Tell whether each quotation mark that opens begins a cell, and each that closes ends one."""
    if len(quotes) % 2:
        return False
    opening, closing = quotes[::2], quotes[1::2]
    before, behind = opening - 1, closing + 1
    begins = (opening == 0) | is_end[before] | (signs[before] == quote)
    return bool(begins.all() and (is_end[behind] | (signs[behind] == quote)).all())


def _without_quotes(
    signs: NDArray[np.uint8], starts: NDArray[np.int64], lengths: NDArray[np.int64], quotes: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return where cells begin inside their quotation marks, and how long they are; below zero if there are more."""
    is_quoted = (lengths > 0) & (signs[starts] == signs[quotes[0]])
    first = starts[is_quoted]
    count = np.searchsorted(quotes, first + lengths[is_quoted]) - np.searchsorted(quotes, first)
    starts, lengths = starts.copy(), lengths.copy()
    is_simple = count == 2  # noqa: PLR2004 - one in front and one behind
    starts[is_quoted] = first + is_simple
    lengths[is_quoted] = np.where(is_simple, lengths[is_quoted] - 2, -lengths[is_quoted])
    return starts, lengths


def _text(key: int) -> str:
    return key.to_bytes(SHORT, "little").rstrip(b"\0").decode()
