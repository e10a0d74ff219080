"""What feeds what in a transfer: items, computed and stated marks, comments and answers."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from msgspec.structs import replace

from skarvin.core.layout.columns import FOR_MARKS, WHO, Column, ItemSource, MadeColumn, Making, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.choices import Repeated, RowsFor, WithoutMark
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.rule import Rule
from skarvin.core.marks.several import Several
from skarvin.core.marks.verbatim import TextRule
from skarvin.core.plan.mark_rules import check_item, mark_rule, read_scales, several_rule
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import ConstantPlan, ItemPlan, Plan
from skarvin.core.plan.spelling import Spellings
from skarvin.core.reasons import Cause, Reason

if TYPE_CHECKING:
    from skarvin.core.plan.questions import Question
    from skarvin.core.plan.total_rules import Total

_FOR_COMMENTS = frozenset({Use.COMMENT, Use.ITEM, Use.OTHER})
"""What a column of the form must be so that comments go there without a word of a person's."""
NO_ITEM_MEND = "Write the heading of an item; or, if it is to be written over, add to its block: any_column = true"


class Constant(NamedTuple):
    """A stated mark: its column, and whom it is for."""

    column: MadeColumn
    plan: ConstantPlan
    marked_in: Column | None = None


class ColumnMap(NamedTuple):
    """What feeds what.

    Attributes:
        items: all that moves, and the items that are left out.
        totals: the rules for totals, sent or not.
        constants: the stated marks.
        follows: for each comment that is on a mark, the mark's column.
        free: the comments that go whether their mark does or not.
        questions: the questions whose answers move.
        any_columns: the form's columns that are to be written over whatever they hold.
        rows_for: for whom of a quiz's students rows are made.
        several: which of several marks of one student counts, where an item doesn't rule it for itself.
    """

    items: tuple[MappedItem, ...]
    totals: "tuple[Total, ...]" = ()
    constants: tuple[Constant, ...] = ()
    follows: Mapping[ItemSource, ItemSource] = MappingProxyType({})
    free: frozenset[ItemSource] = frozenset()
    questions: "tuple[Question, ...]" = ()
    any_columns: frozenset[ItemSource] = frozenset()
    several: Several = Several()
    rows_for: RowsFor = RowsFor.ANSWERED

    @property
    def named(self) -> frozenset[ItemSource]:
        """The columns that the transfer names, and those that count in its totals."""
        counted = [total.parts[index] for total in self.totals for index in total.parts]
        checks = [total.check for total in self.totals if total.check]
        return frozenset([*(item.source for item in self.items), *counted, *checks])

    @property
    def makes_marks(self) -> bool:
        """Whether the transfer makes marks that its export doesn't hold as such."""
        return bool(self.totals or self.constants or self.questions)


class _Taken:
    """The columns that are used already, and where."""

    def __init__(self, identifiers: tuple[Column | None, Column | None], names: Names) -> None:
        self._identifiers = dict(zip(("from", "to"), identifiers, strict=True))
        self._names = names
        self._used: dict[tuple[str, ItemSource], tuple[str, int]] = {}
        self.any_columns: set[ItemSource] = set()

    def take(self, table: str, index: int, key: str, column: ItemSource | None, *, any_column: bool = False) -> None:
        """Complain of a column that is used twice, that tells who a student is, or that isn't an item."""
        if column is None:
            return
        at = (key, column)
        self.any_columns |= {column} if any_column else set()
        if at in self._used:
            earlier = self._names.line(self._used[at][0], key, self._used[at][1])
            what = f"'{column.heading}' is used twice: also in line {earlier}"
            self._names.complain("double-use", what, table, key, index)
        self._used.setdefault(at, (table, index))
        if column == self._identifiers[key] or (key == "to" and _says_who(column)):
            what = f"'{column.heading}' identifies students, and holds no marks"
            self._names.complain("onto-identifier", what, table, key, index)
        elif (
            key == "to"
            and not any_column
            and isinstance(column, Column)
            and column.use not in (_FOR_COMMENTS if table == "comment" else FOR_MARKS)
        ):
            what = f"'{column.heading}' (column {column.letter}) isn't an item of the form: {column.use}"
            self._names.complain("onto-no-item", what, table, key, index, NO_ITEM_MEND)


