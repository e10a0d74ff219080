"""Rows that were made and into which nothing goes after all: their students get none."""

from collections.abc import Sequence

from skarvin.core.findings import Finding, Refused, Row
from skarvin.core.ledger.ledger import Entry, Ledger
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.marks.choices import RowsFor
from skarvin.core.reasons import Cause, Fate
from skarvin.core.students.pairing import InVain, Pairing
from skarvin.core.transfer.sides import Sides

_STAYS = frozenset({Fate.HELD, Fate.LEFT_OUT})
_OF_CELL = frozenset({Cause.NOT_ALLOWED, Cause.NOT_WRITABLE})
_MOST = 6


def rows_in_vain(sides: Sides, ledger: Ledger, pairing: Pairing) -> Sequence[InVain]:
    """Return the students for whom a row was made and nothing is sent.

    Among them are those who wait for a decision of who they are. Where a quiz's rows are made for whoever opened it, or
    for everyone, they stay.
    """
    if not sides.added or (sides.column_map.questions and sides.column_map.rows_for is not RowsFor.ANSWERED):
        return ()
    groups: dict[int, list[Entry]] = {}
    made = {row.position for row in sides.added}
    for entry in ledger.entries:
        if entry.target and entry.target.row.position in made:
            groups.setdefault(entry.target.row.position, []).append(entry)
    idle = {code for code, outcome in enumerate(ledger.outcomes) if _is_idle(outcome)}
    width = len(ledger.fed)
    waiting = pairing.held if len(groups) < len(made) else ()
    return [InVain([_place(one.student.row)], (), one.why) for one in waiting] + [
        InVain(_places(entries), [outcome.raw for outcome in ledger.outcomes_of(entries[0])[:width]])
        for entries in groups.values()
        if all(code in idle for entry in entries for code in ledger.codes.row(entry.position)[:width])
    ]


def _is_idle(outcome: Outcome) -> bool:
    """Tell whether a mark stays wherever its row stands: it isn't its cell that holds it, nor was it sent before."""
    is_of_cell = outcome.why is not None and outcome.why.cause in _OF_CELL
    return outcome.fate in _STAYS and not outcome.last and not is_of_cell


def _places(entries: Sequence[Entry]) -> list[tuple[int, int]]:
    return [_place(entry.source.row) for entry in entries if entry.source]


def _place(row: Row) -> tuple[int, int]:
    return row.source.number, row.position


def check_some_rows(sides: Sides, ledger: Ledger, in_vain: Sequence[InVain]) -> None:
    """Refuse a transfer into a form without students of which no row is left.

    Raises:
        Refused: no mark of anybody is sent; each of the first held ones is told.
    """
    gone = {place for one in in_vain for place in one.places}
    is_left = any(entry.target and not gone.issuperset(_places([entry])) for entry in ledger.entries)
    if is_left or len(sides.target.students) > len(sides.added):
        return
    held = [
        Finding("held", f"held: {line.outcome.why}", line.entry.source.row.place())
        for line in ledger.lines([Fate.HELD])
        if line.entry.source
    ]
    what = "the form has no students, and no mark of the export can be sent, so no row is made"
    mend = "Correct the marks that are held, or rule them in the transfer." if held else "Export it with marks."
    raise Refused(*held[:_MOST], Finding("no-students", what, sides.form.grid.place(), mend))
