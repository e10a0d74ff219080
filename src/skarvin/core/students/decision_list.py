"""A person's decisions about held students: `pairings.csv`, which survives being edited in a spreadsheet.

One row a held student: who it is, why, up to three suggestions, and a column for the decision: `1`, `2` or `3` for a
suggestion, an identifier of the target's, `none` for a student who isn't on the roster, or nothing yet.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from pathlib import Path

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Row, Unreadable
from skarvin.core.gradebook import Student
from skarvin.core.grid.read import read_grid
from skarvin.core.students.evidence import Suggestion
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.texts.lists import list_text
from skarvin.core.texts.names import NameKey, name_key

HEADINGS = (
    *("identifier", "name", "section", "row", "reason"),
    *("suggestion 1", "suggestion 2", "suggestion 3", "decision", "decided on"),
)
_OLD_REASON = "held because"
"""What the column of reasons was called before."""
_NEW = frozenset({"row"})
"""The columns that lists didn't have before."""
NONE = "none"
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_LATER = frozenset({"", "?", "later"})


class Decision(msgspec.Struct, frozen=True):
    """One row of `pairings.csv`; `row` says where the student stood, and tells two apart who are alike otherwise."""

    identifier: str
    name: str
    section: str = ""
    reason: str = ""
    suggestions: tuple[str, ...] = ()
    choice: str = ""
    when: str = ""
    place: Row | None = None
    carried_from: str = ""
    row: str = ""

    @classmethod
    def of(cls, student: Student, choice: str = "", place: Row | None = None) -> "Decision":
        """Return a decision about a student."""
        who = (student.identifier.strip(), student.name, student.section)
        return cls(*who, choice=choice, place=place, row=student.row.of_file or student.row.in_words)

    @property
    def said(self) -> str:
        """What was decided, whatever its case."""
        return self.choice.strip().casefold()

    @property
    def key(self) -> tuple[str, NameKey, str]:
        """Whom the decision is about, in a form that a lost leading zero doesn't change."""
        section = " ".join(self.section.split()).casefold()
        return (self.identifier.strip().casefold().lstrip("0"), name_key(self.name), section)

    @property
    def person(self) -> tuple[str, NameKey]:
        """Whom the decision is about, in whatever section."""
        return self.key[:2]

    @property
    def is_made(self) -> bool:
        """Whether anything was decided."""
        return self.said not in _LATER

    @property
    def is_none(self) -> bool:
        """Whether the student isn't on the roster."""
        return self.said == NONE

    def find(self, target: "ToChoose") -> Student | None:
        """Return the target student who was chosen; None if there is no such one, or several."""
        choice = self.choice.strip()
        if choice in {"1", "2", "3"} and int(choice) <= len(self.suggestions) and self.suggestions[int(choice) - 1]:
            shown = self.suggestions[int(choice) - 1]
            match = target.by_text.get(shown.split(" | ")[0].strip(), [])
        else:
            match = target.identified(choice) or target.by_text.get(choice, [])
        return match[0] if len(match) == 1 else None


class ToChoose:
    """The target's students, put in order once, so that many decisions are found among many students."""

    def __init__(self, students: Sequence[Student], rule: IdentifierRule) -> None:
        self._students = students
        self._comparable = rule.comparer

    @cached_property
    def by_text(self) -> Mapping[str, list[Student]]:
        """The students by what a suggestion says of them."""
        return _by(self._students, lambda student: suggestion_text(student).strip())

    def identified(self, text: str) -> list[Student]:
        """Return the students of an identifier, or else of one that lacks zeros in front."""
        return self._by_identifier.get(self._comparable(text), []) or self._by_digits.get(text.lstrip("0"), [])

    @cached_property
    def _by_identifier(self) -> Mapping[str, list[Student]]:
        return _by(self._students, lambda student: self._comparable(student.identifier))

    @cached_property
    def _by_digits(self) -> Mapping[str, list[Student]]:
        return _by(self._students, lambda student: student.identifier.strip().lstrip("0"))


def _by(students: Iterable[Student], key: Callable[[Student], str]) -> dict[str, list[Student]]:
    found: dict[str, list[Student]] = {}
    for student in students:
        found.setdefault(key(student), []).append(student)
    return found


