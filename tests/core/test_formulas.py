"""The language of formulas, against Python's fractions and against its own promises."""

import operator
from collections.abc import Callable, Sequence
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rows import row
from skarvin.core.findings import Row
from skarvin.core.marks.choices import Missing
from skarvin.core.marks.convert import Points
from skarvin.core.marks.totals.compute import TotalRule, check_total, compute, in_order
from skarvin.core.marks.totals.evaluate import Marks, NothingToDivideBy, evaluate, names
from skarvin.core.marks.totals.language import parse
from skarvin.core.marks.totals.meaning import check
from skarvin.core.marks.totals.tree import FormulaFault, Key, MomentKey, Part, Ranked, TotalKey
from skarvin.core.marks.totals.why import Explained, Step, explain, in_words
from skarvin.core.texts.numbers import Rounding

MAXIMA = (Decimal(10), Decimal(20), Decimal(40))
PARTS = {
    "quizzes": Part((0, 1, 2), is_list=True, out_of=MAXIMA),
    **{name: Part((key,), out_of=(MAXIMA[key],)) for key, name in enumerate("ABC")},
    "bare": Part((0,), out_of=(None,)),
}

Numbers = list[Fraction | None]


def value(text: str, *marks: Fraction | int | None) -> Fraction | None:
    tree = parse(text)
    check(tree, PARTS)
    assert not isinstance(tree, Ranked)

    def read(key: Key) -> Fraction | None:
        assert isinstance(key, int)
        mark = marks[key]
        return None if mark is None else Fraction(mark)

    return evaluate(tree, PARTS, Marks(read))


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        *(('"A" + "B" * 2', 37), ('("A" + "B") * 2', 44), ('-"A" + 10', 3), ('"C" / 4 - 1', "13/2"), ("2.5", "5/2")),
        *(("sum of quizzes", 52), ("mean of quizzes", "52/3"), ("highest of quizzes", 30), ("lowest of quizzes", 7)),
        *(("sum of best 2 of quizzes", 45), ("mean of all but lowest 1 of quizzes", "45/2"), ("25% of 'C'", "15/2")),
        *(("percent of 'A'", 70), ("share of 'C'", "3/4"), ("mean of percent of quizzes", "220/3")),
        *(("percent of sum of quizzes", "5200/70"), ("sum of best 2 of percent of quizzes", 150)),
        ("weighted mean of (40: mean of percent of quizzes, 60: percent of 'A')", Fraction(40 * 220, 300) + 42),
        ("40% of mean of percent of quizzes + 60% of percent of 'A'", Fraction(40 * 220, 300) + 42),
        ("percent of highest of quizzes", 75),
        ("mean of ('A', 'B', 2)", 8),
    ],
)
def test_a_formula_gives_the_exact_number(text: str, expected: str | int | Fraction) -> None:
    assert value(text, 7, 15, 30) == Fraction(expected)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        *(("sum of quizzes", 37), ("mean of quizzes", "37/2"), ("'B' + 1", None), ("'B' * 2", None), ("'A' - 'B'", 7)),
        *(("mean of best 3 of quizzes", "37/2"), ("percent of sum of quizzes", 74), ("'B'", None)),
        ("weighted mean of (50: percent of 'A', 50: percent of 'B')", 70),
        ("mean of all but lowest 2 of quizzes", 30),
    ],
)
def test_a_missing_mark_is_left_out(text: str, expected: str | int | None) -> None:
    assert value(text, 7, None, 30) == (None if expected is None else Fraction(expected))


@pytest.mark.parametrize(
    ("text", "says", "at"),
    [
        *(("", "a number or a name is missing", 0), ('"A" +', "missing before its end", 5)),
        *(('"A" / 0', "divides by nothing", 6), ('"A" "B"', "follows where the formula should end", 4)),
        *(('"A', "isn't closed", 0), ("quizzes", "several numbers", 0), ("mean 'A'", "'of' is missing", 5)),
        *(("mean of 'A'", "needs several numbers", 0), ("best of quizzes", "a count is missing", 5)),
        *(("1 + sum of quizzes + quizzes", "one number is needed", 21), ("percent of bare", "maximum of 'bare'", 11)),
        *(("percent of (1 + 2)", "no maximum to be a share of", 14), ("weighted mean of (0: 'A')", "nothing", 0)),
        *(("weighted mean of ('A': 2)", "a weight is missing", 18), ("1 + rank of 'A'", "'rank' has no meaning", 4)),
        *(("('A'", "')' is missing", 4), ("'A' & 'B'", "'&' has no meaning", 4), ("9" * 40, "too many digits", 0)),
        *(("(" * 100 + "1", "too deep", 30), ("-" * 100 + "1", "too deep", 59)),
        *(
            ("quizzes('os')", "follows where the formula should end", 7),
            ("1 + average of quizzes", "'average of' has", 4),
        ),
    ],
)
def test_what_is_wrong_with_a_formula_is_said_with_its_place(text: str, says: str, at: int) -> None:
    with pytest.raises(FormulaFault) as fault:
        value(text, 1, 2, 3)
    assert says in fault.value.what
    assert fault.value.at == at


