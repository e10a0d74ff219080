"""The rules for marks, and the scales, that a plan means."""

from collections.abc import Mapping
from decimal import Decimal

from skarvin.core.layout.columns import Column, ItemSource
from skarvin.core.marks.choices import DecimalSign, Gives, Measure, OneSign, OtherMaximum, Repeated, Words
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.scales import WHOLE, Scale, find_faults, make_bands
from skarvin.core.marks.several import Several
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import SAME_MAXIMUM, ItemPlan, Plan, ScalePlan, overlaid
from skarvin.core.plan.spelling import NO_SPELLING, Spelling
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.numbers import decimals_of, plain


def read_scales(plan: Plan, names: Names) -> dict[str, Scale]:
    """Return the plan's scales by their names; complain of those that have gaps, overlaps or a word twice."""
    scales = {}
    for name, pair in plan.scale.items():
        scale = _scale(name, pair)
        scales[name] = scale
        is_used = [item for item in plan.item if item.scale == name]
        steps = [(rules := overlaid(plan.marks, item)).step or Decimal(1).scaleb(-rules.decimals) for item in is_used]
        step = min(steps) if pair.round_first and steps else None
        for fault in find_faults(scale, step):
            names.complain("bad-scale", f"scale '{name}': {fault.what}", *_at(names, name, fault.table, fault.key))
        if not pair.bands and not pair.values and not pair.words and not pair.lines:
            names.complain("bad-scale", f"scale '{name}' says nothing", f"scale.{name}", None)
    return scales


def _at(names: Names, scale: str, table: str, key: str) -> tuple[str, str | None]:
    """Return the table and the key where a scale's line stands, written out or in one line."""
    inner = f"scale.{scale}.{table}"
    return (inner, key) if names.line(inner, "", 0) else (f"scale.{scale}", table)


def _scale(name: str, scale: ScalePlan) -> Scale:
    ranges = {word: at if isinstance(at, tuple) else (at, None) for word, at in scale.bands.items()}
    return Scale(
        name,
        make_bands(ranges),
        tuple((fold_word(word), value) for word, value in scale.values.items()),
        tuple((fold_word(word), other) for word, other in scale.words.items()),
        is_percent=scale.measure is Measure.PERCENT,
        rounds_first=scale.round_first,
        lines=tuple(sorted((Decimal(at), mark) for at, mark in scale.lines.items())),
    )


def mark_rule(  # noqa: PLR0913 - the item, both its columns, and what is known of them
    plan: Plan,
    item: ItemPlan,
    column: ItemSource | None,
    target: Column | None,
    scales: Mapping[str, Scale],
    spelling: Spelling = NO_SPELLING,
) -> MarkRule:
    """Return an item's own rules, and those for all items where it has none.

    The maxima that the headings give hold unless the item says otherwise.

    Args:
        plan: the plan.
        item: the item.
        column: where the marks come from.
        target: where they go.
        scales: the plan's scales.
        spelling: how the target writes the numbers that it has: that counts where nothing is said of it.
    """
    marks = overlaid(plan.marks, item)
    own = OneSign.COMMA if spelling.commas else OneSign.POINT
    scale = scales.get(item.scale or "")
    from_out_of = item.from_out_of or (column.out_of if column else None)
    to_out_of = item.to_out_of or (target.out_of if target else None)
    if target and not item.scale:
        from_out_of, to_out_of = _with_missing(from_out_of, to_out_of, marks.missing_maximum)
    suffix = spelling.suffix if from_out_of is not None and to_out_of in {None, WHOLE} else ""
    return MarkRule(
        from_out_of=from_out_of,
        to_out_of=to_out_of,
        decimals=marks.decimals if marks.step is None else decimals_of(marks.step),
        rounding=marks.rounding,
        step=marks.step,
        blank=marks.blank,
        existing=marks.existing,
        is_comma=marks.decimal_separator is DecimalSign.COMMA,
        above=marks.above,
        blank_code=marks.blank_code,
        statuses=_statuses(plan, item),
        dash=marks.dash,
        ignore_flags=frozenset(map(fold_word, marks.ignore_flags)),
        weight=item.weight,
        scale=scale,
        gives_words=_gives_words(item, scale),
        to_comma=(marks.to_decimal_separator or own) is OneSign.COMMA,
        to_suffix=suffix if marks.to_suffix is None else marks.to_suffix,
        to_zeros=marks.to_zeros,
        to_width=marks.to_width,
        copies_words=marks.words is Words.COPY,
        is_copied=not item.rescale,
        is_either=marks.decimal_separator is DecimalSign.EITHER,
        is_whole=marks.decimal_separator is DecimalSign.NONE,
        rescales_others=marks.other_maximum is OtherMaximum.RESCALE,
    )


