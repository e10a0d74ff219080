"""The second look at much data: says that all is as the ledger says, and how much differs, or says nothing at all.

Cells are compared many at a time, as numbers made of eight bytes each. Whatever is out of the ordinary, or wrong, is
left to the look row by row, which takes its time and names the place.
Imported for much data alone, since it needs NumPy.
"""

import csv
from collections.abc import Sequence
from itertools import islice
from pathlib import Path
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from skarvin.core.ledger.second_look.claims import Claims, LedgerFault, check_outcome

_BLOCK = 256
_SHORT = 8
_NO_QUOTE = 256  # no byte is


class _Cells(NamedTuple):
    """The cells of a block of lines: its bytes, eight from each place on, and where each cell starts and ends."""

    data: bytes
    windows: NDArray[np.uint64]
    starts: NDArray[np.int64]
    ends: NDArray[np.int64]

    def some(self, columns: slice | list[int]) -> "_Cells":
        """Return the cells of some columns."""
        return self._replace(starts=self.starts[:, columns], ends=self.ends[:, columns])

    @property
    def lengths(self) -> NDArray[np.int64]:
        """How many bytes each cell has."""
        return self.ends - self.starts

    def numbers(self, lengths: NDArray[np.int64], kept: NDArray[np.uint64]) -> NDArray[np.uint64]:
        """Return the number that each cell's first eight bytes make."""
        numbers: NDArray[np.uint64] = self.windows.take(self.starts)
        numbers &= kept.take(lengths, mode="clip")
        return numbers

    def cell(self, row: int, column: int) -> bytes:
        return self.data[int(self.starts[row, column]) : int(self.ends[row, column])]


class _Texts(NamedTuple):
    """The texts of all outcomes: their bytes, the numbers that their first eight bytes make, and which are longer."""

    texts: list[bytes]
    numbers: NDArray[np.uint64]
    is_long: NDArray[np.bool_]

    @classmethod
    def of(cls, texts: Sequence[str]) -> "_Texts":
        """Return the texts as they stand in a file."""
        encoded = [text.encode() for text in texts]
        numbers = [int.from_bytes(text[:_SHORT], "little") for text in encoded]
        is_long = np.array([len(text) > _SHORT for text in encoded], dtype=bool)
        return cls(encoded, np.array(numbers, dtype=np.uint64), is_long)


class _ByRow:
    """The ledger's lines for rows of the form, taken from the top down."""

    def __init__(self, claims: Claims) -> None:
        self._lines = claims.lines()
        self._next = next(self._lines, None)

    def up_to(self, stop: int) -> tuple[list[int], list[str]]:
        """Return the lines of rows above `stop` that weren't taken yet: the row of each, and its digits."""
        rows: list[int] = []
        texts: list[str] = []
        while self._next and self._next[0] < stop:
            rows.append(self._next[0])
            texts.append(self._next[1])
            self._next = next(self._lines, None)
        return rows, texts

    @property
    def is_any_left(self) -> bool:
        """Whether there are lines for rows that weren't asked for."""
        return self._next is not None


