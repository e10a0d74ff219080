"""What `transfer.toml` can say. The names of the fields are the keys that a person edits."""

from collections.abc import Iterator, Mapping
from decimal import Decimal
from enum import StrEnum
from functools import cache
from types import MappingProxyType
from typing import Annotated, Any, Literal, NamedTuple, TypeVar, get_args

from msgspec import Struct, field
from msgspec.structs import fields, replace

from skarvin.core.grid.read import ReadAs
from skarvin.core.layout.columns import Use
from skarvin.core.layout.told import Members, StudentSheets, Told
from skarvin.core.marks.choices import (
    Above,
    Adding,
    AnswerKind,
    BelowZero,
    BesideStatus,
    Blank,
    Choose,
    Dash,
    DecimalSign,
    EmptyCategory,
    Equal,
    Existing,
    FileChoice,
    Gives,
    IdentifierForm,
    LabelCase,
    LabelOrder,
    LabelStyle,
    Measure,
    Missing,
    OneSign,
    OtherMaximum,
    Repeated,
    RowChoice,
    RowOrder,
    RowsFor,
    SinceCorrected,
    SinceSend,
    WithoutMark,
    Words,
    Zeros,
)
from skarvin.core.students.by_name import NameUse
from skarvin.core.students.pairing import Certainty, Check
from skarvin.core.targets.lines_form import LineColumns
from skarvin.core.targets.results_plan import ResultsPlan
from skarvin.core.texts.numbers import Rounding
from skarvin.core.texts.unsafe import UnsafeText

NOT_MEANT: Mapping[tuple[str, str], frozenset[StrEnum]] = MappingProxyType(
    {
        ("marks", "existing"): frozenset({Existing.ADD}),
        ("item", "existing"): frozenset({Existing.ADD}),
        ("constant", "existing"): frozenset({Existing.ADD}),
        ("comment", "existing"): frozenset({Existing.HIGHER, Existing.ONLY_IF_BLANK}),
        ("answers", "existing"): frozenset({Existing.HIGHER, Existing.ADD}),
        ("answers", "blank"): frozenset({Blank.ZERO}),
        ("answers", "unseen"): frozenset({Blank.ZERO}),
        ("answer", "blank"): frozenset({Blank.ZERO}),
        ("answer", "unseen"): frozenset({Blank.ZERO}),
    }
)
"""Choices that mean nothing under a key of a table."""
OLD_KEYS: Mapping[str, str] = MappingProxyType(
    {
        "set_aside": "ignore_flags",
        "least_paired": "minimum_paired_percent",
        "decimal_sign": "decimal_separator",
        "to_decimal_sign": "to_decimal_separator",
        "to_behind": "to_suffix",
    }
)
"""Keys by which transfers were written before, and how they are called now; both are read."""
SAME_MAXIMUM = "same"
"""What is said for a maximum that only one side gives where both have the same."""
OPEN = "?"
"""What stands in a plan where a person must decide."""


class Bounds(NamedTuple):
    """Between what a number lies; `what` is said of one that must be above zero."""

    least: int = 0
    most: int = 0
    what: str = ""

    def fault(self, value: Decimal | int) -> str:
        """Return what is wrong with a number, or nothing."""
        if self.what:
            return "" if Decimal(value).is_finite() and value > 0 else f"{value} can't be a {self.what}"
        return "" if self.least <= value <= self.most else f"{value} is not between {self.least} and {self.most}"


Decimals = Annotated[int, Bounds(0, 10)]
Width = Annotated[int, Bounds(0, 40)]
Percent = Annotated[int, Bounds(0, 100)]
RowNumber = Annotated[int, Bounds(0, 2_000_000)]
Maximum = Annotated[Decimal, Bounds(what="maximum")]
Weight = Annotated[Decimal, Bounds(what="weight")]
StepSize = Annotated[Decimal, Bounds(what="step")]


