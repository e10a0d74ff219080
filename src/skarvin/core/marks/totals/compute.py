"""What rules for totals give for a whole class, and where the source's own totals differ."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from itertools import repeat
from operator import is_
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.marks.choices import Missing
from skarvin.core.marks.convert import Points
from skarvin.core.marks.totals.evaluate import NothingToDivideBy, evaluate, names, weightless
from skarvin.core.marks.totals.tree import FormulaFault, Key, Node, Part, Ranked, TotalKey
from skarvin.core.texts.numbers import Number, Rounding, round_to, shortest


@dataclass(frozen=True)
class TotalRule:
    """How a total is computed.

    Attributes:
        name: how the transfer calls it.
        formula: the checked formula.
        text: the formula as it was written.
        parts: what the formula's names mean.
        missing: what a missing mark means.
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

    @cached_property
    def keys(self) -> tuple[Key, ...]:
        """The keys of all items and totals that it needs."""
        found = (key for name in names(self.formula) for key in self.parts[name.name].items)
        return tuple(dict.fromkeys(found))

    @cached_property
    def items(self) -> tuple[int, ...]:
        """The keys of the items that it needs."""
        return tuple(key for key in self.keys if not isinstance(key, TotalKey))

    @cached_property
    def totals(self) -> tuple[int, ...]:
        """The positions of the totals that it needs."""
        return tuple(key.place for key in self.keys if isinstance(key, TotalKey))

    @cached_property
    def ordered(self) -> tuple[Key, ...]:
        """The keys of the items that it needs, and behind them those of the totals."""
        return (*self.items, *map(TotalKey, self.totals))

    def rounded(self, number: Fraction) -> Number:
        """Return what the total says: rounded once, at the end."""
        try:
            return round_to(number, self.decimals, self.rounding)
        except ValueError:
            return shortest(number)


class Value(NamedTuple):
    """What a rule gives for one student.

    Attributes:
        number: the exact number; None if nothing is there, or it can't be told.
        missing: how many of its own marks and totals were missing; what a total that it needs did without isn't.
        reason: why it can't be told.
        weightless: the parts of a weighted mean of which nothing counts, so that their weight moved to the others.
    """

    number: Fraction | None
    missing: int = 0
    reason: str = ""
    weightless: tuple[str, ...] = ()


class Difference(NamedTuple):
    """A student whose total in the source isn't what the rule gives."""

    row: Row
    says: Number
    should: Number

    @property
    def by(self) -> Number:
        """By how much the source says more than the rule gives."""
        return shortest(Fraction(self.says) - Fraction(self.should))


Read = Callable[[Row, Sequence[int]], Sequence[Points]]
"""From a row and the keys of items to the marks."""


def in_order(totals: Sequence[TotalRule]) -> list[int]:
    """Return the positions of the totals, each behind those that it needs.

    Raises:
        FormulaFault: they go round in a circle; its `at` is the position of one of these totals.
    """
    order: list[int] = []
    path: list[int] = []

    def visit(position: int) -> None:
        if position in order:
            return
        if position in path:
            circle = [*path[path.index(position) :], position]
            what = ", which needs ".join(f"'{totals[number].name}'" for number in circle)
            raise FormulaFault(f"the totals go round in a circle: {what}", position, "One must do without the others.")
        path.append(position)
        for other in totals[position].totals:
            visit(other)
        path.pop()
        order.append(position)

    for position in range(len(totals)):
        visit(position)
    return order


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


def _value(rule: TotalRule, row: Row, read: Read, found: Sequence[Mapping[Row, Value]]) -> Value:
    others = [found[position][row] for position in rule.totals]
    told = [*read(row, rule.items), *(Points(other.number, other.reason) for other in others)]
    numbers = [points.number for points in told]
    missing = 0
    if any(map(is_, numbers, repeat(None))):
        reason = next((points.reason for points in told if points.reason), "")
        missing = sum(1 for points in told if points.number is None and not points.reason and not points.is_excused)
        if reason:
            return Value(None, missing, reason)
    marks = dict(zip(rule.ordered, numbers, strict=True))
    if missing and rule.missing is Missing.HOLD:
        return Value(None, missing, f"{missing} of its marks {'is' if missing == 1 else 'are'} missing")
    if rule.missing is Missing.ZERO:
        excused = {key for key, points in zip(rule.ordered, told, strict=True) if points.is_excused}
        marks = {key: Fraction(0) if number is None and key not in excused else number for key, number in marks.items()}
    formula = rule.formula.of if isinstance(rule.formula, Ranked) else rule.formula
    try:
        number = evaluate(formula, rule.parts, marks.__getitem__)
        has_gaps = number is not None and None in marks.values()
        lost = tuple(weightless(formula, rule.parts, marks.__getitem__)) if has_gaps else ()
        return Value(number, missing, weightless=lost)
    except NothingToDivideBy:
        return Value(None, missing, f"'{rule.name}' divides by nothing")


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