class BulkLook:
    """Compares a form and a written file, both in UTF-8, with no quotation marks in the filled columns."""

    def __init__(self, delimiter: str, quote: str, claims: Claims) -> None:
        self._delimiter, self._quote = ord(delimiter), ord(quote) if quote else _NO_QUOTE
        self._columns = claims.columns
        self._fed = claims.fed
        self._claims = claims
        self._untouched = claims.untouched
        self._kept = np.array([(1 << 8 * length) - 1 for length in range(_SHORT + 1)], dtype=np.uint64)
        for outcome in claims.outcomes:
            check_outcome(outcome, None, None)
        self._is_new = np.array([outcome.now is not None for outcome in claims.outcomes], dtype=bool)
        self._was = _Texts.of([outcome.was for outcome in claims.outcomes])
        self._now = _Texts.of([outcome.was if outcome.now is None else outcome.now for outcome in claims.outcomes])
        self._is_other = np.array([was != now for was, now in zip(self._was.texts, self._now.texts, strict=True)])
        run = range(self._columns[0], self._columns[0] + len(self._columns))
        self._wanted = slice(run.start, run.stop) if self._columns == list(run) else self._columns

    def look(self, form: Path, written: Path) -> tuple[int, int] | None:
        """Return how many lines there are and how many cells differ; None if a closer look is due."""
        differing = count = 0
        lines = _ByRow(self._claims)
        with form.open("rb") as old, written.open("rb") as new:
            while old_lines := list(islice(old, _BLOCK)):
                new_lines = list(islice(new, len(old_lines)))
                rows, texts = lines.up_to(count + len(old_lines))
                if not self._are_untouched(old_lines, count):
                    return None
                found = self._lines(old_lines, new_lines, [row - count for row in rows], texts)
                if found is None:
                    return None
                differing += found
                count += len(old_lines)
            return None if new.read(1) or lines.is_any_left else (count, differing)

    def _are_untouched(self, lines: list[bytes], first: int) -> bool:
        """Tell whether the cells that no mark meets say what the ledger says that they do."""
        quote = None if self._quote == _NO_QUOTE else chr(self._quote)
        quoting: Literal[0, 3] = csv.QUOTE_NONE if quote is None else csv.QUOTE_MINIMAL
        for place in range(len(lines)) if self._untouched else ():
            claimed = self._untouched.get(first + place, {})
            line = lines[place].decode() if claimed else ""
            cells = next(csv.reader([line], delimiter=chr(self._delimiter), quotechar=quote, quoting=quoting), [])
            if any(column >= len(cells) or cells[column] != cell.was for column, cell in claimed.items()):
                return False
        return True

    def _lines(self, old: list[bytes], new: list[bytes], rows: list[int], texts: list[str]) -> int | None:
        """Return how many cells differ in some lines; `rows` are those that marks go to, `texts` the codes' digits."""
        if len(old) != len(new):
            return None
        places = list(dict.fromkeys(rows))
        if len(places) < len(old):
            others = set(range(len(old))).difference(places)
            if any(old[place] != new[place] for place in others):
                return None
        if not places:
            return 0
        codes = self._joined(self._codes(texts), rows)
        return self._block([old[place] for place in places], [new[place] for place in places], codes)

    def _codes(self, texts: list[str]) -> NDArray[np.intp]:
        """Return the codes of the columns that marks go to, a row a line."""
        kind = np.dtype(f">u{self._claims.digits // 2}")
        width = self._claims.width * self._claims.digits
        if any(len(text) != width for text in texts):
            raise LedgerFault("a line of the file beside the ledger is too short or too long")
        codes = np.frombuffer(bytes.fromhex("".join(texts)), dtype=kind).reshape(len(texts), -1)
        return codes[:, self._fed].astype(np.intp) if len(self._fed) < self._claims.width else codes.astype(np.intp)

    def _joined(self, codes: NDArray[np.intp], rows: list[int]) -> NDArray[np.intp]:
        """Return the codes of each row; of several students' lines for one row, those that change a cell."""
        if len(set(rows)) == len(rows):
            return codes
        found: dict[int, NDArray[np.intp]] = {}
        for row, line in zip(rows, codes, strict=True):
            if row in found:
                is_new = self._is_new[line]
                if (self._is_new[found[row]] & is_new).any():
                    raise LedgerFault("two marks go to one cell")
                found[row] = np.where(is_new, line, found[row])
            else:
                found[row] = line
        return np.array(list(found.values()))

    def _block(self, old_lines: list[bytes], new_lines: list[bytes], codes: NDArray[np.intp]) -> int | None:
        new = self._cells(new_lines)
        if new is None or new.starts.shape[1] <= max(self._columns) or _line_ends(old_lines) != _line_ends(new_lines):
            return None
        if not self._says(new, self._now, codes):
            return None
        old = self._cells(old_lines)
        if old is None or old.starts.shape != new.starts.shape or not _are_equal(old, new, self._others(old)):
            return None
        if not self._says(old, self._was, codes):
            return None
        return int(np.count_nonzero(self._is_other.take(codes)))

    def _says(self, cells: _Cells, claimed: _Texts, codes: NDArray[np.intp]) -> bool:
        """Tell whether the cells that marks go to, none of them quoted, say what the ledger says that they say."""
        filled = cells.some(self._wanted)
        return not self._is_quoted(filled) and self._are_as_claimed(filled, claimed, codes)

    def _others(self, cells: _Cells) -> set[int]:
        """Return the columns that no mark goes to."""
        return set(range(cells.starts.shape[1])).difference(self._columns)

    def _are_as_claimed(self, cells: _Cells, claimed: _Texts, codes: NDArray[np.intp]) -> bool:
        """Tell whether the cells that marks go to say what the ledger says that they say.

        The number of up to eight bytes stands for all of them, since no cell holds a NUL.
        """
        lengths = cells.lengths
        if not np.array_equal(cells.numbers(lengths, self._kept), claimed.numbers.take(codes)):
            return False
        if lengths.max() <= _SHORT and not claimed.is_long.any():
            return True
        long = np.argwhere((lengths > _SHORT) | claimed.is_long.take(codes)).tolist()
        return all(cells.cell(row, place) == claimed.texts[codes[row, place]] for row, place in long)

    def _is_quoted(self, cells: _Cells) -> bool:
        """Tell whether a cell that was filled stands in quotation marks, so that it says something else than it is."""
        if self._quote == _NO_QUOTE or bytes([self._quote]) not in cells.data:
            return False
        return bool((np.frombuffer(cells.data, dtype=np.uint8)[cells.starts] == self._quote).any())

    def _cells(self, lines: list[bytes]) -> _Cells | None:
        data = b"".join(lines)
        data += b"" if data.endswith(b"\n") else b"\n"
        if b"\r" in data:
            data = data.replace(b"\r\n", b"\n")
        signs = np.frombuffer(data + bytes(_SHORT), dtype=np.uint8)
        is_end = signs == self._delimiter
        is_end |= signs == ord("\n")
        if self._quote != _NO_QUOTE and bytes([self._quote]) in data:
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
        windows = np.ndarray((len(data),), dtype="<u8", buffer=signs, strides=(1,))
        return _Cells(data, windows, starts.reshape(-1, width), ends.reshape(-1, width))


