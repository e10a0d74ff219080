"""Students and items that an earlier write knew by another identifier, or by another title, than the form has now."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, TypeVar

from skarvin.core.gradebook import Student
from skarvin.core.ledger.run_history import ItemKey
from skarvin.core.texts.mark_grammar import is_no_mark
from skarvin.core.texts.names import NameKey, name_key
from skarvin.core.transfer.after_upload.kept_runs import item_key, student_keys
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
    known = zip(student_keys(students), students, strict=True)
    new = {key: one for key, one in known if key and key not in same and one.name}
    gone = set(sent).difference(same.values())
    filed = ledger() if new and gone else None
    if filed is None:
        return {}
    left = {key: one for key, one in zip(student_keys(filed.students), filed.students, strict=True) if key in gone}
    mine, yours = _only(new), _only(left)
    return {mine[name]: yours[name] for name in mine.keys() & yours.keys()}


def _only(people: Mapping[str, Person]) -> dict[NameKey, str]:
    """Return by the name the identifiers of people whose name nobody else of them has."""
    names = Counter(name_key(one.name) for one in people.values())
    return {name: key for key, one in people.items() if (name := name_key(one.name)) and names[name] == 1}


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
    theirs = [sent.rows.get(same.get(key, ""), -1) for key in student_keys(asked.students)]
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
