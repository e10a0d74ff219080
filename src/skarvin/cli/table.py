"""Text that fits the terminal. In a table the least important column goes first, and a name is never wrapped."""

import os
import shutil
import sys
import textwrap
from collections.abc import Iterator, Sequence

import msgspec

from skarvin.reports.masking import hidden, table_shown

_GAP = 2
_LEAST_WIDTH = 80
_MOST_WIDTH = 100
_NOTHING = -1
_LEAST_APART = 6
_UNLIMITED, _MOST_SHORTENED = 100_000, 1_000
_MOST_SIGNS = 3
"""So many characters for each column of the terminal are looked at: some take none."""


class Head(msgspec.Struct, frozen=True):
    """The head of a table's column.

    A text longer than `most` is cut; where room is short, down to `least`. Where that isn't enough, the column with
    the highest `rank` goes first, and one of rank 0 never. The last column may run over several lines, if it `wraps`.
    """

    title: str
    rank: int = 0
    is_number: bool = False
    most: int | None = None
    least: int | None = None
    wraps: bool = False


def screen_width() -> int:
    """Return how many columns there are to write in; a pipe gets as many as COLUMNS says, or 80."""
    return max(_LEAST_WIDTH, shutil.get_terminal_size((_LEAST_WIDTH, 24)).columns)


def width_of(text: str) -> int:
    """Return how many columns of a terminal a text takes."""
    if text.isascii():
        return len(text)
    from wcwidth import wcswidth  # noqa: PLC0415 - plain text does without

    return max(wcswidth(text), 0)


def wrap(text: str, indent: int = 0) -> str:
    """Return a sentence in lines that fit the screen; the second line on stands further in."""
    width = min(screen_width(), _MOST_WIDTH)
    space = " " * indent
    return textwrap.fill(hidden(text), width, initial_indent=space, subsequent_indent=space * 2, break_on_hyphens=False)


def format_table(heads: Sequence[Head], rows: Sequence[Sequence[str]], *, indent: int = 2, width: int = 0) -> str:
    """Return the rows below their heads as aligned text, no wider than the screen."""
    width = (width or _table_width()) - indent
    shown_rows = table_shown([head.title for head in heads], rows)
    lines = [[_one_line(str(text)) for text in row] for row in shown_rows]
    widths = [
        min(max(width_of(text) for text in [head.title, *(row[index] for row in lines)]), _most(head, width))
        for index, head in enumerate(heads)
    ]
    for index, head in enumerate(heads):
        if head.rank and rows and not any(row[index] for row in lines):
            widths[index] = _NOTHING
    kept = _fit(heads, widths, width)
    room = width - sum(kept.values()) - _GAP * (len(kept) - 1)
    for index in sorted(kept, key=lambda index: heads[index].rank):
        extra = max(0, min(room, widths[index] - kept[index]))
        kept[index] += extra
        room -= extra
    lines = [list(row) for row in zip(*_told_apart(heads, lines, kept), strict=True)] if lines else []
    shown = [[head.title for head in heads], *lines]
    return "\n".join(" " * indent + line for row in shown for line in _row(heads, kept, row))


def _table_width() -> int:
    """Return how wide a table may be: in a pipe, of which nobody says how wide it is, nothing is shortened."""
    return screen_width() if sys.stdout.isatty() or "COLUMNS" in os.environ else _UNLIMITED


def _most(head: Head, width: int) -> int:
    return width if width > _MOST_SHORTENED else head.most or width


def _row(heads: Sequence[Head], widths: dict[int, int], row: Sequence[str]) -> list[str]:
    """Return a row as one line, or as several where its last column runs over."""
    last = max(widths)
    if not heads[last].wraps or width_of(row[last]) <= widths[last]:
        return [_line(heads, widths, row)]
    first, *rest = textwrap.wrap(row[last], widths[last], break_on_hyphens=False) or [""]
    space = sum(widths[index] + _GAP for index in widths if index != last)
    return [_line(heads, widths, [*row[:last], first]), *(" " * space + line for line in rest)]


def _line(heads: Sequence[Head], widths: dict[int, int], row: Sequence[str]) -> str:
    cells = []
    for index, width in widths.items():
        text = _cut(row[index], width)
        space = " " * (width - width_of(text))
        cells.append(space + text if heads[index].is_number else text + space)
    return (" " * _GAP).join(cells).rstrip()


def _fit(heads: Sequence[Head], widths: list[int], width: int) -> dict[int, int]:
    """Return the columns that fit, each with the least width it can do with."""
    kept = {
        index: min(width_of_it, max(head.least or width_of_it, len(head.title)))
        for index, (head, width_of_it) in enumerate(zip(heads, widths, strict=True))
        if width_of_it != _NOTHING
    }
    taken = sum(kept.values()) + _GAP * (len(kept) - 1)
    for worst in sorted(kept, key=lambda index: (heads[index].rank, index), reverse=True):
        if taken <= width or not heads[worst].rank:
            break
        taken -= kept.pop(worst) + _GAP
    return kept


def _one_line(text: str) -> str:
    return "".join(sign if sign.isprintable() else "·" for sign in text)


def _told_apart(
    heads: Sequence[Head], lines: Sequence[Sequence[str]], widths: dict[int, int]
) -> Iterator[Sequence[str]]:
    """Yield the columns; where texts that differ would be cut alike, they lack their middles."""
    for index, column in enumerate(zip(*lines, strict=True)):
        most = 0 if heads[index].wraps else widths.get(index, 0)
        texts = set(column)
        is_alike = len({_cut(text, most) for text in texts}) < len(texts) if most > _LEAST_APART else False
        yield [_without_middle(text, most) for text in column] if is_alike else column


def _cut(text: str, most: int) -> str:
    if width_of(text) <= most:
        return text
    text = text[: _MOST_SIGNS * most]
    while width_of(text) > most - 1:
        text = text[:-1]
    return f"{text}…"


def _without_middle(text: str, most: int) -> str:
    if width_of(text) <= most:
        return text
    end = (most - 1) // 2
    start, rest = text[: _MOST_SIGNS * most], text[-_MOST_SIGNS * most :]
    while width_of(rest) > end:
        rest = rest[1:]
    while width_of(start) > most - 1 - end:
        start = start[:-1]
    return f"{start}…{rest}"
