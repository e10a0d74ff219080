"""A settled transfer as text: item by item, the students, the replaced and the held marks, sample rows."""

from collections.abc import Callable, Sequence
from itertools import groupby, islice

from skarvin.cli.output import heading, more
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import Row, counted
from skarvin.core.gradebook import Student
from skarvin.core.ledger.control_totals import ItemBooks
from skarvin.core.ledger.ledger import Entry, Line
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Cause, Fate
from skarvin.core.students.pairing import PairedBy
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.carry_out import Settled
from skarvin.core.transfer.disagreeing import CONFUSED
from skarvin.reports.rule_words import maxima_in_words

SHORT = 12
_MOST_ITEMS = 40
_ITEM_HEADS = (
    Head("from", most=30),
    Head("to", rank=2, most=26),
    Head("out of", rank=1, is_number=True),
    *(Head(fate.value, is_number=True) for fate in Fate),
)
_SAMPLES = 3
_SEEN = 2_000


def format_items(settled: Settled, flag: str, *, is_whole: bool = False) -> str:
    """Return a table with one line an item: what feeds what, and the count of each fate.

    Args:
        settled: the transfer.
        flag: what shows those items that a long table leaves out.
        is_whole: whether nothing is left out.
    """
    rows = [_item_row(totals) for totals in settled.totals]
    shown = rows if is_whole else rows[:_MOST_ITEMS]
    total = ("all items", "", "", *(f"{settled.ledger.fates[fate]:,}" for fate in Fate))
    table = format_table(_ITEM_HEADS, [*shown, total])
    return "\n".join(filter(None, [heading("Items"), table, more(len(shown), len(rows), flag)]))


def _item_row(totals: ItemBooks) -> tuple[str, ...]:
    item = totals.item
    out_of = maxima_in_words(item)
    target = item.target.title if item.target else "(left out)"
    return (item.source.title, target, out_of, *(f"{totals.fates[fate]:,}" for fate in Fate))


def format_students(settled: Settled, most: int | None = SHORT) -> str:
    """Return who is paired, and everyone who isn't."""
    pairing, sides = settled.pairing, settled.sides
    by = f"{sides.source.told_by} with {sides.target.told_by}"
    by_name = sum(1 for pair in pairing.pairs if pair.by is PairedBy.NAME)
    rows = len(pairing.pairs) - by_name - len(pairing.decided)
    people = len({pair.target.row for pair in pairing.pairs if pair.by is PairedBy.IDENTIFIER})
    parts = [heading("Students"), f"  {people:,} paired by {by}" + (f", in {rows:,} rows" if rows > people else "")]
    parts += [f"  {by_name:,} paired by the whole name"] if by_name else []
    parts += [f"  {len(pairing.decided):,} paired by your decision"] if pairing.decided else []
    if pairing.needed:
        needed = ", ".join(f"{step} ({count:,})" for step, count in pairing.needed.items())
        parts.append(f"  set aside so that identifiers meet: {needed}")
    if sides.source.restored:
        restored = ", ".join(f"{what} ({count:,})" for what, count in sides.source.restored.items())
        parts.append(f"  identifiers set right: {restored}")
    held = {waiting.student.row: waiting.why.words for waiting in pairing.held}
    held_there = {waiting.student.row: waiting.why.words for waiting in pairing.held_target}
    struck = {non_student.student.row: non_student.why.words for non_student in sides.source.non_students}
    groups: list[tuple[str, Sequence[Student], dict[Row, str]]] = [
        ("held, in the export", [waiting.student for waiting in pairing.held], held),
        ("held, in the template", [waiting.student for waiting in pairing.held_target], held_there),
        ("only in the export", pairing.source_only, {}),
        ("only in the template", pairing.target_only, {}),
        ("not to be moved", pairing.left_out, {}),
        ("no student", [non_student.student for non_student in sides.source.non_students], struck),
    ]
    for title, students, reasons in groups:
        if not students:
            continue
        parts.append(f"  {len(students):,} {title}:")
        shown = students[:most]
        parts += [wrap(_student(student, reasons), indent=4) for student in shown]
        parts += filter(None, [more(len(shown), len(students), "--all")])
    parts += [wrap(f"{note.what}.", indent=2) for note in settled.notes if note.slug not in {"may-have-left", CONFUSED}]
    return "\n".join(parts)


