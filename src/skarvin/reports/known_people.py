"""Whom a class's files name: what is hidden where nobody may be shown."""

from collections.abc import Iterable, Iterator

from skarvin.core.gradebook import Gradebook
from skarvin.core.reasons import Cause, Fate
from skarvin.core.transfer.settling import Settled
from skarvin.reports.masker import Masker


def masker_of(settled: Settled) -> Masker:
    """Return what hides everybody in a transfer: every cell of a column that says who somebody is.

    Whom a form doesn't name, a roster may: the students of the pairing are as it knows them. What stands in place of a
    mark and is none may be a name or a number, and isn't quoted either.
    """
    named = (text for student in settled.pairing.in_form for text in (student.identifier, student.name))
    held = (line.outcome for line in settled.ledger.lines([Fate.HELD]))
    odd = (one.source for one in held if one.why and one.why.cause is Cause.UNREADABLE)
    sides = ((item.source, item.target) for item in settled.ledger.items)
    titles = (column.heading for both in sides for column in both if column)
    return Masker([*_texts_of(settled.sides.books), *named], odd, titles)


def _texts_of(books: Iterable[Gradebook]) -> Iterator[str]:
    for book in books:
        people = [*book.students, *(one.student for one in book.non_students)]
        for student in people:
            yield from (student.identifier, student.name)
            yield from book.layout.personal(book.cells(student.row))
