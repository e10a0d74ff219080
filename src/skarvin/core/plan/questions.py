"""The questions of a plan: their answers' rules, their key, and the columns that tell how an answer was marked."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import SkarvinError
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.answers.answer_rule import AnswerRule
from skarvin.core.marks.answers.key import KeyedQuestion, find_keyed, read_key
from skarvin.core.marks.answers.options import find_options
from skarvin.core.marks.answers.question import split_question
from skarvin.core.marks.choices import AnswerKind, LabelCase, LabelStyle, OneSign
from skarvin.core.plan.mark_rules import several_rule
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import AnswersPlan, Plan, overlaid
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.folding import fold_word


class Question(NamedTuple):
    """A question: what feeds what, the columns that tell how its answer was marked, and what the key says of it."""

    item: MappedItem
    column: Column
    rule: AnswerRule
    results: tuple[Column, ...] = ()
    key: KeyedQuestion | None = None
    not_seen: frozenset[str] = frozenset()
    is_dropped: bool = False

    def is_opened(self, cells: Sequence[str]) -> bool:
        """Tell whether a student saw the question: there is an answer, a text that says there is none, or a result."""
        text = cells[self.column.index] if self.column.index < len(cells) else ""
        if text.strip():
            return fold_word(text) not in self.not_seen
        return any(cells[column.index].strip() for column in self.results if column.index < len(cells))

    @property
    def moved(self) -> str:
        """How its number differs on the two sides ('2->5'); blank if it doesn't."""
        ours, theirs = (
            split_question(column.title)[0] if column else "" for column in (self.item.source, self.item.target)
        )
        return f"{ours}->{theirs}" if ours and theirs and ours != theirs else ""


def read_questions(
    plan: Plan, source: Layout, target: Layout, names: Names, texts_of: Callable[[Column], Sequence[str]]
) -> tuple[Question, ...]:
    """Return the plan's questions; complain of what can't be meant.

    Args:
        plan: the plan.
        source: the export's layout.
        target: the form's.
        names: finds columns, and collects complaints.
        texts_of: gives the cells of a column of the form.
    """
    key = _key(plan.answers, names) if plan.answer else {}
    found: list[Question] = []
    for index, answer in enumerate(plan.answer):
        ours = names.column(source, answer.source, "answer", "from", index)
        theirs = names.column(target, answer.target, "answer", "to", index) if answer.target else None
        if answer.dropped and answer.target:
            mend = 'Write to = "", or delete the line: dropped = true.'
            names.complain("dropped", "a dropped question goes nowhere", "answer", "to", index, mend)
        if ours is None:
            continue
        keyed = find_keyed(key, ours, theirs)
        rules = overlaid(plan.answers, answer)
        rule = _rule(rules, keyed)
        if theirs and rules.match_texts:
            rule = _by_texts(rule, theirs, texts_of(theirs), names, index)
        _check_signs(rule, rules, names, index)
        results = tuple(c for c in source.columns if c.use is Use.RESULT and c.belongs_to == ours.index)
        what = "the question was dropped" if answer.dropped else "the question is not mapped"
        why = None if theirs else Reason(Cause.NOT_MAPPED, what)
        not_seen = frozenset(map(fold_word, rules.not_seen))
        found.append(
            Question(
                MappedItem(ours, theirs, rule, why, several_rule(plan, own=answer.repeated)),
                ours,
                rule,
                results,
                keyed,
                not_seen,
                answer.dropped,
            )
        )
    return tuple(found)


def _by_texts(rule: AnswerRule, column: Column, texts: Sequence[str], names: Names, index: int) -> AnswerRule:
    """Return the rule with the form's own answers, which its heading or its cells state with their labels."""
    options = find_options(column.heading, texts)
    if not options:
        what = f"'{column.heading}' of the form states no answers with labels and texts (A) the garboard)"
        names.complain("match-texts", what, "answer", "to", index, "Give an answer key, or match_texts = false.")
    return replace(rule, options=options)


def _check_signs(rule: AnswerRule, rules: AnswersPlan, names: Names, index: int) -> None:
    if rule.style is LabelStyle.SIGNS and rule.kind is AnswerKind.LABELS and (not rule.labels or len(rules.signs) != 2):  # noqa: PLR2004 - not chosen, chosen
        what = 'write = "signs" needs the labels that the question offers, and two signs'
        mend = 'Such as: labels = "ABCD" here, signs = "01" under [answers].'
        names.complain("signs", what, "answer", "from", index, mend)


def _key(rules: AnswersPlan, names: Names) -> Mapping[str, KeyedQuestion]:
    if not rules.key:
        return {}
    try:
        return read_key(read_grid(names.file.parent / rules.key))
    except SkarvinError as error:
        names.findings += error.findings
        return {}


def _rule(rules: AnswersPlan, keyed: KeyedQuestion | None) -> AnswerRule:
    return AnswerRule(
        kind=rules.kind,
        offered=rules.labels,
        style=rules.write,
        is_lower=rules.case is LabelCase.LOWER,
        between=rules.between,
        order=rules.label_order,
        one_blank=rules.one_blank,
        width=rules.width,
        answer_width=rules.answer_width,
        truths=(rules.true, rules.false),
        is_comma=rules.decimal_separator is OneSign.COMMA,
        units=frozenset(map(fold_word, rules.units)),
        no_answer=frozenset(map(fold_word, rules.no_answer)),
        blank=rules.blank,
        blank_code=rules.blank_code,
        unseen=rules.unseen,
        unseen_code=rules.unseen_code,
        existing=rules.existing,
        key=keyed.answers if keyed else (),
        choose=rules.choose,
        below_zero=rules.below_zero,
        signs=rules.signs if len(rules.signs) == 2 else "01",  # noqa: PLR2004 - it is complained of
    )
