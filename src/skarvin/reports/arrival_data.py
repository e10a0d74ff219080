"""A confirmation as data, and as a list that opens in a spreadsheet."""

from collections import Counter
from collections.abc import Iterable
from typing import Any

from skarvin import __version__
from skarvin.core.gradebook import Student
from skarvin.core.ledger.arrival import Arrival
from skarvin.core.ledger.filed import FiledStudent
from skarvin.core.texts.lists import list_file
from skarvin.core.transfer.after_upload.confirming import ArrivalLine, Confirmation
from skarvin.core.transfer.after_upload.fresh import FreshItem
from skarvin.reports.arrival_words import arrival_steps, arrival_verdict, reason_of
from skarvin.reports.data import form_data
from skarvin.reports.masking import identity, table_shown

SCHEMA = "skarvin-confirm/1"
LISTED_WHOLE = 20_000
"""Up to so many marks each is listed; beyond, those that aren't there as they were sent."""
_HEADINGS = ("Identifier", "Name", "Item", "Finding", "Sent", "Found", "Cell", "Reason")
Data = dict[str, Any]


def arrival_data(found: Confirmation, when: str) -> Data:
    """Return a confirmation as data; `when` is the time in ISO 8601."""
    filed, fresh = found.filed, found.fresh
    return {
        "schema": SCHEMA,
        "skarvin": __version__,
        "verdict": arrival_verdict(found),
        "when": when,
        "ledger": {"name": filed.file.name, "sha256": filed.digest, "written": filed.when},
        "fresh": {"file": fresh.grid.file.name, "sha256": fresh.grid.fingerprint, **form_data(fresh.grid)},
        "sent": _counts(found.sent),
        "others": _counts(found.others),
        "items": [_item(found, one) for one in found.items],
        "students": {
            "paired": len(found.pairing.pairs),
            "by": found.identifier.words,
            "left": [_filed(student) for student in found.left],
            "came": [_student(student) for student in found.came],
            "to_confirm": [
                _student(one.student) | {"slug": one.why.cause.code, "reason": one.why.words}
                for one in found.pairing.held
            ],
        },
        "to_do": [{"what": step.what, "how": step.how} for step in arrival_steps(found)],
        "marks": [_mark(line) for line in listed(found)],
    }


def listed(found: Confirmation) -> Iterable[ArrivalLine]:
    """Return the marks that are listed."""
    return found.lines if found.counts.total() <= LISTED_WHOLE else found.missed


def arrival_list(found: Confirmation) -> bytes:
    """Return the list as delimited text; no cell of it runs as a formula."""
    return list_file([_HEADINGS, *((*map(str, row),) for row in table_shown(_HEADINGS, map(_cells, listed(found))))])


def _cells(line: ArrivalLine) -> tuple[str, ...]:
    who = line.student or line.fresh
    return (
        identity(who.identifier.strip()) if who else "",
        identity(who.name) if who else "",
        line.item.title or line.item.heading,
        line.found.arrival.value,
        line.sent.strip(),
        line.shown.strip(),
        line.cell,
        reason_of(line),
    )


def _counts(counts: "Counter[Arrival]") -> Data:
    return {one.value: counts[one] for one in Arrival}


def _item(found: Confirmation, item: FreshItem) -> Data:
    sent, others = found.counts_of(item.item)
    return {
        "column": item.item.column,
        "heading": item.item.heading,
        "title": item.item.title or item.item.heading,
        "fresh_column": item.column.letter if item.column else None,
        "fresh_heading": item.column.heading if item.column else None,
        "because": item.reason,
        "perhaps": [candidate.heading or candidate.letter for candidate in item.candidates],
        "sent": _counts(sent),
        "others": _counts(others),
    }


def _filed(student: FiledStudent) -> Data:
    return {"row": student.row, "identifier": student.identifier, "name": student.name, "section": student.section}


def _student(student: Student) -> Data:
    return {
        "row": student.row.number,
        "identifier": student.identifier.strip(),
        "name": student.name,
        "section": student.section,
    }


def _mark(line: ArrivalLine) -> Data:
    who = line.student or line.fresh
    data: Data = {
        "form_row": line.student.row if line.student else None,
        "row": line.fresh.row.number if line.fresh else None,
        "column": line.column.letter if line.column else None,
        "identifier": who.identifier.strip() if who else "",
        "item": line.item.title or line.item.heading,
        "finding": line.found.arrival.value,
        "was_sent": line.was_sent,
        "sent": line.sent,
        "found": line.shown,
    }
    return data | ({"slug": line.found.cause.code, "reason": reason_of(line)} if line.found.cause else {})
