"""Whom a class's files name: what is hidden where nobody may be shown."""

from collections.abc import Iterable, Iterator

from skarvin.core.gradebook import Gradebook
from skarvin.core.students.pairing import Pairing
from skarvin.reports.masker import Masker


def masker_of(books: Iterable[Gradebook], pairing: Pairing) -> Masker:
    """Return what hides everybody in some gradebooks: every cell of a column that says who somebody is.

    Whom a form doesn't name, a roster may: the students of the pairing are as it knows them.
    """
    named = (text for student in pairing.in_form for text in (student.identifier, student.name))
    return Masker([*_texts_of(books), *named])


def _texts_of(books: Iterable[Gradebook]) -> Iterator[str]:
    for book in books:
        people = [*book.students, *(one.student for one in book.non_students)]
        for student in people:
            yield from (student.identifier, student.name)
            yield from book.layout.personal(book.cells(student.row))
