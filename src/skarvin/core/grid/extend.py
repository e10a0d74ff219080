"""A grid with rows added at its end, spelled and ended as its own rows are."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from skarvin.core.grid.grid import TextGrid


def extended(grid: TextGrid, rows: Sequence[Sequence[str]]) -> TextGrid:
    """Return the grid with rows added; where its last row has no line end, the last added one has none."""
    delimiter, spell = grid.dialect.delimiter, grid.dialect.spell
    records = [delimiter.join(map(spell, cells)) for cells in rows]
    counts = Counter(end for end in grid.ends if end)
    end = counts.most_common(1)[0][0] if counts else "\n"
    last = grid.ends[-1] if grid.ends else end
    ends = [*grid.ends[:-1], end, *([end] * (len(rows) - 1)), last] if rows else grid.ends
    widths = [*grid.widths, *map(len, rows)]
    return replace(grid, records=[*grid.records, *records], ends=ends, widths=widths)


def can_hold(grid: TextGrid, text: str) -> bool:
    """Tell whether a cell of the grid can hold a text: its encoding has every sign, and its dialect can hide it."""
    if not grid.dialect.can_spell(text):
        return False
    try:
        text.encode(grid.encoding.codec)
    except UnicodeEncodeError:
        return False
    return True
