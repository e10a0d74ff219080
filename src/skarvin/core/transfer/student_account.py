"""How the marks of one student come about: each with its place, and totals part by part."""

from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.findings import Finding, Misused, Row
from skarvin.core.gradebook import Student
from skarvin.core.ledger.ledger import Line
from skarvin.core.texts.names import name_key
from skarvin.core.transfer.computed import TotalResult
from skarvin.core.transfer.settling import Settled

if TYPE_CHECKING:
    from skarvin.core.marks.totals.tree import Key
    from skarvin.core.marks.totals.why import Step


class ExplainedTotal(NamedTuple):
    """A total of a student, and each part of its formula with its value."""

    result: TotalResult
    steps: "list[Step]"


class Account(NamedTuple):
    """What became of one student's marks, row by row, and how the totals came about."""

    student: Student
    target: Student | None
    lines: list[Line]
    totals: list[ExplainedTotal]


def account_for(settled: Settled, asked: str) -> list[Account]:
    """Return what became of the marks of the student who is asked for, by identifier or name: one account a person.

    Raises:
        Misused: nobody is called so.
    """
    people = _people(settled, asked)
    if not people:
        what = f"--why '{asked}': nobody in the export or the form has this identifier or name, and no item this title"
        mend = "Give an identifier, a full name or a title as a file has it; see: skarvin students --all"
        raise Misused(Finding("no-such-student", what, None, mend))
    return [_account(settled, student, target) for student, target in people.values()]


def _people(settled: Settled, asked: str) -> Mapping[Row, tuple[Student, Student | None]]:
    """Return the rows of those who are meant, each with the student on the other side."""
    bare, name = asked.strip(), name_key(asked)

    def is_meant(student: Student | None) -> bool:
        return student is not None and (
            student.identifier.strip() == bare or (bool(name) and name_key(student.name) == name)
        )

    return {
        entry.source.row: (entry.source, entry.target)
        for entry in settled.ledger.entries
        if entry.source and (is_meant(entry.source) or is_meant(entry.target))
    }


def _account(settled: Settled, student: Student, target: Student | None) -> Account:
    entry = next(one for one in settled.ledger.entries if one.source and one.source.row == student.row)
    outcomes = settled.ledger.outcomes_of(entry)
    lines = [Line(entry, item, outcome) for item, outcome in zip(settled.ledger.items, outcomes, strict=True)]
    lines.sort(key=lambda line: line.item.source.order)
    return Account(student, target, lines, list(_explained(settled, student.row)))


def _explained(settled: Settled, row: Row) -> Iterator[ExplainedTotal]:
    made = settled.made
    if made.read is None:
        return
    from skarvin.core.marks.totals.compute import counted_marks  # noqa: PLC0415 - most transfers compute nothing
    from skarvin.core.marks.totals.why import Explained, explain  # noqa: PLC0415

    values = [result.values for result in made.totals]
    for result in made.totals:
        rule = result.total.rule
        if row not in result.values:  # another row of the student has the total
            continue
        counted = counted_marks(rule, row, made.read, values)
        titles = _titles(settled, result)
        yield ExplainedTotal(result, explain(rule.formula, Explained(rule.parts, counted.marks, titles)))


def _titles(settled: Settled, result: TotalResult) -> "Callable[[Key], str]":
    """Return what gives the titles of keys in formulas."""
    from skarvin.core.marks.totals.tree import InCategory, TotalKey  # noqa: PLC0415

    totals = [other.total.rule.name for other in settled.made.totals]

    def title_of(key: "Key") -> str:
        bare = key.key if isinstance(key, InCategory) else key
        if isinstance(bare, TotalKey):
            return totals[bare.place]
        return result.total.parts[bare if isinstance(bare, int) else bare.place].title

    return title_of
