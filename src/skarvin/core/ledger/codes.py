"""Tables of codes, a row a student and a column an item: deciding, counting and finding by code.

Each does the same for little data in plain Python, and for much with NumPy, whose import one class needn't wait for.
"""

from array import array
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from typing import NamedTuple

import msgspec

from skarvin.core.grid.coding import MOST_SHORT, count_columns, picker, widened

_MANY = 1_000_000
_BLOCK = 1024
_UNDECIDED = 0xFFFFFFFF
_MOST_MEETINGS = 50_000_000
"""Up to so many possible meetings of two texts NumPy keeps a table of them all (four bytes each)."""

Meet = Callable[[int, int], int]
"""From the code of the target's cell and that of the source's text to the code of the outcome."""


_Met = list[tuple[int, ...]]
"""The codes that meet, for each code that stands for a meeting."""


class ColumnRun(NamedTuple):
    """Neighbouring columns that are decided alike."""

    start: int
    stop: int
    meet: Meet


class CodeTable(msgspec.Struct):
    """Codes, row after row; they grow wider once there are more than two bytes hold."""

    codes: "array[int]"
    width: int

    def __len__(self) -> int:
        return len(self.codes) // self.width if self.width else 0

    def row(self, position: int) -> "array[int]":
        """Return the codes of one row."""
        start = position * self.width
        return self.codes[start : start + self.width]

    def put(self, position: int, code: int) -> None:
        """Put another code in the place of one."""
        if code >= MOST_SHORT:
            self.codes = widened(self.codes)
        self.codes[position] = code

    @property
    def largest(self) -> int:
        """The highest code; -1 where there is none."""
        if len(self.codes) < _MANY:
            return max(self.codes, default=-1)
        import numpy as np  # noqa: PLC0415

        return int(np.frombuffer(self.codes, dtype=self.codes.typecode).max())

    def arranged(self, rows: Sequence[int], columns: Sequence[int], nothing: int) -> "CodeTable":
        """Return a table of some rows and columns in the order given; `nothing` stands where either is below zero."""
        kind = "I" if nothing >= MOST_SHORT else self.codes.typecode
        if len(rows) * len(columns) >= _MANY and len(self):
            return _arranged_many(self, rows, columns, nothing, kind)
        found, blank, pick = array(kind), array(kind, [nothing]) * len(columns), picker(columns)
        for row in rows:
            found.extend(blank if row < 0 else array(kind, pick([*self.row(row), nothing])))
        return CodeTable(found, len(columns))

    def mapped(self, rows: Sequence[int], codes: Sequence[int], kind: str) -> "Iterator[array[int]]":
        """Return some rows with another code for each of theirs, as wide as the array module's `kind` says."""
        if len(self.codes) < _MANY:
            return (array(kind, map(codes.__getitem__, self.row(row))) for row in rows)
        return _mapped_many(self, rows, codes, kind)

    def count(self) -> list["Counter[int]"]:
        """Return for each column how often each code stands in it."""
        return count_columns(self.codes, self.width)

    def find(self, wanted: Collection[int]) -> Iterator[tuple[int, int]]:
        """Yield row and column of each code that is wanted, row by row."""
        if len(self.codes) < _MANY:
            found: Iterable[int] = [position for position, code in enumerate(self.codes) if code in wanted]
        else:
            import numpy as np  # noqa: PLC0415

            codes = np.frombuffer(self.codes, dtype=self.codes.typecode)
            is_wanted = np.zeros(max(int(codes.max()), *wanted, 0) + 1, dtype=bool)
            is_wanted[list(wanted)] = True
            found = (
                start + position
                for start in range(0, len(codes), _MANY)
                for position in np.flatnonzero(is_wanted.take(codes[start : start + _MANY])).tolist()
            )
        return (divmod(position, self.width) for position in found)


def _mapped_many(table: CodeTable, rows: Sequence[int], codes: Sequence[int], kind: str) -> "Iterator[array[int]]":
    """Yield the same with NumPy."""
    import numpy as np  # noqa: PLC0415

    given = np.frombuffer(table.codes, dtype=table.codes.typecode).reshape(-1, table.width)
    others = np.array(codes, dtype=kind)
    for start in range(0, len(rows), _BLOCK):
        yield from (array(kind, row.tobytes()) for row in others.take(given[rows[start : start + _BLOCK]]))


