"""Delimited text read once more: its own way, by the csv module alone."""

import csv
import gzip
import io
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from itertools import count
from pathlib import Path
from types import MappingProxyType
from typing import BinaryIO, NamedTuple, TextIO, cast

_MARK = 3
_GZIP = b"\x1f\x8b"
_CONTROLS = dict.fromkeys([*range(9), 11, 12, *range(14, 32), 127])
"""The characters that no keyboard types: a tab and line ends aren't among them."""


class TextReading(NamedTuple):
    """How a delimited text is to be read; a blank `quote` makes quotation marks plain signs.

    `others` are the codecs that lines may be in that aren't in `codec`, if any are. `skips` says that control
    characters are no part of the text; `cuts` says where the cells of lines (from 0) begin in which some quotation
    marks are plain signs, though they stand around cells elsewhere.
    """

    codec: str
    delimiter: str
    quote: str
    escape: str | None = None
    skips: bool = False
    cuts: Mapping[int, Sequence[int]] = MappingProxyType({})
    others: Sequence[str] = ()

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator["Row"]:
        """Yield the rows of a file; of `wanted` ones, if they are given, the cells."""
        return read_rows(file, self, wanted)

    def says(self, cell: str, mark: str) -> bool:
        """Tell whether a cell of an export says a mark."""
        return cell == mark

    def carries_on(self, above: "Row", row: "Row", by: int) -> bool:  # noqa: ARG002 - text has no formats
        """Say yes."""
        return True

    def around(self, file: Path) -> Mapping[str, str]:
        """Return what else there is besides rows: a byte order mark."""
        with file.open("rb") as data:
            first = data.read(_MARK)
        is_mark = first[:2] in {b"\xff\xfe", b"\xfe\xff"} or first == b"\xef\xbb\xbf"
        return {"first bytes": first.hex() if is_mark else ""}

    @property
    def pads(self) -> bool:
        """Whether rows may end before their last cells."""
        return False

    @property
    def bulk(self) -> tuple[str, str] | None:
        """The delimiter and the quotation mark, where much of the text can be compared at a time."""
        is_plain = self.codec in {"utf-8", "utf-8-sig"} and not self.escape
        return (self.delimiter, self.quote) if is_plain else None


class Row(NamedTuple):
    """A row of either file.

    Attributes:
        text: the row as it stands in the file; of a workbook, all of it but the cells that marks go to.
        end: its line end.
        cells: what its cells say.
        formulas: the formulas of the cells that are computed, by column.
        styles: the styles of the cells, by column.
        computed: the formulas as each cell would have them for itself.
    """

    text: str
    end: str
    cells: list[str]
    formulas: Mapping[int, str] = MappingProxyType({})
    styles: Mapping[int, str] = MappingProxyType({})
    computed: Mapping[int, str] = MappingProxyType({})


_UNWANTED = Row("", "", [])


def opened(file: Path) -> BinaryIO:
    """Open a file's bytes, or what they hold where they are compressed (gzip, RFC 1952)."""
    data = file.open("rb")
    if data.read(len(_GZIP)) == _GZIP:
        data.close()
        return cast("BinaryIO", gzip.open(file))
    data.seek(0)
    return data


def _text(data: BinaryIO, reading: TextReading) -> TextIO:
    """Return the text of a file, each line of which may be in one of two encodings."""
    if not reading.others:
        return io.TextIOWrapper(data, reading.codec, newline="")
    text = io.StringIO(newline="")
    for line in data.read().splitlines(keepends=True):
        try:
            text.write(line.decode(reading.codec))
        except UnicodeDecodeError:
            signs = zip(*(line.decode(codec, "replace") for codec in reading.others), strict=True)
            text.write("".join(some[0] if len(set(some)) == 1 else "\N{REPLACEMENT CHARACTER}" for some in signs))
    text.seek(0)
    return text


def read_rows(file: Path, reading: TextReading, wanted: Container[int] | None = None) -> Iterator[Row]:
    """Yield the rows of a file.

    Args:
        file: the file.
        reading: how it is read.
        wanted: the rows whose cells are asked for, if not all are; others may come blank.

    Raises:
        csv.Error: a cell is longer than the csv module takes.
        UnicodeDecodeError: the file isn't in its encoding.
    """
    with opened(file) as data, _text(data, reading) as whole:
        lines: Iterator[str] = (line.translate(_CONTROLS) for line in whole) if reading.skips else whole
        lines = _as_quoted(lines, reading) if reading.cuts else lines
        first: list[str] = []
        taken: list[str] = []
        reader = _reader(_feeding(first, lines, taken), reading)
        for number in count():
            line = next(lines, None)
            if line is None:
                return
            if (reading.quote and reading.quote in line) or (reading.escape and reading.escape in line):
                first.append(line)
                taken.clear()
                cells = next(reader)
                yield _row("".join(taken), cells)
            else:
                if wanted is not None and number not in wanted:
                    yield _UNWANTED
                    continue
                bare = line.rstrip("\r\n")
                yield Row(bare, line[len(bare) :], bare.split(reading.delimiter))


def _as_quoted(lines: Iterable[str], reading: TextReading) -> Iterator[str]:
    """Yield lines, those that are cut by places alone with each cell in quotation marks."""
    mark = reading.quote
    for number, line in enumerate(lines):
        if number not in reading.cuts:
            yield line
            continue
        starts, bare = reading.cuts[number], line.rstrip("\r\n")
        raw = [bare[start:stop] for start, stop in zip(starts, [*(at - 1 for at in starts[1:]), None], strict=True)]
        cells = [cell[1:-1].replace(mark * 2, mark) if cell[:1] == mark == cell[1:][-1:] else cell for cell in raw]
        out = io.StringIO()
        csv.writer(out, delimiter=reading.delimiter, quotechar=mark, lineterminator=line[len(bare) :]).writerow(cells)
        yield out.getvalue()


def _reader(lines: Iterator[str], reading: TextReading) -> Iterator[list[str]]:
    if not reading.quote:
        return csv.reader(lines, delimiter=reading.delimiter, quoting=csv.QUOTE_NONE, quotechar=None)
    return csv.reader(lines, delimiter=reading.delimiter, quotechar=reading.quote, escapechar=reading.escape)


def _feeding(first: list[str], lines: Iterator[str], taken: list[str]) -> Iterator[str]:
    """Yield the line that was put into `first`, and lines of the file whenever a record needs more; note each."""
    while True:
        line = first.pop() if first else next(lines, None)
        if line is None:
            return
        taken.append(line)
        yield line


def _row(text: str, cells: list[str]) -> Row:
    bare = text.rstrip("\r\n")
    return Row(bare, text[len(bare) :], cells)
