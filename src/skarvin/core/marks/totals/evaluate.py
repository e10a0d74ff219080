"""What a formula gives for one student; always exact."""

from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.totals.tree import (
    Chosen,
    Combined,
    Constant,
    FormulaFault,
    Key,
    Listed,
    Named,
    Node,
    Part,
    Ranked,
    Share,
    Summed,
    Weighted,
)


class Operand(NamedTuple):
    """A number in a formula, None where it is missing; with its maximum, if it is one item's mark."""

    number: Fraction | None
    out_of: Fraction | None = None


class NothingToDivideBy(ArithmeticError):
    """A student's numbers make the formula divide by nothing."""


Read = Callable[[Key], Fraction | None]
"""From an item's key to a student's mark."""
_NOTHING = Operand(None)


def names(node: Node | Ranked) -> Iterator[Named]:
    """Yield the names in a formula, from left to right."""
    match node:
        case Named():
            yield node
        case Combined():
            yield from names(node.left)
            yield from names(node.right)
        case Listed():
            for part in node.parts:
                yield from names(part)
        case Weighted():
            for _, part in node.parts:
                yield from names(part)
        case Share() | Chosen() | Summed() | Ranked():
            yield from names(node.of)
        case Constant():
            pass


def check(node: Node | Ranked, parts: Mapping[str, Part]) -> None:
    """Check that a formula makes one number of each student's marks.

    Raises:
        FormulaFault: it doesn't.
    """
    inner = node.of if isinstance(node, Ranked) else node
    if _is_list(inner, parts):
        what = "it gives several numbers, and not one"
        raise FormulaFault(what, inner.at, "Put 'sum of' or 'mean of' in front.")


def _is_list(node: Node, parts: Mapping[str, Part]) -> bool:
    """Tell whether a formula gives several numbers, having checked all that it is made of."""
    is_list = False
    match node:
        case Named():
            is_list = parts[node.name].is_list
        case Listed():
            is_list = True
            _one_number(parts, *node.parts)
        case Weighted():
            _one_number(parts, *(part for _, part in node.parts))
        case Combined():
            _one_number(parts, node.left, node.right)
        case Share():
            _check_maximum(node.of, parts)
            is_list = _is_list(node.of, parts)
        case Summed() | Chosen():
            is_list = isinstance(node, Chosen)
            if not _is_list(node.of, parts):
                word = node.how if isinstance(node, Summed) else "best" if node.is_best else "all but lowest"
                mend = 'Name a category, or several in brackets: ("A", "B")'
                raise FormulaFault(f"'{word} ... of' needs several numbers, and gets one", node.at, mend)
    return is_list


def _one_number(parts: Mapping[str, Part], *nodes: Node) -> None:
    for node in nodes:
        if _is_list(node, parts):
            raise FormulaFault("one number is needed here, and it gives several", node.at, "Put 'sum of' in front.")


def _check_maximum(node: Node, parts: Mapping[str, Part]) -> None:
    """Find a maximum for each number that is to become a share of it."""
    match node:
        case Named():
            if None in parts[node.name].out_of:
                mend = "Write from_out_of in its [[item]], or out_of in its [[total]]."
                raise FormulaFault(f"the maximum of '{node.name}' isn't known", node.at, mend)
        case Listed():
            for part in node.parts:
                _check_maximum(part, parts)
        case Summed() | Chosen():
            _check_maximum(node.of, parts)
        case _:
            raise FormulaFault("this has no maximum to be a share of", node.at, "Name an item or a category.")


def evaluate(node: Node, parts: Mapping[str, Part], read: Read) -> Fraction | None:
    """Return what a checked formula gives, or None where nothing of it is there.

    Args:
        node: the formula.
        parts: what its names mean.
        read: gives a student's marks; None for one that is missing and to be left out.

    Raises:
        NothingToDivideBy: it would divide by nothing.
    """
    return _single(node, parts, read).number


