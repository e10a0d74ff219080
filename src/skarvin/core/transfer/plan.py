"""What `transfer.toml` can say. The names of the fields are the keys that a person edits."""

from decimal import Decimal
from typing import Literal

from msgspec import Struct, field

from skarvin.core.grid.read import ReadAs

OPEN = "?"
"""What stands in a plan where a person must decide."""


class SidePlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A file, how it is read, and the column that tells its students apart."""

    file: str
    identifier: str
    layout: str | None = None
    encoding: str | None = None
    delimiter: str | None = None
    sheet: str | None = None
    skip_hidden: bool = False

    @property
    def read_as(self) -> ReadAs:
        """How the file is to be read."""
        return ReadAs(self.encoding, self.delimiter, self.sheet, self.skip_hidden)


class SourcePlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The export: also the rows that are no students, and whether mangled names are set right."""

    not_students: tuple[str, ...] = ()
    mend_mangled: bool = False


class TargetPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The template."""


NamesWord = Literal["pair", "ask", "ignore"]
RepeatedWord = Literal["hold", "first", "latest", "highest"]


class StudentsPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How students are paired."""

    ignore_case: bool = False
    ignore_leading_zeros: bool = False
    ignore_prefix: str = ""
    ignore_suffix: str = ""
    ignore_domain: bool = False
    ignore_dashes: bool = False
    names: NamesWord = "pair"
    repeated: RepeatedWord = "hold"
    repeated_by: str = ""
    short_forms: dict[str, tuple[str, ...]] = field(default_factory=dict)
    only: tuple[str, ...] = ()
    only_sections: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()
    least_paired: int = 50


BlankWord = Literal["leave", "zero", "clear", "code", "hold"]
AboveWord = Literal["hold", "allow", "cap"]
DecimalSign = Literal[".", ","]
ExistingWord = Literal["replace", "keep", "higher"]
RoundingWord = Literal["half up", "half even", "up", "down"]


class MarksPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The rules for the marks of every item that doesn't say otherwise."""

    decimals: int = 2
    rounding: RoundingWord = "half up"
    decimal_sign: DecimalSign = "."
    above: AboveWord = "hold"
    blank: BlankWord = "leave"
    blank_code: str = ""
    existing: ExistingWord = "replace"


class ItemPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the marks of one source item go, and how they are converted. A blank `to` leaves the item out."""

    source: str = field(name="from")
    target: str = field(name="to")
    from_out_of: Decimal | None = None
    to_out_of: Decimal | None = None
    decimals: int | None = None
    rounding: RoundingWord | None = None
    decimal_sign: DecimalSign | None = None
    above: AboveWord | None = None
    blank: BlankWord | None = None
    blank_code: str | None = None
    existing: ExistingWord | None = None


class RosterPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A list of the target's students that knows more of them: names, and maybe the source's identifiers."""

    source_identifier: str = ""


class AlsoPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A further identifier that both sides have."""

    source: str = field(name="from")
    target: str = field(name="to")


class CrosswalkPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A table of one system's identifiers beside another's; several make a chain."""

    file: str
    source: str = field(name="from")
    target: str = field(name="to")


class Plan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A whole `transfer.toml`."""

    version: Literal[1]
    source: SourcePlan
    target: TargetPlan
    students: StudentsPlan = StudentsPlan()
    marks: MarksPlan = MarksPlan()
    item: tuple[ItemPlan, ...] = ()
    statuses: dict[str, str | int] = field(default_factory=dict)
    also: tuple[AlsoPlan, ...] = ()
    roster: RosterPlan | None = None
    crosswalk: tuple[CrosswalkPlan, ...] = ()
