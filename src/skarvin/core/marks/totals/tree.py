"""What a formula is made of."""

from decimal import Decimal
from fractions import Fraction
from functools import cached_property
from typing import NamedTuple

import msgspec


class FormulaFault(Exception):
    """What is wrong with a formula, and at which of its characters (from 0)."""

    def __init__(self, what: str, at: int, mend: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.at = at
        self.mend = mend


class Constant(msgspec.Struct, frozen=True):
    """A number."""

    at: int
    value: Fraction


class Named(msgspec.Struct, frozen=True):
    """An item, another total or a category, by its name."""

    at: int
    name: str
    is_quoted: bool


class Combined(msgspec.Struct, frozen=True):
    """Two numbers combined by + - * or /."""

    at: int
    sign: str
    left: "Node"
    right: "Node"


class Share(msgspec.Struct, frozen=True):
    """Each mark divided by its maximum; `times` is 100 for percent."""

    at: int
    times: int
    of: "Node"


class Listed(msgspec.Struct, frozen=True):
    """Several numbers in brackets, one after another."""

    at: int
    parts: tuple["Node", ...]


class Chosen(msgspec.Struct, frozen=True):
    """Some of several: the best `count`, or all but the lowest `count`, of which the only one is spared or not."""

    at: int
    count: int
    is_best: bool
    of: "Node"
    spares_one: bool = True


class Summed(msgspec.Struct, frozen=True):
    """Several numbers made one: `how` is sum, mean, highest or lowest."""

    at: int
    how: str
    of: "Node"


class Weighted(msgspec.Struct, frozen=True):
    """A mean in which each part has a weight."""

    at: int
    parts: tuple[tuple[Fraction, "Node"], ...]


class Weighed(msgspec.Struct, frozen=True):
    """A mean of several, each with the weight that the export gives its item."""

    at: int
    of: "Node"


class Limited(msgspec.Struct, frozen=True):
    """Numbers that are no higher, or no lower, than a limit."""

    at: int
    limit: Fraction
    is_most: bool
    of: "Node"


class OnTop(msgspec.Struct, frozen=True):
    """A number that is only ever added to others: extra credit."""

    at: int
    of: "Node"


class Lifted(msgspec.Struct, frozen=True):
    """Numbers that are raised to a boundary if they are short of it by no more than `within`."""

    at: int
    within: Fraction
    to: tuple[Fraction, ...]
    of: "Node"


class Moment(msgspec.Struct, frozen=True):
    """A moment of time: one that is written in the formula, or that of a column."""

    at: int
    name: str = ""
    day: Fraction | None = None

    @property
    def part(self) -> str:
        """By what its column is found among the parts: the same column may be an item, too."""
        return f"{self.name} (as a date)"


class Late(msgspec.Struct, frozen=True):
    """Started days from a due moment to another; none where it is before that."""

    at: int
    due: Moment
    then: Moment


Node = (
    Constant
    | Named
    | Combined
    | Share
    | Listed
    | Chosen
    | Summed
    | Weighted
    | Weighed
    | Limited
    | OnTop
    | Lifted
    | Late
)


class Ranked(msgspec.Struct, frozen=True):
    """The place of each student by a number, 1 for the highest; equal numbers share a place."""

    at: int
    of: Node


class TotalKey(NamedTuple):
    """What another total goes by in a formula: its place among the totals."""

    place: int


class MomentKey(NamedTuple):
    """What a moment goes by in a formula: the place of its column in a row."""

    place: int


class InCategory(NamedTuple):
    """What an item goes by in a category that has rules of its own for what is missing."""

    category: str
    key: "int | TotalKey"


Key = int | TotalKey | MomentKey | InCategory
"""What a formula reads by: the place of an item's column in a row, another total, or one of these in a category."""


class Part(msgspec.Struct, frozen=True, dict=True):
    """What a name in a formula means.

    Attributes:
        items: what the items, or the one other total, go by.
        is_list: whether it is a category.
        out_of: the maximum of each, where one is known.
        is_bonus: whether the item's title says that it is only added on top.
        is_total: whether it is another total, made of several marks.
        weights: the weight that the export gives each, where it does.
    """

    items: tuple[Key, ...]
    is_list: bool = False
    out_of: tuple[Decimal | None, ...] = ()
    is_bonus: bool = False
    is_total: bool = False
    weights: tuple[Decimal | None, ...] = ()

    @cached_property
    def maxima(self) -> tuple[Fraction | None, ...]:
        """The maxima as formulas reckon with them."""
        return tuple(None if number is None else Fraction(number) for number in self.out_of)