def _says_who(column: ItemSource) -> bool:
    return isinstance(column, Column) and column.use in WHO


def read_column_map(  # noqa: PLR0913 - the plan, both sides, and what gives more of the form
    plan: Plan,
    layouts: Mapping[str, Layout],
    identifiers: tuple[Column | None, Column | None],
    names: Names,
    texts_of: Callable[[Column], Sequence[str]],
    some_rows: Iterable[Sequence[str]],
) -> ColumnMap:
    """Return what feeds what; complain of what can't be meant.

    Args:
        plan: the plan.
        layouts: what the columns of both sides are.
        identifiers: the columns that tell the students apart.
        names: finds columns, and collects complaints.
        texts_of: gives the cells of a column of the form.
        some_rows: rows of the form in which is seen how it writes numbers.
    """
    source, target = layouts["source"], layouts["target"]
    taken = _Taken(identifiers, names)
    scales = read_scales(plan, names)
    columns = [
        MadeColumn(total.name.strip(), Making.COMPUTED, place, total.out_of) for place, total in enumerate(plan.total)
    ]
    computed = {column.title: column for column in columns}
    items: list[MappedItem] = []
    rules: dict[ItemSource, MarkRule] = {}
    ends: list[tuple[ItemSource | None, Column | None]] = []
    for index, item in enumerate(plan.item):
        ours = _source(item, computed, source, names, index)
        theirs = names.column(target, item.target, "item", "to", index) if item.target else None
        taken.take("item", index, "from", ours)
        taken.take("item", index, "to", theirs, any_column=item.any_column)
        ends.append((ours, theirs))
    spellings = Spellings(filter(None, (theirs for _, theirs in ends)), some_rows)
    for index, (item, (ours, theirs)) in enumerate(zip(plan.item, ends, strict=True)):
        if ours is None:
            continue
        rule = mark_rule(plan, item, ours, theirs, scales, spellings.of(theirs))
        rule = replace(rule, is_stored=source.stores_numbers)
        check_item(item, index, rule, scales, names)
        rules[ours] = rule
        why = None if theirs else Reason(Cause.NOT_MAPPED, "the item is not mapped")
        is_computed = isinstance(ours, MadeColumn)
        if theirs or not is_computed:
            own = _computed(rule) if is_computed else rule
            items.append(MappedItem(ours, theirs, own, why, several_rule(plan, item)))
    totals = _totals(plan, source, columns, rules, names)
    constants = _constants(plan, source, target, len(plan.total), taken, names)
    items += [constant for constant, _ in constants]
    comments, follows, free = _comments(plan, source, target, rules, taken, names)
    questions = _questions(plan, source, target, names, texts_of)
    for index, question in enumerate(questions):
        taken.take("answer", index, "from", question.item.source)
        taken.take("answer", index, "to", question.item.target, any_column=plan.answer[index].any_column)
    return ColumnMap(
        (*items, *comments, *(question.item for question in questions)),
        totals,
        tuple(constant for _, constant in constants),
        follows,
        free,
        questions,
        frozenset(taken.any_columns),
        several_rule(plan),
        plan.answers.rows_for,
    )


def _computed(rule: MarkRule) -> Rule:
    from skarvin.core.marks.totals.computed_rule import ComputedRule  # noqa: PLC0415 - most transfers compute nothing

    return ComputedRule.of(rule)


def _totals(
    plan: Plan, source: Layout, columns: Sequence[MadeColumn], rules: Mapping[ItemSource, MarkRule], names: Names
) -> "tuple[Total, ...]":
    if not plan.total and not plan.categories:
        return ()
    from skarvin.core.plan.total_rules import read_totals  # noqa: PLC0415

    return read_totals(plan, source, columns, rules, names)


