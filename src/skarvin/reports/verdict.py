"""The verdict in one sentence, the same wherever it stands."""

from collections import Counter

from skarvin.core.findings import counted, listing
from skarvin.core.layout.columns import MadeColumn
from skarvin.core.reasons import Fate
from skarvin.core.transfer.carry_out import Settled


def verdict(settled: Settled, *, is_written: bool) -> str:
    """Return what became of the marks, in one sentence."""
    fates = settled.ledger.fates
    total = sum(fates.values())
    parts = [f"{fates[fate]:,} {fate.value}" for fate in Fate if fates[fate]]
    moved = fates[Fate.SENT] + fates[Fate.CHANGED]
    tense = "are" if is_written else "would be"
    made: Counter[str] = Counter()
    for totals in settled.totals:
        if isinstance(totals.item.source, MadeColumn):
            made[totals.item.source.making.value] += totals.cells
    counts = [counted(total - sum(made.values()), "source mark")]
    counts += [f"{count:,} {making}" for making, count in sorted(made.items()) if count]
    books = f"The books balance: of {listing(counts)}, {', '.join(parts)}"
    if not any(item.target for item in settled.ledger.items):
        return f"{books}. No item has a column of the template to go to."
    if not moved:
        return f"{books}. Nothing new is sent."
    rows = len(settled.sides.added)
    if rows:
        be = ("is" if rows == 1 else "are") if is_written else tense
        where = "written after the sample" if settled.sides.is_composed else "added to the template"
        added = f"{counted(rows, 'row')} {be} {where}, one a student"
        return f"{books}; {added}, with {counted(moved, 'cell')} filled, and nothing else touched."
    return f"{books}; {counted(moved, 'cell')} of the template {tense} filled, and nothing else touched."


def needs_a_person(settled: Settled) -> str:
    """Return what must be decided, in one sentence, or nothing."""
    held = settled.ledger.fates[Fate.HELD]
    parts = [
        counted(held, "held mark") if held else "",
        counted(len(settled.pairing.held), "held student") if settled.pairing.held else "",
        f"{counted(len(settled.pairing.source_only), 'student')} only in the export"
        if settled.pairing.source_only
        else "",
    ]
    undecided = [part for part in parts if part]
    return f"A person must decide: {', '.join(undecided)}." if undecided else ""
