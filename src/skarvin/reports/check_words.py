"""What is checked against a rule or a key: totals and answers, in words and as data."""

from collections import Counter
from collections.abc import Hashable, Iterator, Sequence
from typing import Any, NamedTuple

import msgspec
from msgspec.structs import fields

from skarvin.core.findings import Row, counted, listed_rows, listing
from skarvin.core.layout.columns import Use
from skarvin.core.ledger.control_totals import ItemBooks
from skarvin.core.marks.choices import Blank, EmptyCategory
from skarvin.core.marks.totals.compute import TotalRule, Value
from skarvin.core.reasons import Cause
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.computed import TotalResult
from skarvin.core.transfer.settling import Settled

_MISSING = {
    "zero": "counted as zero",
    "zero, never dropped": "counted as zero that is never dropped",
    "leave out": "left out",
    "hold": "so the total is held",
}

_EMPTY = {
    EmptyCategory.LEAVE_OUT: "it is left out",
    EmptyCategory.ZERO: "it counts as zero",
    EmptyCategory.HOLD: "so the total is held",
}
UNSEEN_IN_WORDS = {
    Blank.LEAVE: "the target is left as it is",
    Blank.CLEAR: "the target's cell is emptied",
    Blank.CODE: "a code is sent",
    Blank.HOLD: "the question is held",
}
_MOST_REASONS = 3


def totals_in_words(results: Sequence[TotalResult]) -> list[list[str]]:
    """Return for each total its sentences; where the same is missing as for an earlier one, they say so."""
    seen: dict[Hashable, str] = {}
    found = []
    for result in results:
        rule = result.total.rule
        gaps = tuple((row, *result.values[row][1:]) for row in (*result.incomplete, *result.held))
        is_alone = not rule.totals
        earlier = seen.get((rule.missing, gaps)) if is_alone and gaps else None
        if is_alone:
            seen.setdefault((rule.missing, gaps), rule.name)
        needed = [results[position] for position in rule.totals]
        lines = [f"Same gaps as '{earlier}'."] if earlier else _gaps(result, needed)
        found.append([f"{rule.name} = {rule.text}", *lines, *_comparison(result)])
    return found


def _gaps(result: TotalResult, needed: Sequence[TotalResult]) -> Iterator[str]:
    """Yield how many marks were missing, and for whom the total can't be told.

    Args:
        result: the total.
        needed: the totals that it needs; what they say of themselves isn't said again.
    """
    rule = result.total.rule
    if result.incomplete:
        marks = sum(result.values[row].missing for row in result.incomplete)
        who = counted(len(result.incomplete), "student")
        rows = _rows(result.incomplete)
        was = "was" if marks == 1 else "were"
        how = f"each ruled by its kind (blank, status, category), otherwise {_MISSING[rule.missing]}"
        how = how if rule.has_own_rules else _MISSING[rule.missing]
        yield f"{counted(marks, 'mark')} of {who} {was} missing, {how} ({rows})."
    if nothing := result.without_anything:
        who = counted(len(nothing), "student")
        yield f"For {who} nothing counts, so there is no total ({_rows(nothing)})."
    for part, lost in result.weightless.items():
        who = counted(len(lost), "student")
        yield f"For {who} nothing of '{part}' counts, and its weight moved to the rest ({_rows(lost)})."
    for part, lost in result.empty.items():
        who = counted(len(lost), "student")
        yield f"For {who} nothing of '{part}' counts; {_EMPTY[rule.empty_rule(part)]} ({_rows(lost)})."
    if cut := result.cut:
        who = counted(len(cut), "student")
        some = [f"{row.in_words}: {_change(rule, result.values[row])}" for row in cut]
        yield f"A limit changed it for {who} ({listing(some, 8)})."
    told = {row for result in needed for row in result.held}
    reasons = Counter(result.values[row].reason for row in result.held if row not in told)
    for reason, count in reasons.most_common(_MOST_REASONS):
        yield f"It can't be calculated for {counted(count, 'student')}: {reason}."
    if len(reasons) > _MOST_REASONS:
        yield f"And for {counted(len(reasons) - _MOST_REASONS, 'more reason')}; the ledger has all of them."
    if names := [f"'{result.total.rule.name}'" for result in needed if result.incomplete or result.held]:
        yield f"Same gaps as {listing(names)}."


def _change(rule: TotalRule, value: Value) -> str:
    """Return what a limit made of a total."""
    before, after = (plain(rule.rounded(number)) for number in (value.uncut, value.number) if number is not None)
    return f"{before} became {after}"


def _rows(rows: Sequence[Row]) -> str:
    return listed_rows(rows)


def _comparison(result: TotalResult) -> Iterator[str]:
    """Yield how the export's own total compares."""
    rule = result.total.rule
    if result.checked and result.total.check:
        checked, title = result.checked, result.total.check.title
        tail = f"; {checked.incomparable} can't be compared" if checked.incomparable else ""
        differ = f"differs for {counted(len(checked.differing), 'student')}" if checked.differing else "differs nowhere"
        yield (
            f"'{title}' of the export matches for {counted(checked.agree, 'student')} and {differ}{tail}, "
            f"to {counted(rule.decimals, 'decimal')}."
        )


class LostTotal(NamedTuple):
    """A total that can't be calculated for a student: the row, the total's name and the reason."""

    row: Row
    name: str
    reason: str


def lost_totals(settled: Settled) -> list[LostTotal]:
    """Return the totals that can't be calculated and aren't sent: those that are stand among the held marks."""
    sent = {item.source for item in settled.ledger.items}
    return [
        LostTotal(row, result.total.rule.name, result.values[row].reason)
        for result in settled.made.totals
        if result.total.column not in sent
        for row in result.held
    ]


