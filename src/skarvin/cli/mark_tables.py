"""The marks of which something is to be said, each with student, item and place."""

from collections.abc import Callable, Iterable, Sequence

from skarvin.cli.output import heading, more
from skarvin.cli.table import Head, format_table
from skarvin.core.findings import counted
from skarvin.core.ledger.ledger import Entry, Line
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Cause, Fate
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.settling import Settled
from skarvin.reports.masking import identity
from skarvin.reports.since_words import fate_in_words, since_lines
from skarvin.reports.worth_saying import is_comment_kept_back, is_corrected, is_remarked, is_rounded, lines_of

STUDENT, ITEM, PLACE = Head("student", most=28, least=12), Head("item", most=30, least=10), Head("place")
REASON = Head("reason", least=24, wraps=True)


def format_marks(settled: Settled, most: int | None) -> str:
    """Return the marks of which something is to be said, each with student, item and place."""
    ledger = settled.ledger
    replaced = list(ledger.lines([Fate.CHANGED]))
    lower = [line for line in replaced if line.outcome.goes_down]
    kept = list(ledger.lines([Fate.KEPT]))
    before, after = Head("before", is_number=True, most=20), Head("after", is_number=True, most=20)
    now, export = Head("now", is_number=True, most=20), Head("export", is_number=True, most=20)
    parts = [
        *_since(settled, most),
        *_corrected(settled, most),
        *_marks("Lower than before", (STUDENT, ITEM, PLACE, before, now), lower, _change, most),
        *_marks("Replaced", (STUDENT, ITEM, PLACE, before, after), replaced, _change, most),
        *_marks("Kept as the form has them", (STUDENT, ITEM, PLACE, before, export), kept, _kept, most),
    ]
    word = (STUDENT, ITEM, PLACE, Head("mark", most=20), REASON)
    blanks = list(ledger.lines_because(Cause.SENT_AS_BLANK))
    parts += _marks("Sent as a blank", word[:4], blanks, lambda line: (line.outcome.source.strip(),), most)
    parts += _marks("Sent with a remark", word, lines_of(settled, is_remarked), _mark_and_reason, most)
    back = lines_of(settled, is_comment_kept_back)
    parts += _marks("Comments that stay behind", (STUDENT, ITEM, PLACE, REASON), back, _reason_alone, most, "comment")
    parts += _rounded(settled, most)
    parts += _left_out_of_one(settled, most)
    return "\n".join(parts)


def _marks(  # noqa: PLR0913 - the parts of a table
    title: str,
    heads: Sequence[Head],
    lines: Sequence[Line],
    rest: Callable[[Line], tuple[str, ...]],
    most: int | None,
    noun: str = "mark",
) -> list[str]:
    """Return a titled table of marks, each with student, item and place, and what else there is to say."""
    if not lines:
        return []
    rows = [(*about(line), *rest(line)) for line in lines[:most]]
    title = heading(f"{title}: {counted(len(lines), noun)}")
    return ["", title, format_table(heads, rows), *filter(None, [more(len(rows), len(lines), "--all")])]


def about(line: Line) -> tuple[str, str, str]:
    """Return the student, the item and the place of a mark in the export."""
    source = line.entry.source
    return name_of(line.entry), line.item.source.called, line.item.cell(source.row) if source else ""


def _since(settled: Settled, most: int | None) -> list[str]:
    """Return the marks that have changed since they were sent, each with its three values."""
    heads = (
        STUDENT,
        ITEM,
        PLACE,
        Head("sent before", is_number=True, most=14),
        Head("target now", is_number=True, most=14),
        Head("export now", is_number=True, most=14),
        Head("so", least=24, wraps=True),
    )
    lines = since_lines(settled)
    return _marks("Changed since they were sent", heads, lines, _three_values, most)


def _corrected(settled: Settled, most: int | None) -> list[str]:
    """Return the marks that a person corrected in the list of held marks."""
    export, instead = Head("export", is_number=True, most=16), Head("correction", is_number=True, most=16)
    heads = (STUDENT, ITEM, PLACE, export, instead, Head("by", rank=1, most=20), Head("why", least=16, wraps=True))
    return _marks("Corrected", heads, lines_of(settled, is_corrected), _correction, most)


def _correction(line: Line) -> tuple[str, ...]:
    correction = line.outcome.correction
    return (line.outcome.source.strip(), *(correction or ())[:3])


def _three_values(line: Line) -> tuple[str, str, str, str]:
    outcome = line.outcome
    texts = (outcome.last, outcome.in_target, outcome.source)
    return (*(text.strip() or "-" for text in texts), fate_in_words(outcome))  # type: ignore[return-value]


def _mark_and_reason(line: Line) -> tuple[str, str]:
    return line.outcome.source.strip(), reason(line.outcome)


def _reason_alone(line: Line) -> tuple[str]:
    return (reason(line.outcome),)


def _change(line: Line) -> tuple[str, str]:
    return line.outcome.in_target.strip() or "-", line.outcome.written or "(blank)"


def _kept(line: Line) -> tuple[str, str]:
    return line.outcome.in_target.strip() or "-", line.outcome.source.strip()


def _rounded(settled: Settled, most: int | None) -> list[str]:
    """Return how many marks rounding changed; each of them where all is asked for."""
    rounded = sum(count for totals in settled.totals for _, count in totals.rounded)
    if not rounded:
        return []
    largest = plain(max(totals.largest_change for totals in settled.totals))
    if most is not None:
        title = heading(f"Rounded: {counted(rounded, 'mark')}")
        return ["", f"{title}, by at most {largest}; --all lists {'it' if rounded == 1 else 'them'}"]
    lines = lines_of(settled, is_rounded)
    heads = (STUDENT, ITEM, PLACE, Head("mark", is_number=True), Head("becomes", is_number=True))
    return _marks(f"Rounded, by at most {largest}", heads, lines, _becomes, most)


def _becomes(line: Line) -> tuple[str, str]:
    outcome = line.outcome
    return outcome.source.strip(), outcome.was.strip() if outcome.written is None else outcome.written


def _left_out_of_one(settled: Settled, most: int | None) -> list[str]:
    """Return the marks of items that are left out, where one student alone is moved."""
    people = {pair.target.row for pair in settled.pairing.pairs}
    if len(people) != 1:
        return []
    there = {pair.source.row for pair in settled.pairing.pairs}
    left: Iterable[Line] = settled.ledger.lines_because(Cause.NOT_MAPPED)
    own = (line for line in left if line.entry.source and line.entry.source.row in there)
    lines = [line for line in own if line.outcome.source.strip()]
    heads = (STUDENT, ITEM, PLACE, Head("mark", most=20), REASON)
    return _marks("Not sent, since the item is left out", heads, lines, _mark_and_reason, most)


def reason(outcome: Outcome) -> str:
    """Return why a mark has its fate, in words."""
    return outcome.why.words if outcome.why else ""


def name_of(entry: Entry) -> str:
    """Return what a student is called: by name, or else by identifier."""
    student = entry.source or entry.target
    return (student.name or identity(student.identifier.strip())) if student else ""
