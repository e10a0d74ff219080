"""A target that is delimited text: cells are replaced in its own bytes, rows are spelled and ended as its own are."""

from array import array
from collections.abc import Container, Iterator, Mapping, Sequence
from dataclasses import replace

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import TextGrid
from skarvin.core.reasons import Cause, Reason
from skarvin.core.targets.filling import filled, filled_part, usual_end
from skarvin.core.targets.target import WHOLE, Part, Target

_PLAIN_QUOTES = "quotation marks are plain characters in the form, so that no cell can hold its delimiter or a line end"


class DelimitedTarget(Target):
    """A delimited text as a target; the cells of `quoted` columns stand in quotation marks in rows that are made."""

    grid: TextGrid
    has_parts = True

    def __init__(self, grid: TextGrid, quoted: frozenset[int] = frozenset(), end: str = "") -> None:
        self.grid = grid
        self._quoted = quoted
        self._end = end or usual_end(grid)

    def code_cells(self, coding: Coding, positions: Sequence[int], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the cells as they stand in the file."""
        return coding.cells(self.grid, positions, columns, raw=True)

    def value(self, raw: str) -> str:
        """Return what a raw cell says."""
        return self.grid.dialect.value(raw)

    def spelled_in(self, text: str, before: str = "") -> str:
        """Return a text as a raw cell, quoted where the one in its place is."""
        return self.grid.dialect.spell(text, before)

    def lacks_room(self, text: str, before: str = "") -> Reason | None:  # noqa: ARG002 - all its cells can say the same
        """Return why no cell can hold a text: the dialect can't hide a sign of it, or the encoding doesn't have it."""
        if not self.grid.dialect.can_spell(text):
            return Reason(Cause.NOT_SPELLABLE, _PLAIN_QUOTES)
        if text.isascii() or self._can_encode(text):
            return None
        strange = next(sign for sign in text if not self._can_encode(sign))
        what = f"the form's encoding, {self.grid.encoding.title}, has no '{strange}'"
        return Reason(Cause.NOT_ENCODABLE, what)

    def _can_encode(self, text: str) -> bool:
        try:
            text.encode(self.grid.encoding.codec)
        except UnicodeEncodeError:
            return False
        return True

    def filled(
        self,
        columns: Sequence[int],
        rows: Mapping[int, Sequence[int]],
        spelled: Sequence[str],
        changed: Container[int] = (),  # noqa: ARG002 - its other cells are spelled as they are
        part: Part = WHOLE,
    ) -> Iterator[bytes]:
        """Yield the file, or a part of it, with some cells replaced."""
        if part == WHOLE:
            return filled(self.grid, columns, rows, spelled)
        return filled_part(self.grid, columns, rows, spelled, part)

    def with_texts(
        self,
        cells: Mapping[int, Mapping[int, str]],
        below: Sequence[Sequence[str]],
        at: int | None,
        like: int | None,  # noqa: ARG002 - text has no formats
    ) -> "DelimitedTarget":
        """Return the target with other texts in some cells, and with rows added."""
        grid = self.grid
        records, widths = list(grid.records), list(grid.widths)
        for row, texts in cells.items():
            raws = grid.raw_cells(row)
            raws += [""] * (max(texts, default=0) + 1 - len(raws))
            for column, text in texts.items():
                raws[column] = self.spelled_in(text, raws[column])
            records[row], widths[row] = grid.dialect.delimiter.join(raws), len(raws)
        changed = DelimitedTarget(
            replace(grid, records=records, widths=widths, known_source=grid.source, is_plain=False),
            self._quoted,
            self._end,
        )
        return changed.inserted(below, len(grid) if at is None else at) if below else changed

    def inserted(self, rows: Sequence[Sequence[str]], at: int) -> "DelimitedTarget":
        """Return the target with rows in front of the one at a position; the last row ends as the last one did."""
        grid = self.grid
        delimiter, spell = grid.dialect.delimiter, grid.dialect.spell
        blank = [f"{grid.dialect.quote * 2}" if column in self._quoted else "" for column in range(max(grid.widths))]
        records = [delimiter.join(map(spell, cells, [*blank, *[""] * len(cells)])) for cells in rows]
        usual = self._end
        ends = [*grid.ends[:at], *[usual] * len(rows), *grid.ends[at:]]
        if at == len(grid) and at:
            ends[at - 1], ends[-1] = grid.ends[-1] or usual, grid.ends[-1]
        changed = replace(
            grid,
            records=[*grid.records[:at], *records, *grid.records[at:]],
            ends=ends,
            widths=[*grid.widths[:at], *map(len, rows), *grid.widths[at:]],
            known_source=grid.source,
        )
        return DelimitedTarget(changed, self._quoted, self._end)

    def with_rows(self, rows: Sequence[Sequence[str]], kept: int | None) -> "DelimitedTarget":
        """Return the target with rows added; where its last row has no line end, the last added one has none."""
        grid = self.grid
        own = slice(kept)
        delimiter, spell = grid.dialect.delimiter, grid.dialect.spell
        records = [delimiter.join(map(spell, cells)) for cells in rows]
        end = self._end
        before = grid.ends[own]
        last = before[-1] if before else end
        ends = [*before[:-1], *([end] * len(rows)), last] if rows else before
        return DelimitedTarget(
            replace(
                grid,
                records=[*grid.records[own], *records],
                ends=ends,
                widths=[*grid.widths[own], *map(len, rows)],
            )
        )
