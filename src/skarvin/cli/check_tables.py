"""What a settled transfer says of rules, totals and answers, as text."""

from collections.abc import Sequence

from skarvin.cli.output import heading, more
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import Row, counted, listing
from skarvin.core.gradebook import Student
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.computed import Disagreement, TotalResult
from skarvin.core.transfer.settling import Settled
from skarvin.reports.check_words import questions_in_words, rules_taken_over, totals_in_words, unchecked_in_words

_MOST_NAMES = 6


def format_rules(settled: Settled) -> str:
    """Return each rule in words, with the items that it is for; nothing if no item is sent."""
    by_words: dict[str, list[str]] = {}
    for totals in settled.totals:
        if totals.item.target:
            by_words.setdefault(totals.item.rule.in_words, []).append(totals.item.source.called)
    parts = ["", heading("Rules")] if by_words else []
    for words, titles in by_words.items():
        parts += [wrap(f"{listing(titles, _MOST_NAMES)}:", indent=2), wrap(f"{words}.", indent=4)]
    if parts and settled.taken_over:
        parts += [wrap(f"{rules_taken_over(settled)}.", indent=2)]
    return "\n".join(parts)


def format_totals(settled: Settled, most: int | None) -> str:
    """Return what the rules for totals gave, and each student where the export's own total differs."""
    results, unchecked = settled.made.totals, unchecked_in_words(settled)
    if not results and not unchecked:
        return ""
    students = {student.row: student for student in settled.sides.source.students}
    parts = ["", heading("Totals check")]
    for result, sentences in zip(results, totals_in_words(results), strict=True):
        parts += [wrap(line, indent=2) for line in sentences]
        parts += _differing(result, students, most)
    parts += [wrap(unchecked, indent=2)] if unchecked else []
    return "\n".join(parts)


def _differing(result: TotalResult, students: dict[Row, Student], most: int | None) -> list[str]:
    if not result.checked or not result.checked.differing:
        return []
    heads = (
        Head("row", rank=1, is_number=True),
        Head("student", most=28),
        Head("exported", is_number=True),
        Head("calculated", is_number=True),
        Head("difference", is_number=True),
    )
    rows = [
        (
            difference.row.label,
            _name(students[difference.row]),
            plain(difference.says),
            plain(difference.should),
            _signed(plain(difference.by)),
        )
        for difference in result.checked.differing
    ]
    return [format_table(heads, rows[:most], indent=4), *filter(None, [more(len(rows[:most]), len(rows), "--all")])]


def format_answers(settled: Settled, most: int | None) -> str:
    """Return what is to be verdicts of the answers: another order, dropped questions, and what the key contradicts."""
    if not settled.sides.column_map.questions:
        return ""
    parts = [wrap(line, indent=2) for line in questions_in_words(settled)]
    if settled.made.keyed:
        parts += _disagreements(settled, most)
    return "\n".join(["", heading("Answers"), *parts]) if parts else ""


def _disagreements(settled: Settled, most: int | None) -> list[str]:
    found, keyed = settled.made.disagreements, counted(settled.made.keyed, "answer")
    if not found:
        return [f"  The export's right and wrong match the key on {keyed}."]
    students = {student.row: student for student in settled.sides.source.students}
    heads = (
        Head("cell", rank=1),
        Head("student", most=28),
        Head("question", most=30),
        Head("answer"),
        Head("export"),
        Head("key"),
    )
    rows = [_disagreement(disagreement, students) for disagreement in found]
    title = f"  The export and the key differ on {len(found):,} of {keyed}:"
    shown = format_table(heads, rows[:most], indent=4)
    return [title, shown, *filter(None, [more(len(rows[:most]), len(rows), "--all")])]


def _disagreement(disagreement: Disagreement, students: dict[Row, Student]) -> Sequence[str]:
    source = disagreement.question.column
    verdicts = ("right", "wrong") if disagreement.is_right_in_source else ("wrong", "right")
    return (
        disagreement.row.cell(source.index),
        _name(students[disagreement.row]),
        source.called,
        disagreement.code,
        *verdicts,
    )


def _name(student: Student) -> str:
    return student.name or student.identifier.strip()


def _signed(number: str) -> str:
    return number if number.startswith("-") else f"+{number}"