def _arranged_many(table: CodeTable, rows: Sequence[int], columns: Sequence[int], nothing: int, kind: str) -> CodeTable:
    """Return the same with NumPy."""
    import numpy as np  # noqa: PLC0415

    given = np.frombuffer(table.codes, dtype=table.codes.typecode).reshape(-1, table.width)
    places, across, found = np.array(rows), np.array(columns), array(kind)
    for start in range(0, len(rows), _BLOCK):
        some = places[start : start + _BLOCK]
        block = given[some][:, across].astype(kind)
        block[some < 0] = nothing
        block[:, across < 0] = nothing
        found.frombytes(block.tobytes())
    return CodeTable(found, len(columns))


def meet_each(tables: Sequence[CodeTable], runs: Iterable[tuple[range, Callable[[tuple[int, ...]], int]]]) -> CodeTable:
    """Return for each cell what comes of the codes that two tables or more of one shape have there.

    Columns are taken in runs of neighbours, each with what comes of the codes that meet there: asked for once a run.
    """
    first, *others, last = tables
    met = CodeTable(first.codes[:], first.width)
    known: _Met = [(code,) for code in range(met.largest + 1)]
    for table in others:
        met, known = _met_both(met, known, table)
    return decide(last, met, [ColumnRun(run.start, run.stop, _meeting(known, meet)) for run, meet in runs])


def _met_both(first: CodeTable, known: _Met, second: CodeTable) -> tuple[CodeTable, _Met]:
    """Return a code for each meeting of two tables, and what each code stands for; `known` is that of the first."""
    found: _Met = []

    def meet(their_code: int, code: int) -> int:
        found.append((*known[their_code], code))
        return len(found) - 1

    return decide(second, first, [ColumnRun(0, first.width, meet)]), found


def _meeting(known: _Met, meet: Callable[[tuple[int, ...]], int]) -> Meet:
    return lambda their_code, code: meet((*known[their_code], code))


def decide(source: CodeTable, target: CodeTable, runs: Sequence[ColumnRun]) -> CodeTable:
    """Return the outcome's code for each cell of two tables of one shape, where each meeting is decided once.

    The tables may be as large as the files, so the target's becomes that of the outcomes.
    """
    if len(source.codes) < _MANY:
        return _decide_few(source, target, runs)
    decided = _decide_many(source, target, runs)
    return _decide_few(source, target, runs) if decided is None else decided


def _decide_many(source: CodeTable, target: CodeTable, runs: Sequence[ColumnRun]) -> CodeTable | None:
    """Do the same with NumPy; None where there are too many possible meetings for a table of them."""
    import numpy as np  # noqa: PLC0415

    theirs = np.frombuffer(target.codes, dtype=target.codes.typecode).reshape(-1, target.width)
    ours = np.frombuffer(source.codes, dtype=source.codes.typecode).reshape(-1, source.width)
    count = int(ours.max()) + 1
    most = count * (int(theirs.max()) + 1)
    if most > _MOST_MEETINGS:
        return None
    for run in runs:
        found = np.full(most, _UNDECIDED, dtype=np.uint32)
        for start in range(0, len(ours), _BLOCK):
            block = (slice(start, start + _BLOCK), slice(run.start, run.stop))
            meetings = theirs[block].astype(np.int64) * count + ours[block]
            decided = found.take(meetings)
            is_new = decided == _UNDECIDED
            if is_new.any():
                for meeting in np.unique(meetings[is_new]).tolist():
                    found[meeting] = code = run.meet(*divmod(meeting, count))
                    if code >= MOST_SHORT and theirs.dtype.char != "I":
                        target.codes = widened(target.codes)
                        theirs = np.frombuffer(target.codes, dtype="I").reshape(-1, target.width)
                decided = found.take(meetings)
            theirs[block] = decided
    return target


def _decide_few(source: CodeTable, target: CodeTable, runs: Sequence[ColumnRun]) -> CodeTable:
    for run in runs if source.width else ():
        found: dict[tuple[int, int], int] = {}
        for start in range(0, len(source.codes), source.width):
            for position in range(start + run.start, start + run.stop):
                meeting = (target.codes[position], source.codes[position])
                if meeting not in found:
                    found[meeting] = run.meet(*meeting)
                target.put(position, found[meeting])
    return target
