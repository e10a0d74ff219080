"""The rules for totals that a plan means."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column, ItemSource, MadeColumn
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.marks.choices import EmptyCategory, Missing
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.totals.compute import TotalRule, in_order
from skarvin.core.marks.totals.evaluate import moments as moments_in
from skarvin.core.marks.totals.evaluate import names as names_in
from skarvin.core.marks.totals.language import KEYWORDS, parse
from skarvin.core.marks.totals.meaning import check
from skarvin.core.marks.totals.tree import FormulaFault, InCategory, Key, Moment, MomentKey, Named, Part, TotalKey
from skarvin.core.plan.mark_rules import mark_rule
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import ItemPlan, Plan, TotalPlan, overlaid
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.words import WORDS, phrase_set

_BONUS = phrase_set(WORDS.headings.bonus)
"""Words of a title that say that an item is only added on top of others."""


class Total(NamedTuple):
    """A total: its rule, its own column, the export's column that it is checked against, and how its parts are read."""

    rule: TotalRule
    column: MadeColumn
    check: Column | None
    reading: Mapping[int, MarkRule]
    parts: Mapping[int, Column]


class _Parts:
    """Finds what the names in formulas mean."""

    def __init__(  # noqa: PLR0913 - all that a name may mean
        self,
        plan: Plan,
        total: TotalPlan,
        source: Layout,
        computed: Sequence[MadeColumn],
        places: Mapping[str, int],
        rules: Mapping[ItemSource, MarkRule],
    ) -> None:
        self._plan = plan
        self._total = total
        self._source = source
        self._totals = places
        self._computed = computed
        self._rules = rules
        self.reading: dict[int, MarkRule] = {}
        self.columns: dict[int, Column] = {}

    def part(self, name: Named) -> Part:
        """Return what a name means.

        Raises:
            FormulaFault: nothing goes by it.
        """
        in_category = self._plan.categories.get(name.name)
        if in_category is not None:
            found = [self._single(text, name.at) for text in in_category]
            is_ruled = name.name in self._total.missing_in
            keys = tuple(InCategory(name.name, key) if is_ruled else key for key, _ in found)
            weights = tuple(self._weight(key) for key, _ in found)
            return Part(keys, is_list=True, out_of=tuple(most for _, most in found), weights=weights)
        key, out_of = self._single(name.name, name.at)
        is_total = isinstance(key, TotalKey)
        title = self._computed[key.place].title if isinstance(key, TotalKey) else self.columns[key].title
        is_bonus = not _BONUS.isdisjoint(fold(title).split())
        return Part(
            (key,), is_list=False, out_of=(out_of,), is_bonus=is_bonus, is_total=is_total, weights=(self._weight(key),)
        )

    def moment(self, moment: Moment) -> Part:
        """Return what the name of a column with dates means.

        Raises:
            FormulaFault: nothing goes by it.
        """
        column = self._column(moment.name.strip(), moment.at)
        self.columns[column.index] = column
        self.reading.setdefault(column.index, self._rules.get(column) or self._default(column))
        return Part((MomentKey(column.index),), out_of=(None,))

    def _weight(self, key: Key) -> Decimal | None:
        return self.columns[key].weight if isinstance(key, int) else None

    def _single(self, name: str, at: int) -> tuple[int | TotalKey, Decimal | None]:
        bare = name.strip()
        if bare in self._totals:
            place = self._totals[bare]
            return TotalKey(place), self._computed[place].out_of
        column = self._column(bare, at)
        self.columns[column.index] = column
        rule = self._rules.get(column) or self._default(column)
        self.reading[column.index] = rule
        return column.index, rule.from_out_of

    def _column(self, name: str, at: int) -> Column:
        titled = [column for column in self._source.columns if fold(column.title) == fold(name)]
        try:
            return find_column(self._source.columns, name)
        except NoSuchColumn as error:
            if len(titled) == 1:
                return titled[0]
            known = [*self._plan.categories, *self._totals]
            mend = f"Known besides the export's columns: {', '.join(known)}." if known else ""
            raise FormulaFault(f"it names '{name}', but {error}", at, mend) from None

    def _default(self, column: Column) -> MarkRule:
        return mark_rule(self._plan, ItemPlan(headings=column.heading, target=""), column, None, {})


