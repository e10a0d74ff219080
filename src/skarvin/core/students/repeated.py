"""Several rows for one student on the source's side: whose they are."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.students.identifiers import Identifier, bare_form
from skarvin.core.students.likeness import is_contradiction
from skarvin.core.texts.names import name_key


class OneStudent(NamedTuple):
    """What tells rows to be one student's.

    Attributes:
        together: the identifiers of which several rows count together.
        known_as: for an identifier that is written in another form than the student's others, the one that counts.
        by_decision: whether rows without identifiers count together where a person says that they are one student's.
    """

    together: frozenset[Identifier] = frozenset()
    known_as: Mapping[Identifier, Identifier] = {}
    by_decision: bool = False

    def are_of_one(self, first: Student, second: Student, comparable: Callable[[str], Identifier]) -> bool:
        """Tell whether two rows are one student's and count together."""
        key, same = (
            self.known_as.get(key, key) for key in (comparable(first.identifier), comparable(second.identifier))
        )
        return key == same and (key in self.together if key else self.by_decision)


def rows_of_one(
    students: Sequence[Student],
    comparable: Callable[[str], Identifier],
    theirs: Collection[Identifier],
    *,
    counts_together: bool,
    uses_names: bool = True,
) -> OneStudent:
    """Return which rows are one student's.

    Rows whose names are two people's are never taken for one student, and stay to be held. Identifiers that differ in
    case, dashes, zeros in front or a domain alone are one student's where the names are the same, unless the other side
    tells them apart.

    Args:
        students: the source's students.
        comparable: makes identifiers comparable.
        theirs: the identifiers of the other side.
        counts_together: whether a rule says which of several rows counts.
        uses_names: whether names are looked at.
    """
    keys = [comparable(student.identifier) for student in students]
    if len(set(keys)) == len(keys) == len({bare_form(key) for key in keys}):
        return OneStudent()
    groups: dict[Identifier, list[Student]] = {}
    for student, key in zip(students, keys, strict=True):
        groups.setdefault(key, []).append(student)
    known_as = _one_in_other_forms(groups, theirs) if uses_names else {}
    for written, known in known_as.items():
        groups[known] += groups.pop(written)
    if not counts_together:
        return OneStudent(frozenset(), known_as)
    repeated = (key for key, same in groups.items() if key and len(same) > 1 and (not uses_names or _is_one(same)))
    return OneStudent(frozenset(repeated), known_as, by_decision=True)


def _one_in_other_forms(
    groups: Mapping[Identifier, Sequence[Student]], theirs: Collection[Identifier]
) -> dict[Identifier, Identifier]:
    """Return which identifiers are another in another form: with the same name, and not told apart by the others."""
    forms: dict[str, list[Identifier]] = {}
    for key in groups:
        if key:
            forms.setdefault(bare_form(key), []).append(key)
    found: dict[Identifier, Identifier] = {}
    for same in forms.values():
        if len(same) == 1:
            continue
        names = {name_key(student.name) for key in same for student in groups[key]}
        there = [key for key in same if key in theirs]
        if len(names) == 1 and next(iter(names)) and len(there) <= 1:
            known = there[0] if there else same[0]
            found |= {key: known for key in same if key != known}
    return found


def _is_one(students: Iterable[Student]) -> bool:
    first, *others = students
    return not any(is_contradiction(first.name, other.name) for other in others)
