"""What rules for totals give for a whole class, and where the source's own totals differ."""

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from graphlib import CycleError, TopologicalSorter
from itertools import repeat
from operator import is_
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Row
from skarvin.core.marks.choices import EmptyCategory, Equal, Missing
from skarvin.core.marks.convert import BLANK_KIND, Points
from skarvin.core.marks.totals.evaluate import (
    Marks,
    NothingInCategory,
    NothingToDivideBy,
    TooManyDigits,
    empty_categories,
    evaluate,
    moments,
    names,
    weightless,
)
from skarvin.core.marks.totals.tree import (
    FormulaFault,
    InCategory,
    Key,
    Lifted,
    Limited,
    MomentKey,
    Node,
    Part,
    Ranked,
    TotalKey,
)
from skarvin.core.texts.numbers import Number, Rounding, round_to, shortest

_SHOWN = 8
"""So many totals of a circle are named."""


class TotalRule(msgspec.Struct, frozen=True, dict=True):
    """How a total is computed.

    Attributes:
        name: how the transfer calls it.
        formula: the checked formula.
        text: the formula as it was written.
        parts: what the formula's names mean.
        missing: what a missing mark means.
        missing_as: what some of them mean, by their kind: `blank`, or the folded word of a status.
        missing_in: the same for the items of one category, by its name.
        empty: what a category means of which nothing counts; `""` rules all that have no rule of their own.
        equal: which of several equal marks counts first.
        decimals: to how many decimals it is rounded, once, at the end.
        rounding: how.
        out_of: its maximum, if one was stated.
    """

    name: str
    formula: Node | Ranked
    text: str
    parts: Mapping[str, Part]
    missing: Missing = Missing.LEAVE_OUT
    decimals: int = 2
    rounding: Rounding = Rounding.HALF_UP
    out_of: Decimal | None = None
    missing_as: Mapping[str, Missing] = msgspec.field(default_factory=dict)
    missing_in: Mapping[str, Mapping[str, Missing]] = msgspec.field(default_factory=dict)
    empty: Mapping[str, EmptyCategory] = msgspec.field(default_factory=dict)
    equal: Equal = Equal.FIRST

    @cached_property
    def keys(self) -> tuple[Key, ...]:
        """The keys of all items, totals and moments that it needs."""
        found = [key for name in names(self.formula) for key in self.parts[name.name].items]
        found += [self.parts[moment.part].items[0] for moment in moments(self.formula)]
        return tuple(dict.fromkeys(found))

    @cached_property
    def read_keys(self) -> tuple[int | MomentKey, ...]:
        """The keys of what is read of the export for it, in the order of `ordered`."""
        bare = (key.key if isinstance(key, InCategory) else key for key in self.ordered)
        return tuple(key for key in bare if not isinstance(key, TotalKey | InCategory))

    @cached_property
    def items(self) -> tuple[int, ...]:
        """The places of the items that it needs."""
        return tuple(key for key in self.read_keys if not isinstance(key, MomentKey))

    @cached_property
    def totals(self) -> tuple[int, ...]:
        """The positions of the totals that it needs."""
        return tuple(key.place for key in map(_bare, self.keys) if isinstance(key, TotalKey))

    @cached_property
    def ordered(self) -> tuple[Key, ...]:
        """The keys of what it reads of the export, and behind them those of the totals."""
        return tuple(sorted(self.keys, key=lambda key: isinstance(_bare(key), TotalKey)))

    @cached_property
    def has_own_rules(self) -> bool:
        """Whether marks that are missing are ruled by their kind, or by the category."""
        return bool(self.missing_as or self.missing_in)

    def missing_rule(self, key: Key, kind: str) -> Missing | None:
        """Return what a text that is no number means, where its kind is ruled by itself."""
        own = self.missing_in.get(key.category, {}).get(kind) if isinstance(key, InCategory) else None
        return own or self.missing_as.get(kind)

    def empty_rule(self, category: str) -> EmptyCategory:
        """Return what a category means of which nothing counts."""
        return self.empty.get(category) or self.empty.get("") or EmptyCategory.LEAVE_OUT

    def rounded(self, number: Fraction) -> Number:
        """Return what the total says: rounded once, at the end."""
        try:
            return round_to(number, self.decimals, self.rounding)
        except ValueError:
            return shortest(number)


