"""A confirmation as a page: what arrived, what didn't, by item and by student."""

from typing import Any

from skarvin.core.ledger.arrival import Arrival
from skarvin.core.transfer.after_upload.confirming import Confirmation
from skarvin.reports.arrival_words import arrival_groups, arrival_steps, arrival_title, reason_of
from skarvin.reports.page import rendered

_MOST_LINES = 500
_MOST_STUDENTS = 1000


def arrival_page(found: Confirmation, data: dict[str, Any]) -> str:
    """Return the page's HTML; `data` is the same as data, with its time."""
    items = [(one, *found.counts_of(one.item)) for one in found.items]
    return rendered(
        "confirm.html.j2",
        found=found,
        data=data,
        kinds=list(Arrival),
        items=items,
        groups=[
            (arrival_title(cause, len(lines)), lines[:_MOST_LINES], len(lines))
            for cause, lines in arrival_groups(found)
        ],
        steps=list(arrival_steps(found)),
        students=list(found.by_student()),
        reason=reason_of,
        most_students=_MOST_STUDENTS,
    )
