import pytest

from rows import row
from skarvin.core.gradebook import Student
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pairing import pair


def students(*identifiers: str) -> list[Student]:
    return [Student(row(position), identifier) for position, identifier in enumerate(identifiers, 1)]


@pytest.mark.parametrize(
    ("rule", "one", "other", "needed"),
    [
        (IdentifierRule(), " 007", "007", ("spaces",)),
        (IdentifierRule(ignore_case=True), "ab1", "AB1", ("case",)),
        (IdentifierRule(ignore_leading_zeros=True), "007", "7", ("leading zeros",)),
        (IdentifierRule(ignore_leading_zeros=True), "000", "0", ("leading zeros",)),
        (IdentifierRule(ignore_prefix="#"), "#12", "12", ("prefix '#'",)),
        (IdentifierRule(ignore_suffix="@tw"), "ab@tw ", "ab", ("spaces", "suffix '@tw'")),
    ],
)
def test_identifiers_meet_by_the_rule_and_what_it_took_is_counted(
    rule: IdentifierRule, one: str, other: str, needed: tuple[str, ...]
) -> None:
    found = pair(students(one), students(other), rule)
    assert (len(found.pairs), dict(found.needed)) == (1, dict.fromkeys(needed, 1))


@pytest.mark.parametrize(("one", "other"), [("ab1", "AB1"), ("007", "7"), ("#12", "12"), ("0", "")])
def test_nothing_but_space_is_set_aside_unless_the_rule_says_so(one: str, other: str) -> None:
    assert not pair(students(one), students(other), IdentifierRule()).pairs


def test_an_identifier_that_is_not_unique_on_both_sides_is_held() -> None:
    found = pair(students("1", "1", "2", "3", ""), students("1", "2", "2", "4"), IdentifierRule())
    assert not found.pairs
    assert [(waiting.student.row.position, waiting.why.cause.code) for waiting in found.held] == [
        (1, "identifier-twice"),
        (2, "identifier-twice"),
        (3, "identifier-twice-in-target"),
        (5, "no-identifier"),
    ]
    assert [waiting.student.row.position for waiting in found.held_target] == [2, 3]
    assert [student.identifier for student in (*found.source_only, *found.target_only)] == ["3", "1", "4"]


def test_setting_zeros_aside_can_make_two_students_one_and_then_both_are_held() -> None:
    found = pair(students("07", "7"), students("7"), IdentifierRule(ignore_leading_zeros=True))
    assert (len(found.pairs), len(found.held)) == (0, 2)


def test_students_to_be_left_out_are_named_by_identifier() -> None:
    found = pair(students("1", "2"), students("1"), IdentifierRule(), leave_out=[" 2"])
    assert [student.identifier for student in found.left_out] == ["2"]
    assert found.share == 1