def read_totals(
    plan: Plan, source: Layout, computed: Sequence[MadeColumn], rules: Mapping[ItemSource, MarkRule], names: Names
) -> tuple[Total, ...]:
    """Return the plan's totals; complain of formulas that can't be read or meant."""
    _check_categories(plan, names)
    totals = []
    places = {column.title: place for place, column in enumerate(computed)}
    for index, planned in enumerate(plan.total):
        checked = names.column(source, planned.check, "total", "check", index) if planned.check else None
        parts = _Parts(plan, planned, source, computed, places, rules)
        try:
            _check_named_categories(plan, planned, index, names)
            rule = _rule(plan, planned, parts)
        except FormulaFault as fault:
            _complain(names, fault, index)
            continue
        totals.append(Total(rule, computed[index], checked, parts.reading, parts.columns))
    if len(totals) == len(plan.total):
        try:
            in_order([total.rule for total in totals])
        except FormulaFault as fault:
            names.complain("formula", fault.what, "total", "formula", fault.at, fault.mend)
    return tuple(totals)


def _check_named_categories(plan: Plan, total: TotalPlan, index: int, names: Names) -> None:
    """Complain of rules for a category that there isn't."""
    ruled = {"missing_in": set(total.missing_in)}
    ruled["empty_category"] = set() if isinstance(total.empty_category, EmptyCategory) else set(total.empty_category)
    for key, named in ruled.items():
        for name in sorted(named - set(plan.categories)):
            known = ", ".join(plan.categories) or "none"
            names.complain("category", f"there is no category '{name}' (there are: {known})", "total", key, index)


def _complain(names: Names, fault: FormulaFault, index: int) -> None:
    what = f"the formula can't be read: {fault.what} (at its character {fault.at + 1})"
    names.complain("formula", what, "total", "formula", index, fault.mend)


def _rule(plan: Plan, total: TotalPlan, parts: _Parts) -> TotalRule:
    tree = parse(total.formula)
    meant = {name.name: parts.part(name) for name in names_in(tree)}
    meant |= {moment.part: parts.moment(moment) for moment in moments_in(tree)}
    check(tree, meant)
    rules = overlaid(plan.marks, total)
    return TotalRule(
        name=total.name.strip(),
        formula=tree,
        text=total.formula,
        parts=meant,
        missing=total.missing,
        decimals=rules.decimals,
        rounding=rules.rounding,
        out_of=total.out_of,
        missing_as=_by_kind(total.missing_as),
        missing_in={name: _by_kind(kinds) for name, kinds in total.missing_in.items()},
        empty=_empty(total.empty_category),
        equal=total.equal_marks,
    )


def _by_kind(ruled: Mapping[str, Missing]) -> dict[str, Missing]:
    return {fold_word(word): how for word, how in ruled.items()}


def _empty(ruled: EmptyCategory | Mapping[str, EmptyCategory]) -> Mapping[str, EmptyCategory]:
    return {"": ruled} if isinstance(ruled, EmptyCategory) else ruled


def _check_categories(plan: Plan, names: Names) -> None:
    totals = [total.name.strip() for total in plan.total]
    for name, items in plan.categories.items():
        if name in KEYWORDS:
            names.complain("category", f"'{name}' is a word of formulas", "categories", name, 0, "Name it otherwise.")
        if not items:
            names.complain("category", f"the category '{name}' has no items", "categories", name)
        if name in totals:
            names.complain("category", f"'{name}' is a category and a total", "categories", name, 0, "Rename one.")
        for text in items:
            if items.count(text) > 1 and text == items[0]:
                names.complain("category", f"the category '{name}' names '{text}' twice", "categories", name)
                break
    for index, name in enumerate(totals):
        if totals.index(name) != index:
            names.complain("total", f"two totals are called '{name}'", "total", "name", index, "Rename one.")
