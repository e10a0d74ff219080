import pytest
from msgspec.structs import replace

from skarvin.core.marks.answers.answer_rule import AnswerRule, KnownAnswer
from skarvin.core.marks.answers.labels import read_answer_number, read_labels
from skarvin.core.marks.answers.question import split_question
from skarvin.core.marks.choices import AnswerKind, Blank, LabelOrder, LabelStyle
from skarvin.core.marks.rule import Converted
from skarvin.core.reasons import Fate


@pytest.mark.parametrize(
    ("text", "labels"),
    [
        *(("B", "B"), ("b.", "B"), ("B) the garboard", "B"), ("(c) oak", "C"), ("B  because the plank bends", "B")),
        *(("B. oak", "B"), ("B: oak", "B"), ("B - oak", "B"), ("A;C", "AC"), ("A; c", "AC"), ("AC", "AC")),
        *(("A, C", "AC"), ("B) oak; it bends", "B"), ("A) oak; ash; C) elm", None)),
        *(("A) oak; C) ash", "AC"), ("A\nC", "AC"), ("C;A;A", "CA"), ("F", "F"), ("B)oak", "B")),
        *(
            ("A plank", None),
            ("Because", None),
            ("CA", "CA"),
            ("AA", None),
            ("", None),
            ("oak; ash", None),
            ("12 B", None),
        ),
    ],
)
def test_the_label_before_a_text_is_read(text: str, labels: str | None) -> None:
    found = read_labels(text, "ABCD")
    assert (None if found is None else "".join(found)) == labels


@pytest.mark.parametrize(
    ("text", "is_comma", "number"),
    [
        *(("160", False, "160"), ("160,0 mm", True, "160.0"), ("1,500", False, "1500"), ("1.500,5", True, "1500.5")),
        *(("1 500 mm", False, "1500"), ("-3.5", False, "-3.5"), ("160 cm", False, None), ("1,50", False, None)),
        *(("12.5.1", False, None), ("about 5", False, None), ("1'000'000", False, "1000000")),
        ("1,000'000", False, None),
    ],
)
def test_a_number_is_read_with_its_unit_and_its_thousands(text: str, *, is_comma: bool, number: str | None) -> None:
    found = read_answer_number(text, is_comma=is_comma, units=frozenset({"mm"}))
    assert (None if found is None else str(found)) == number


def known(text: str, code: str) -> tuple[KnownAnswer, ...]:
    return (KnownAnswer(text, code, is_right=True),)


KEY = (KnownAnswer("trunnels", "A", is_right=True), KnownAnswer("copper rivets", "B", is_right=False))


@pytest.mark.parametrize(
    ("text", "rule", "code"),
    [
        ("C", AnswerRule(offered="ABCD", style=LabelStyle.NUMBERS), "3"),
        ("3) ash", AnswerRule(offered="1234", style=LabelStyle.LETTERS), "C"),
        ("A;C", AnswerRule(offered="ABCD", style=LabelStyle.NUMBERS, between=";", width=2), "01;03"),
        ("a, c", AnswerRule(offered="ABCD", is_lower=True), "ac"),
        ("b", AnswerRule(offered="ABCD", width=3), "B  "),
        ("E", AnswerRule(offered="ABCD"), None),
        ("Yes", AnswerRule(AnswerKind.TRUTH, truths=("1", "0")), "1"),
        ("perhaps", AnswerRule(AnswerKind.TRUTH), None),
        ("7 mm", AnswerRule(AnswerKind.NUMBER, units=frozenset({"mm"}), width=3), "007"),
        ("Copper  Rivets", AnswerRule(AnswerKind.TEXT, key=KEY), "B"),
        ("Copper  Rivets", AnswerRule(AnswerKind.TEXT, key=KEY, style=LabelStyle.NUMBERS), "2"),
        ("trunels", AnswerRule(AnswerKind.TEXT, key=KEY), None),
        ("oak, I think", AnswerRule(AnswerKind.TEXT), "oak, I think"),
    ],
)
def test_an_answer_becomes_its_code(text: str, rule: AnswerRule, code: str | None) -> None:
    assert rule.convert(text).text == code


