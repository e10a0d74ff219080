"""What a formula is made of."""

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from typing import NamedTuple


class FormulaFault(Exception):
    """What is wrong with a formula, and at which of its characters (from 0)."""

    def __init__(self, what: str, at: int, mend: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.at = at
        self.mend = mend


@dataclass(frozen=True, slots=True)
class Constant:
    """A number."""

    at: int
    value: Fraction


@dataclass(frozen=True, slots=True)
class Named:
    """An item, another total or a category, by its name."""

    at: int
    name: str
    is_quoted: bool


@dataclass(frozen=True, slots=True)
class Combined:
    """Two numbers combined by + - * or /."""

    at: int
    sign: str
    left: "Node"
    right: "Node"


@dataclass(frozen=True, slots=True)
class Share:
    """Each mark divided by its maximum; `times` is 100 for percent."""

    at: int
    times: int
    of: "Node"


@dataclass(frozen=True, slots=True)
class Listed:
    """Several numbers in brackets, one after another."""

    at: int
    parts: tuple["Node", ...]


@dataclass(frozen=True, slots=True)
class Chosen:
    """Some of several: the best `count`, or all but the lowest `count`."""

    at: int
    count: int
    is_best: bool
    of: "Node"


@dataclass(frozen=True, slots=True)
class Summed:
    """Several numbers made one: `how` is sum, mean, highest or lowest."""

    at: int
    how: str
    of: "Node"


@dataclass(frozen=True, slots=True)
class Weighted:
    """A mean in which each part has a weight."""

    at: int
    parts: tuple[tuple[Fraction, "Node"], ...]


Node = Constant | Named | Combined | Share | Listed | Chosen | Summed | Weighted


@dataclass(frozen=True, slots=True)
class Ranked:
    """The place of each student by a number, 1 for the highest; equal numbers share a place."""

    at: int
    of: Node


class TotalKey(NamedTuple):
    """What another total goes by in a formula: its place among the totals."""

    place: int


Key = int | TotalKey
"""What a formula reads by: the place of an item's column in a row, or another total."""


@dataclass(frozen=True)
class Part:
    """What a name in a formula means.

    Attributes:
        items: what the items, or the one other total, go by.
        is_list: whether it is a category.
        out_of: the maximum of each, where one is known.
        is_bonus: whether the item's title says that it is only added on top.
        is_total: whether it is another total, made of several marks.
    """

    items: tuple[Key, ...]
    is_list: bool = False
    out_of: tuple[Decimal | None, ...] = ()
    is_bonus: bool = False
    is_total: bool = False

    @cached_property
    def maxima(self) -> tuple[Fraction | None, ...]:
        """The maxima as formulas reckon with them."""
        return tuple(None if number is None else Fraction(number) for number in self.out_of)
