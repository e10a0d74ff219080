"""Students and items that an earlier write knew by another identifier, or by another title, than the form has now."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, TypeVar

from skarvin.core.gradebook import Student
from skarvin.core.ledger.run_history import ItemKey
from skarvin.core.texts.mark_grammar import is_no_mark
from skarvin.core.texts.names import NameKey, name_key
from skarvin.core.transfer.after_upload.kept_runs import item_key, student_key
from skarvin.core.transfer.after_upload.since_known import Asked, KeptMarks

if TYPE_CHECKING:
    from skarvin.core.ledger.filed import Filed, FiledStudent

Person = TypeVar("Person", Student, "FiledStudent")

_LEAST = 2
_HALF = 0.5


def renumbered(
    students: Sequence[Student],
    sent: Mapping[str, object],
    same: Mapping[str, str],
    ledger: "Callable[[], Filed | None]",
) -> Mapping[str, str]:
    """Return for identifiers that no write knew the one that it knew the student by: the only one of the same name.

    Args:
        students: the form's students.
        sent: what was sent, by identifier.
        same: the identifiers that are known, with those of the write.
        ledger: gives the ledger of that write, which has the names.
    """
    new = [student for student in students if student.name and student_key(student) not in same]
    gone = set(sent).difference(same.values())
    filed = ledger() if new and gone else None
    if filed is None:
        return {}
    left = [one for one in filed.students if student_key(one) in gone]
    ours, theirs = _only(new), _only(left)
    return {student_key(ours[key]): student_key(theirs[key]) for key in ours.keys() & theirs.keys()}


def _only(people: Sequence[Person]) -> dict[NameKey, Person]:
    """Return the people whose name nobody else of them has, by the name."""
    names = Counter(name_key(one.name) for one in people)
    return {key: one for one in people if (key := name_key(one.name)) and names[key] == 1}


def renamed(asked: Asked, sent: KeptMarks, same: Mapping[str, str]) -> Mapping[ItemKey, ItemKey]:
    """Return for items of the form that no write knew those that stood in their columns, if most of it stands there."""
    here = {column.heading.strip() for column in asked.sides.target.layout.columns}
    if all(key.heading in here for key in sent.items):
        return {}
    columns = [sent.codes.codes[at :: len(sent.items)] for at in range(len(sent.items))]
    known = {key: at for at, key in enumerate(sent.items) if any(sent.texts[code] for code in columns[at])}
    headings = {key.heading for key in known}
    gone = {key.column: key for key in known if key.heading not in here}
    found = {}
    theirs = [sent.rows.get(same.get(student_key(student), ""), -1) for student in asked.students]
    for place, (column, _) in enumerate(asked.fed):
        key = item_key(column)
        if key.heading in headings or key.column not in gone:
            continue
        old = gone[key.column]
        form, at = asked.form, known[old]
        cells = (form.texts[code] or "" for code in form.codes.codes[place :: form.codes.width])
        met = [(sent.texts[columns[at][row]], cell) for row, cell in zip(theirs, cells, strict=True) if row >= 0]
        there = [(text, cell) for text, cell in met if text and not is_no_mark(cell)]
        equal = sum(text == cell for text, cell in there)
        if equal >= _LEAST and equal > _HALF * len(there):
            found[key] = old
    return found
