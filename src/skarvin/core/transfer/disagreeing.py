"""Columns whose marks agree badly with those that the target holds, while another's agree well: likely confused."""

from collections.abc import Iterator

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
    pairs = pairing.pairs[:_MOST_STUDENTS]
    held = {theirs.index: [sides.target.text(pair.target.row, theirs.index) for pair in pairs] for _, theirs in mapped}
    filled = {index for index, texts in held.items() if sum(1 for text in texts if text.strip()) >= _ENOUGH}
    others = sides.source.layout.of_use({Use.ITEM, Use.TOTAL})[:_MOST_COLUMNS]
    for ours, theirs in mapped:
        if theirs.index not in filled:
            continue
        own = _agree(sides, pairing, ours, theirs)
        if own.of < _ENOUGH or own.share > _BADLY:
            continue
        found = [(_agree(sides, pairing, other, theirs), other) for other in others if other.index != ours.index]
        best, other = max(found, key=lambda one: (one[0].share, one[0].agree), default=(own, ours))
        if best.of >= _ENOUGH and best.share >= _WELL and best.different >= _DIFFERENT:
            what = (
                f"'{ours.title}' goes to '{theirs.title}', but only {own.agree} of {own.of} marks that the form has "
                f"there agree with it, and {best.agree} of {best.of} with '{other.title}': were two columns confused?"
            )
            yield Finding(CONFUSED, what)


def _agree(sides: Sides, pairing: Pairing, ours: Column, theirs: Column) -> Agreement:
    pairs = pairing.pairs[:_MOST_STUDENTS]
    marks = [sides.source.text(pair.source.row, ours.index) for pair in pairs]
    held = [sides.target.text(pair.target.row, theirs.index) for pair in pairs]
    return agreement(marks, held, (ours.out_of, theirs.out_of))