def test_a_number_that_becomes_nothing_is_not_divided_by() -> None:
    with pytest.raises(NothingToDivideBy):
        value("'A' / ('B' - 'B')", 1, 2, 3)


Pair = tuple[str, Callable[[Numbers], Fraction]]


def combined(pairs: st.SearchStrategy[Pair]) -> st.SearchStrategy[Pair]:
    def sums(parts: list[Pair]) -> Pair:
        text = ", ".join(part for part, _ in parts)
        return f"sum of ({text}, 0)", lambda marks: sum((give(marks) for _, give in parts), Fraction(0))

    def best(parts: list[Pair]) -> Pair:
        text = ", ".join(part for part, _ in parts)

        def give(marks: Numbers) -> Fraction:
            return sum(sorted((one(marks) for _, one in parts), reverse=True)[:2], Fraction(0)) / 2

        return f"mean of best 2 of ({text})", give

    several = st.lists(pairs, min_size=2, max_size=4)
    signs = st.sampled_from([("+", operator.add), ("-", operator.sub), ("*", operator.mul)])
    return st.one_of(
        st.builds(joined, pairs, signs, pairs),
        st.builds(divided, pairs, st.integers(1, 99)),
        several.map(sums),
        several.map(best),
    )


def joined(one: Pair, sign: tuple[str, Callable[[Fraction, Fraction], Fraction]], other: Pair) -> Pair:
    return f"({one[0]} {sign[0]} {other[0]})", lambda marks: sign[1](one[1](marks), other[1](marks))


def divided(pair: Pair, by: int) -> Pair:
    return f"{pair[0]} / {by}", lambda marks: pair[1](marks) / by


def item(key: int) -> Pair:
    return f'"{"ABC"[key]}"', lambda marks: marks[key] or Fraction(0)


single: st.SearchStrategy[Pair] = st.one_of(
    st.decimals(0, 100, places=2).map(lambda number: (str(number), lambda _: Fraction(number))),
    st.integers(0, 2).map(item),
)


@given(st.recursive(single, combined, max_leaves=12), st.tuples(*[st.fractions(0, 40, max_denominator=100)] * 3))
def test_a_formula_is_what_fractions_make_of_it(pair: Pair, marks: tuple[Fraction, ...]) -> None:
    text, give = pair
    assert value(text, *marks) == give(list(marks))


def rule(name: str, text: str, parts: dict[str, Part], missing: Missing = Missing.LEAVE_OUT) -> TotalRule:
    tree = parse(text)
    assert {name.name for name in names(tree)} <= set(parts)
    return TotalRule(name=name, formula=tree, text=text, parts=parts, missing=missing, decimals=1)


FIRST, SECOND, THIRD = map(row, range(3))
CLASS: dict[Row, Numbers] = {
    FIRST: [Fraction(9), None],
    SECOND: [Fraction(4), Fraction(5)],
    THIRD: [Fraction(9), Fraction(0)],
}


def marks_of(student: Row, keys: Sequence[int | MomentKey]) -> list[Points]:
    return [Points(CLASS[student][key]) for key in keys if isinstance(key, int)]


TWO = {"both": Part((0, 1), is_list=True, out_of=(None, None)), "added": Part((TotalKey(0),), out_of=(None,))}


