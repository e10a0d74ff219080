"""What is known of the target's students; light, since most plans know no more than the form says."""

from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.students.crosswalk import Crosswalk


class Identities(NamedTuple):
    """The target's students as well as they are known, what leads to their identifiers, and whom the roster lacks.

    `unknown` has the rows of those who have no name in the form and don't stand on the roster; `roster` is it as a
    gradebook, if there is one.
    """

    target: tuple[Student, ...]
    crosswalk: Crosswalk | None
    unknown: frozenset[Row] = frozenset()
    roster: Gradebook | None = None
