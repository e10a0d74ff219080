"""What a formula gives for one student; always exact."""

import math
from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.marks.choices import EmptyCategory, Equal
from skarvin.core.marks.totals.tree import (
    Chosen,
    Combined,
    Constant,
    Key,
    Late,
    Lifted,
    Limited,
    Listed,
    Moment,
    Named,
    Node,
    OnTop,
    Part,
    Ranked,
    Share,
    Summed,
    Weighed,
    Weighted,
)

_DAY = Fraction(1)
_MOST_BITS = 1_000
"""About 300 digits: `numbers` adds them up exactly with 1,000."""


class Operand(NamedTuple):
    """A number in a formula, None where it is missing.

    Attributes:
        number: the number.
        out_of: its maximum, if it has one.
        name: what it is called, if it is one item's mark.
        is_fixed: whether it can't be dropped.
        weight: the weight that the export gives its item.
    """

    number: Fraction | None
    out_of: Fraction | None = None
    name: str = ""
    is_fixed: bool = False
    weight: Fraction | None = None


class NothingToDivideBy(ArithmeticError):
    """A student's numbers make the formula divide by nothing."""


class TooManyDigits(ArithmeticError):
    """A number has more digits than any mark, so that a few more steps would fill the memory."""


class NothingInCategory(ArithmeticError):
    """Nothing of a category counts, and a person must decide then."""

    def __init__(self, category: str) -> None:
        super().__init__(category)
        self.category = category


Read = Callable[[Key], Fraction | None]
"""From an item's key to a student's mark."""
_NOTHING = Operand(None)


class Marks(NamedTuple):
    """A student's marks, and what is ruled about them.

    Attributes:
        read: gives a mark; None for one that is missing and to be left out.
        fixed: the keys of marks that can't be dropped.
        empty: what a category means of which nothing counts; `""` rules those that have no rule of their own.
        equal: which of several equal marks is taken first by `best`, and dropped last.
    """

    read: Read
    fixed: frozenset[Key] = frozenset()
    empty: Mapping[str, EmptyCategory] = MappingProxyType({})
    equal: Equal = Equal.FIRST


def parts_of(node: Node | Ranked) -> tuple[Node, ...]:
    """Return what a formula is made of, from left to right."""
    match node:
        case Combined():
            return (node.left, node.right)
        case Listed():
            return node.parts
        case Weighted():
            return tuple(part for _, part in node.parts)
        case Constant() | Named() | Late():
            return ()
    return (node.of,)


def names(node: Node | Ranked) -> Iterator[Named]:
    """Yield the names in a formula, from left to right."""
    if isinstance(node, Named):
        yield node
    for part in parts_of(node):
        yield from names(part)


def moments(node: Node | Ranked) -> Iterator[Moment]:
    """Yield the columns with moments in a formula, from left to right."""
    if isinstance(node, Late):
        yield from (moment for moment in (node.due, node.then) if moment.name)
    for part in parts_of(node):
        yield from moments(part)


def evaluate(node: Node, parts: Mapping[str, Part], marks: Marks) -> Fraction | None:
    """Return what a checked formula gives, or None where nothing of it is there.

    Args:
        node: the formula.
        parts: what its names mean.
        marks: a student's marks.

    Raises:
        NothingToDivideBy: it would divide by nothing.
        NothingInCategory: nothing of a category counts, and that holds the total.
        TooManyDigits: it would have hundreds of digits.
    """
    number = single(node, parts, marks).number
    return None if number is None else _bounded(number)


def single(node: Node, parts: Mapping[str, Part], marks: Marks, *, is_shared: bool = False) -> Operand:
    """Return the one number of a formula; with its maximum, if it is to become a share of that."""
    match node:
        case Constant():
            return Operand(node.value)
        case Named():
            return several(node, parts, marks)[0]
        case Combined():
            return _both(node, parts, marks, is_shared=is_shared)
        case Share():
            return _share(single(node.of, parts, marks, is_shared=True), node.times)
        case Summed():
            return _summed(node, parts, marks, is_shared=is_shared)
    return _altered_or_mean(node, parts, marks, is_shared=is_shared)


def _altered_or_mean(node: Node, parts: Mapping[str, Part], marks: Marks, *, is_shared: bool) -> Operand:
    """Return the same for what alters a number, and for means with weights."""
    match node:
        case Weighted():
            found = ((weight, single(part, parts, marks).number) for weight, part in node.parts)
            return _mean([(weight, number) for weight, number in found if number is not None])
        case Weighed():
            each = several(node.of, parts, marks)
            return _mean([(one.weight or Fraction(0), one.number) for one in each if one.number is not None])
        case Limited() | Lifted():
            return _altered(node, single(node.of, parts, marks, is_shared=is_shared))
        case OnTop():
            return single(node.of, parts, marks, is_shared=is_shared)
        case Late():
            return Operand(_days_late(node, parts, marks))
    raise AssertionError(node)


