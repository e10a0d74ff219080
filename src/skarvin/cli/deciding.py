"""Decides at the keyboard who is who; every answer is kept at once, and can be taken back."""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from skarvin.cli.clock import day
from skarvin.cli.dialogue import BACK, LATER, SEARCH, SHOW, STOP, Said, hear
from skarvin.cli.output import heading
from skarvin.cli.table import wrap
from skarvin.cli.terminal import agree, echo
from skarvin.core.findings import Row
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.students.decision_list import NONE, Decision, Decisions, ToChoose, suggestion_text
from skarvin.core.students.pairing import HeldStudent
from skarvin.core.texts.folding import fold
from skarvin.core.transfer.who_is_who import PairedTransfer, pairing_rule

_MOST_FOUND = 8


class _Choice(NamedTuple):
    """What may be chosen by its number: what is kept of it, how it is shown, and who it is."""

    answer: str
    shown: str
    student: Student | None = None


class Deciding:
    """One go through the students who wait.

    Args:
        paired: the transfer, and who is who in it.
        save: keeps the decisions.
        describe: shows a student who waits, with numbered suggestions.
        who: shows a student in short.
        is_masked: whether nothing of the files is shown.
    """

    def __init__(
        self,
        paired: PairedTransfer,
        save: Callable[[Decisions], None],
        describe: Callable[[HeldStudent], str],
        who: Callable[[Student], str],
        *,
        is_masked: bool,
    ) -> None:
        pairing, sides = paired.pairing, paired.sides
        self._paired, self._save, self._describe, self._who = paired, save, describe, who
        self._people = pairing.on_roster or sides.target.students
        self._known = ToChoose(self._people, pairing_rule(paired.plan.students).identifiers)
        self._taken: dict[Row, Student] = {pair.target.row: pair.source for pair in pairing.pairs}
        self._commands = {SEARCH, *([] if is_masked else [SHOW])}

    def go(self, decisions: Decisions) -> None:
        """Ask about each student who isn't decided on."""
        known = [(one, decisions.of(one.student)) for one in self._paired.pairing.held]
        waiting = [one for one, decided in known if not decided or not decided.is_made]
        trail: list[tuple[Decisions, dict[Row, Student]]] = []
        while len(trail) < len(waiting):
            held = waiting[len(trail)]
            echo(f"\n{heading(f'{len(trail) + 1} of {len(waiting)}')}  {self._describe(held)}")
            said = self._ask(held, can_go_back=bool(trail))
            if said == STOP:
                echo("Stopped; what you decided is kept.")
                return
            if said == BACK:
                decisions, self._taken = trail.pop()
                self._save(decisions)
                continue
            trail.append((decisions, dict(self._taken)))
            if said != LATER:
                decisions = decisions.with_choice(held.student, said.removeprefix("="), day())
                self._save(decisions)
        echo("\nThat was the last one." if waiting else "Nothing is left to decide.")

    def _ask(self, held: HeldStudent, *, can_go_back: bool) -> str:
        """Return what is kept of an answer, after a sign of equality; or a command."""
        choices = [
            _Choice(str(number), self._who(suggestion.target), suggestion.target)
            for number, suggestion in enumerate(held.suggestions, 1)
        ]
        choices.append(_Choice(NONE, "not in the form"))
        echo(wrap(f"{len(choices)}. not in the form", 4))
        commands = {*self._commands, *([BACK] if can_go_back else [])}
        while True:
            said = hear(len(choices), "IDENTIFIER", commands)
            if said.command == SHOW:
                self._show(held)
            elif said.command == SEARCH:
                choices += self._search(said.text or "", len(choices))
            elif said.command:
                return said.command
            elif (choice := self._chosen(said, choices)) and self._may_take(held.student, choice):
                echo(wrap(f"-> {choice.shown}", 2))
                return f"={choice.answer}"

    def _chosen(self, said: Said, choices: Sequence[_Choice]) -> _Choice | None:
        if said.choice:
            return choices[said.choice - 1]
        text = said.text or ""
        found = Decision("", "", choice=text).find(self._known) if text not in {"1", "2", "3"} else None
        if found is None:
            echo("  Nobody in the form has this identifier; / and a part of a name looks for somebody.")
            return None
        return _Choice(text, self._who(found), found)

    def _may_take(self, student: Student, choice: _Choice) -> bool:
        """Ask again where somebody else has whom a person chose."""
        there = choice.student
        if there is None:
            return True
        other = self._taken.get(there.row)
        if other and (other.identifier, other.name) != (student.identifier, student.name):
            echo(wrap(f"{self._who(there)} is paired with {other.row.in_words}, {self._who(other)}, already.", 2))
            if not agree("  Take them all the same?", default=False):
                return False
        self._taken[there.row] = student
        return True

    def _search(self, text: str, before: int) -> list[_Choice]:
        """Show who in the form has a text in name or number, numbered on, with whom they are paired."""
        parts = fold(text).split()
        found = [one for one in self._people if parts and all(part in fold(self._text(one)) for part in parts)]
        shown = [_Choice(self._unmistakable(one), self._who(one), one) for one in found[:_MOST_FOUND]]
        for number, (_, who, student) in enumerate(shown, before + 1):
            other = self._taken.get(student.row) if student else None
            has = f", paired with {other.row.in_words}, {self._who(other)}" if other else ""
            echo(wrap(f"{number}. {who}{has}", 4))
        if len(found) > _MOST_FOUND:
            echo(f"    and {len(found) - _MOST_FOUND} more: search for more of the name")
        if not found:
            echo(f"    Nobody in the form has '{text}' in name or number.")
        return shown

    @staticmethod
    def _text(student: Student) -> str:
        return f"{student.identifier} {student.name} {student.section}"

    @staticmethod
    def _unmistakable(student: Student) -> str:
        number = student.identifier.strip()
        return suggestion_text(student) if number in {"", "1", "2", "3"} else number

    def _show(self, held: HeldStudent) -> None:
        """Show the rows of a student who waits, and of whom it may be."""
        sides = self._paired.sides
        for side, book, student in (
            ("export", sides.source, held.student),
            *(("form", sides.target, one.target) for one in held.suggestions),
        ):
            cells = "; ".join(_cells(book, student)) or "a list of its own"
            echo(wrap(f"{side} {student.row}: {cells}", 4))


def _cells(book: Gradebook, student: Student) -> Iterator[str]:
    """Yield what stands in a student's row, by its headings."""
    if student.row.position >= len(book.grid):
        return
    cells = book.grid.cells(student.row.position)
    for column in book.layout.columns:
        if column.index < len(cells) and cells[column.index].strip():
            yield f"{column.heading or column.letter} {cells[column.index].strip()}"
