"""The verdict in one sentence, and what a person must decide, the same wherever they stand."""

from collections import Counter

from skarvin.core.findings import counted
from skarvin.core.layout.columns import MadeColumn
from skarvin.core.reasons import Fate
from skarvin.core.students.pairing import count_people
from skarvin.core.transfer.settling import Settled


def verdict(settled: Settled, *, is_written: bool) -> str:
    """Return what became of the marks, in one sentence.

    An entry is a cell of the export, blank or not, or a mark that is made.
    """
    fates = settled.ledger.fates
    total = sum(fates.values())
    parts = [f"{fates[fate]:,} {fate.label}" for fate in Fate if fates[fate]]
    moved = fates[Fate.SENT] + fates[Fate.CHANGED]
    made: Counter[str] = Counter()
    for totals in settled.totals:
        if isinstance(totals.item.source, MadeColumn):
            made[totals.item.source.making.value] += totals.cells
    counts = [
        f"{total - sum(made.values()):,} exported",
        *(f"{count:,} {how}" for how, count in sorted(made.items()) if count),
    ]
    origin = f" ({', '.join(counts)})" if len(counts) > 1 else ""
    entries = counted(total, "entry", "entries")
    books = f"All {entries} accounted for{origin}: {', '.join(parts)}"
    if not any(item.target for item in settled.ledger.items):
        return f"{books}. No item has a column of the form to go to."
    if not moved:
        return f"{books}. Nothing new is sent."
    tense = ("is" if moved == 1 else "are") if is_written else "would be"
    sides = settled.sides
    rows = sum(1 for student in sides.target.students if student.row in sides.added)
    if rows:
        be = "would be" if not is_written else "is" if rows == 1 else "are"
        where = "written after the sample" if sides.is_composed else "added to the form"
        added = f"{counted(rows, 'row')} {be} {where}, one a student"
        made_up = len(sides.stated.students) if sides.stated and not sides.is_composed else 0
        emptied = f", {counted(made_up, 'row')} of made-up people emptied" if made_up else ""
        return f"{books}; {added}, with {counted(moved, 'cell')} filled{emptied}, and no other cell changes."
    return f"{books}; {counted(moved, 'cell')} of the form {tense} filled, and no other cell changes."


def sent_and_waiting(settled: Settled) -> dict[str, int]:
    """Return how many marks are sent, and how many wait for a person."""
    fates = settled.ledger.fates
    return {"sent": fates[Fate.SENT] + fates[Fate.CHANGED], "waiting": fates[Fate.HELD]}


def count_waiting(settled: Settled) -> int:
    """Return how many held marks wait for a student who isn't confirmed."""
    ledger, waiting = settled.ledger, settled.pairing.waiting
    unpaired = (entry for entry in ledger.entries if entry.source and not entry.target) if waiting else ()
    entries = [entry for entry in unpaired if entry.source and entry.source.row in waiting]
    held = ledger.codes_with([Fate.HELD])
    return sum(code in held for entry in entries for code in ledger.codes.row(entry.position))


def to_decide(settled: Settled) -> str:
    """Return what must be decided, in one sentence, or nothing; no mark is counted twice."""
    held = settled.ledger.fates[Fate.HELD]
    waiting = count_waiting(settled)
    pairing = settled.pairing
    missing = count_people(pairing.source_only)
    to_confirm = count_people(one.student for one in pairing.held)
    parts = [
        counted(to_confirm, "student") if to_confirm else "",
        f"{counted(missing, 'student')} missing from the form" if missing else "",
        counted(held - waiting, "mark") if held > waiting else "",
        counted(len(pairing.checks), "pair to check", "pairs to check") if pairing.checks else "",
        counted(len(settled.unused_corrections), "correction") if settled.unused_corrections else "",
        counted(len(settled.new_items), "item in both files", "items in both files") if settled.new_items else "",
    ]
    first = ", ".join(filter(None, parts))
    verb = "waits" if waiting == 1 else "wait"
    students = to_confirm + missing
    who = "that student" if students == 1 else "those students"
    rest = (
        f"{waiting:,} {'more ' if held > waiting else ''}{'mark' if waiting == 1 else 'marks'} {verb} for {who}"
        if waiting
        else ""
    )
    return f"To decide: {'; '.join(filter(None, [first, rest]))}." if first or rest else ""
