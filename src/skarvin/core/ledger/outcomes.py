"""The decision for one text that meets one cell: what becomes of the mark, and of the cell."""

from fractions import Fraction
from typing import NamedTuple

import msgspec

from skarvin.core.marks.choices import Blank, Existing
from skarvin.core.marks.rule import Converted, Rule
from skarvin.core.reasons import Cause, Fate, Reason
from skarvin.core.texts.mark_grammar import DASHES
from skarvin.core.texts.numbers import Number

BLANK = Reason(Cause.BLANK, "blank")
SKIPPED = Reason(Cause.SKIPPED, "skipped: no answer was given")


class Correction(NamedTuple):
    """What a person puts in the place of a mark, who does, and why; or why it can't be told what the mark is."""

    text: str
    by: str
    why: str
    contested: str = ""


class Outcome(msgspec.Struct, frozen=True, eq=False):
    """The fate that every mark with this text, meeting this target cell under this rule, shares.

    Attributes:
        fate: what became of it; None for a target cell that no source mark meets.
        source: the mark as the export has it.
        was: what the target's cell said before.
        raw: the target's cell before, as it stands in the form's file.
        written: what the cell says now, or None if it was left as it is.
        why: the reason, for fates that need one; or what was done to a mark that was sent.
        before: the source mark as a number.
        number: the mark as a number of the target, for marks that were sent, changed or the same.
        off: by how much rounding changed it.
        note: the other word that it would be given if it were rounded at another point.
        goes_down: whether the target had a higher mark before.
        last: what was sent last; blank if nothing was, or nothing is known of it.
        there: what the target says now, where the form doesn't say so; None where it does.
        correction: what a person put in the mark's place, if so.
    """

    fate: Fate | None
    source: str
    was: str = ""
    raw: str = ""
    written: str | None = None
    why: Reason | None = None
    before: Number | None = None
    number: Number | None = None
    off: Fraction = Fraction(0)
    note: str = ""
    goes_down: bool = False
    last: str = ""
    there: str | None = None
    correction: Correction | None = None

    @property
    def in_target(self) -> str:
        """What the target says now, as far as that is known."""
        return self.was if self.there is None else self.there


def decide(  # noqa: PLR0913 - what meets what, and why nothing may be there
    source: str,
    was: str,
    raw: str,
    rule: Rule,
    *,
    is_unseen: bool = False,
    is_skipped: bool = False,
    existing: Existing | None = None,
) -> Outcome:
    """Return the fate of a mark that meets a cell of the target.

    Args:
        source: the mark as the export has it.
        was: what the cell says.
        raw: how that stands in the file.
        rule: the item's rule.
        is_unseen: whether the mark was never asked for, such as the answer to a question that a student never saw.
        is_skipped: whether it was asked for, and not given.
        existing: what becomes of what the cell says, if not what the rule says.
    """
    shown = rule.shown(source)
    if is_unseen:
        converted = rule.convert_unseen()
    elif not rule.is_blank(source):
        converted = rule.convert(source)
    elif rule.blank is Blank.LEAVE:
        return Outcome(Fate.LEFT_OUT, shown, was, raw, why=SKIPPED if is_skipped else BLANK)
    elif rule.blank is Blank.HOLD:
        why = Reason(Cause.SKIPPED_HELD, SKIPPED.words) if is_skipped else Reason(Cause.BLANK_HELD, "blank")
        return Outcome(Fate.HELD, shown, was, raw, why=why)
    else:
        converted = Converted(None, {Blank.ZERO: rule.zero, Blank.CODE: rule.blank_code}.get(rule.blank, ""))
    if converted.text is None:
        fate = converted.why.fate if converted.why else Fate.HELD
        return Outcome(fate, shown, was, raw, why=converted.why, before=converted.number, note=converted.note)
    return _meet(shown, was, raw, converted, rule, existing or rule.existing)


def _meet(  # noqa: PLR0913 - what meets what, and by which rules
    source: str, was: str, raw: str, converted: Converted, rule: Rule, existing: Existing
) -> Outcome:
    """Return the fate of a converted mark: what the target has already has a say."""
    text, before = converted.text or "", converted.number
    new = rule.target_number(text)
    if not text.strip() and not was.strip():  # nothing goes there, whatever says so
        return Outcome(Fate.LEFT_OUT, source, was, raw, why=converted.why or BLANK, before=before)

    def outcome(fate: Fate, written: str | None, *, goes_down: bool = False) -> Outcome:
        return Outcome(
            fate=fate,
            source=source,
            was=was,
            raw=raw,
            written=written,
            why=converted.why,
            before=before,
            number=new,
            off=converted.off,
            note=converted.note,
            goes_down=goes_down,
        )

    if is_same(text, was, rule):
        return outcome(Fate.SAME, None)
    if not was.strip():
        return outcome(Fate.SENT, text)
    if existing is Existing.ADD:
        added = f"{was.rstrip()}\n{text}"
        return outcome(Fate.SAME, None) if text.strip() in was else outcome(Fate.CHANGED, added)
    old_rank, new_rank = rule.rank(was), rule.rank(text)
    if why := _stands(was, old_rank, new_rank, existing):
        return Outcome(why.fate, source, was, raw, why=why, before=before)
    goes_down = old_rank is not None and (new_rank < old_rank if new_rank is not None else not text.strip())
    return outcome(Fate.CHANGED, text, goes_down=goes_down)


def unwritten(outcome: Outcome, why: Reason) -> Outcome:
    """Return the outcome of a mark that isn't sent after all; the target's cell stays as it is."""
    return Outcome(
        why.fate,
        outcome.source,
        outcome.was,
        outcome.raw,
        why=why,
        before=outcome.before,
        last=outcome.last,
        there=outcome.there,
        correction=outcome.correction,
    )


def is_same(first: str, second: str, rule: Rule) -> bool:
    """Tell whether two texts are one mark of the target: the same number, or the same text."""
    numbers = rule.target_number(first), rule.target_number(second)
    return first.strip() == second.strip() if None in numbers else numbers[0] == numbers[1]


def _stands(was: str, old: Number | None, new: Number | None, existing: Existing) -> Reason | None:
    """Return the reason where what the target has stands; None where it is replaced.

    A dash in the target stands for no mark: only `only if blank` takes notice of it.
    """
    is_placeholder = set(was.strip()) <= DASHES
    if existing is Existing.ONLY_IF_BLANK or (existing is Existing.KEEP and not is_placeholder):
        return Reason(Cause.KEEP, "the target's mark is kept")
    if existing is not Existing.HIGHER or is_placeholder:
        return None
    if old is None:
        return Reason(Cause.NOT_COMPARABLE, f"the target has '{was.strip()}', which can't be compared")
    return Reason(Cause.HIGHER, "the target's mark is higher") if new is None or new < old else None