def _bare(key: Key) -> Key:
    return key.key if isinstance(key, InCategory) else key


class Value(NamedTuple):
    """What a rule gives for one student.

    Attributes:
        number: the exact number; None if nothing is there, or it can't be told.
        missing: how many of its own marks and totals were missing; what a total that it needs did without isn't.
        reason: why it can't be told.
        weightless: the parts of a weighted mean of which nothing counts, so that their weight moved to the others.
        empty: other categories of which nothing counts.
        uncut: the number before a limit or a boundary changed it, where one did at the end.
    """

    number: Fraction | None
    missing: int = 0
    reason: str = ""
    weightless: tuple[str, ...] = ()
    empty: tuple[str, ...] = ()
    uncut: Fraction | None = None


class Difference(NamedTuple):
    """A student whose total in the source isn't what the rule gives."""

    row: Row
    says: Number
    should: Number

    @property
    def by(self) -> Number:
        """By how much the source says more than the rule gives."""
        return shortest(Fraction(self.says) - Fraction(self.should))


Read = Callable[[Row, Sequence[int | MomentKey]], Sequence[Points]]
"""From a row and the keys of items and moments to what stands there."""


def in_order(totals: Sequence[TotalRule]) -> list[int]:
    """Return the positions of the totals, each behind those that it needs.

    Raises:
        FormulaFault: they go round in a circle; its `at` is the position of one of these totals.
    """
    try:
        return list(TopologicalSorter({place: total.totals for place, total in enumerate(totals)}).static_order())
    except CycleError as error:
        circle: list[int] = error.args[1][::-1]
        what = ", which needs ".join(f"'{totals[place].name}'" for place in circle[:_SHOWN])
        more = f" ... ({len(circle) - 1} in all)" if len(circle) > _SHOWN else ""
        mend = "One must do without the others."
        raise FormulaFault(f"the totals go round in a circle: {what}{more}", circle[0], mend) from None


def compute(totals: Sequence[TotalRule], rows: Sequence[Row], read: Read) -> list[dict[Row, Value]]:
    """Return for each total what it gives for each row.

    Args:
        totals: the rules.
        rows: the students' rows.
        read: gives their marks.
    """
    found: list[dict[Row, Value]] = [{} for _ in totals]
    for position in in_order(totals):
        rule = totals[position]
        for row in rows:
            found[position][row] = _value(rule, row, read, found)
        if isinstance(rule.formula, Ranked):
            found[position] = _ranked(found[position])
    return found


class Counted(NamedTuple):
    """A student's marks as a total counts them.

    Attributes:
        marks: the marks, and what is ruled about them.
        missing: how many were missing.
        reason: why the total can't be computed.
    """

    marks: Marks
    missing: int = 0
    reason: str = ""


def counted_marks(rule: TotalRule, row: Row, read: Read, found: Sequence[Mapping[Row, Value]]) -> Counted:
    """Return a student's marks as a total counts them, what is missing ruled.

    Args:
        rule: the total's rule.
        row: the student's row.
        read: gives the marks.
        found: what the totals give that were computed before.
    """
    others = [found[position][row] for position in rule.totals]
    told = [*read(row, rule.read_keys), *(Points(other.number, other.reason) for other in others)]
    numbers = [points.number for points in told]
    missing, fixed, reason = 0, frozenset[Key](), ""
    if rule.has_own_rules or any(map(is_, numbers, repeat(None))):
        ruled = [_ruled(rule, key, points) for key, points in zip(rule.ordered, told, strict=True)]
        numbers = [one.number for one in ruled]
        missing = sum(one.is_missing for one in ruled)
        fixed = frozenset(key for key, one in zip(rule.ordered, ruled, strict=True) if one.is_fixed)
        reason = next((one.reason for one in ruled if one.reason), "")
        held = sum(one.is_held for one in ruled)
        reason = reason or (f"{held} of its marks {'is' if held == 1 else 'are'} missing" if held else "")
    marks = dict(zip(rule.ordered, numbers, strict=True))
    return Counted(Marks(marks.__getitem__, fixed, rule.empty, rule.equal), missing, reason)


