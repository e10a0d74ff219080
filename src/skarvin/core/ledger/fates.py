"""What can become of a mark, and the decision for one text that meets one cell."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from skarvin.core.marks.rule import Blank, Converted, Existing, Rule
from skarvin.core.texts.mark_grammar import DASHES
from skarvin.core.texts.numbers import Number


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
        reason: the reason in words, for fates that need one; or what was done to a mark that was sent.
        before: the source mark as a number.
        number: the mark as a number of the target, for marks that were sent, changed or the same.
        off: by how much rounding changed it.
        note: the other word that it would be given if it were rounded at another point.
        goes_down: whether the target held a higher mark before.
    """

    fate: Fate | None
    source: str
    held: str = ""
    raw: str = ""
    written: str | None = None
    slug: str = ""
    reason: str = ""
    before: Number | None = None
    number: Number | None = None
    off: Fraction = Fraction(0)
    note: str = ""
    goes_down: bool = False


def decide(source: str, held: str, raw: str, rule: Rule) -> Outcome:
    """Return the fate of a mark that meets a cell of the target."""
    shown = rule.shown(source)
    if not rule.is_blank(source):
        converted = rule.convert(source)
    elif rule.blank is Blank.LEAVE:
        return Outcome(Fate.LEFT_OUT, shown, held, raw, slug="blank", reason="blank")
    elif rule.blank is Blank.HOLD:
        return Outcome(Fate.HELD, shown, held, raw, slug="blank", reason="blank")
    else:
        converted = Converted(None, {Blank.ZERO: rule.zero, Blank.CODE: rule.blank_code}.get(rule.blank, ""))
    if converted.text is None:
        fate = Fate.LEFT_OUT if converted.slug == "left-out" else Fate.HELD
        slug = "never-seen" if fate is Fate.LEFT_OUT else converted.slug
        return Outcome(
            fate, shown, held, raw, slug=slug, reason=converted.reason, before=converted.number, note=converted.note
        )
    return _meet(shown, held, raw, converted, rule)


def _meet(source: str, held: str, raw: str, converted: Converted, rule: Rule) -> Outcome:
    """Return the fate of a converted mark: what the target holds already has a say."""
    text, before = converted.text or "", converted.number
    new, old = rule.target_number(text), rule.target_number(held)
    if not text.strip() and not held.strip():  # nothing goes there, whatever says so
        slug, reason = (converted.slug, converted.reason) if converted.reason else ("blank", "blank")
        return Outcome(Fate.LEFT_OUT, source, held, raw, slug=slug, reason=reason, before=before)

    def outcome(fate: Fate, written: str | None, *, goes_down: bool = False) -> Outcome:
        slug, reason = converted.slug, converted.reason
        return Outcome(
            fate, source, held, raw, written, slug, reason, before, new, converted.off, converted.note, goes_down
        )

    is_same = text.strip() == held.strip() if new is None or old is None else new == old
    if is_same:
        return outcome(Fate.SAME, None)
    if not held.strip():
        return outcome(Fate.SENT, text)
    if rule.existing is Existing.ADD:
        added = f"{held.rstrip()}\n{text}"
        return outcome(Fate.SAME, None) if text.strip() in held else outcome(Fate.CHANGED, added)
    old_rank, new_rank = rule.rank(held), rule.rank(text)
    if why := _stands(held, old_rank, new_rank, rule.existing):
        return Outcome(why[0], source, held, raw, slug=why[1], reason=why[2], before=before)
    goes_down = old_rank is not None and (new_rank < old_rank if new_rank is not None else not text.strip())
    return outcome(Fate.CHANGED, text, goes_down=goes_down)


def _stands(held: str, old: Number | None, new: Number | None, existing: Existing) -> tuple[Fate, str, str] | None:
    """Return the fate, the slug and the reason where what the target holds stands; None where it is replaced.

    A dash in the target stands for no mark: only `only if blank` takes notice of it.
    """
    is_placeholder = set(held.strip()) <= DASHES
    if existing is Existing.ONLY_IF_BLANK or (existing is Existing.KEEP and not is_placeholder):
        return Fate.KEPT, "keep", "the target's mark is kept"
    if existing is not Existing.HIGHER or is_placeholder:
        return None
    if old is None:
        return Fate.HELD, "not-comparable", f"the target holds '{held.strip()}', which can't be compared"
    return (Fate.KEPT, "higher", "the target's mark is higher") if new is None or new < old else None
