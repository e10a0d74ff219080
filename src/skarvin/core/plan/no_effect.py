"""Keys of a transfer that have no effect where they stand: whoever wrote one meant something that wouldn't happen."""

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from msgspec import Struct

from skarvin.core.marks.choices import AnswerKind, Blank, LabelStyle, Repeated
from skarvin.core.plan.plan import AnswerPlan, AnswersPlan, ItemPlan, Plan, StudentsPlan, overlaid
from skarvin.core.students.by_name import NameUse

_NUMBERS = ("units", "below_zero", "decimal_separator")
_LABELS = ("labels", "write", "choose", "label_order", "one_blank", "between", "match_texts")


class NoEffect(NamedTuple):
    """A key without effect: its table, which of several of its name, the key, and why."""

    table: str
    place: int
    key: str
    why: str


def without_effect(plan: Plan, raw: Mapping[str, Any]) -> Iterator[NoEffect]:
    """Yield the keys that say something other than their default, which nothing asks for.

    Args:
        plan: the transfer.
        raw: the same as it was read, which tells a key that was written from one that wasn't.
    """
    yield from _of_students(plan)
    for table, tables in (("marks", (plan.marks,)), ("item", plan.item), ("answers", (plan.answers,))):
        for index, one in enumerate(tables):
            yield from _codes(table, index, one)
    yield from (NoEffect("item", index, *found) for index, one in enumerate(plan.item) for found in _of_item(plan, one))
    yield from _of_answers(plan)
    for index, comment in enumerate(raw.get("comment", ())):
        if isinstance(comment, dict) and comment.get("of") == "":
            yield NoEffect("comment", index, "of", "it names no item")
    yield from _of_target(plan)
    yield from _of_since(plan)


def _of_students(plan: Plan) -> Iterator[NoEffect]:
    students = plan.students
    if plan.repeated == {Repeated.HOLD} and not plan.export:
        for key in _said(students, StudentsPlan(), ("repeated_by", "status_beside_mark", "equal_marks")):
            yield NoEffect("students", 0, key, f'students with several rows are held by repeated = "{Repeated.HOLD}"')
    if students.names is NameUse.IGNORE:
        for key in _said(students, StudentsPlan(), ("short_forms", "equal_names")):
            yield NoEffect("students", 0, key, f'names play no part with names = "{NameUse.IGNORE}"')


def _codes(table: str, index: int, told: Struct) -> Iterator[NoEffect]:
    """Yield a code for blanks where no code is sent for one."""
    for key, blank in (("blank_code", "blank"), ("unseen_code", "unseen")):
        if getattr(told, key, None) and getattr(told, blank) is not Blank.CODE:
            how = getattr(told, blank)
            is_open = how is None  # the rule for all items says what a blank is
            if not is_open:
                yield NoEffect(table, index, key, f'{blank} = "{how}" sends no code; write {blank} = "code"')


def _of_item(plan: Plan, item: ItemPlan) -> Iterator[tuple[str, str]]:
    if item.gives is not None and not item.scale:
        yield "gives", "the item has no scale"
    rule = item.repeated or plan.students.repeated
    if item.status_beside_mark is not None and rule is Repeated.HOLD and not plan.export:
        yield "status_beside_mark", f'several marks are held by repeated = "{Repeated.HOLD}"'
    if item.decimal_separator is not None and item.source.strip() in {total.name.strip() for total in plan.total}:
        yield "decimal_separator", "a calculated mark is exact, and read from no file"


def _of_answers(plan: Plan) -> Iterator[NoEffect]:
    if not plan.answer:
        for key in _said(plan.answers, AnswersPlan(), AnswersPlan.__struct_fields__):
            yield NoEffect("answers", 0, key, "the transfer has no [[answer]]")
        return
    ruled = [overlaid(plan.answers, one) for one in plan.answer]
    kinds = {one.kind for one in ruled}
    asked: tuple[tuple[AnswerKind, tuple[str, ...]], ...] = (
        (AnswerKind.NUMBER, _NUMBERS),
        (AnswerKind.LABELS, _LABELS),
        (AnswerKind.TRUTH, ("true", "false")),
    )
    for kind, keys in asked:
        for key in _said(plan.answers, AnswersPlan(), keys) if kind not in kinds else ():
            yield NoEffect("answers", 0, key, f'no question is of kind "{kind}"')
        for index, (one, own) in enumerate(zip(plan.answer, (rules.kind for rules in ruled), strict=True)):
            for key in _said(one, AnswerPlan(source="", target=""), keys) if own is not kind else ():
                yield NoEffect("answer", index, key, f'the question is of kind "{own}"')
    if plan.answers.signs != AnswersPlan().signs and LabelStyle.SIGNS not in {one.write for one in ruled}:
        yield NoEffect("answers", 0, "signs", f'no question has write = "{LabelStyle.SIGNS}"')


def _of_target(plan: Plan) -> Iterator[NoEffect]:
    if plan.target.typing:
        plain = type(plan.target)(file="", identifier="")
        for key in _said(plan.target, plain, ("headings", "columns", "files", "add")):
            yield NoEffect("target", 0, key, "a list to type from has the rows and the order of the screen")


def _of_since(plan: Plan) -> Iterator[NoEffect]:
    since = plan.since
    keys = ("target_now_pair", "target_now_items")
    for key in _said(since, type(since)(), keys) if not since.target_now else ():
        yield NoEffect("since", 0, key, "no target_now is named")


def _said(told: Struct, plain: Struct, keys: tuple[str, ...]) -> Iterator[str]:
    """Yield those of some keys that say something other than what holds without them."""
    return (key for key in keys if getattr(told, key, None) != getattr(plain, key, None))
