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
    quotes: Literal["around", "plain"] | None = None

    @property
    def read_as(self) -> ReadAs:
        """How the file is to be read."""
        return ReadAs(self.encoding, self.delimiter, self.sheet, self.skip_hidden, self.quotes)


class SourcePlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The export: also the rows that are no students, and whether mangled names are set right."""

    not_students: tuple[str, ...] = ()
    mend_mangled: bool = False


class TargetPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The template."""


NamesWord = Literal["backed", "pair", "ask", "ignore"]
RepeatedWord = Literal["hold", "first", "latest", "highest"]


class StudentsPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How students are paired."""

    ignore_case: bool = False
    ignore_leading_zeros: bool = False
    ignore_prefix: str = ""
    ignore_suffix: str = ""
    ignore_domain: bool = False
    ignore_dashes: bool = False
    names: NamesWord = "backed"
    repeated: RepeatedWord = "hold"
    repeated_by: str = ""
    short_forms: dict[str, tuple[str, ...]] = field(default_factory=dict)
    only: tuple[str, ...] = ()
    only_sections: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()
    least_paired: int = 50


BlankWord = Literal["leave", "zero", "clear", "code", "hold"]
AboveWord = Literal["hold", "allow", "cap"]
DashWord = Literal["hold", "blank"]
WordsWord = Literal["hold", "copy"]
DecimalSign = Literal[".", ","]
ExistingWord = Literal["replace", "keep", "higher", "only if blank"]
RoundingWord = Literal["half up", "half even", "up", "down", "none"]
MissingWord = Literal["zero", "leave out", "hold"]
GivesWord = Literal["words", "marks"]
MeasureWord = Literal["percent", "points"]


class MarksPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The rules for the marks of every item that doesn't say otherwise."""

    decimals: int = 2
    rounding: RoundingWord = "half up"
    decimal_sign: DecimalSign = "."
    to_decimal_sign: DecimalSign = "."
    to_behind: str = ""
    above: AboveWord = "hold"
    blank: BlankWord = "leave"
    blank_code: str = ""
    dash: DashWord = "hold"
    words: WordsWord = "hold"
    set_aside: tuple[str, ...] = ()
    existing: ExistingWord = "replace"


class ItemPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the marks of one source item go, and how they are converted. A blank `to` leaves the item out."""

    source: str = field(name="from")
    target: str = field(name="to")
    from_out_of: Decimal | None = None
    to_out_of: Decimal | None = None
    rescale: bool = True
    any_column: bool = False
    weight: Decimal | None = None
    scale: str | None = None
    gives: GivesWord | None = None
    decimals: int | None = None
    rounding: RoundingWord | None = None
    decimal_sign: DecimalSign | None = None
    to_decimal_sign: DecimalSign | None = None
    to_behind: str | None = None
    above: AboveWord | None = None
    blank: BlankWord | None = None
    blank_code: str | None = None
    dash: DashWord | None = None
    words: WordsWord | None = None
    set_aside: tuple[str, ...] | None = None
    statuses: dict[str, str | int | bool] = field(default_factory=dict)
    existing: ExistingWord | None = None


class ScalePlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A scale: from which mark on a word is given, which mark stands for a word, and which word for a word."""

    measure: MeasureWord = "percent"
    round_first: bool = False
    bands: dict[str, Decimal | tuple[Decimal, Decimal]] = field(default_factory=dict)
    values: dict[str, Decimal] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)


class TotalPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A total and the rule by which it is computed; `check` names the export's own column for it."""

    name: str
    formula: str
    check: str = ""
    out_of: Decimal | None = None
    missing: MissingWord = "leave out"
    decimals: int | None = None
    rounding: RoundingWord | None = None


class ConstantPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A mark for every paired student, or for those of some sections, or for those who have a mark in an item."""

    mark: str
    target: str = field(name="to")
    sections: tuple[str, ...] = ()
    marked_in: str = ""
    any_column: bool = False
    existing: ExistingWord = "only if blank"


class CommentPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the comments on an item go; `of` names the item whose marks they travel with."""

    source: str = field(name="from")
    target: str = field(name="to")
    of: str = ""
    any_column: bool = False
    existing: Literal["replace", "keep", "add"] = "keep"


AnswerKindWord = Literal["labels", "number", "true or false", "text"]
WriteWord = Literal["as offered", "letters", "numbers"]
LabelOrderWord = Literal["as given", "as offered"]
AnswerBlankWord = Literal["leave", "clear", "code", "hold"]


class AnswersPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The rules for the answers to every question that doesn't say otherwise."""

    kind: AnswerKindWord = "labels"
    labels: str = ""
    write: WriteWord = "as offered"
    case: Literal["upper", "lower"] = "upper"
    between: str = ""
    label_order: LabelOrderWord = "as given"
    one_blank: bool = False
    width: int = 0
    true: str = "T"
    false: str = "F"
    decimal_sign: DecimalSign = "."
    units: tuple[str, ...] = ()
    no_answer: tuple[str, ...] = ("no answer", "-")
    blank: AnswerBlankWord = "leave"
    blank_code: str = ""
    not_seen: tuple[str, ...] = ()
    unseen: AnswerBlankWord = "leave"
    unseen_code: str = ""
    existing: Literal["replace", "keep", "only if blank"] = "replace"
    key: str = ""


class AnswerPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the answers to one question go. A blank `to` leaves it out; `dropped` says that it was dropped."""

    source: str = field(name="from")
    target: str = field(name="to")
    dropped: bool = False
    any_column: bool = False
    kind: AnswerKindWord | None = None
    labels: str | None = None
    write: WriteWord | None = None
    between: str | None = None
    label_order: LabelOrderWord | None = None
    one_blank: bool | None = None
    width: int | None = None
    decimal_sign: DecimalSign | None = None
    units: tuple[str, ...] | None = None
    blank: AnswerBlankWord | None = None
    blank_code: str | None = None
    unseen: AnswerBlankWord | None = None
    unseen_code: str | None = None


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
    statuses: dict[str, str | int | bool] = field(default_factory=dict)
    scale: dict[str, ScalePlan] = field(default_factory=dict)
    categories: dict[str, tuple[str, ...]] = field(default_factory=dict)
    total: tuple[TotalPlan, ...] = ()
    constant: tuple[ConstantPlan, ...] = ()
    comment: tuple[CommentPlan, ...] = ()
    answers: AnswersPlan = AnswersPlan()
    answer: tuple[AnswerPlan, ...] = ()
    also: tuple[AlsoPlan, ...] = ()
    roster: RosterPlan | None = None
    crosswalk: tuple[CrosswalkPlan, ...] = ()