def _student(student: Student, reasons: dict[Row, str]) -> str:
    reason = reasons.get(student.row)
    words = [student.row.in_words, student.identifier.strip() or "(no identifier)", student.name]
    return "  ".join(filter(None, words)) + (f": {reason}" if reason else "")


def format_marks(settled: Settled, most: int | None = SHORT) -> str:
    """Return each replaced mark, old and new, each held one with its reason, and those that rounding changed."""
    parts = []
    replaced = list(settled.ledger.lines([Fate.CHANGED]))
    if replaced:
        heads: tuple[Head, ...] = (
            Head("student", most=28),
            Head("item", most=30),
            Head("was", is_number=True, most=20),
            Head("now", is_number=True, most=20),
            Head("template", rank=1),
        )
        rows = [_replaced(line) for line in replaced[:most]]
        parts += ["", heading(f"Replaced: {counted(len(replaced), 'mark')}"), format_table(heads, rows)]
        parts += filter(None, [more(len(rows), len(replaced), "--all")])
    held = list(settled.ledger.lines([Fate.HELD]))
    if held:
        heads = (Head("export"), Head("student", most=28), Head("item", rank=1, most=30), Head("held because"))
        rows = _held_rows(held)
        parts += ["", heading(f"Held: {counted(len(held), 'mark')}"), format_table(heads, rows[:most])]
        parts += filter(None, [more(len(rows[:most]), len(rows), "--all")])
    parts += _lower(replaced, most)
    parts += _sent_as_blank(settled, most)
    rounded = sum(count for totals in settled.totals for _, count in totals.rounded)
    if rounded:
        largest = max(totals.largest_change for totals in settled.totals)
        title = f"Rounded: {counted(rounded, 'mark')}, by at most {plain(largest)}"
        parts += ["", heading(title), *_rounded(settled, most)]
    parts += _listed(
        "Close to a boundary", [(books, books.boundary) for books in settled.totals], most, lambda outcome: outcome.note
    )
    parts += _listed("Sent with a word", [(books, books.remarked) for books in settled.totals], most, _reason)
    return "\n".join(parts)


def _sent_as_blank(settled: Settled, most: int | None) -> list[str]:
    """Return the students for whom a status was sent as a blank: nothing stands there, and it isn't forgotten."""
    lines = list(settled.ledger.lines_because(Cause.SENT_AS_BLANK))
    if not lines:
        return []
    heads = (Head("export"), Head("student", most=28), Head("item", most=30), Head("mark", most=20))
    rows = [
        (_held(line)[0], _name(line.entry), line.item.source.title, line.outcome.source.strip())
        for line in lines[:most]
    ]
    title = heading(f"Sent as a blank: {counted(len(lines), 'mark')}")
    return ["", title, format_table(heads, rows), *filter(None, [more(len(rows), len(lines), "--all")])]


def _lower(replaced: Sequence[Line], most: int | None) -> list[str]:
    """Return the marks of the target that become lower, which is always pointed out."""
    lower = [line for line in replaced if line.outcome.goes_down]
    if not lower:
        return []
    heads = (
        Head("student", most=28),
        Head("item", most=30),
        Head("was", is_number=True),
        Head("goes down to", is_number=True),
    )
    rows = [_replaced(line)[:4] for line in lower[:most]]
    title = heading(f"Lower than before: {counted(len(lower), 'mark')}")
    return ["", title, format_table(heads, rows), *filter(None, [more(len(rows), len(lower), "--all")])]


