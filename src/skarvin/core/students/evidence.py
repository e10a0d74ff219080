"""What speaks for and against two students being one, beside their identifiers."""

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.texts.names import SHORT_FORMS

_RUN_TOGETHER = (6, 8)
_CENTURIES = frozenset({"18", "19", "20"})


class Suggestion(NamedTuple):
    """A target student who may be meant, how likely that is (0 to 1), and why, in words."""

    target: Student
    score: float
    evidence: str


class Surroundings:
    """What is known of both classes as a whole: which sections both sides name."""

    def __init__(
        self,
        source: Sequence[Student],
        target: Sequence[Student],
        shorts: Mapping[str, frozenset[str]] = SHORT_FORMS,
    ) -> None:
        ours, theirs = (
            {student.section.casefold() for student in side if student.section} for side in (source, target)
        )
        self._sections = ours & theirs
        self.shorts = shorts

    def contradiction(self, first: Student, second: Student) -> str:
        """Return what speaks against two students being one, or nothing."""
        sections = {first.section.casefold(), second.section.casefold()}
        if len(sections) == 2 and sections <= self._sections:  # noqa: PLR2004 - two different ones
            return f"another section ({first.section}, {second.section})"
        if days_differ(first.born, second.born):
            return "another birth date"
        if days_differ(first.leaving, second.leaving):
            return "another leaving year"
        return ""


def days_differ(first: str, second: str) -> bool:
    """Tell whether two dates can't be one day, whatever the order in which day, month and year stand.

    Only the first three numbers count, since a time may stand behind them; where one side has fewer, as with the name
    of a month, nothing can be told.
    """
    if not first or not second or first == second:
        return False
    ours, theirs = _numbers(first), _numbers(second)
    return bool(ours) and len(ours) == len(theirs) and sorted(ours) != sorted(theirs)


def _numbers(text: str) -> list[int]:
    """Return the numbers of a date, each by its last two digits; one written without signs is cut into three."""
    parts = re.findall(r"\d+", text)[:3]
    if len(parts) == 1 and len(parts[0]) in _RUN_TOGETHER:
        whole = parts[0]
        is_year_first = len(whole) == max(_RUN_TOGETHER) and whole[:2] in _CENTURIES
        at = (4, 6) if is_year_first else (2, 4)
        parts = [whole[: at[0]], whole[at[0] : at[1]], whole[at[1] :]]
    return [int(part[-2:]) for part in parts]
