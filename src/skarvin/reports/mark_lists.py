"""The lists of marks of which something is to be said: titles, which marks stand in each, what is said of a mark.

Terminal and page show the same lists; the workbook says the same of a mark.
"""

from collections.abc import Callable, Iterator
from itertools import islice
from typing import NamedTuple

from skarvin.core.ledger.ledger import Entry, Line
from skarvin.core.ledger.outcomes import Correction, Outcome
from skarvin.core.reasons import Cause, Fate
from skarvin.core.transfer.settling import Settled
from skarvin.reports.masking import identity
from skarvin.reports.since_words import change_order, fate_in_words, has_changed

_BLANK = "(blank)"
_MOVED = frozenset({Fate.SENT, Fate.CHANGED})
_THERE = frozenset({Fate.SENT, Fate.CHANGED, Fate.SAME})


class Said(NamedTuple):
    """What is said of each mark, below a heading.

    Attributes:
        heading: the heading, in lower case.
        of: the text of one mark.
        is_number: whether most of the texts are numbers.
        is_long: whether it is a sentence.
        is_besides: whether it is said where there is room: not on a terminal.
    """

    heading: str
    of: Callable[[Line], str]
    is_number: bool = False
    is_long: bool = False
    is_besides: bool = False


class MarkList(NamedTuple):
    """A list: its title, which outcomes stand in it, and what is said of each beside student, item and place."""

    title: str
    is_meant: Callable[[Outcome], bool]
    said: tuple[Said, ...]
    noun: str = "mark"
    order: Callable[[Outcome], int] | None = None
    """What comes first; student by student where nothing is said."""

    def count(self, settled: Settled) -> int:
        """Return how many marks stand in it."""
        codes = self._codes(settled)
        return sum(counts[code] for counts in settled.ledger.counts for code in codes)

    def lines(self, settled: Settled, most: int | None = None) -> list[Line]:
        """Return its marks, or the first of them."""
        found: Iterator[Line] = settled.ledger.lines_with(self._codes(settled))
        if order := self.order:
            found = iter(sorted(found, key=lambda line: order(line.outcome)))
        return list(islice(found, most))

    def _codes(self, settled: Settled) -> set[int]:
        return {code for code, outcome in enumerate(settled.ledger.outcomes) if self.is_meant(outcome)}


def name_of(entry: Entry) -> str:
    """Return what a student is called: by name, or else by identifier."""
    student = entry.source or entry.target
    return (student.name or identity(student.identifier.strip())) if student else ""


def place_of(line: Line) -> str:
    """Return the cell of the export in which a mark stands."""
    return line.item.cell(line.entry.source.row) if line.entry.source else ""


def reason_of(line: Line) -> str:
    """Return why a mark has its fate, in words."""
    return line.outcome.why.words if line.outcome.why else ""


def in_export(line: Line) -> str:
    """Return the mark as the export has it."""
    return line.outcome.source.strip()


def before(line: Line) -> str:
    """Return what the form has."""
    return line.outcome.in_target.strip()


def after(line: Line) -> str:
    """Return what the import file has."""
    outcome = line.outcome
    return (outcome.in_target if outcome.written is None else outcome.written).strip()


def _or_blank(text: Callable[[Line], str]) -> Callable[[Line], str]:
    return lambda line: text(line) or _BLANK


def _in_form(line: Line) -> str:
    """Return the cell of the form."""
    entry, column = line.entry, line.item.target
    return entry.target.row.cell(column.index) if entry.target and column else ""


def _corrected(line: Line) -> Correction:
    return line.outcome.correction or Correction("", "", "")


def _has(*causes: Cause) -> Callable[[Outcome], bool]:
    return lambda outcome: outcome.why is not None and outcome.why.cause in causes


_is_sent_as_blank = _has(Cause.SENT_AS_BLANK)


def _is_remarked(outcome: Outcome) -> bool:
    return outcome.fate in _THERE and outcome.why is not None and not _is_sent_as_blank(outcome)


MARK = Said("mark", in_export)
REASON = Said("reason", reason_of, is_long=True)
_CHANGE = (
    Said("cell of the form", _in_form, is_besides=True),
    Said("export", in_export, is_number=True, is_besides=True),
    Said("before", _or_blank(before), is_number=True),
    Said("after", _or_blank(after), is_number=True),
)
SINCE = MarkList(
    "Changed since they were sent",
    has_changed,
    (
        Said("sent before", _or_blank(lambda line: line.outcome.last.strip()), is_number=True),
        Said("target now", _or_blank(before), is_number=True),
        Said("export now", _or_blank(in_export), is_number=True),
        Said("so", lambda line: fate_in_words(line.outcome), is_long=True),
    ),
    order=change_order,
)
CLOSE = MarkList(
    "Close to a boundary",
    lambda outcome: bool(outcome.note),
    (MARK._replace(is_besides=True), Said("reason", lambda line: line.outcome.note, is_long=True)),
)
REMARKED = MarkList("Sent with a remark", _is_remarked, (MARK, REASON))
ROUNDED = MarkList(
    "Rounded",
    lambda outcome: bool(outcome.off) and outcome.fate in _MOVED,
    (Said("mark", in_export, is_number=True), Said("becomes", after, is_number=True)),
)
OF_ITEMS = (
    MarkList(
        "Corrected",
        lambda outcome: outcome.correction is not None,
        (
            Said("export", in_export, is_number=True),
            Said("correction", lambda line: _corrected(line).text, is_number=True),
            Said("by", lambda line: _corrected(line).by),
            Said("fate", lambda line: line.outcome.fate.label if line.outcome.fate else "", is_besides=True),
            Said("why", lambda line: _corrected(line).why, is_long=True),
        ),
    ),
    MarkList("Lower than before", lambda outcome: outcome.fate is Fate.CHANGED and outcome.goes_down, _CHANGE),
    MarkList("Replaced", lambda outcome: outcome.fate is Fate.CHANGED, _CHANGE),
    MarkList(
        "Kept as the form has them",
        lambda outcome: outcome.fate is Fate.KEPT,
        (_CHANGE[0], _CHANGE[2], Said("export", in_export, is_number=True)),
    ),
    MarkList("Sent as a blank", _is_sent_as_blank, (MARK,)),
    MarkList(
        "Comments that stay behind",
        _has(Cause.NO_MARK, Cause.MARK_KEPT),
        (Said("comment", in_export, is_besides=True), REASON),
        "comment",
    ),
)
"""What is said item by item, but for rounded marks: those come last, since there are many of them."""
