"""Why the students of two files may not be found in each other: guesses, each with a count."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from skarvin.core.findings import counted, listing
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.texts.names import name_key

_MOST_SECTIONS = 4
_HALF = 0.5
_MANY = 3


def guesses(source: Gradebook, target: Gradebook) -> list[str]:
    """Return why few students of one file were found in the other, likeliest first, in words."""
    return [
        *_other_columns(source, target, "export", "form"),
        *_other_columns(target, source, "form", "export"),
        *_names(source.students, target.students),
        *_forms(source.students, target.students),
        *_sections(source.students, target.students),
    ]


def _other_columns(first: Gradebook, second: Gradebook, ours: str, theirs: str) -> Iterator[str]:
    """Yield another column of one file that has the other's identifiers: the wrong one was named."""
    known = {_bare(student.identifier) for student in second.students} - {""}
    best, found = 0, None
    for column in first.layout.columns:
        if first.identifier is not None and column.index == first.identifier.index:
            continue
        met = sum(_bare(first.text(student.row, column.index)) in known for student in first.students)
        if met > best:
            best, found = met, column
    if found and best >= _HALF * min(len(known), len(first.students)) and best >= _MANY:
        title = f"'{found.heading}'" if found.heading else f"column {found.letter}"
        yield f"{best:,} of the {theirs}'s identifiers stand in {title} of the {ours}: is that the right column?"


def _names(here: Sequence[Student], there: Sequence[Student]) -> Iterator[str]:
    known = {name_key(student.name) for student in there if student.name}
    met = sum(name_key(student.name) in known for student in here if student.name)
    if met:
        yield f"{counted(met, 'student has', 'students have')} the whole name of somebody in the form"
    elif known and any(student.name for student in here):
        yield f"no name of the export's {len(here):,} students is in the form: another class?"


def _forms(here: Sequence[Student], there: Sequence[Student]) -> Iterator[str]:
    """Yield how identifiers are written on both sides, if that differs."""
    ours, theirs = (Counter(_shape(student.identifier) for student in side) for side in (here, there))
    for shapes in (ours, theirs):
        shapes.pop("", None)
    if ours and theirs:
        (mine, count), (other, number) = ours.most_common(1)[0], theirs.most_common(1)[0]
        if mine != other:
            yield f"identifiers are written as {mine} in the export ({count:,}), as {other} in the form ({number:,})"


def _shape(identifier: str) -> str:
    """Return how an identifier is written: 9 for a digit, A for a letter."""
    return re.sub(r"[^\W\d_]", "A", re.sub(r"\d", "9", identifier.strip()))


def _sections(here: Sequence[Student], there: Sequence[Student]) -> Iterator[str]:
    ours, theirs = ({student.section for student in side if student.section} for side in (here, there))
    if ours and theirs and not ours & theirs:
        lists = [listing(sorted(names), _MOST_SECTIONS) for names in (ours, theirs)]
        yield f"the export's sections ({lists[0]}) aren't those of the form ({lists[1]})"


def _bare(identifier: str) -> str:
    return identifier.strip().casefold().lstrip("0")