@pytest.mark.parametrize(
    ("rule", "code", "fate"),
    [
        (AnswerRule(unseen=Blank.CODE, unseen_code="N"), "N", None),
        (AnswerRule(unseen=Blank.CLEAR), "", None),
        (AnswerRule(unseen=Blank.HOLD), None, Fate.HELD),
        (AnswerRule(), None, Fate.LEFT_OUT),
    ],
)
def test_a_question_that_was_never_seen_has_a_rule_of_its_own(
    rule: AnswerRule, code: str | None, fate: Fate | None
) -> None:
    found = rule.convert_unseen()
    assert (found.text, found.why and found.why.fate) == (code, fate)


def test_what_is_near_in_the_key_is_a_suggestion_only() -> None:
    held = AnswerRule(AnswerKind.TEXT, key=KEY).convert("Trunels")
    assert held.text is None
    assert str(held.why) == "'Trunels' is not in the key (perhaps A, 93% alike)"


@pytest.mark.parametrize(
    ("rule", "text", "is_right"),
    [
        (AnswerRule(offered="ABC", key=known("ac", "AC")), "A; C", True),
        (AnswerRule(offered="ABC", key=known("ac", "AC")), "A", False),
        (AnswerRule(AnswerKind.NUMBER, is_comma=True, key=known("160", "160")), "160,0", True),
        (AnswerRule(AnswerKind.TRUTH, key=known("true", "true")), "yes", True),
        (AnswerRule(AnswerKind.TEXT, key=KEY), "copper rivets", False),
    ],
)
def test_the_key_tells_the_right_answer_however_it_is_written(rule: AnswerRule, text: str, *, is_right: bool) -> None:
    answer = rule.read(text)
    assert not isinstance(answer, Converted)
    assert rule.is_right(answer) is is_right


EACH = (*known("a", "A"), *known("c", "C"), KnownAnswer("b", "B", is_right=False))


@pytest.mark.parametrize(
    ("key", "text", "alone", "together"),
    [
        *((EACH, "A", True, False), (EACH, "C;A", False, True), (EACH, "B", False, False), (EACH, "AC", False, True)),
        *((known("ac", "AC"), "C;A", True, True), (known("bca", "BCA"), "A;B;C", False, False)),
    ],
)
def test_several_right_answers_are_right_alone_or_together(
    key: tuple[KnownAnswer, ...], text: str, *, alone: bool, together: bool
) -> None:
    rule = AnswerRule(offered="ABC", key=key)
    answer = rule.read(text)
    assert not isinstance(answer, Converted)
    assert (rule.is_right(answer), rule.is_right(answer, takes_several=True)) == (alone, together)


def test_labels_are_put_in_order_and_found_before_one_blank_only_where_that_is_ruled() -> None:
    rule = AnswerRule(offered="ABC")
    assert rule.convert("C, A").text == "CA"
    assert replace(rule, order=LabelOrder.AS_OFFERED).convert("C, A").text == "AC"
    assert rule.convert("A plank").text is None
    assert replace(rule, one_blank=True).convert("A plank").text == "A"
    assert replace(rule, one_blank=True).convert("C oak; A ash").text == "CA"


@pytest.mark.parametrize(
    ("title", "parts"),
    [
        *(("Answer 1: Which plank?", ("1", "which plank")), ("Q07. Which plank?", ("7", "which plank"))),
        *(("Which plank?", ("", "which plank")), ("3. Oak - or ash?", ("3", "oak or ash")), ("Question 2", ("2", ""))),
    ],
)
def test_a_question_has_a_number_and_asks_something(title: str, parts: tuple[str, str]) -> None:
    assert split_question(title) == parts
