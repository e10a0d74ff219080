"""How a student's total comes about: each part of its formula with its value."""

from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.totals.evaluate import (
    Marks,
    NothingInCategory,
    NothingToDivideBy,
    Operand,
    TooManyDigits,
    chosen,
    several,
    single,
)
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
from skarvin.core.texts.moments import day_text
from skarvin.core.texts.numbers import plain, shortest


class Step(NamedTuple):
    """A part of a formula: how deep it lies, its words, its value (None: nothing is there), and what is said of it."""

    depth: int
    words: str
    value: Fraction | None
    note: str = ""


class Explained(NamedTuple):
    """What is needed to explain a formula for a student: what its names mean, the marks, and what keys are called."""

    parts: Mapping[str, Part]
    marks: Marks
    title_of: Callable[[Key], str]


def explain(formula: Node | Ranked, student: Explained) -> list[Step]:
    """Return the parts of a formula with a student's values, from the whole to the marks."""
    return list(_steps(formula.of if isinstance(formula, Ranked) else formula, student, 0))


def _steps(node: Node, student: Explained, depth: int, note: str = "") -> Iterator[Step]:
    yield Step(depth, in_words(node), _value(node, student), note)
    match node:
        case Weighted():
            for weight, part in node.parts:
                yield from _steps(part, student, depth + 1, f"weight {_number(weight)}")
        case Summed() | Weighed():
            yield from _members(node.of, student, depth + 1)
        case Combined():
            for part in (node.left, node.right):
                if not isinstance(part, Constant):
                    yield from _steps(part, student, depth + 1)
        case Share() | Limited() | Lifted() | OnTop():
            if not isinstance(node.of, Constant):
                yield from _steps(node.of, student, depth + 1)


def _value(node: Node, student: Explained) -> Fraction | None:
    try:
        return single(node, student.parts, student.marks).number
    except (NothingToDivideBy, NothingInCategory, TooManyDigits):
        return None


def _members(node: Node, student: Explained, depth: int) -> Iterator[Step]:
    """Yield the numbers of a group, those too that aren't counted."""
    listed = _listed(node, student)
    for name, operand, is_counted in listed:
        is_missing = operand.number is None
        note = "missing, left out" if is_missing else "" if is_counted else "not counted"
        if operand.weight is not None and is_counted and not is_missing:
            note = f"weight {_number(operand.weight)}"
        yield Step(depth, name, operand.number, "never dropped" if operand.is_fixed else note)


def _listed(node: Node, student: Explained) -> list[tuple[str, Operand, bool]]:
    """Return the numbers of a group by their names, and whether each counts."""
    if isinstance(node, Named):
        titles = [student.title_of(key) for key in student.parts[node.name].items]
        found = several(node, student.parts, student.marks)
        return [(title, operand, True) for title, operand in zip(titles, found, strict=True)]
    if isinstance(node, Listed):
        return [(in_words(part), single(part, student.parts, student.marks), True) for part in node.parts]
    if isinstance(node, Chosen):
        inner = _listed(node.of, student)
        there = [operand for _, operand, _ in inner if operand.number is not None]
        kept = {id(operand) for operand in chosen(node, there, student.marks.equal)}
        return [(name, operand, id(operand) in kept) for name, operand, _ in inner]
    if isinstance(node, Share | Limited | Lifted | OnTop):
        inner = _listed(node.of, student)
        outer = several(node, student.parts, student.marks)
        if len(outer) == len(inner):
            return [(name, operand, is_it) for (name, _, is_it), operand in zip(inner, outer, strict=True)]
        rest = iter(outer)  # some of the inner ones don't count, and have no value here
        return [
            (name, next(rest) if is_it and operand.number is not None else operand, is_it)
            for name, operand, is_it in inner
        ]
    return []


def in_words(node: Node) -> str:  # noqa: PLR0911 - a way out for each kind of node
    """Return a part of a formula as it would be written."""
    match node:
        case Constant():
            return _number(node.value)
        case Named():
            return f'"{node.name}"' if node.is_quoted else node.name
        case Listed():
            return f"({', '.join(map(in_words, node.parts))})"
        case Weighted():
            parts = (f"{_number(weight)}: {in_words(part)}" for weight, part in node.parts)
            return f"weighted mean of ({', '.join(parts)})"
        case Combined():
            return f"{_inner(node.left)} {node.sign} {_inner(node.right)}"
        case Late():
            return f"days after {_moment(node.due)} of {_moment(node.then)}"
    return f"{_before_of(node)} of {_inner(node.of)}"


def _before_of(node: Summed | Share | Chosen | Weighed | Limited | Lifted | OnTop) -> str:  # noqa: PLR0911
    match node:
        case Summed():
            return node.how
        case Share():
            return "share" if node.times == 1 else "percent"
        case Chosen():
            alone = "" if node.spares_one else " even if alone"
            return f"best {node.count}" if node.is_best else f"all but lowest {node.count}{alone}"
        case Limited():
            return f"at {'most' if node.is_most else 'least'} {_number(node.limit)}"
        case Lifted():
            return f"lift within {_number(node.within)} to ({', '.join(map(_number, node.to))})"
        case OnTop():
            return "extra"
    return "weighted mean"


def _inner(node: Node) -> str:
    return f"({in_words(node)})" if isinstance(node, Combined) else in_words(node)


def _moment(moment: Moment) -> str:
    return f'"{moment.name}"' if moment.day is None else day_text(moment.day)


def _number(number: Fraction) -> str:
    return plain(shortest(number))
