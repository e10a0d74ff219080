"""Three values for one mark: what was sent last, what the target says now, and what the export says now."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Row
from skarvin.core.ledger.codes import CodeTable
from skarvin.core.ledger.outcomes import BLANK, Outcome, decide, is_same, unwritten
from skarvin.core.marks.choices import Existing, SinceCorrected, SinceSend
from skarvin.core.marks.rule import Rule
from skarvin.core.reasons import Cause, Fate, Reason
from skarvin.core.texts.mark_grammar import DASHES

HISTORY = "skarvin-history.db"
"""What the history of a folder's transfers is called."""
_WRITTEN = (Fate.SENT, Fate.CHANGED)
_OLDER_FORM = Reason(Cause.OLDER_FORM, "the form is older than the target: written so that the upload doesn't undo it")
_STALE = Reason(Cause.STALE_FORM, "the form is older than the write before")
_ONLY_MISSING = Reason(Cause.ONLY_MISSING, "only what is missing in the target is sent")


class Known(NamedTuple):
    """What is known of a cell of the target besides the form.

    Attributes:
        last: what was sent last; blank if nothing was.
        there: what the target says now; None where the form says it, or nothing does.
        is_stale: whether the form's mark was replaced by a write, and nothing says what has become of that.
    """

    last: str = ""
    there: str | None = None
    is_stale: bool = False


class KnownCells(NamedTuple):
    """What is known of the form's cells, coded.

    Attributes:
        known: what each code stands for; None where the form says all.
        codes: a row for each student, a column for each item.
        rows: the place of each student's row.
        columns: the place of each of the form's columns.
    """

    known: Sequence[Known | None]
    codes: CodeTable
    rows: Mapping[Row, int]
    columns: Mapping[int, int]


class SinceRule(NamedTuple):
    """What becomes of marks that changed after they were sent: in the target, on both sides; and which are sent."""

    corrected: SinceCorrected = SinceCorrected.KEEP
    both: SinceCorrected = SinceCorrected.HOLD
    send: SinceSend = SinceSend.NEW


def decide_since(  # noqa: PLR0913 - the three values, and the rules
    source: str,
    cell: tuple[str, str],
    rule: Rule,
    known: Known,
    since: SinceRule,
    *,
    is_unseen: bool = False,
    is_skipped: bool = False,
) -> Outcome:
    """Return the fate of a mark that meets a cell of which more is known than the form says.

    Args:
        source: the mark as the export has it.
        cell: what the form's cell says, and how that stands in the file.
        rule: the item's rule.
        known: what was sent last, and what the target says now.
        since: what becomes of marks that changed.
        is_unseen: whether the mark was never asked for.
        is_skipped: whether it was asked for, and not given.
    """
    was, raw = cell
    now = was if known.there is None else known.there
    is_ours = bool(known.last) and is_same(now, known.last, rule)
    existing = Existing.REPLACE if is_ours and rule.existing is Existing.KEEP else None
    outcome = decide(source, now, raw, rule, is_unseen=is_unseen, is_skipped=is_skipped, existing=existing)
    outcome = replace(outcome, was=was, last=known.last, there=known.there)
    if outcome.fate is Fate.SAME and known.there is not None and not set(was.strip()) <= DASHES:
        return replace(outcome, fate=Fate.CHANGED, written=now, why=_OLDER_FORM)
    if not known.last:
        return outcome
    if known.is_stale:
        return unwritten(outcome, _STALE)
    if outcome.fate is Fate.LEFT_OUT and outcome.why == BLANK and rule.is_blank(source):
        return replace(outcome, why=Reason(Cause.VANISHED, f"gone from the export; '{known.last}' was sent before"))
    if outcome.fate not in _WRITTEN:
        return outcome
    return _sent_before(outcome, now, rule, since, is_ours=is_ours)


def _sent_before(outcome: Outcome, now: str, rule: Rule, since: SinceRule, *, is_ours: bool) -> Outcome:
    """Return what becomes of a mark that would be written, and was sent before."""
    is_new = not is_same(outcome.written or "", outcome.last, rule)
    if is_ours:
        return unwritten(outcome, _ONLY_MISSING) if since.send is SinceSend.MISSING else outcome
    sent, there = f"'{outcome.last}' was sent before", f"the target says '{now.strip()}' now"
    is_cleared = set(now.strip()) <= DASHES
    if is_new:
        what = f"changed on both sides: {sent}, {'the target is blank now' if is_cleared else there}"
        return _ruled(outcome, since.both, Reason(Cause.BOTH_KEPT, what), Reason(Cause.BOTH_CHANGED, what))
    if is_cleared:
        if since.send is not SinceSend.NEW:
            return replace(
                outcome, why=Reason(Cause.SENT_AGAIN, f"sent again: {sent}, and it is missing in the target")
            )
        what = f"missing in the target now; {sent}"
        return _ruled(outcome, since.corrected, Reason(Cause.CLEARED, what), Reason(Cause.CLEARED_HELD, what))
    what = f"corrected in the target: {sent}"
    return _ruled(outcome, since.corrected, Reason(Cause.CORRECTED, what), Reason(Cause.CORRECTED_HELD, what))


def _ruled(outcome: Outcome, ruling: SinceCorrected, kept: Reason, held: Reason) -> Outcome:
    if ruling is SinceCorrected.SEND:
        return outcome
    return unwritten(outcome, kept if ruling is SinceCorrected.KEEP else held)