def total_data(result: TotalResult) -> dict[str, Any]:
    """Return what a rule for a total gave."""
    rule, checked = result.total.rule, result.checked
    data: dict[str, Any] = {
        "name": rule.name,
        "formula": rule.text,
        "missing": rule.missing.value,
        "decimals": rule.decimals,
        "rounding": rule.rounding.value,
        "students": [
            {
                "row": row.number,
                "gives": None if value.number is None else plain(rule.rounded(value.number)),
                "missing": value.missing,
                "weight_moved_from": list(value.weightless),
                "nothing_of": list(value.empty),
                "held": value.reason,
                **({} if value.uncut is None else {"before_limit": plain(rule.rounded(value.uncut))}),
            }
            for row, value in result.values.items()
        ],
    }
    if checked and result.total.check:
        data["check"] = {
            "column": result.total.check.letter,
            "heading": result.total.check.heading,
            "agree": checked.agree,
            "incomparable": checked.incomparable,
            "differ": [
                {
                    "row": difference.row.number,
                    "says": plain(difference.says),
                    "gives": plain(difference.should),
                    "by": plain(difference.by),
                }
                for difference in checked.differing
            ],
        }
    return data


def unchecked_in_words(settled: Settled) -> str:
    """Return which of the export's own totals no rule was checked against; blank if none."""
    checked = {result.total.check for result in settled.made.totals}
    unchecked = [column for column in settled.sides.source.layout.of_use({Use.TOTAL}) if column not in checked]
    named = [f"{column.title} (column {column.letter})" for column in unchecked]
    return f"Not checked: {listing(named)}." if named else ""


_UNSEEN = frozenset({Cause.NEVER_SEEN, Cause.NEVER_SEEN_HELD, Cause.NEVER_SEEN_SENT})


def count_unseen(totals: ItemBooks) -> int:
    """Return how many students never saw a question."""
    return sum(count for (_, why), count in totals.reasons.items() if why.cause in _UNSEEN)


def _usual(rules: msgspec.Struct) -> msgspec.Struct:
    """Return what rules say where nothing is said; what must be said stays."""
    needed = {one.name: getattr(rules, one.name) for one in fields(rules) if one.required}
    return type(rules)(**needed)


def rules_taken_over(settled: Settled) -> str:
    """Return which rules stand in the file that several transfers share."""
    by_table: dict[str, list[str]] = {}
    for name in settled.taken_over:
        table, _, key = name.partition(".")
        own = getattr(settled.plan, table)
        if isinstance(own, msgspec.Struct) and getattr(own, key) == getattr(_usual(own), key):
            continue
        by_table.setdefault(table, []).extend([key] if key else [])
    said = ["as usual"] if settled.taken_over and not by_table else []
    said += [f"{listing(keys, 12)} of [{table}]" if keys else f"[[{table}]]" for table, keys in by_table.items()]
    return f"from {settled.plan.rules}: {'; '.join(said)}"


def questions_in_words(settled: Settled) -> Iterator[str]:
    """Yield sentences on the questions: in another order, dropped, never seen by some, not in the key."""
    questions = settled.sides.column_map.questions
    moved = [question.moved for question in questions if question.moved]
    if moved:
        yield f"The questions have another order in the form: {', '.join(moved)}."
    dropped = [f"'{question.item.source.called}'" for question in questions if question.is_dropped]
    if dropped:
        yield f"Dropped, so that no answer is sent: {listing(dropped)}."
    unseen = {totals.item.source: count_unseen(totals) for totals in settled.totals}
    for question in questions:
        if count := unseen[question.item.source]:
            what = UNSEEN_IN_WORDS[question.rule.unseen]
            yield f"Never seen by {counted(count, 'student')}: '{question.item.source.called}'; {what}."
    for silent in settled.made.silent:
        counts = ((silent.skipped, "skipped"), (silent.unseen, "never seen"), (silent.blank, "blank"))
        how = listing([f"{count} {what}" for count, what in counts if count])
        who = silent.student.name or silent.student.identifier.strip()
        yield f"Answered nothing: {who} ({silent.student.row}); {how}."
    if settled.plan.answers.key:
        keyless = [
            f"'{question.item.source.called}'"
            for question in questions
            if question.key is None and not question.is_dropped
        ]
        if keyless:
            yield f"Not in the key: {listing(keyless)}."


def answers_data(settled: Settled) -> dict[str, Any]:
    """Return the questions, and the answers on which the export and the key differ."""
    questions = settled.sides.column_map.questions
    unseen = {totals.item.source: count_unseen(totals) for totals in settled.totals}
    return {
        "questions": [
            {
                "from": question.item.source.heading,
                "to": question.item.target.heading if question.item.target else None,
                "dropped": question.is_dropped,
                "moved": question.moved,
                "never_seen": unseen.get(question.item.source, 0),
                "right": sorted(question.key.right) if question.key else [],
            }
            for question in questions
        ],
        "answered_nothing": [
            {"row": one.student.row.number, "skipped": one.skipped, "never_seen": one.unseen, "blank": one.blank}
            for one in settled.made.silent
        ],
        "held_against_the_key": settled.made.keyed,
        "differ_from_the_key": [
            {
                "row": disagreement.row.number,
                "column": disagreement.question.item.source.letter,
                "answer": disagreement.code,
                "export_says": "right" if disagreement.is_right_in_source else "wrong",
            }
            for disagreement in settled.made.disagreements
        ],
    }
