"""Items of which something is to be told: new ones that both files have, and those of which no maximum is known."""

from collections.abc import Collection, Iterator

from skarvin.core.findings import Finding
from skarvin.core.layout.columns import Column, Use
from skarvin.core.ledger.ledger import Ledger, MappedItem
from skarvin.core.marks.convert import MarkRule
from skarvin.core.reasons import Cause
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import read_mark
from skarvin.core.texts.numbers import Number, plain
from skarvin.core.transfer.sides import Sides

UNBOUNDED = "no-maximum-known"
_FEW = 3
_FAR = 2
"""A mark is told that is so many times as large as the next one below it."""


def find_new_items(sides: Sides, columns: Collection[str]) -> tuple[Column, ...]:
    """Return the export's items that the transfer doesn't name, though the form has one of the same title.

    Args:
        sides: both files.
        columns: the form's columns that are written, if not all are: whoever names them wants no others.
    """
    fed = {item.target for item in sides.items if item.target}
    free = {fold(one.title) for one in sides.target.layout.of_use({Use.ITEM}) if one not in fed and one.title.strip()}
    unnamed = (
        item.source
        for item in sides.items
        if item.why and item.why.cause is Cause.NOT_MAPPED and item.source not in sides.column_map.named
    )
    items = [column for column in unnamed if isinstance(column, Column) and column.use is Use.ITEM]
    items += [one for one in sides.source.layout.of_use(Use.OTHER) if _has_marks(sides, one)]
    named = sides.column_map.named
    return tuple(one for one in items if not columns and fold(one.title) in free and one not in named)


def _has_marks(sides: Sides, column: Column) -> bool:
    """Tell whether a column of no known use holds a mark of anybody."""
    texts = (sides.source.cells(student.row)[column.index] for student in sides.source.students)
    return bool(column.title.strip()) and any(read_mark(text) or read_mark(text, is_comma=True) for text in texts)


def find_unbounded(ledger: Ledger) -> Iterator[Finding]:
    """Yield for each item of which no side gives a maximum a mark that stands far above all others, if there is one."""
    for item in ledger.fed:
        rule = item.rule
        if not isinstance(item.source, Column) or not isinstance(rule, MarkRule) or rule.scale or any(rule.maxima):
            continue
        counts = ledger.counts[ledger.place_of(item)]
        numbers = sorted({number for code in counts if (number := ledger.outcomes[code].number) is not None})
        if len(numbers) >= _FEW and numbers[-1] > _FAR * max(numbers[-2], 1):
            where = _cell_of(ledger, numbers[-1], item)
            others = f"the others go up to {plain(numbers[-2])}"
            what = (
                f"no maximum of '{item.source.called}' is known, and {plain(numbers[-1])} ({where}) is sent; {others}"
            )
            mend = "If it can't be right, correct it, or write from_out_of and to_out_of in its [[item]]."
            yield Finding(UNBOUNDED, f"{what}. {mend}".removesuffix("."))


def _cell_of(ledger: Ledger, number: Number, item: MappedItem) -> str:
    own = ledger.codes.codes[ledger.place_of(item) :: ledger.codes.width]
    entries = (
        entry for entry, code in zip(ledger.entries, own, strict=False) if ledger.outcomes[code].number == number
    )
    return next((item.cell(entry.source.row) for entry in entries if entry.source), "")
