"""The ledger and the report of a roster: what became of every student of the class lists."""

from collections.abc import Mapping
from typing import Any

from skarvin import __version__
from skarvin.core.findings import counted
from skarvin.core.rosters.class_lists import Roster
from skarvin.core.rosters.reading_lists import Newcomer
from skarvin.core.rosters.roster_books import RosterBooks, RosterFate
from skarvin.core.rosters.roster_file import RosterFile
from skarvin.reports.data import ledger_json
from skarvin.reports.row_counts import rows_data, rows_in_words

SCHEMA = "skarvin-roster-ledger/1"
Data = dict[str, Any]


def roster_verdict(books: RosterBooks) -> str:
    """Return what became of the students of the lists, in one sentence."""
    parts = [f"{books.count(fate):,} {fate}" for fate in RosterFate if books.count(fate)]
    return f"All {counted(len(books.lines), 'student')} of the lists accounted for: {', '.join(parts) or 'nobody'}."


def where(newcomer: Newcomer) -> str:
    """Return the place of a student in the lists."""
    return f"{newcomer.row.source.file.name}, {newcomer.row}"


def roster_ledger(roster: Roster, books: RosterBooks, file: RosterFile, when: str) -> Data:
    """Return the ledger as data; `when` is the time in ISO 8601."""
    lists = [
        {"name": one.file.name, "sha256": one.book.grid.fingerprint, "rows": rows_data(count)}
        for one, count in zip(roster.lists, books.rows, strict=True)
    ]
    return {
        "schema": SCHEMA,
        "skarvin": __version__,
        "verdict": roster_verdict(books),
        "when": when,
        "fates": {fate.value: books.count(fate) for fate in RosterFate},
        "lists": lists,
        "people": [
            {
                "list": line.newcomer.row.source.file.name,
                "row": line.newcomer.row.number,
                "identifier": line.newcomer.number,
                "name": line.newcomer.name,
                "section": line.newcomer.section,
                "username": roster.usernames.names.get(line.newcomer.key, ""),
                "fate": line.fate.value,
                "reason": line.why,
            }
            for line in books.lines
        ],
        "not_in_the_lists": [
            {"row": student.row.number, "identifier": student.identifier.strip(), "name": student.name}
            for student in roster.gone
        ],
        "other_section": [
            {
                "list": newcomer.row.source.file.name,
                "row": newcomer.row.number,
                "section": newcomer.section,
                "form_row": student.row.number,
                "form_section": student.section,
            }
            for newcomer, student in roster.moved
        ],
        **file.claims,
    }


def roster_ledger_json(data: Data) -> bytes:
    """Return the bytes of the ledger."""
    return ledger_json(data)


def roster_page(roster: Roster, books: RosterBooks, ledger: Mapping[str, Any]) -> str:
    """Return the report's HTML."""
    from skarvin.reports.page import rendered  # noqa: PLC0415 - a refused roster does without

    columns = [column.heading or column.letter for column in roster.layout.columns]
    return rendered(
        "roster.html.j2",
        roster=roster,
        books=books,
        ledger=ledger,
        columns=columns,
        where=where,
        held=[line for line in books.lines if line.fate is RosterFate.HELD],
        aside=[line for line in books.lines if line.fate in {RosterFate.IN_FORM, RosterFate.AGAIN}],
        rows=[(count.file, rows_in_words(count)) for count in books.rows],
    )
