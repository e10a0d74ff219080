"""What speaks for and against two students being one, beside their identifiers."""

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.students.likeness import likeness
from skarvin.core.texts.names import SHORT_FORMS

_SAME_SECTION = 0.08
_SAME_BIRTH = 0.25
_NEAR_IDENTIFIER = 0.12
_AGAINST = 0.3


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

    def contradiction(self, one: Student, other: Student) -> str:
        """Return what speaks against two students being one, or nothing."""
        sections = {one.section.casefold(), other.section.casefold()}
        if len(sections) == 2 and sections <= self._sections:  # noqa: PLR2004 - two different ones
            return f"another section ({one.section}, {other.section})"
        if days_differ(one.birth, other.birth):
            return "another birth date"
        if days_differ(one.leaving, other.leaving):
            return "another leaving year"
        return ""

    def weigh(self, one: Student, other: Student) -> Suggestion:
        """Return how likely two students are one."""
        score, shared = likeness(one.name, other.name, self.shorts)
        parts = [shared] if shared else []
        if one.section and one.section.casefold() == other.section.casefold():
            score += _SAME_SECTION
            parts.append("same section")
        if one.birth and other.birth and not days_differ(one.birth, other.birth):
            score += _SAME_BIRTH
            parts.append("same birth date")
        if _is_near(one.identifier, other.identifier):
            score += _NEAR_IDENTIFIER
            parts.append("nearly the same identifier")
        elif not one.identifier.strip() or not other.identifier.strip():
            parts.append("no identifier to compare")
        against = self.contradiction(one, other)
        if against:
            score -= _AGAINST
            parts.append(f"but {against}")
        return Suggestion(other, round(min(score, 1.0), 4), "; ".join(parts))


def days_differ(one: str, other: str) -> bool:
    """Tell whether two dates can't be one day, whatever the order in which day, month and year stand.

    Only the first three numbers count, since a time may stand behind them; where one side has fewer, as with the name
    of a month, nothing can be told.
    """
    if not one or not other or one == other:
        return False
    ours, theirs = ([int(part) % 100 for part in re.findall(r"\d+", text)[:3]] for text in (one, other))
    return bool(ours) and len(ours) == len(theirs) and sorted(ours) != sorted(theirs)


def _is_near(one: str, other: str) -> bool:
    """Tell whether two identifiers differ by one slip of the hand: a sign more, less, another, or two swapped."""
    one, other = one.strip(), other.strip()
    if len(one) < 4 or len(other) < 4 or abs(len(one) - len(other)) > 1:  # noqa: PLR2004 - short ones are always near
        return False
    from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415 - only for students in doubt

    return DamerauLevenshtein.distance(one, other, score_cutoff=1) <= 1