def _are_equal(old: _Cells, new: _Cells, columns: set[int]) -> bool:
    """Tell whether some columns of two files hold the same bytes, row by row; columns side by side are one piece."""
    firsts = sorted(column for column in columns if column - 1 not in columns)
    lasts = sorted(column for column in columns if column + 1 not in columns)
    pieces = (
        [
            file.data[start:stop]
            for start, stop in zip(
                file.starts[:, firsts].ravel().tolist(),
                file.ends[:, lasts].ravel().tolist(),
                strict=True,
            )
        ]
        for file in (old, new)
    )
    return next(pieces) == next(pieces)


def _line_ends(lines: list[bytes]) -> tuple[int, int, bool]:
    """Return how many line ends of two signs there are, how many lines, and whether the last one ends."""
    return sum(line.endswith(b"\r\n") for line in lines), len(lines), lines[-1].endswith(b"\n")


def _are_plain(is_quote: NDArray[np.bool_], is_end: NDArray[np.bool_]) -> bool:
    """Tell whether each quotation mark that opens begins a cell, and each that closes ends one."""
    quotes = np.flatnonzero(is_quote)
    if len(quotes) % 2:
        return False
    opening, closing = quotes[::2], quotes[1::2]
    begins = (opening == 0) | is_end[opening - 1] | is_quote[opening - 1]
    return bool(begins.all() and (is_end[closing + 1] | is_quote[closing + 1]).all())
