"""What can become of a mark, and the decision for one text that meets one cell."""

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from skarvin.core.marks.convert import Blank, Converted, Existing, MarkRule, convert
from skarvin.core.marks.numbers import read_number


class Fate(StrEnum):
    """What became of a mark."""

    SENT = "sent"
    CHANGED = "changed"
    SAME = "same"
    KEPT = "kept"
    HELD = "held"
    LEFT_OUT = "left out"


@dataclass(frozen=True, slots=True, eq=False)
class Outcome:
    """The fate that every mark with this text, meeting this target cell under this rule, shares.

    Attributes:
        fate: what became of it; None for a target cell that no source mark meets.
        source: the mark as the export has it.
        held: what the target's cell said before.
        raw: the target's cell before, as it stands in the template's file.
        written: what the cell says now, or None if it was left as it is.
        slug: the reason for machines.
        reason: the reason in words, for fates that need one.
        before: the source mark as a number.
        number: the mark as a number of the target, for marks that were sent, changed or the same.
        is_rounded: whether rounding changed it.
    """

    fate: Fate | None
    source: str
    held: str = ""
    raw: str = ""
    written: str | None = None
    slug: str = ""
    reason: str = ""
    before: Decimal | None = None
    number: Decimal | None = None
    is_rounded: bool = False


def decide(source: str, held: str, raw: str, rule: MarkRule) -> Outcome:
    """Return the fate of a mark that meets a cell of the target."""
    if source.strip():
        converted = convert(source, rule)
    elif rule.blank is Blank.LEAVE:
        return Outcome(Fate.LEFT_OUT, source, held, raw, slug="blank", reason="blank")
    elif rule.blank is Blank.HOLD:
        return Outcome(Fate.HELD, source, held, raw, slug="blank", reason="blank")
    else:
        converted = Converted(None, {Blank.ZERO: "0", Blank.CODE: rule.blank_code}.get(rule.blank, ""))
    if converted.text is None:
        return Outcome(
            Fate.HELD,
            source,
            held,
            raw,
            slug=converted.slug,
            reason=converted.reason,
            before=converted.number,
        )
    return _meet(source, held, raw, converted, rule.existing)


def _meet(source: str, held: str, raw: str, converted: Converted, existing: Existing) -> Outcome:
    """Return the fate of a converted mark: what the target holds already has a say."""
    text, before, is_rounded = converted.text or "", converted.number, converted.is_rounded
    new, old = read_number(text), read_number(held)
    is_same = text == held.strip() if new is None or old is None else new == old
    why = converted.reason
    if is_same:
        return Outcome(Fate.SAME, source, held, raw, reason=why, before=before, number=new, is_rounded=is_rounded)
    if not held.strip():
        return Outcome(Fate.SENT, source, held, raw, text, reason=why, before=before, number=new, is_rounded=is_rounded)
    if existing is Existing.KEEP:
        return Outcome(Fate.KEPT, source, held, raw, slug="keep", reason="the target's mark is kept", before=before)
    if existing is Existing.HIGHER:
        if old is None:
            reason = f"the target holds '{held.strip()}', which can't be compared"
            return Outcome(Fate.HELD, source, held, raw, slug="not-comparable", reason=reason, before=before)
        if new is None or new < old:
            return Outcome(
                Fate.KEPT,
                source,
                held,
                raw,
                slug="higher",
                reason="the target's mark is higher",
                before=before,
            )
    return Outcome(Fate.CHANGED, source, held, raw, text, reason=why, before=before, number=new, is_rounded=is_rounded)