def several(node: Node, parts: Mapping[str, Part], marks: Marks, *, is_shared: bool = False) -> list[Operand]:
    """Return the numbers of a formula that gives several."""
    match node:
        case Named():
            return _named(node, parts[node.name], marks)
        case Listed():
            return [single(part, parts, marks, is_shared=is_shared) for part in node.parts]
        case Share():
            return [_share(operand, node.times) for operand in several(node.of, parts, marks, is_shared=True)]
        case Limited() | Lifted():
            return [_altered(node, operand) for operand in several(node.of, parts, marks, is_shared=is_shared)]
        case OnTop():
            return several(node.of, parts, marks, is_shared=is_shared)
        case Chosen():
            there = several(node.of, parts, marks, is_shared=is_shared)
            return chosen(node, [operand for operand in there if operand.number is not None], marks.equal)
    raise AssertionError(node)


def chosen(node: Chosen, there: list[Operand], equal: Equal) -> list[Operand]:
    """Return those that count, in their order; one that can't be dropped always does."""
    places = range(len(there)) if equal is Equal.FIRST else range(len(there))[::-1]
    ranked = sorted(places, key=lambda place: (not there[place].is_fixed, -(there[place].number or 0)))
    rest = max(1 if node.spares_one else 0, len(there) - node.count)
    count = node.count if node.is_best else rest
    kept = set(ranked[: max(count, sum(operand.is_fixed for operand in there))])
    return [operand for place, operand in enumerate(there) if place in kept]


def _named(node: Named, part: Part, marks: Marks) -> list[Operand]:
    found = list(map(Operand, map(marks.read, part.items), part.maxima))
    if marks.fixed:
        found = [one._replace(is_fixed=key in marks.fixed) for one, key in zip(found, part.items, strict=True)]
    if part.weights:
        weights = (None if weight is None else Fraction(weight) for weight in part.weights)
        found = [one._replace(weight=weight) for one, weight in zip(found, weights, strict=True)]
    return found if part.is_list else [found[0]._replace(name=node.name)]


def _both(node: Combined, parts: Mapping[str, Part], marks: Marks, *, is_shared: bool) -> Operand:
    """Return two numbers combined; their maximum is that of what isn't only added on top or taken away."""
    left = single(node.left, parts, marks, is_shared=is_shared)
    right = single(node.right, parts, marks, is_shared=is_shared)
    if _is_bonus_alone(node, parts, left.number, right.number):
        return _NOTHING
    number = _combined(node.sign, left.number, right.number)
    if not is_shared:
        return Operand(number)
    if node.sign == "-" or is_on_top(node.right, parts):
        return Operand(number, left.out_of)
    if is_on_top(node.left, parts):
        return Operand(number, right.out_of)
    there = [one.out_of for one in (left, right) if one.number is not None]
    known = [out_of for out_of in there if out_of is not None]
    return Operand(number, sum(known, Fraction(0)) if known and len(known) == len(there) else None)


def _altered(node: Limited | Lifted, operand: Operand) -> Operand:
    """Return a number that is kept within a limit, or raised to a boundary that is near."""
    number = operand.number
    if number is None:
        return operand
    if isinstance(node, Limited):
        return operand._replace(number=min(number, node.limit) if node.is_most else max(number, node.limit))
    near = [boundary for boundary in node.to if boundary - node.within <= number < boundary]
    return operand._replace(number=max(near)) if near else operand


def _days_late(node: Late, parts: Mapping[str, Part], marks: Marks) -> Fraction | None:
    """Return the started days by which a moment is after the due one; a due day lasts till its end."""
    due, then = (
        moment.day if moment.day is not None else marks.read(parts[moment.part].items[0])
        for moment in (node.due, node.then)
    )
    if due is None or then is None:
        return None
    is_day = due.denominator == 1
    return Fraction(max(0, math.floor(then) - due if is_day else math.ceil(then - due)))


def _mean(there: list[tuple[Fraction, Fraction]]) -> Operand:
    """Return the mean of numbers with weights."""
    total = sum(weight for weight, _ in there)
    if there and not total:
        raise NothingToDivideBy
    return Operand(sum((weight * number for weight, number in there), Fraction(0)) / total) if there else _NOTHING


def _is_bonus_alone(node: Combined, parts: Mapping[str, Part], left: Fraction | None, right: Fraction | None) -> bool:
    """Tell whether nothing of a sum is there but what is added on top: that alone is no total."""
    if node.sign != "+" or (left is None) == (right is None):
        return False
    there, missing = (node.right, node.left) if left is None else (node.left, node.right)
    return is_on_top(there, parts) or (_is_group(missing, parts) and not _is_group(there, parts))


