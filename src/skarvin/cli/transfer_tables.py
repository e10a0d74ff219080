"""A settled transfer as text: item by item, the students, and sample rows of the form."""

from itertools import islice

from skarvin.cli.output import heading, more
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import counted, listing
from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.control_totals import ItemBooks
from skarvin.core.reasons import Fate
from skarvin.core.students.differing import differing_pairs
from skarvin.core.students.pairing import PairedBy, number_of_people
from skarvin.core.transfer.correction_lists import UNUSED
from skarvin.core.transfer.disagreeing import CONFUSED
from skarvin.core.transfer.settling import Settled
from skarvin.reports.mark_lists import name_of
from skarvin.reports.masking import identity
from skarvin.reports.rule_words import maxima_in_words

SHORT = 12
_MOST_ITEMS = 40
_ITEM_HEADS = (
    Head("from", most=30),
    Head("to", rank=2, most=26),
    Head("out of", rank=1, is_number=True),
    *(Head(fate.label, is_number=True) for fate in Fate),
)
_NO_STUDENTS = ("row isn't a student", "rows aren't students")
_SAMPLES = 2
_SEEN = 2_000
_ELSEWHERE = frozenset({"may-have-left", CONFUSED, "entry-of-nobody", UNUSED})
"""Notes that are said at another place than among the students."""


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
    fed = (item.target for item in settled.ledger.fed)
    uncounted = [f"'{column.title}'" for column in fed if isinstance(column, Column) and not column.counts]
    remark = wrap(f"Not counted towards the form's total: {listing(uncounted, 12)}.", 2) if uncounted else ""
    return "\n".join(filter(None, [heading("Items"), table, more(len(shown), len(rows), flag), remark]))


def _item_row(totals: ItemBooks) -> tuple[str, ...]:
    item = totals.item
    out_of = maxima_in_words(item)
    target = item.target.called if item.target else "(left out)"
    return (item.source.called, target, out_of, *(f"{totals.fates[fate]:,}" for fate in Fate))


def format_students(settled: Settled, most: int | None = SHORT) -> str:
    """Return who is paired and by what, and everyone of whom nothing is to be decided."""
    pairing, sides = settled.pairing, settled.sides
    by = f"{sides.source.told_by} with {sides.target.told_by}"
    made = {how: [pair for pair in pairing.pairs if pair.by is how] for how in PairedBy}
    people = {how: len({pair.target.row for pair in pairs}) for how, pairs in made.items()}
    rows, sure = len(made[PairedBy.IDENTIFIER]), people[PairedBy.IDENTIFIER]
    parts = [heading("Students")]
    if sure or not pairing.pairs:
        paired = f"  {counted(sure, 'student')} paired by {by}"
        parts.append(paired + (f", in {rows:,} rows" if rows > sure else ""))
    ways = (
        (PairedBy.NAME, "full name"),
        (PairedBy.EVIDENCE, "all that is known"),
        (PairedBy.DECISION, "your decision"),
    )
    for way, words in ways:
        noun = f"{people[way]:,}" if sure else counted(people[way], "student")
        parts += [f"  {noun} paired by {words}"] if people[way] else []
    if pairing.needed:
        needed = ", ".join(f"{step} ({count:,})" for step, count in pairing.needed.items())
        parts.append(wrap(f"ignored to match identifiers: {needed}", 2))
    for side, book in (("export", sides.source), ("form", sides.target)):
        if book.restored:
            restored = ", ".join(f"{what} ({count:,})" for what, count in book.restored.items())
            parts.append(wrap(f"identifiers of the {side} set right: {restored}", 2))
    struck = {one.student.row: one.why.words for one in sides.source.non_students}
    differing = differing_pairs(pairing.pairs)
    groups: list[tuple[str, list[str]]] = [
        (
            f"{counted(len(differing), 'pair')} with names that differ",
            [f"{_student(pair.source)}, form {pair.target.row} {pair.target.name}: {what}" for pair, what in differing],
        ),
        (f"{len(pairing.target_only):,} of the form paired with nobody", list(map(_student, pairing.target_only))),
        *(
            (f"{number_of_people(students)} {title}", list(map(_student, students)))
            for title, students in pairing.unmoved
        ),
        (
            f"{counted(len(struck), *_NO_STUDENTS)}: left out",
            [f"{_student(one.student)}: {struck[one.student.row]}" for one in sides.source.non_students],
        ),
    ]
    for title, lines in groups:
        if lines:
            parts.append(f"  {title}:" if not title.endswith("left out") else f"  {title}")
            parts += [wrap(line, indent=4) for line in lines[:most]]
            parts += filter(None, [more(len(lines[:most]), len(lines), "--all")])
    parts += [wrap(f"{note.what}.", indent=2) for note in settled.notes if note.slug not in _ELSEWHERE]
    return "\n".join(parts)


def _student(student: Student) -> str:
    words = [student.row.in_words, identity(student.identifier.strip()) or "(no identifier)", student.name]
    return "  ".join(filter(None, words))


def format_samples(settled: Settled) -> str:
    """Return a few of the form's rows before and after."""
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
            Head(item.target.called if item.target else "", rank=position + 1, is_number=True, most=16)
            for position, item in enumerate(fed)
        ),
    )
    rows = []
    for entry in sample:
        outcomes = settled.ledger.outcomes_of(entry)[: len(fed)]
        row = str(entry.target.row.number) if entry.target else ""
        rows.append((name_of(entry), row, "before", *(outcome.was.strip() or "-" for outcome in outcomes)))
        after = [outcome.was.strip() if outcome.written is None else outcome.written for outcome in outcomes]
        rows.append(("", "", "after", *(text or "-" for text in after)))
    return f"\n{heading('Sample rows of the form')}\n{format_table(heads, rows)}"