def _questions(
    plan: Plan, source: Layout, target: Layout, names: Names, texts_of: Callable[[Column], Sequence[str]]
) -> "tuple[Question, ...]":
    if not plan.answer:
        return ()
    from skarvin.core.plan.questions import read_questions  # noqa: PLC0415 - most transfers have no answers

    return read_questions(plan, source, target, names, texts_of)


def _source(
    item: ItemPlan, computed: Mapping[str, MadeColumn], source: Layout, names: Names, index: int
) -> ItemSource | None:
    """Return the column that feeds an item: one of the export's, or a total's."""
    total = computed.get(item.source.strip())
    if total is None:
        return names.column(source, item.source, "item", "from", index)
    if any(column.heading == total.heading for column in source.columns):
        what = f"'{total.heading}' is a column of the export and a total"
        names.complain("ambiguous", what, "item", "from", index, "Give the total another name.")
    return total


def _constants(  # noqa: PLR0913 - both sides, and what is taken
    plan: Plan, source: Layout, target: Layout, start: int, taken: _Taken, names: Names
) -> list[tuple[MappedItem, Constant]]:
    found = []
    for index, constant in enumerate(plan.constant):
        theirs = names.column(target, constant.target, "constant", "to", index)
        taken.take("constant", index, "to", theirs, any_column=constant.any_column)
        marked_in = (
            names.column(source, constant.marked_in, "constant", "marked_in", index) if constant.marked_in else None
        )
        column = MadeColumn(f"constant: {constant.mark}", Making.STATED, start + index)
        rule = TextRule(constant.existing, is_comment=False)
        if theirs:
            several = several_rule(plan)._replace(which=Repeated.FIRST)  # all say the same
            found.append((MappedItem(column, theirs, rule, None, several), Constant(column, constant, marked_in)))
    return found


def _comments(  # noqa: PLR0913 - both sides, and what is taken
    plan: Plan, source: Layout, target: Layout, rules: Mapping[ItemSource, MarkRule], taken: _Taken, names: Names
) -> tuple[list[MappedItem], dict[ItemSource, ItemSource], frozenset[ItemSource]]:
    free: set[ItemSource] = set()
    items: list[MappedItem] = []
    follows: dict[ItemSource, ItemSource] = {}
    for index, comment in enumerate(plan.comment):
        ours = names.column(source, comment.source, "comment", "from", index)
        theirs = names.column(target, comment.target, "comment", "to", index)
        taken.take("comment", index, "from", ours)
        taken.take("comment", index, "to", theirs, any_column=comment.any_column)
        of = names.column(source, comment.of, "comment", "of", index) if comment.of else None
        if ours and theirs:
            items.append(MappedItem(ours, theirs, TextRule(comment.existing), None, several_rule(plan)))
            on = source.columns[ours.belongs_to] if ours.belongs_to is not None else None
            leader = of or on
            if of and of not in rules:
                names.complain("not-mapped", f"'{of.heading}' isn't an item of this transfer", "comment", "of", index)
            if leader is not None and leader in rules:
                follows[ours] = leader
                free |= {ours} if comment.without_mark is WithoutMark.SEND else set()
            elif comment.without_mark is not WithoutMark.STAY:
                what = "without_mark has no effect here: it isn't said which mark the comments are on"
                names.complain("no-effect", what, "comment", "without_mark", index, "Name the item with of.")
    return items, follows, frozenset(free)


def not_in_plan(layout: Layout, identifier: Column | None, column_map: ColumnMap) -> list[MappedItem]:
    """Return the items of the export that the plan doesn't name: their marks are left out, but accounted for."""
    named = {item.source for item in column_map.items} | {identifier}
    uses = {Use.ITEM, Use.TOTAL} | ({Use.ANSWER} if column_map.questions else set())
    columns = [column for column in layout.of_use(uses) if column not in named]
    counted = {index for total in column_map.totals for index in total.parts}
    return [
        MappedItem(
            column,
            None,
            MarkRule(),
            Reason(
                Cause.NOT_MAPPED,
                "the item only counts in a total" if column.index in counted else "the item is not in the transfer",
            ),
        )
        for column in columns
    ]