class Decisions(msgspec.Struct, frozen=True, dict=True):
    """All rows of `pairings.csv`, in their order, and the SHA-256 of the file."""

    rows: tuple[Decision, ...] = ()
    earlier: tuple[Decision, ...] = ()
    fingerprint: str = ""

    def of(self, student: Student) -> Decision | None:
        """Return what was decided about a student, if anything was: now, or else in an earlier term.

        Where several lines are about people who are alike, each is about the row that it names.
        """
        if not self._lines and not self._earlier:
            return None
        about = Decision.of(student)
        same = self._lines.get(about.key, [])
        if len(same) > 1:
            exact = [one for one in same if one.row.strip() == about.row and one.is_made]
            same = exact or [one for one in same if not one.row.strip()]
        return next((one for one in same if one.is_made), None) or self._earlier.get(about.person)

    def unused(self, source: Iterable[Student]) -> list[Decision]:
        """Return the decisions that were made about nobody in the export."""
        if not self._lines:
            return []
        there = {Decision.of(student).key for student in source}
        return [one for key, same in self._lines.items() for one in same if one.is_made and key not in there]

    @cached_property
    def _earlier(self) -> "dict[tuple[str, NameKey], Decision]":
        """The students who were found in an earlier term, by whom the decisions are about; of several the last."""
        return {one.person: one for one in self.earlier if one.is_made and not one.is_none and one.person != ("", ())}

    @cached_property
    def _lines(self) -> "dict[tuple[str, NameKey, str], list[Decision]]":
        """The lines, by whom they are about."""
        found: dict[tuple[str, NameKey, str], list[Decision]] = {}
        for decision in self.rows:
            found.setdefault(decision.key, []).append(decision)
        return found

    def _place(self, student: Student, alike: int) -> int | None:
        """Return which line is a student's, of whose likes there are so many; None if none is."""
        about = Decision.of(student)
        same = [place for place, one in enumerate(self.rows) if one.key == about.key]
        exact = [place for place in same if self.rows[place].row.strip() == about.row]
        return next(iter(exact or (same if len(same) == 1 and alike == 1 else [])), None)

    def with_choice(self, student: Student, choice: str, when: str) -> "Decisions":
        """Return these decisions with one more."""
        rows = list(self.rows)
        place = self._place(student, 1)
        if place is not None:
            rows[place] = replace(rows[place], choice=choice, when=when)
        return replace(self, rows=tuple(rows))

    def with_held(self, held: Iterable[tuple[Student, str, Sequence[Suggestion]]], today: str) -> "Decisions":
        """Return these decisions with a row for each held student; nothing that was decided is lost.

        What was decided of the only one of that name and identifier is of no row any more once there are two.
        """
        rows = [
            replace(decision, when=today) if decision.is_made and not decision.when.strip() else decision
            for decision in self.rows
        ]
        waiting = list(held)
        alike = Counter(Decision.of(student).key for student, _, _ in waiting)
        shared = {key for key, count in alike.items() if count > 1 and len(self._lines.get(key, ())) == 1}
        rows = [replace(one, row="") if one.is_made and one.key in shared else one for one in rows]
        known = {(one.key, one.row.strip()): place for place, one in enumerate(rows)}
        for student, reason, suggestions in waiting:
            texts = tuple(f"{suggestion_text(suggestion.target)} | {suggestion.evidence}" for suggestion in suggestions)
            fresh = replace(Decision.of(student), reason=reason, suggestions=texts)
            place = known.get((fresh.key, fresh.row))
            same = self._lines.get(fresh.key, [])
            if place is None and len(same) == 1 and alike[fresh.key] == 1:
                place = known[fresh.key, same[0].row.strip()]
            if place is None:
                rows.append(fresh)
            elif not rows[place].is_made:
                rows[place] = fresh
            else:
                rows[place] = replace(rows[place], row=fresh.row)
        return replace(self, rows=tuple(rows))


def suggestion_text(student: Student) -> str:
    """Return a target student for a suggestion: name first, so that no spreadsheet takes it for a number."""
    return f"{student.name or 'row'} [{student.identifier.strip() or student.row.number}]"


def read_decisions(file: Path) -> Decisions:
    """Return the decisions in `pairings.csv`; none if there is no such file.

    Raises:
        Unreadable: the file can't be read, or its columns are gone.
    """
    if not file.exists():
        return Decisions()
    grid = read_grid(file, is_rfc_4180=True)
    heads = [text.strip().casefold() for text in grid.cells(0)]
    heads = ["reason" if head == _OLD_REASON else head for head in heads]
    missing = [heading for heading in HEADINGS if heading not in heads and heading not in _NEW]
    if missing:
        mend = "Put the headings back as they were; they may stand in any order."
        raise Unreadable(Finding("pairings", f"the column '{missing[0]}' is missing", Place(file, 0), mend))
    place = {heading: heads.index(heading) for heading in HEADINGS if heading in heads}
    rows = []
    for position in range(1, len(grid)):
        cells = grid.cells(position)
        told = {heading: _plain(cells[index]) if index < len(cells) else "" for heading, index in place.items()}
        if any(told.values()):
            suggestions = tuple(told[f"suggestion {number}"] for number in (1, 2, 3))
            rows.append(
                Decision(
                    told["identifier"], told["name"], told["section"], told["reason"],
                    suggestions, told["decision"].removesuffix(".0"), told["decided on"], grid.row(position),
                    row=told.get("row", ""),
                )
            )  # fmt: skip
    return Decisions(tuple(rows), fingerprint=grid.fingerprint)


def decisions_text(decisions: Decisions) -> str:
    """Return the text of `pairings.csv`."""
    rows = [
        (one.identifier, one.name, one.section, one.row, one.reason, *padded, one.choice, one.when)
        for one in decisions.rows
        for padded in [(*one.suggestions, "", "", "")[:3]]
    ]
    return list_text([HEADINGS, *rows], safe=_harmless)


def _harmless(text: str) -> str:
    """Return a text that no spreadsheet runs as a formula."""
    return f"'{text}" if text.lstrip("'").startswith(_FORMULA) else text


def _plain(text: str) -> str:
    bare = text.strip()
    return bare[1:] if bare.startswith("'") and bare.lstrip("'").startswith(_FORMULA) else bare
