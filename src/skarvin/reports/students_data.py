"""Who is who in a settled transfer, as data."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.layout.columns import Column
from skarvin.core.reasons import Reason
from skarvin.core.students.pairing import HeldStudent, Pair
from skarvin.core.transfer.settling import Settled

Data = dict[str, Any]


Listed = Callable[[Iterable[Data]], Iterable[Data]]
"""Makes a long list: one to keep, or one that can be gone through once, and isn't there before nor after."""


def students_data(settled: Settled, listed: Listed = list) -> Data:
    """Return the pairs, everybody who isn't paired and why, and every student of the form."""
    pairing = settled.pairing
    return {
        "paired": len(pairing.pairs),
        "set_aside": dict(pairing.needed),
        "by": {by.value: count for by, count in Counter([pair.by for pair in pairing.pairs]).items()},
        "decided": [
            {"row": pair.source.row.number, "to_row": pair.target.row.number, "on": day}
            for pair, day in pairing.decided
        ],
        "held": [_held(waiting) for waiting in pairing.held],
        "held_in_form": [_held(waiting) for waiting in pairing.held_target],
        "only_in_export": [_student(student) for student in pairing.source_only],
        "only_in_form": [_student(student) for student in pairing.target_only],
        "left_out": [_student(student) for student in pairing.left_out],
        "without_row": [_student(student) for one in pairing.rowless for student in one.students],
        "repeated": [
            _student(pair.source) | {"slug": "repeated", "reason": f"the same student as in {first}"}
            for pair, first in pairing.other_rows
        ],
        "notes": [{"slug": note.slug, "what": note.what} for note in settled.notes],
        "no_students": [
            _student(non_student.student) | why_data(non_student.why)
            for non_student in settled.sides.source.non_students
        ],
        "restored": dict(settled.sides.source.restored),
        "pairs": listed(map(_pair, pairing.pairs)),
        "in_form": listed(_form_students(settled.sides.target)),
    }


def _pair(pair: Pair) -> Data:
    source, target = pair.source, pair.target
    told = {
        "row": source.row.number,
        "identifier": source.identifier.strip(),
        "to_row": target.row.number,
        "to_identifier": target.identifier.strip(),
    }
    number = source.row.source.number
    return {"export": number, **told} if number else told


def _form_students(book: Gradebook) -> Iterator[Data]:
    """Yield everybody who has a row in the form, with all by which they can be found again in another of its files."""
    further = [column for column in book.layout.identifiers if column != book.identifier]
    for student in sorted(book.students, key=lambda student: student.row):
        told = _student(student)
        if student.birth:
            told["birth"] = student.birth
        if further:
            told |= _further_identifiers(book, student, further)
        yield told


def _further_identifiers(book: Gradebook, student: Student, further: Sequence[Column]) -> Data:
    last = max(column.index for column in further)
    cells = book.grid_of(student.row.source).first_cells(student.row.position, last + 1)
    found = {one.heading: text for one in further if (text := cells[one.index].strip())}
    return {"also": found} if found else {}


def why_data(why: Reason) -> Data:
    """Return a reason."""
    return {"slug": why.cause.code, "reason": why.words}


def _held(waiting: HeldStudent) -> Data:
    return _student(waiting.student) | why_data(waiting.why)


def _student(student: Student) -> Data:
    number = student.row.source.number
    return {
        **({"export": number} if number else {}),
        "row": student.row.number,
        "identifier": student.identifier,
        "name": student.name,
        "section": student.section,
    }