def is_on_top(node: Node, parts: Mapping[str, Part]) -> bool:
    """Tell whether a number is only ever added to others: a constant, extra credit, an item that is called a bonus."""
    match node:
        case Constant() | OnTop():
            return True
        case Named():
            return parts[node.name].is_bonus
        case Combined():
            return is_on_top(node.left, parts) and is_on_top(node.right, parts)
        case Limited() | Lifted():
            return is_on_top(node.of, parts)
    return False


def _is_group(node: Node, parts: Mapping[str, Part]) -> bool:
    """Tell whether a number is made of several marks."""
    match node:
        case Constant() | Late():
            return False
        case Named():
            return parts[node.name].is_total
        case Combined():
            return _is_group(node.left, parts) or _is_group(node.right, parts)
        case Share() | Limited() | Lifted() | OnTop():
            return _is_group(node.of, parts)
    return True


def weightless(node: Node, parts: Mapping[str, Part], marks: Marks) -> Iterator[str]:
    """Yield the parts of weighted means of which nothing is there, by the names in them."""
    if isinstance(node, Weighted):
        for _, part in node.parts:
            if single(part, parts, marks).number is None:
                yield " and ".join(dict.fromkeys(named.name for named in names(part)))
            else:
                yield from weightless(part, parts, marks)
    else:
        for part in parts_of(node):
            yield from weightless(part, parts, marks)


def empty_categories(node: Node, parts: Mapping[str, Part], marks: Marks) -> Iterator[str]:
    """Yield the categories of which nothing counts."""
    for named in names(node):
        part = parts[named.name]
        if part.is_list and all(marks.read(key) is None for key in part.items):
            yield named.name


def _combined(sign: str, left: Fraction | None, right: Fraction | None) -> Fraction | None:
    """Return two numbers combined; what is missing is left out of a sum, and nothing can be multiplied with it."""
    if sign == "+" and (left is None or right is None):
        return right if left is None else left
    if sign == "-" and right is None:
        return left
    if left is None or right is None:
        return None
    if sign == "/":
        if not right:
            raise NothingToDivideBy
        return _bounded(left / right)
    return left + right if sign == "+" else left - right if sign == "-" else _bounded(left * right)


def _bounded(number: Fraction) -> Fraction:
    if number.numerator.bit_length() + number.denominator.bit_length() > _MOST_BITS:
        raise TooManyDigits
    return number


def _share(operand: Operand, times: int) -> Operand:
    if operand.number is None or operand.out_of is None:
        return operand._replace(number=None, out_of=None)
    return operand._replace(number=operand.number * times / operand.out_of, out_of=None)


def _summed(node: Summed, parts: Mapping[str, Part], marks: Marks, *, is_shared: bool) -> Operand:
    is_added = node.how in {"sum", "mean"}
    if isinstance(node.of, Named) and is_added and not is_shared:
        read = map(marks.read, parts[node.of.name].items)
        there = [number for number in read if number is not None]
        return Operand(_added(node.how, there)) if there else _empty(node, parts, marks)
    found = [operand for operand in several(node.of, parts, marks, is_shared=is_shared) if operand.number is not None]
    if not found:
        return _empty(node, parts, marks)
    if not is_added:
        find = max if node.how == "highest" else min
        return find(found, key=lambda operand: operand.number or 0)
    maxima = [operand.out_of for operand in found if operand.out_of is not None]
    whole = _added(node.how, maxima) if is_shared and len(maxima) == len(found) else None
    return Operand(_added(node.how, [operand.number for operand in found if operand.number is not None]), whole)


def _empty(node: Summed, parts: Mapping[str, Part], marks: Marks) -> Operand:
    """Return what a group means of which nothing counts: by its category's rule, if it is made of one."""
    for named in names(node):
        if not parts[named.name].is_list:
            continue
        rule = marks.empty.get(named.name) or marks.empty.get("")
        if rule is EmptyCategory.HOLD:
            raise NothingInCategory(named.name)
        if rule is EmptyCategory.ZERO:
            return Operand(Fraction(0), _DAY)
    return _NOTHING


def _added(how: str, numbers: list[Fraction]) -> Fraction | None:
    """Return the sum of some numbers, or their mean; None if there are none."""
    if not numbers:
        return None
    return _total(numbers) if how == "sum" else _total(numbers) / len(numbers)


def _total(numbers: list[Fraction]) -> Fraction:
    """Return the sum; numbers with one denominator are added as whole ones, which is far less work."""
    tops: dict[int, int] = {}
    for number in numbers:
        top, bottom = number.as_integer_ratio()
        tops[bottom] = tops.get(bottom, 0) + top
    return sum((Fraction(top, bottom) for bottom, top in tops.items()), Fraction(0))
