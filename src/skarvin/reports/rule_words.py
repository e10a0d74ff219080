"""The rules of an item in words, the same on the screen and on the page."""

from skarvin.core.findings import counted, listing
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.rule import Above, Blank, Dash, Existing, Rule
from skarvin.core.marks.scales import Scale
from skarvin.core.marks.verbatim import TextRule
from skarvin.core.texts.numbers import Rounding, plain

_BLANKS = {
    Blank.LEAVE: "a blank leaves the target as it is",
    Blank.ZERO: "a blank is sent as zero",
    Blank.CLEAR: "a blank empties the target's cell",
    Blank.HOLD: "a blank is held",
}
_EXISTING = {
    Existing.REPLACE: "what the target already holds is replaced",
    Existing.KEEP: "what the target already holds is kept",
    Existing.HIGHER: "of two marks the higher stands",
    Existing.ONLY_IF_BLANK: "only a blank cell is filled",
    Existing.ADD: "it is added to what the target already holds",
}


def mark_rule_of(rule: Rule) -> MarkRule | None:
    """Return the rule for marks that a rule is, or is made of; None for texts and answers."""
    if isinstance(rule, MarkRule):
        return rule
    made_of = getattr(rule, "marks", None)
    return made_of if isinstance(made_of, MarkRule) else None


def maxima_in_words(item: MappedItem, arrow: str = "->") -> str:
    """Return an item's maxima: '100 -> 15', or one of them if they are equal."""
    rule = mark_rule_of(item.rule)
    if rule is None:
        return ""
    known = [plain(one) for one in (rule.from_out_of, rule.to_out_of) if one is not None]
    return f" {arrow} ".join(dict.fromkeys(known))


def rule_in_words(rule: Rule) -> str:
    """Return what is done to the marks of an item, in one sentence without its full stop."""
    marks = mark_rule_of(rule)
    if marks:
        parts = _marks(marks)
    elif isinstance(rule, TextRule):
        parts = ["comments travel whole" if rule.is_comment else "the same mark for each"]
    else:
        from skarvin.reports.answer_rules import answers_in_words  # noqa: PLC0415 - most transfers have no answers

        parts = answers_in_words(rule)
    parts += [_blank(rule)] if not isinstance(rule, TextRule) else []
    return "; ".join([*parts, _EXISTING[rule.existing]])


def _blank(rule: Rule) -> str:
    return f"a blank is sent as '{rule.blank_code}'" if rule.blank is Blank.CODE else _BLANKS[rule.blank]


def _marks(rule: MarkRule) -> list[str]:
    parts = [_conversion(rule)]
    if rule.above is not Above.HOLD:
        parts.append("above the maximum is cut" if rule.above is Above.CAP else "above the maximum is allowed")
    if rule.is_comma or rule.to_comma:
        parts.append("the decimal sign is " + " and ".join(_signs(rule)))
    if rule.statuses:
        parts.append(listing([_status(word, code) for word, code in rule.statuses]))
    if rule.dash is Dash.BLANK:
        parts.append("a dash is a blank")
    if rule.copies_words:
        parts.append("letters and words that no scale has are sent as they are")
    if rule.set_aside:
        parts.append(f"set aside behind a mark: {listing(sorted(rule.set_aside))}")
    return parts


def _status(word: str, code: str) -> str:
    return f"{word} is sent as {code}" if code else f"{word} is sent as a blank"


def _signs(rule: MarkRule) -> list[str]:
    ours = ["the comma in the export"] if rule.is_comma else []
    return ours + (["the comma in the target"] if rule.to_comma else [])


def _conversion(rule: MarkRule) -> str:
    if rule.scale and rule.gives_words:
        return _words(rule.scale, rule)
    rounding = (
        "never rounded"
        if rule.rounding is Rounding.NONE
        else f"at most {counted(rule.decimals, 'decimal')}, rounded {rule.rounding.value}"
    )
    what = "copied"
    if rule.weight is not None:
        what = f"worth {plain(rule.weight)} of 100"
    elif rule.rescales and rule.from_out_of and rule.to_out_of:
        what = f"rescaled from {plain(rule.from_out_of)} to {plain(rule.to_out_of)}"
    if rule.scale:
        what = f"words become marks by the scale '{rule.scale.name}', {what}"
    return f"{what}, {rounding}"


def _words(scale: Scale, rule: MarkRule) -> str:
    if not scale.bands:
        return f"words become the target's by the scale '{scale.name}'"
    measure = " percent" if scale.is_percent else ""
    bands = ", ".join(f"{band.word} from {plain(band.start)}" for band in scale.bands)
    when = f"after rounding to {counted(rule.decimals, 'decimal')}" if scale.rounds_first else "before any rounding"
    return f"banded {when}: {bands}{measure}"