class _Ruled(NamedTuple):
    """What a total counts of one mark; whether it was missing, can't be dropped, holds the total, and why else."""

    number: Fraction | None
    is_missing: bool = False
    is_fixed: bool = False
    is_held: bool = False
    reason: str = ""


def _ruled(rule: TotalRule, key: Key, points: Points) -> _Ruled:
    own = rule.missing_rule(key, points.kind) if points.kind else None
    if own is None and (points.number is not None or points.reason or points.is_excused):
        return _Ruled(points.number, reason=points.reason)
    how = own or rule.missing
    if how is Missing.LEAVE_OUT:
        return _Ruled(None, is_missing=own is None or points.kind == BLANK_KIND)
    if how is Missing.HOLD:
        return _Ruled(None, is_missing=True, is_held=True)
    return _Ruled(Fraction(0), is_missing=True, is_fixed=how is Missing.ZERO_FOR_SURE)


def _value(rule: TotalRule, row: Row, read: Read, found: Sequence[Mapping[Row, Value]]) -> Value:
    marks, missing, reason = counted_marks(rule, row, read, found)
    if reason:
        return Value(None, missing, reason)
    formula = rule.formula.of if isinstance(rule.formula, Ranked) else rule.formula
    try:
        number = evaluate(formula, rule.parts, marks)
        has_gaps = any(marks.read(key) is None for key in rule.ordered)
        lost = tuple(weightless(formula, rule.parts, marks)) if has_gaps and number is not None else ()
        empty = tuple(dict.fromkeys(empty_categories(formula, rule.parts, marks))) if has_gaps else ()
        empty = tuple(name for name in empty if name not in lost)
        whole = evaluate(formula.of, rule.parts, marks) if isinstance(formula, Limited | Lifted) else number
        return Value(number, missing, weightless=lost, empty=empty, uncut=None if whole == number else whole)
    except NothingToDivideBy:
        return Value(None, missing, f"'{rule.name}' divides by nothing")
    except TooManyDigits:
        return Value(None, missing, f"'{rule.name}' has hundreds of digits")
    except NothingInCategory as nothing:
        return Value(None, missing, f"nothing of '{nothing.category}' counts")


def _ranked(values: Mapping[Row, Value]) -> dict[Row, Value]:
    """Return each student's place, 1 for the highest; equal numbers share a place."""
    numbers = sorted((value.number for value in values.values() if value.number is not None), reverse=True)
    places: dict[Fraction, int] = {}
    for place, number in enumerate(numbers, 1):
        places.setdefault(number, place)
    return {
        row: value if value.number is None else value._replace(number=Fraction(places[value.number]))
        for row, value in values.items()
    }


class Checked(NamedTuple):
    """A source's own total checked against the rule: how many agree, who differs, and how many can't be compared.

    `compared` counts the students for whom there were two numbers to compare.
    """

    agree: int
    differing: tuple[Difference, ...]
    incomparable: int
    compared: int = 0


def check_total(rule: TotalRule, values: Mapping[Row, Value], says: Mapping[Row, Number | None]) -> Checked:
    """Return where a source's own total differs from what the rule gives.

    Args:
        rule: the rule.
        values: what it gives for each row.
        says: what the source says for each row; None if that is no number.
    """
    agree, incomparable, compared = 0, 0, 0
    differing = []
    for row, value in values.items():
        stated = says.get(row)
        if value.number is None or stated is None:
            incomparable += (value.number is None) != (stated is None) or bool(value.reason)
            agree += value.number is None and stated is None and not value.reason
            continue
        compared += 1
        should = rule.rounded(value.number)
        if stated == should:
            agree += 1
        else:
            differing.append(Difference(row, stated, should))
    return Checked(agree, tuple(differing), incomparable, compared)
