"""What became of each row of the class lists: every student of them has one fate, or nothing is written."""

from collections.abc import Iterator
from enum import StrEnum
from typing import NamedTuple

from skarvin.core.findings import Finding, Refused
from skarvin.core.ledger.row_books import RowCount, check_rows, count_rows
from skarvin.core.rosters.class_lists import Roster
from skarvin.core.rosters.reading_lists import Newcomer


class RosterFate(StrEnum):
    """What became of a student of the lists."""

    WRITTEN = "written"
    IN_FORM = "already in the form"
    AGAIN = "again in the lists"
    HELD = "held"


class RosterLine(NamedTuple):
    """A student of the lists, what became of him or her, and why."""

    newcomer: Newcomer
    fate: RosterFate
    why: str = ""


class RosterBooks(NamedTuple):
    """The books of a roster: a line for each student of the lists, and how each list's rows add up."""

    lines: tuple[RosterLine, ...]
    rows: tuple[RowCount, ...]

    def count(self, fate: RosterFate) -> int:
        """Return how many students have a fate."""
        return sum(line.fate is fate for line in self.lines)


def keep_books(roster: Roster) -> RosterBooks:
    """Return the books of a roster.

    Raises:
        Refused: a list's rows, or its students, don't add up.
    """
    rows = []
    for one in roster.lists:
        count = count_rows(one.book, 0)
        check_rows(count, one.book)
        rows.append(count)
    lines = sorted(_lines(roster), key=lambda line: (line.newcomer.row.source.file.name, line.newcomer.row))
    students = sum(len(one.students) for one in roster.lists)
    places = {(line.newcomer.row.source.file, line.newcomer.row) for line in lines}
    if len(lines) != students or len(places) != students:
        what = f"the lists have {students} students, and {len(lines)} lines of the ledger say what became of them"
        raise Refused(Finding("unbalanced-roster", what, roster.form.grid.place()))
    return RosterBooks(tuple(lines), tuple(rows))


def _lines(roster: Roster) -> Iterator[RosterLine]:
    for one in roster.newcomers:
        yield RosterLine(one, RosterFate.WRITTEN, roster.usernames.collided.get(one.key, ""))
    for one in roster.already:
        yield RosterLine(one, RosterFate.IN_FORM)
    for one in roster.twice:
        yield RosterLine(one, RosterFate.AGAIN, "the same student stands further up in the lists")
    for one in roster.held:
        yield RosterLine(one, RosterFate.HELD, "somebody of quite another name has this number")
    for one, why in roster.unsafe:
        yield RosterLine(one, RosterFate.HELD, why)
    for one in roster.without_username:
        yield RosterLine(one, RosterFate.HELD, roster.usernames.held[one.key])