def several_rule(plan: Plan, item: ItemPlan | None = None, own: Repeated | None = None) -> Several:
    """Return which of several marks of one student counts: by the item's own rule, or by that of all items."""
    students = plan.students
    which = (item.repeated if item else own) or students.repeated
    beside = (item.status_beside_mark if item else None) or students.status_beside_mark
    return Several(which, beside, students.equal_marks)


def _with_missing(first: Decimal | None, second: Decimal | None, missing: str) -> tuple[Decimal | None, Decimal | None]:
    """Return both maxima where the plan says what holds for a side that gives none."""
    if not missing or (first is None) == (second is None):
        return first, second
    number = (first or second) if missing == SAME_MAXIMUM else Decimal(missing)
    return first or number, second or number


def _statuses(plan: Plan, item: ItemPlan) -> tuple[tuple[str, str], ...]:
    """Return what is sent for each status: by the item's own table, and else by that for all items; not those held."""
    codes = {fold_word(text): code for table in (plan.statuses, item.statuses) for text, code in table.items()}
    return tuple((text, str(code)) for text, code in codes.items() if code is not False)


def _gives_words(item: ItemPlan, scale: Scale | None) -> bool:
    if scale is None:
        return False
    return item.gives is Gives.WORDS if item.gives else not scale.values and not scale.lines


def check_item(item: ItemPlan, index: int, rule: MarkRule, scales: Mapping[str, Scale], names: Names) -> None:
    """Complain of an item's rules that can't be meant together."""
    if item.scale is not None and item.scale not in scales:
        known = ", ".join(scales) or "none"
        what = f'scale = "{item.scale}": there is no such scale (known: {known})'
        names.complain("no-such-scale", what, "item", "scale", index, f"Write its table: [scale.{item.scale}.bands]")
    scale = rule.scale
    if scale and scale.values and (scale.bands or scale.words) and item.gives is None:
        what = f"the scale '{scale.name}' goes both ways"
        names.complain("open-scale", what, "item", "scale", index, 'Add a line: gives = "words", or "marks".')
    if scale and item.gives is Gives.WORDS and not scale.bands and not scale.words:
        names.complain("bad-scale", f"the scale '{scale.name}' has no bands and no words", "item", "gives", index)
    if scale and item.gives is Gives.MARKS and not scale.values and not scale.lines:
        names.complain("bad-scale", f"the scale '{scale.name}' has no values", "item", "gives", index)
    is_in_points = scale and scale.top is not None and not scale.is_percent and rule.from_out_of is not None
    if is_in_points and scale and scale.top and rule.from_out_of and scale.top < rule.from_out_of:
        what = f"the scale '{scale.name}' ends at {plain(scale.top)}, and the item at {plain(rule.from_out_of)}"
        names.complain("bad-scale", what, "item", "scale", index)
    if rule.weight is not None and rule.from_out_of is None:
        what = "a weight needs the item's maximum"
        names.complain("no-maximum", what, "item", "weight", index, "Add a line: from_out_of = ...")
    if rule.weight is not None and scale and scale.lines:
        names.complain("bad-value", "a scale of lines takes no weight", "item", "weight", index)
    if rule.weight is not None and scale and rule.gives_words:
        names.complain("bad-value", "a scale that gives words takes no weight", "item", "weight", index)
