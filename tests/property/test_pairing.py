"""The laws of pairing, held with generated classes of known truth."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from classes import make_classes
from rows import FORM, row
from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.students.agreements import How
from skarvin.core.students.likeness import is_contradiction
from skarvin.core.students.pair_students import PairingRule, pair_students
from skarvin.core.students.pairing import Pairing
from skarvin.core.students.weights import Weight, Weights
from skarvin.core.texts.names import SHORT_FORMS, name_key

seeds = st.integers(0, 10**9)
sizes = st.integers(1, 25)
shares = st.sampled_from([0.0, 0.2, 0.6, 1.0])


def weighed(one: str, other: str) -> Weight:
    """Return what the names of two students say who are alone in their files."""
    ours, theirs = Student(row(1), "", one), Student(row(1, FORM), "", other)
    return Weights([ours], [theirs], SHORT_FORMS).weigh(ours, theirs)


def pairs_of(found: Pairing) -> set[tuple[Row, Row]]:
    return {(pair.source.row, pair.target.row) for pair in found.pairs}


@given(seeds, sizes, shares, shares)
def test_no_pair_is_made_wrongly_and_nobody_is_forgotten(seed: int, size: int, slips: float, without: float) -> None:
    source, target, truth = make_classes(size, random.Random(seed), slips=slips, without_id=without)
    found = pair_students(source, target, PairingRule())
    assert all(truth.get(ours) == theirs for ours, theirs in pairs_of(found))
    placed = [pair.source.row for pair in found.pairs] + [waiting.student.row for waiting in found.held]
    placed += [student.row for student in (*found.source_only, *found.left_out)]
    assert sorted(placed) == [student.row for student in source]
    there = [pair.target.row for pair in found.pairs] + [waiting.student.row for waiting in found.held_target]
    assert sorted(there + [student.row for student in found.target_only]) == [student.row for student in target]


@given(seeds, sizes, shares, shares)
def test_swapping_the_sides_gives_the_same_pairs(seed: int, size: int, slips: float, without: float) -> None:
    source, target, _ = make_classes(size, random.Random(seed), slips=slips, without_id=without)
    there = pairs_of(pair_students(source, target, PairingRule()))
    back = pairs_of(pair_students(target, source, PairingRule()))
    assert there == {(ours, theirs) for theirs, ours in back}


@given(seeds, sizes, shares, shares)
def test_the_order_of_rows_does_not_matter(seed: int, size: int, slips: float, without: float) -> None:
    chance = random.Random(seed)
    source, target, _ = make_classes(size, chance, slips=slips, without_id=without)
    found = pair_students(source, target, PairingRule())
    mixed = pair_students(chance.sample(source, len(source)), chance.sample(target, len(target)), PairingRule())
    assert pairs_of(mixed) == pairs_of(found)
    assert {waiting.student.row for waiting in mixed.held} == {waiting.student.row for waiting in found.held}


@given(seeds, sizes, shares, shares, st.booleans())
def test_adding_an_unrelated_student_changes_no_other_pairing(
    seed: int, size: int, slips: float, without: float, there: bool
) -> None:
    source, target, _ = make_classes(size, random.Random(seed), slips=slips, without_id=without)
    before = pairs_of(pair_students(source, target, PairingRule()))
    stranger = Student(row(9999), "stranger-1", "Quxx Zyqqle")
    more = ([*source, stranger], target) if there else (source, [*target, stranger])
    assert pairs_of(pair_students(*more, PairingRule())) == before


@given(seeds, sizes, shares, shares)
def test_a_certain_pairing_is_contradicted_by_nothing(seed: int, size: int, slips: float, without: float) -> None:
    source, target, _ = make_classes(size, random.Random(seed), slips=slips, without_id=without)
    for pair in pair_students(source, target, PairingRule()).pairs:
        assert not is_contradiction(pair.source.name, pair.target.name)
        assert pair.by == "name" or pair.source.identifier.strip() == pair.target.identifier.strip()


def test_two_students_are_not_offered_the_same_one_first() -> None:
    source = [Student(row(1), "", "Reyes, Roberto"), Student(row(2), "", "Reyes, Rob")]
    target = [Student(row(1, FORM), "1", "Robert Reyes"), Student(row(2, FORM), "2", "Roberta Reyes")]
    held = pair_students(source, target, PairingRule()).held
    assert sorted(waiting.suggestions[0].target.row.position for waiting in held) == [1, 2]
    assert all(len(waiting.suggestions) == 2 for waiting in held)


def test_a_shifted_column_is_held_and_its_pattern_said() -> None:
    source, target, _ = make_classes(30, random.Random(3), slips=0, without_id=0, shifted=True)
    found = pair_students(source, target, PairingRule())
    assert all(pair.source.row.position <= 15 for pair in found.pairs)
    assert "out of step from row" in found.shift
    assert "(names down by 1 row, " in found.shift
    assert sum("out of step" in str(waiting.why) for waiting in found.held) >= 8


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("Ó Murchú, Síle", "SÍLE O'MURCHU"),
        ("Łęcka, Małgorzata", "malgorzata lecka"),
        ("Strauß, Greta", "Greta STRAUSS"),
        ("Þórsdóttir, Ásta", "Asta Thorsdottir"),
        ("D’Angelo, Chiara", "Chiara D'Angelo"),
        ("Smith-Jones, Rhys", "Rhys Smith Jones"),
    ],
)
def test_one_name_written_in_two_ways_is_one_name(one: str, other: str) -> None:
    weight = weighed(one, other)
    assert weight.bits > 0
    assert not weight.has("name", How.OTHER)
    assert not is_contradiction(one, other)


@pytest.mark.parametrize(
    ("one", "other", "says"),
    [
        ("Reyes, Robert", "Bob Reyes", "Robert/Bob"),
        ("Müller, Jörg", "Jorg Mueller", "like"),
        ("van den Berg, Joost", "Berg, J.", "initial J"),
        ("García Peña, Inés", "Inés Peña", "2 equal words"),
        ("Okonkwo, Chidi", "Chidi Okonwko", "like"),
        ("de la Cruz, Mateo", "Mateo Cruz", "2 equal words"),
    ],
)
def test_names_that_come_near_say_why(one: str, other: str, says: str) -> None:
    found = weighed(one, other)
    assert found.bits > 0
    assert says.casefold() in found.in_words.casefold()


@pytest.mark.parametrize(
    ("one", "other"), [("Kim, Layla", "Min-jun Kim"), ("Diallo, Nour", "Reyes, Luz"), ("Suharti", "Kim, Nour")]
)
def test_names_of_two_people_contradict(one: str, other: str) -> None:
    assert is_contradiction(one, other)


def test_a_name_is_compared_whole() -> None:
    assert name_key("Kim, Min-jun") != name_key("Kim, Min")


def test_a_thousand_namesakes_are_held_without_comparing_each_with_each(monkeypatch: pytest.MonkeyPatch) -> None:
    source = [Student(row(at), f"a{at}", "Kim, Nour") for at in range(1000)]
    target = [Student(row(at, FORM), f"b{at}", "Nour Kim") for at in range(1000)]
    compared = 0

    def count(*_: object) -> str:
        nonlocal compared
        compared += 1
        return ""

    monkeypatch.setattr("skarvin.core.students.evidence.Surroundings.contradiction", count)
    found = pair_students(source, target, PairingRule())
    assert not found.pairs
    assert compared < 10_000


@pytest.mark.parametrize(("shift", "is_said"), [(3, False), (4, True)])
def test_names_that_are_shifted_in_three_rows_are_a_pattern(shift: int, *, is_said: bool) -> None:
    names = ["Kim Nour", "Reyes Luz", "Sá Ana", "Diallo Bo", "Tanaka Ken", "Okonkwo Chidi", "Haddad Lea"]
    target = [Student(row(at, FORM), f"n{at}", name) for at, name in enumerate(names)]
    moved = [*names[:1], "Quxx Zyqqle", *names[1:shift], *names[shift + 1 :]]
    source = [Student(row(at), f"n{at}", name) for at, name in enumerate(moved)]
    assert bool(pair_students(source, target, PairingRule()).shift) == is_said


def test_a_name_that_is_written_in_two_ways_on_one_side_pairs_nobody() -> None:
    source = [Student(row(0), "", "Müller Jörg"), Student(row(1), "", "Mueller Joerg")]
    target = [Student(row(0, FORM), "", "Mueller Joerg")]
    found = pair_students(source, target, PairingRule())
    assert (found.pairs, {waiting.student.row for waiting in found.held}) == ((), {row(0), row(1)})
