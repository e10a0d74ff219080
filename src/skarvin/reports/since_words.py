"""What has changed since the last write, mark by mark: sent before, in the target now, in the export now."""

from collections import Counter
from typing import Any

from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Cause, Fate
from skarvin.core.transfer.settling import Settled

_EXPORT, _TARGET, _BOTH_SIDES = "corrected in the export", "corrected in the target", "changed on both sides"
_NOT_THERE, _GONE, _OLDER = "missing in the target", "gone from the export", "as sent, in an older form"
_NEW, _SAME = "new", "as sent before"
_ORDER = (_BOTH_SIDES, _GONE, _TARGET, _NOT_THERE, _EXPORT, _NEW, _OLDER, _SAME)


_BY_CAUSE = {
    **dict.fromkeys((Cause.BOTH_CHANGED, Cause.BOTH_KEPT), _BOTH_SIDES),
    **dict.fromkeys((Cause.CORRECTED, Cause.CORRECTED_HELD), _TARGET),
    **dict.fromkeys((Cause.CLEARED, Cause.CLEARED_HELD, Cause.SENT_AGAIN), _NOT_THERE),
    Cause.VANISHED: _GONE,
    Cause.OLDER_FORM: _OLDER,
    Cause.ONLY_MISSING: _EXPORT,
}
_BY_FATE = {Fate.SENT: _EXPORT, Fate.CHANGED: _EXPORT, Fate.SAME: _SAME}


def change_of(outcome: Outcome) -> str:
    """Return what has changed of a mark since it was sent; blank where it can't be told, or there is none."""
    if not outcome.last:
        return _NEW if outcome.fate is Fate.SENT else ""
    by_fate = _BY_FATE.get(outcome.fate, "") if outcome.fate else ""
    return _BY_CAUSE.get(outcome.why.cause, by_fate) if outcome.why else by_fate


def since_counts(settled: Settled) -> "Counter[str]":
    """Return how many marks have changed how since the last write."""
    found: Counter[str] = Counter()
    if not settled.since.is_known:
        return found
    changes = [change_of(outcome) for outcome in settled.ledger.outcomes]
    for index, item in enumerate(settled.ledger.items):
        for code, count in settled.ledger.counts[index].items() if item.target else ():
            if changes[code]:
                found[changes[code]] += count
    return found


def since_sentence(settled: Settled) -> str:
    """Return what has changed since the last write, in one sentence; blank where nothing is known of one."""
    counts = since_counts(settled)
    if not counts:
        return ""
    origin = settled.since.origin or "the target's fresh export"
    return f"Since {origin}: {', '.join(f'{counts[one]:,} {one}' for one in _ORDER if counts[one])}."


def has_changed(outcome: Outcome) -> bool:
    """Tell whether something has changed of a mark since it was sent."""
    return change_of(outcome) not in {"", _NEW, _SAME}


def change_order(outcome: Outcome) -> int:
    """Return the place of a change among others: what needs a person comes first."""
    return _ORDER.index(change_of(outcome))


def fate_in_words(outcome: Outcome) -> str:
    """Return what became of a mark that was sent before: its change and its fate."""
    fate = outcome.fate.label if outcome.fate else ""
    return f"{change_of(outcome)}: {fate}"


def since_data(settled: Settled) -> dict[str, Any] | None:
    """Return the same as data; None where nothing is known of an earlier write."""
    counts = since_counts(settled)
    if not counts:
        return None
    return {"origin": settled.since.origin, "counts": {one: counts[one] for one in _ORDER}}
