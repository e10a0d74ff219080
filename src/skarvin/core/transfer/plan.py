"""What `transfer.toml` can say. The names of the fields are the keys that a person edits."""

from decimal import Decimal
from typing import Literal

from msgspec import Struct, field

OPEN = "?"
"""What stands in a plan where a person must decide."""


class SourcePlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The export: its file, the column that tells its students apart, and the rows that are none."""

    file: str
    identifier: str
    not_students: tuple[str, ...] = ()


class TargetPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The template: its file, and the column that tells its students apart."""

    file: str
    identifier: str


class StudentsPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How students are paired."""

    ignore_case: bool = False
    ignore_leading_zeros: bool = False
    ignore_prefix: str = ""
    ignore_suffix: str = ""
    leave_out: tuple[str, ...] = ()
    least_paired: int = 50


BlankWord = Literal["leave", "zero", "clear"]
ExistingWord = Literal["replace", "keep", "higher"]
RoundingWord = Literal["half up", "half even", "up", "down"]


class MarksPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The rules for the marks of every item that doesn't say otherwise."""

    decimals: int = 2
    rounding: RoundingWord = "half up"
    blank: BlankWord = "leave"
    existing: ExistingWord = "replace"


class ItemPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the marks of one source item go, and how they are converted. A blank `to` leaves the item out."""

    source: str = field(name="from")
    target: str = field(name="to")
    from_out_of: Decimal | None = None
    to_out_of: Decimal | None = None
    decimals: int | None = None
    rounding: RoundingWord | None = None
    blank: BlankWord | None = None
    existing: ExistingWord | None = None


class Plan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A whole `transfer.toml`."""

    version: Literal[1]
    source: SourcePlan
    target: TargetPlan
    students: StudentsPlan = StudentsPlan()
    marks: MarksPlan = MarksPlan()
    item: tuple[ItemPlan, ...] = ()