class SidePlan(ReadAs, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A file, how it is read, and the column that tells its students apart; where that is blank, their names do."""

    file: str
    identifier: str
    layout: str | None = None
    heading_row: RowNumber | None = None
    uses: dict[str, Use] = field(default_factory=dict)
    student_sheets: StudentSheets | None = None
    members: Members | None = None

    def said(self, key: str, value: str) -> str:
        """Return how a transfer says this of the file."""
        return f'{key} = "{value or "..."}" in the transfer'

    @property
    def told(self) -> Told:
        """What a person says of its columns, and of its sheets."""
        return Told(self.uses, self.heading_row, sheets=self.student_sheets, members=self.members)


class SourcePlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The export: also the rows that are no students, and whether mangled names are set right."""

    section: str = ""
    item: str = ""
    not_students: tuple[str, ...] = ()
    shared: bool = False
    mend_mangled: bool = False


class FurtherPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A further export, whose students and items join those of the first."""

    section: str = ""
    item: str = ""


class TargetPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The form; what of it is written, and how rows are written that are made."""

    headings: bool = True
    columns: tuple[str, ...] = ()
    rows: RowChoice = RowChoice.ALL
    order: RowOrder = RowOrder.FORM
    files: FileChoice = FileChoice.ONE
    add: Adding = Adding.NOBODY
    clear: bool = False
    sample: bool = False
    typing: bool = False
    lines: LineColumns | None = None
    results: ResultsPlan | None = None
    unsafe_text: UnsafeText = UnsafeText.HOLD
    identifiers: IdentifierForm = IdentifierForm.AS_EXPORTED
    add_prefix: str = ""
    add_suffix: str = ""
    identifier_width: Width = 0

    @property
    def file_as(self) -> str:
        """What a ledger calls the file of which a table is made that marks go into; blank if they go into the file."""
        return "screen" if self.typing else "lines" if self.lines else "results" if self.results else ""


class StudentsPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How students are paired."""

    ignore_case: bool = False
    ignore_leading_zeros: bool = False
    ignore_prefix: str = ""
    ignore_suffix: str = ""
    ignore_domain: bool = False
    ignore_dashes: bool = False
    names: NameUse = NameUse.BACKED
    certainty: Certainty = Certainty.USUAL
    equal_names: bool = False
    other_number: Check = Check.CHECK
    other_name: Check = Check.CHECK
    earlier_pairings: tuple[str, ...] = ()
    repeated: Repeated = Repeated.HOLD
    repeated_by: str = ""
    later_attempts: str = ""
    status_beside_mark: BesideStatus = BesideStatus.LIKE_A_MARK
    equal_marks: Equal = Equal.FIRST
    short_forms: dict[str, tuple[str, ...]] = field(default_factory=dict)
    only: tuple[str, ...] = ()
    only_sections: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()
    minimum_paired_percent: Percent = 50

    @property
    def moves_only_some(self) -> bool:
        """Whether only some of the export's students are meant."""
        return bool(self.only or self.only_sections)


class MarksPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The rules for the marks of every item that doesn't say otherwise."""

    decimals: Decimals = 2
    rounding: Rounding = Rounding.HALF_UP
    step: StepSize | None = None
    decimal_separator: DecimalSign = DecimalSign.POINT
    to_decimal_separator: OneSign | None = None
    to_suffix: str | None = None
    to_zeros: Zeros = Zeros.AS_WRITTEN
    to_width: Decimals = 0
    above: Above = Above.HOLD
    blank: Blank = Blank.LEAVE
    blank_code: str = ""
    dash: Dash = Dash.HOLD
    words: Words = Words.HOLD
    ignore_flags: tuple[str, ...] = ()
    other_maximum: OtherMaximum = OtherMaximum.HOLD
    existing: Existing = Existing.REPLACE
    missing_maximum: str = ""


class ItemPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the marks of one source item go, and how they are converted. A blank `to` leaves the item out.

    It may have several headings, for exports in several languages.
    """

    headings: str | tuple[str, ...] = field(name="from")
    target: str = field(name="to")
    from_out_of: Maximum | None = None
    to_out_of: Maximum | None = None
    rescale: bool = True
    any_column: bool = False
    weight: Weight | None = None
    scale: str | None = None
    gives: Gives | None = None
    decimals: Decimals | None = None
    rounding: Rounding | None = None
    step: StepSize | None = None
    decimal_separator: DecimalSign | None = None
    to_decimal_separator: OneSign | None = None
    to_suffix: str | None = None
    to_zeros: Zeros | None = None
    to_width: Decimals | None = None
    above: Above | None = None
    blank: Blank | None = None
    blank_code: str | None = None
    dash: Dash | None = None
    words: Words | None = None
    ignore_flags: tuple[str, ...] | None = None
    other_maximum: OtherMaximum | None = None
    statuses: dict[str, str | int | bool] = field(default_factory=dict)
    existing: Existing | None = None
    repeated: Repeated | None = None
    status_beside_mark: BesideStatus | None = None

    @property
    def source(self) -> str:
        """The heading by which it is called: the first of several."""
        return self.headings if isinstance(self.headings, str) else next(iter(self.headings), "")


Rules = TypeVar("Rules", bound=Struct)


def overlaid(rules: Rules, own: Struct) -> Rules:
    """Return the rules for all with what one item or question says of its own in their place."""
    told = {key: value for key in rules.__struct_fields__ if (value := getattr(own, key, None)) is not None}
    return replace(rules, **told)


class ScalePlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A scale: from which mark on a word is given, and what stands for a word or a mark."""

    measure: Measure = Measure.PERCENT
    round_first: bool = False
    bands: dict[str, Decimal | tuple[Decimal, Decimal]] = field(default_factory=dict)
    values: dict[str, Decimal] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)
    lines: dict[str, Decimal] = field(default_factory=dict)


class TotalPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A total and the rule by which it is computed; `check` names the export's own column for it."""

    name: str
    formula: str
    check: str = ""
    out_of: Maximum | None = None
    missing: Missing = Missing.LEAVE_OUT
    missing_as: dict[str, Missing] = field(default_factory=dict)
    missing_in: dict[str, dict[str, Missing]] = field(default_factory=dict)
    empty_category: EmptyCategory | dict[str, EmptyCategory] = EmptyCategory.LEAVE_OUT
    equal_marks: Equal = Equal.FIRST
    decimals: Decimals | None = None
    rounding: Rounding | None = None


class ConstantPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A mark for every paired student, or for those of some sections, or for those who have a mark in an item."""

    mark: str
    target: str = field(name="to")
    sections: tuple[str, ...] = ()
    marked_in: str = ""
    any_column: bool = False
    existing: Existing = Existing.ONLY_IF_BLANK


class CommentPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the comments on an item go; `of` names the item whose marks they travel with."""

    source: str = field(name="from")
    target: str = field(name="to")
    of: str = ""
    without_mark: WithoutMark = WithoutMark.STAY
    any_column: bool = False
    existing: Existing = Existing.KEEP


class AnswersPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The rules for the answers to every question that doesn't say otherwise."""

    kind: AnswerKind = AnswerKind.LABELS
    labels: str = ""
    write: LabelStyle = LabelStyle.AS_OFFERED
    case: LabelCase = LabelCase.UPPER
    between: str = ""
    label_order: LabelOrder = LabelOrder.AS_GIVEN
    one_blank: bool = False
    width: Decimals = 0
    answer_width: int = 0
    true: str = "T"
    false: str = "F"
    decimal_separator: OneSign = OneSign.POINT
    units: tuple[str, ...] = ()
    no_answer: tuple[str, ...] = ("no answer", "-")
    blank: Blank = Blank.LEAVE
    blank_code: str = ""
    not_seen: tuple[str, ...] = ()
    unseen: Blank = Blank.LEAVE
    unseen_code: str = ""
    existing: Existing = Existing.REPLACE
    key: str = ""
    choose: Choose = Choose.SEVERAL
    below_zero: BelowZero = BelowZero.HOLD
    signs: str = "01"
    match_texts: bool = False
    rows_for: RowsFor = RowsFor.ANSWERED


class AnswerPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where the answers to one question go. A blank `to` leaves it out; `dropped` says that it was dropped."""

    source: str = field(name="from")
    target: str = field(name="to")
    dropped: bool = False
    any_column: bool = False
    kind: AnswerKind | None = None
    labels: str | None = None
    write: LabelStyle | None = None
    between: str | None = None
    label_order: LabelOrder | None = None
    one_blank: bool | None = None
    width: Decimals | None = None
    decimal_separator: OneSign | None = None
    units: tuple[str, ...] | None = None
    blank: Blank | None = None
    blank_code: str | None = None
    unseen: Blank | None = None
    unseen_code: str | None = None
    choose: Choose | None = None
    below_zero: BelowZero | None = None
    match_texts: bool | None = None
    repeated: Repeated | None = None


class RosterPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A list of the target's students that knows more of them: names, and maybe the source's identifiers."""

    source_identifier: str = ""


class ListPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A list of those who are to be moved; where it has no headings, each line is somebody's identifier or name."""

    identifier: str = ""


class CorrectionPlan(SidePlan, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A list of corrections, a line a mark: the columns that say whose mark of which item is which from now on.

    `by` is who says so: a column of the list, or a text.
    """

    identifier: str = ""
    item: str
    new: str
    old: str = ""
    reason: str = ""
    by: str = ""


class FeedbackPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What marked files are called when they are handed out."""

    names: str


class SincePlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What was sent before, where the history doesn't say so; what the target says now; and what becomes of changes."""

    sent_ledger: str = ""
    sent_file: str = ""
    sent_export: str = ""
    target_now: str = ""
    target_now_pair: str = ""
    target_now_items: tuple[str, ...] = ()
    corrected_in_target: SinceCorrected = SinceCorrected.KEEP
    changed_on_both_sides: SinceCorrected = SinceCorrected.HOLD
    send: SinceSend = SinceSend.NEW
    ignore_history: bool = False

    @property
    def sent(self) -> dict[str, str]:
        """The files that say what was sent last, by key; at most one is meant."""
        keys = ("sent_ledger", "sent_file", "sent_export")
        return {key: name for key in keys if (name := getattr(self, key))}


class AlsoPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A further identifier that both sides have."""

    source: str = field(name="from")
    target: str = field(name="to")


class CrosswalkPlan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A table of one system's identifiers beside another's; several make a chain."""

    file: str
    source: str = field(name="from")
    target: str = field(name="to")


class AboutPlan(Struct, frozen=True, forbid_unknown_fields=True):
    """What a report says above all else: which class and term it is about, and who moved the marks."""

    class_: str = field(default="", name="class")
    term: str = ""
    by: str = ""


class Plan(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A whole `transfer.toml`."""

    version: Literal[1]
    rules: str = ""
    about: AboutPlan = AboutPlan()
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
    export: tuple[FurtherPlan, ...] = ()
    roster: RosterPlan | None = None
    list: tuple[ListPlan, ...] = ()
    correction: tuple[CorrectionPlan, ...] = ()
    feedback: FeedbackPlan | None = None
    crosswalk: tuple[CrosswalkPlan, ...] = ()
    since: SincePlan = SincePlan()

    @property
    def repeated(self) -> frozenset[Repeated]:
        """The rules for a student's several rows: that of all items, and items' own."""
        own = {item.repeated for item in self.item} | {answer.repeated for answer in self.answer}
        return frozenset([self.students.repeated, *filter(None, own)])


def table_types() -> dict[str, type[Struct]]:
    """Return what each table of a transfer can hold, by its name."""

    def within(kind: Any) -> Iterator[type[Struct]]:  # noqa: ANN401 - a type as it is annotated
        if isinstance(kind, type) and issubclass(kind, Struct):
            yield kind
        for inner in get_args(kind):
            yield from within(inner)

    return {one.encode_name: kind for one in fields(Plan) for kind in within(one.type)}


def numbers_in(plan: Plan) -> Iterator[tuple[str, int, str, Decimal | int, Bounds]]:
    """Yield each number that has bounds: its table, which of several that is, its key, what it says, and its bounds."""
    for name in table_types():
        told = getattr(plan, name, ())
        for index, table in enumerate(told if isinstance(told, tuple) else [told]):
            for own, key, bounds in _bounded(type(table)) if isinstance(table, Struct) else ():
                if (value := getattr(table, own)) is not None:
                    yield name, index, key, value, bounds


@cache
def _bounded(kind: type[Struct]) -> tuple[tuple[str, str, Bounds], ...]:
    """Return the fields of a table whose numbers have bounds: the field, its key, and the bounds."""
    found = []
    for one in fields(kind):
        notes = (note for kind in (one.type, *get_args(one.type)) for note in getattr(kind, "__metadata__", ()))
        bounds = [note for note in notes if isinstance(note, Bounds)]
        found += [(one.name, one.encode_name, bounds[0])] if bounds else []
    return tuple(found)