@pytest.mark.parametrize(
    ("missing", "gives"),
    [
        (Missing.LEAVE_OUT, [9, "9/2", "9/2"]),
        (Missing.ZERO, ["9/2", "9/2", "9/2"]),
        (Missing.HOLD, [None, "9/2", "9/2"]),
    ],
)
def test_the_missing_are_counted_and_ruled(missing: Missing, gives: list[str | int | None]) -> None:
    found = compute([rule("mean", "mean of both", TWO, missing)], list(CLASS), marks_of)[0]
    assert [one.number for one in found.values()] == [None if one is None else Fraction(one) for one in gives]
    assert [one.missing for one in found.values()] == [1, 0, 0]
    assert bool(found[FIRST].reason) == (missing is Missing.HOLD)


def test_a_total_of_totals_comes_after_them_and_equal_numbers_share_a_place() -> None:
    rules = [rule("added", "sum of both", TWO), rule("place", "rank of added", TWO)]
    assert in_order(rules) == [0, 1]
    places = compute(rules, list(CLASS), marks_of)[1]
    assert [one.number for one in places.values()] == [1, 1, 1]
    with pytest.raises(FormulaFault, match="'added', which needs 'added'"):
        in_order([rule("added", "added + 1", TWO)])


def test_a_total_is_rounded_once_at_the_end_and_held_against_the_sources_own() -> None:
    one = rule("third", "sum of both / 3", TWO)
    values = compute([one], list(CLASS), marks_of)[0]
    checked = check_total(one, values, {FIRST: Decimal("3.0"), SECOND: Decimal("3.1"), THIRD: None})
    assert (checked.agree, checked.incomparable) == (1, 1)
    assert [(found.row, found.by) for found in checked.differing] == [(SECOND, Decimal("0.1"))]
    assert one.rounded(Fraction(1, 20)) == Decimal("0.1")
    assert TotalRule(name="x", formula=one.formula, text="", parts={}, rounding=Rounding.NONE).rounded(
        Fraction(1, 3)
    ) == Fraction(1, 3)


WRITTEN = (
    "weighted mean of (40: mean of percent of quizzes, 60: percent of 'A')",
    "sum of all but lowest 1 even if alone of quizzes",
    "at least 0 of ('A' - 2 * days after 2026-03-01T12:00 of 'Handed in')",
    "days after 'Due' of 'Handed in' + days after 2026-03-01 of 'Handed in'",
    "lift within 0.5 to (50, 70) of at most 100 of ('A' + 5)",
    "sum of (quizzes, 'A') + extra of 'B'",
    "share of highest of best 2 of quizzes / (1 + 2.5)",
    "weighted mean of at most 7 of quizzes",
)


@pytest.mark.parametrize("text", WRITTEN)
def test_a_formula_in_words_says_the_same_formula(text: str) -> None:
    tree = parse(text)
    assert not isinstance(tree, Ranked)
    written = in_words(tree)
    again = parse(written)
    assert not isinstance(again, Ranked)
    assert in_words(again) == written


def steps_of(text: str, *marks: Fraction | int | None) -> list[Step]:
    known = [None if mark is None else Fraction(mark) for mark in marks]
    student = Explained(PARTS, Marks(lambda key: known[key] if isinstance(key, int) else None), lambda key: f"Q{key}")
    return explain(parse(text), student)


@pytest.mark.parametrize(
    ("text", "marks", "expected"),
    [
        (
            "sum of at most 12 of best 2 of quizzes",
            (7, 15, 30),
            [("Q0", 7, "not counted"), ("Q1", 12, ""), ("Q2", 12, "")],
        ),
        (
            "sum of percent of best 1 of quizzes",
            (7, None, 30),
            [("Q0", 7, "not counted"), ("Q1", None, "missing, left out"), ("Q2", 75, "")],
        ),
        ("mean of ('A', 'B' + 1)", (7, 15, 30), [('"A"', 7, ""), ('"B" + 1', 16, "")]),
        ("highest of percent of quizzes", (7, 15, 20), [("Q0", 70, ""), ("Q1", 75, ""), ("Q2", 50, "")]),
    ],
)
def test_each_member_of_a_group_has_its_value_and_whether_it_counts(
    text: str, marks: tuple[int | None, ...], expected: list[tuple[str, int | None, str]]
) -> None:
    found = [(words, value, note) for depth, words, value, note in steps_of(text, *marks) if depth == 1]
    assert found == expected


def test_parts_that_divide_by_nothing_have_no_value() -> None:
    assert [step[2] for step in steps_of("'A' / ('B' - 15)", 7, 15, 30)] == [None, 7, 0, 15]