def _single(node: Node, parts: Mapping[str, Part], read: Read, *, is_shared: bool = False) -> Operand:
    """Return the one number of a formula; with its maximum, if it is to become a share of that."""
    match node:
        case Constant():
            return Operand(node.value)
        case Named():
            return _several(node, parts, read)[0]
        case Combined():
            left, right = _single(node.left, parts, read).number, _single(node.right, parts, read).number
            return _NOTHING if _is_bonus_alone(node, parts, left, right) else Operand(_combined(node.sign, left, right))
        case Share():
            return _share(_single(node.of, parts, read, is_shared=True), node.times)
        case Summed():
            return _summed(node, parts, read, is_shared=is_shared)
        case Weighted():
            found = [(weight, _single(part, parts, read).number) for weight, part in node.parts]
            there = [(weight, number) for weight, number in found if number is not None]
            total = sum(weight for weight, _ in there)
            if there and not total:
                raise NothingToDivideBy
            return (
                Operand(sum((weight * number for weight, number in there), Fraction(0)) / total) if there else _NOTHING
            )
    raise AssertionError(node)


def _several(node: Node, parts: Mapping[str, Part], read: Read, *, is_shared: bool = False) -> list[Operand]:
    """Return the numbers of a formula that gives several."""
    match node:
        case Named():
            part = parts[node.name]
            return list(map(Operand, map(read, part.items), part.maxima))
        case Listed():
            return [_single(part, parts, read, is_shared=is_shared) for part in node.parts]
        case Share():
            return [_share(operand, node.times) for operand in _several(node.of, parts, read, is_shared=True)]
        case Chosen():
            there = [
                operand for operand in _several(node.of, parts, read, is_shared=is_shared) if operand.number is not None
            ]
            there.sort(key=lambda operand: -(operand.number or 0))
            return there[: node.count] if node.is_best else there[: max(1, len(there) - node.count)]
    raise AssertionError(node)


def _is_bonus_alone(node: Combined, parts: Mapping[str, Part], left: Fraction | None, right: Fraction | None) -> bool:
    """Tell whether nothing of a sum is there but what is added on top: that alone is no total."""
    if node.sign != "+" or (left is None) == (right is None):
        return False
    there, missing = (node.right, node.left) if left is None else (node.left, node.right)
    return _is_on_top(there, parts) or (_is_group(missing, parts) and not _is_group(there, parts))


def _is_on_top(node: Node, parts: Mapping[str, Part]) -> bool:
    """Tell whether a number is only ever added to others: a constant, or an item that is called a bonus."""
    match node:
        case Constant():
            return True
        case Named():
            return parts[node.name].is_bonus
        case Combined():
            return _is_on_top(node.left, parts) and _is_on_top(node.right, parts)
    return False


def _is_group(node: Node, parts: Mapping[str, Part]) -> bool:
    """Tell whether a number is made of several marks."""
    match node:
        case Constant():
            return False
        case Named():
            return parts[node.name].is_total
        case Combined():
            return _is_group(node.left, parts) or _is_group(node.right, parts)
        case Share():
            return _is_group(node.of, parts)
    return True


def weightless(node: Node, parts: Mapping[str, Part], read: Read) -> Iterator[str]:
    """Yield the parts of weighted means of which nothing is there, by the names in them."""
    match node:
        case Weighted():
            for _, part in node.parts:
                if _single(part, parts, read).number is None:
                    yield " and ".join(dict.fromkeys(named.name for named in names(part)))
                else:
                    yield from weightless(part, parts, read)
        case Combined():
            yield from weightless(node.left, parts, read)
            yield from weightless(node.right, parts, read)
        case Listed():
            for part in node.parts:
                yield from weightless(part, parts, read)
        case Share() | Chosen() | Summed():
            yield from weightless(node.of, parts, read)


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
        return left / right
    return left + right if sign == "+" else left - right if sign == "-" else left * right


def _share(operand: Operand, times: int) -> Operand:
    if operand.number is None or operand.out_of is None:
        return _NOTHING
    return Operand(operand.number * times / operand.out_of)


def _summed(node: Summed, parts: Mapping[str, Part], read: Read, *, is_shared: bool) -> Operand:
    is_added = node.how in {"sum", "mean"}
    if isinstance(node.of, Named) and is_added and not is_shared:
        marks = map(read, parts[node.of.name].items)
        return Operand(_added(node.how, [number for number in marks if number is not None]))
    there = [operand for operand in _several(node.of, parts, read, is_shared=is_shared) if operand.number is not None]
    if not is_added:
        find = max if node.how == "highest" else min
        return find(there, key=lambda operand: operand.number or 0, default=_NOTHING)
    maxima = [operand.out_of for operand in there if operand.out_of is not None]
    whole = _added(node.how, maxima) if is_shared and len(maxima) == len(there) else None
    return Operand(_added(node.how, [operand.number for operand in there if operand.number is not None]), whole)


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