def _listed(
    title: str,
    found: Sequence[tuple[ItemBooks, Sequence[tuple[Outcome, int]]]],
    most: int | None,
    text_of: Callable[[Outcome], str],
) -> list[str]:
    """Return one line for each distinct mark of which something is to be text_of."""
    count = sum(number for _, outcomes in found for _, number in outcomes)
    lines = [
        wrap(f"{totals.item.source.title}: {text_of(outcome)}" + (f" ({number:,} times)" if number > 1 else ""), 2)
        for totals, outcomes in found
        for outcome, number in outcomes
    ]
    if not lines:
        return []
    shown = lines[:most]
    rest = filter(None, [more(len(shown), len(lines), "--all")])
    return ["", heading(f"{title}: {counted(count, 'mark')}"), *shown, *rest]


def _replaced(line: Line) -> tuple[str, ...]:
    target, item = line.entry.target, line.item.target
    cell = target.row.cell(item.index) if target and item else ""
    return (
        _name(line.entry),
        item.title if item else "",
        line.outcome.was.strip(),
        line.outcome.written or "",
        cell,
    )


def _held_rows(held: Sequence[Line]) -> list[tuple[str, ...]]:
    """Return a row for each held mark, and one for all marks of a student who has no row in the template."""
    rows: list[tuple[str, ...]] = []
    for entry, lines in groupby(held, key=lambda line: line.entry):
        marks = list(lines)
        if entry.target is None and entry.source and len(marks) > 1:
            place = entry.source.row.in_words
            rows.append((place, _name(entry), counted(len(marks), "mark"), _reason(marks[0].outcome)))
        else:
            rows += _merged([_held(line) for line in marks])
    return rows


def _merged(rows: Sequence[tuple[str, ...]]) -> list[tuple[str, ...]]:
    """Return the rows with those made one that say the same of one place: several computed marks of a student."""
    found: dict[tuple[str, str, str], list[str]] = {}
    for place, name, item, reason in rows:
        found.setdefault((place, name, reason), []).append(item)
    return [(place, name, ", ".join(items), reason) for (place, name, reason), items in found.items()]


def _held(line: Line) -> tuple[str, ...]:
    source = line.entry.source
    cell = line.item.cell(source.row) if source else ""
    return (cell, _name(line.entry), line.item.source.title, _reason(line.outcome))


def _reason(outcome: Outcome) -> str:
    return outcome.why.words if outcome.why else ""


def _name(entry: Entry) -> str:
    student = entry.source or entry.target
    return (student.name or student.identifier.strip()) if student else ""


def _rounded(settled: Settled, most: int | None) -> list[str]:
    lines = [
        f"  {totals.item.source.title}: '{outcome.source.strip()}' becomes {outcome.written}"
        + (f" ({count:,} times)" if count > 1 else "")
        for totals in settled.totals
        for outcome, count in totals.rounded
    ]
    shown = lines[:most]
    return [*shown, *filter(None, [more(len(shown), len(lines), "--all")])]


def format_samples(settled: Settled) -> str:
    """Return a few of the template's rows before and after."""
    fed = settled.ledger.fed
    moved = {line.entry.position: line.entry for line in islice(settled.ledger.lines([Fate.SENT, Fate.CHANGED]), _SEEN)}
    sample = list(moved.values())[:_SAMPLES]
    if not sample:
        return ""
    heads = (
        Head("student", most=24),
        Head("row", rank=len(fed) + 2, is_number=True),
        Head(""),
        *(
            Head(item.target.title if item.target else "", rank=position + 1, is_number=True, most=16)
            for position, item in enumerate(fed)
        ),
    )
    rows = []
    for entry in sample:
        outcomes = settled.ledger.outcomes_of(entry)[: len(fed)]
        row = str(entry.target.row.number) if entry.target else ""
        rows.append((_name(entry), row, "before", *(outcome.was.strip() or "-" for outcome in outcomes)))
        after = [outcome.was.strip() if outcome.written is None else outcome.written for outcome in outcomes]
        rows.append(("", "", "after", *(text or "-" for text in after)))
    return f"\n{heading('Sample rows of the template')}\n{format_table(heads, rows)}"
