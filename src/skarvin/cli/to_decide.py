"""Everything that needs a person: students, marks with their reasons, totals, and marks near a boundary."""

from collections.abc import Collection, Sequence
from itertools import groupby

from skarvin.cli.mark_tables import ITEM, PLACE, STUDENT, WHY, about
from skarvin.cli.output import heading, more
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.transfer_tables import SHORT
from skarvin.core.findings import Row, counted
from skarvin.core.gradebook import Student
from skarvin.core.ledger.ledger import Line
from skarvin.core.reasons import Fate
from skarvin.core.students.checks import check_words
from skarvin.core.students.pairing import number_of_people
from skarvin.core.transfer.settling import Settled
from skarvin.reports.check_words import lost_totals
from skarvin.reports.mark_lists import CLOSE, in_export, name_of, reason_of
from skarvin.reports.masking import identity


def format_to_decide(settled: Settled, most: int | None = SHORT) -> str:
    """Return everything that needs a person: students, marks with their reasons, totals, and marks near a boundary."""
    pairing = settled.pairing
    parts: list[str] = []
    rows: list[tuple[str, ...]]
    for title, held in (("Students to confirm", pairing.held), ("In the form, to confirm", pairing.held_target)):
        rows = [(_who(one.student), one.student.row.in_words, one.why.words) for one in held]
        titled = f"{title}: {number_of_people([one.student for one in held])}"
        parts += _table(titled, (STUDENT, PLACE, WHY), rows, most, is_counted=False)
    missing = [(_who(one), one.row.in_words, identity(one.identifier.strip())) for one in pairing.source_only]
    titled = f"Missing from the form: {number_of_people(pairing.source_only)}"
    parts += _table(titled, (STUDENT, PLACE, Head("identifier")), missing, most, is_counted=False)
    held_marks = list(settled.ledger.lines([Fate.HELD]))
    rows = _held_rows(held_marks, pairing.waiting)
    title = f"Held: {counted(len(held_marks), 'mark')}"
    parts += _table(title, (STUDENT, ITEM, PLACE, Head("mark", most=16), WHY), rows, most, is_counted=False)
    students = {student.row: student for student in settled.sides.source.students}
    lost = [(_who(students[row]), name, row.in_words, why) for row, name, why in lost_totals(settled)]
    parts += _table("Totals that can't be calculated", (STUDENT, ITEM, PLACE, WHY), lost, most)
    checks = [
        (_who(pair.source), pair.source.row.in_words, _who(pair.target), f"form {pair.target.row}", check_words(key))
        for pair, key in pairing.checks
    ]
    parts += _table(
        "Pairs to check", (STUDENT, PLACE, Head("student there", most=28), Head("place"), WHY), checks, most
    )
    rows = [(*about(line), line.outcome.note) for line in CLOSE.lines(settled)]
    parts += _table(CLOSE.title, (STUDENT, ITEM, PLACE, WHY), rows, most)
    nobody = (note for note in settled.notes if note.slug == "entry-of-nobody")
    parts += [wrap(f"{note.place}: {note.what}. {note.mend}", 2) for note in nobody]
    return "\n".join(["", heading("To decide", "red"), *parts]) if parts else ""


def _table(
    title: str, heads: Sequence[Head], rows: Sequence[Sequence[str]], most: int | None, *, is_counted: bool = True
) -> list[str]:
    """Return a titled list, cut with a count; nothing where it is blank."""
    if not rows:
        return []
    shown = rows[:most]
    titled = f"{title}: {len(rows):,}" if is_counted else title
    return [f"  {titled}", format_table(heads, shown, indent=4), *filter(None, [more(len(shown), len(rows), "--all")])]


def _held_rows(held: Sequence[Line], waiting: Collection[Row]) -> list[tuple[str, ...]]:
    """Return a row for each held mark, student by student, and one for all marks that wait for one student."""
    rows: list[tuple[str, ...]] = []
    for entry, lines in groupby(held, key=lambda line: line.entry):
        marks = list(lines)
        if entry.source and entry.source.row in waiting and len(marks) > 1:
            what = counted(len(marks), "mark")
            rows.append((name_of(entry), what, entry.source.row.in_words, "", reason_of(marks[0])))
        else:
            rows += _merged([(*about(line), in_export(line), reason_of(line)) for line in marks])
    return rows


def _merged(rows: Sequence[tuple[str, ...]]) -> list[tuple[str, ...]]:
    """Return the rows with those made one that say the same of one place: several calculated marks of a student."""
    found: dict[tuple[str, ...], list[tuple[str, str]]] = {}
    for name, item, place, mark, why in rows:
        found.setdefault((name, place, why), []).append((item, mark))
    return [
        (name, ", ".join(item for item, _ in same), place, ", ".join(filter(None, (mark for _, mark in same))), why)
        for (name, place, why), same in found.items()
    ]


def _who(student: Student) -> str:
    return student.name or identity(student.identifier.strip()) or "(no name)"
