"""Columns whose marks agree badly with those that the target holds, while another's agree well: likely confused."""

from collections.abc import Iterator, Sequence

from skarvin.core.findings import Finding
from skarvin.core.items.agreement import Agreement, agreement
from skarvin.core.layout.columns import Column, Use
from skarvin.core.students.pairing import Pairing
from skarvin.core.transfer.sides import Sides

_MOST_STUDENTS, _MOST_COLUMNS = 300, 60
_ENOUGH, _DIFFERENT = 5, 3
_BADLY, _WELL = 0.3, 0.8
CONFUSED = "columns-confused"
"""The slug of what is found."""


def find_disagreeing(sides: Sides, pairing: Pairing) -> Iterator[Finding]:
    """Yield a finding for each mapped item whose column was likely confused with another."""
    mapped = [(item.source, item.target) for item in sides.items if isinstance(item.source, Column) and item.target]
    some = pairing.pairs[:_MOST_STUDENTS]
    marks = [sides.source.cells(pair.source.row) for pair in some]
    held = [sides.target.cells(pair.target.row) for pair in some]

    def agree(ours: Column, theirs: Column) -> Agreement:
        return agreement(_texts(marks, ours), _texts(held, theirs), (ours.out_of, theirs.out_of))

    others = sides.source.layout.of_use({Use.ITEM, Use.TOTAL})[:_MOST_COLUMNS]
    for ours, theirs in mapped:
        if sum(1 for text in _texts(held, theirs) if text.strip()) < _ENOUGH:
            continue
        own = agree(ours, theirs)
        if own.of < _ENOUGH or own.share > _BADLY:
            continue
        found = [(agree(other, theirs), other) for other in others if other.index != ours.index]
        best, other = max(found, key=lambda one: (one[0].share, one[0].agree), default=(own, ours))
        if best.of >= _ENOUGH and best.share >= _WELL and best.different >= _DIFFERENT:
            what = (
                f"'{ours.title}' goes to '{theirs.title}', but only {own.agree} of {own.of} marks that the form has "
                f"there agree with it, and {best.agree} of {best.of} with '{other.title}': were two columns confused?"
            )
            yield Finding(CONFUSED, what)


def _texts(rows: Sequence[Sequence[str]], column: Column) -> list[str]:
    """Return the cells of a column; nothing where a row is too short to have it."""
    return [cells[column.index] if column.index < len(cells) else "" for cells in rows]
