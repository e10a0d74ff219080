"""Of which marks and totals something is to be said, wherever it is said."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.ledger.ledger import Line
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Cause, Fate
from skarvin.core.transfer.settling import Settled

_MOVED = frozenset({Fate.SENT, Fate.CHANGED})
_THERE = frozenset({Fate.SENT, Fate.CHANGED, Fate.SAME})


class LostTotal(NamedTuple):
    """A total that can't be calculated for a student: the row, the total's name and the reason."""

    row: Row
    name: str
    reason: str


def lost_totals(settled: Settled) -> list[LostTotal]:
    """Return the totals that can't be calculated and aren't sent: those that are stand among the held marks."""
    sent = {item.source for item in settled.ledger.items}
    return [
        LostTotal(row, result.total.rule.name, result.values[row].reason)
        for result in settled.made.totals
        if result.total.column not in sent
        for row in result.held
    ]


def is_remarked(outcome: Outcome) -> bool:
    """Tell whether a mark was sent, or is there already, with something to be said of it."""
    return outcome.fate in _THERE and outcome.why is not None and outcome.why.cause is not Cause.SENT_AS_BLANK


def is_sent_as_blank(outcome: Outcome) -> bool:
    """Tell whether a status is sent as a blank."""
    return outcome.why is not None and outcome.why.cause is Cause.SENT_AS_BLANK


def is_rounded(outcome: Outcome) -> bool:
    """Tell whether rounding changed a mark that is sent."""
    return bool(outcome.off) and outcome.fate in _MOVED


def is_comment_kept_back(outcome: Outcome) -> bool:
    """Tell whether a comment stays behind since no mark of its item goes, and none is held for it."""
    return outcome.why is not None and outcome.why.cause in {Cause.NO_MARK, Cause.MARK_KEPT}


def is_close(outcome: Outcome) -> bool:
    """Tell whether a mark lies close to a boundary of its scale."""
    return bool(outcome.note)


def is_corrected(outcome: Outcome) -> bool:
    """Tell whether a person put another mark in its place."""
    return outcome.correction is not None


def lines_of(settled: Settled, is_meant: Callable[[Outcome], bool]) -> list[Line]:
    """Return the marks whose outcome is meant, student by student."""
    return list(lines_meant(settled, is_meant))


def lines_meant(settled: Settled, is_meant: Callable[[Outcome], bool]) -> Iterator[Line]:
    """Yield the same one by one, for whoever takes only the first."""
    return settled.ledger.lines_with(_codes(settled, is_meant))


def count_of(settled: Settled, is_meant: Callable[[Outcome], bool]) -> int:
    """Return how many marks have an outcome that is meant."""
    codes = _codes(settled, is_meant)
    return sum(counts[code] for counts in settled.ledger.counts for code in codes)


def _codes(settled: Settled, is_meant: Callable[[Outcome], bool]) -> set[int]:
    return {code for code, outcome in enumerate(settled.ledger.outcomes) if is_meant(outcome)}
