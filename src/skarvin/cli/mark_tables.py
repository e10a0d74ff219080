"""The marks of which something is to be said, each with student, item and place."""

from skarvin.cli.output import heading, more
from skarvin.cli.table import Head, format_table
from skarvin.core.findings import counted
from skarvin.core.ledger.ledger import Line
from skarvin.core.reasons import Cause
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.settling import Settled
from skarvin.reports.mark_lists import (
    MARK,
    OF_ITEMS,
    REASON,
    REMARKED,
    ROUNDED,
    SINCE,
    MarkList,
    Said,
    name_of,
    place_of,
)

STUDENT, ITEM, PLACE = Head("student", most=28, least=12), Head("item", most=30, least=10), Head("place")
WHY = Head("reason", least=24, wraps=True)
_NOT_SENT = MarkList("Not sent, since the item is left out", lambda _: True, (MARK, REASON))
_MOST, _LEAST = 20, 8


def format_marks(settled: Settled, most: int | None) -> str:
    """Return the marks of which something is to be said, each with student, item and place."""
    parts = []
    for one in (SINCE, *OF_ITEMS, REMARKED):
        parts += _list(one, one.lines(settled, most), one.count(settled), most)
    return "\n".join([*parts, *_rounded(settled, most), *_left_out_of_one(settled, most)])


def _list(listed: MarkList, lines: list[Line], total: int, most: int | None) -> list[str]:
    """Return a titled table of marks; nothing where there are none."""
    if not lines:
        return []
    shown = [column for column in listed.said if not column.is_besides]
    rows = [(*about(line), *(column.of(line) for column in shown)) for line in lines[:most]]
    title = heading(f"{listed.title}: {counted(total, listed.noun)}")
    table = format_table((STUDENT, ITEM, PLACE, *map(_head, shown)), rows)
    return ["", title, table, *filter(None, [more(len(rows), total, "--all")])]


def _head(said: Said) -> Head:
    if said.is_long:
        return Head(said.heading, least=WHY.least, wraps=True)
    return Head(said.heading, is_number=said.is_number, most=_MOST, least=_LEAST)


def about(line: Line) -> tuple[str, str, str]:
    """Return the student, the item and the place of a mark in the export."""
    return name_of(line.entry), line.item.source.called, place_of(line)


def _rounded(settled: Settled, most: int | None) -> list[str]:
    """Return how many marks rounding changed; each of them where all is asked for."""
    count = ROUNDED.count(settled)
    if not count:
        return []
    largest = plain(max(totals.largest_change for totals in settled.totals))
    if most is not None:
        title = heading(f"{ROUNDED.title}: {counted(count, 'mark')}")
        return ["", f"{title}, by at most {largest}; --all lists {'it' if count == 1 else 'them'}"]
    by_how_much = ROUNDED._replace(title=f"{ROUNDED.title}, by at most {largest}")
    return _list(by_how_much, ROUNDED.lines(settled), count, most)


def _left_out_of_one(settled: Settled, most: int | None) -> list[str]:
    """Return the marks of items that are left out, where one student alone is moved."""
    people = {pair.target.row for pair in settled.pairing.pairs}
    if len(people) != 1:
        return []
    there = {pair.source.row for pair in settled.pairing.pairs}
    left = settled.ledger.lines_because(Cause.NOT_MAPPED)
    own = (line for line in left if line.entry.source and line.entry.source.row in there)
    lines = [line for line in own if line.outcome.source.strip()]
    return _list(_NOT_SENT, lines, len(lines), most)
