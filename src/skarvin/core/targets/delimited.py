"""A target that is delimited text: cells are replaced in its own bytes, rows are spelled and ended as its own are."""

from array import array
from collections import Counter
from collections.abc import Container, Iterator, Mapping, Sequence
from dataclasses import replace

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.grid import TextGrid
from skarvin.core.reasons import Cause, Reason
from skarvin.core.targets.filling import filled

_PLAIN_QUOTES = "quotation marks are plain signs in the form, so that no cell can hold its delimiter or a line end"


class DelimitedTarget:
    """A delimited text as a target."""

    def __init__(self, grid: TextGrid, skipped: int = 0) -> None:
        self.grid = grid
        self.skipped = skipped
        self.value = grid.dialect.value
        self.spell = grid.dialect.spell

    def code_cells(self, coding: Coding, positions: Sequence[int], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the cells as they stand in the file."""
        return coding.cells(self.grid, positions, columns, raw=True)

    def shown(self, text: str, before: str) -> str:  # noqa: ARG002 - any cell says a text as it is
        """Return the text."""
        return text

    def lacks(self, text: str, before: str = "") -> Reason | None:  # noqa: ARG002 - any of its cells can say the same
        """Return why no cell can hold a text: the dialect can't hide a sign of it, or the encoding doesn't have it."""
        if not self.grid.dialect.can_spell(text):
            return Reason(Cause.NOT_SPELLABLE, _PLAIN_QUOTES)
        if text.isascii() or self._can_encode(text):
            return None
        strange = next(sign for sign in text if not self._can_encode(sign))
        what = f"the template's encoding, {self.grid.encoding.title}, has no '{strange}'"
        return Reason(Cause.NOT_ENCODABLE, what)

    def _can_encode(self, text: str) -> bool:
        try:
            text.encode(self.grid.encoding.codec)
        except UnicodeEncodeError:
            return False
        return True

    def allowed(self, column: int) -> tuple[str, ...]:  # noqa: ARG002 - delimited text says nothing of the kind
        """Return nothing."""
        return ()

    def filled(
        self,
        columns: Sequence[int],
        rows: Mapping[int, Sequence[int]],
        spelled: Sequence[str],
        changed: Container[int] = (),  # noqa: ARG002 - its other cells are spelled as they are
    ) -> Iterator[bytes]:
        """Yield the file with some cells replaced."""
        return filled(self.grid, columns, rows, spelled, self.skipped)

    def headless(self, count: int) -> "DelimitedTarget":
        """Return the target without its first rows in what is written."""
        return DelimitedTarget(self.grid, count)

    def extended(self, rows: Sequence[Sequence[str]], kept: int | None = None) -> "DelimitedTarget":
        """Return the target with rows added; where its last row has no line end, the last added one has none."""
        grid = self.grid
        own = slice(kept)
        delimiter, spell = grid.dialect.delimiter, grid.dialect.spell
        records = [delimiter.join(map(spell, cells)) for cells in rows]
        counts = Counter(end for end in grid.ends if end)
        end = counts.most_common(1)[0][0] if counts else "\n"
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
