"""What fields are worth: the laws of weighing, and pairs that are made, or held, by all that is known."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import DamerauLevenshtein

from classes import make_classes
from rows import FORM, row
from skarvin.core.gradebook import Student
from skarvin.core.students.by_weight import BOUNDS, Likely, Odds, Rivals, choose
from skarvin.core.students.candidates import Candidates
from skarvin.core.students.evidence import days_differ
from skarvin.core.students.pair_students import PairingRule, pair_students
from skarvin.core.students.pairing import Certainty, Further
from skarvin.core.students.slips import Texts, near_each
from skarvin.core.students.slips_in_bulk import near_pairs
from skarvin.core.students.weights import Weight, Weights
from skarvin.core.texts.names import SHORT_FORMS

seeds = st.integers(0, 10**9)
CLASS = [
    ("T-10071", "Lund, Ida", "2008-03-01"),
    ("T-20482", "Okonkwo, Adaeze", "2008-11-17"),
    ("T-33915", "Vodopyanova, Daria", "2007-07-29"),
    ("T-48160", "Nguyen, An", "2008-01-05"),
    ("T-57734", "Nguyen, Bao", "2008-09-23"),
    ("T-61208", "Kovács, Zoltán", "2007-12-12"),
]


def students(people: list[tuple[str, str, str]], *, form: bool = False) -> list[Student]:
    return [
        Student(row(place, FORM) if form else row(place), number, name, birth=birth)
        for place, (number, name, birth) in enumerate(people)
    ]


def outcome(changed: tuple[str, str, str], rule: PairingRule = PairingRule()) -> str:  # noqa: B008 - it never changes
    """Return how the first of the class is paired if the export says something else of her, or why she is held."""
    found = pair_students(students([changed, *CLASS[1:]]), students(CLASS, form=True), rule)
    pair = next((pair for pair in found.pairs if not pair.source.row.position), None)
    assert pair is None or not pair.target.row.position
    return pair.by.value if pair else "held"


@pytest.mark.parametrize(
    ("changed", "expected"),
    [
        (("T-10071", "Lund, Ida", "2008-03-01"), "identifier"),
        (("T-10071", "Lund, Ida", "2008-08-15"), "evidence"),
        (("T-10071", "Lund-Berg, Freja", "2008-03-01"), "identifier"),
        (("T-10071", "Berg, Freja", "2008-03-01"), "identifier"),
        (("T-10071", "Berg, Freja", "2008-08-15"), "held"),
        (("T-10071", "Berg, Freja", ""), "held"),
        (("T-10017", "Lund, Ida", "2008-03-01"), "evidence"),
        (("T-99999", "Lund, Ida", "2008-03-01"), "evidence"),
        (("T-99999", "Lund, Ida", ""), "held"),
        (("", "Lund, Ida", "2008-03-01"), "evidence"),
        (("", "Lundh, Ida", "2008-03-01"), "evidence"),
        (("", "Berg, Freja", "2008-03-01"), "held"),
        (("", "Lund", "2007-07-29"), "held"),
    ],
)
def test_one_thing_against_many_is_outweighed_and_two_are_not(changed: tuple[str, str, str], expected: str) -> None:
    assert outcome(changed) == expected


TWINS = [("Berg, Caitlin", "Berg, Caitlyn"), ("Berg, Anna", "Berg, Maria")]


@pytest.mark.parametrize("names", TWINS)
@pytest.mark.parametrize(("birth", "is_told_apart"), [("2008-03-01", False), ("", False), ("2009-05-05", True)])
def test_twins_whose_numbers_are_swapped_are_held(names: tuple[str, str], birth: str, *, is_told_apart: bool) -> None:
    one, other = names
    source = students([("T-10019", one, "2008-03-01"), ("T-10472", other, birth), *CLASS])
    form = students([("T-10019", other, "2008-03-01"), ("T-10472", one, birth), *CLASS], form=True)
    found = pair_students(source, form, PairingRule())
    paired = {pair.source.row.position: pair.target.row.position for pair in found.pairs}
    others = {place: place for place in range(2, len(source))}
    near_names_of_other_days = is_told_apart and names == TWINS[0]
    assert paired == (others | {0: 0, 1: 1} if near_names_of_other_days else others)
    assert len(found.held) == (0 if near_names_of_other_days else 2)


def test_whoever_has_the_number_of_a_row_is_its_rival_however_much_else_agrees_with_another() -> None:
    source = students([("T-10019", "Berg, Caitlin", "2008-03-01"), *CLASS])
    people = [("T-10019", "Berg, Caitlyn", "2008-03-01"), ("T-10472", "Berg, Caitlin", "2008-03-01"), *CLASS]
    found = pair_students(source, students(people, form=True), PairingRule())
    assert [one.student.row.position for one in found.held] == [0]


@pytest.mark.parametrize(
    ("export", "form"),
    [
        ([("T-10019", "Bergqvist, Jonathan", "2008-03-01")], [("T-10019", "Osei, Kwame", "2007-02-02")]),
        ([("", "Bergqvist, Jonathan", "2008-03-01"), ("T-90472", "Osei, Kwame", "2007-02-02")], []),
    ],
    ids=["the number is another row's", "another has the number of the row"],
)
def test_a_number_that_says_somebody_else_holds_a_near_name_with_its_birth_date(
    export: list[tuple[str, str, str]], form: list[tuple[str, str, str]]
) -> None:
    there = [*form, ("T-90472", "Bergqvist, Jonatan", "2008-03-01"), *CLASS]
    found = pair_students(students([*export, *CLASS]), students(there, form=True), PairingRule())
    assert {pair.source.row.position for pair in found.pairs} == set(range(len(export), len(export) + len(CLASS)))
    assert 0 in {one.student.row.position for one in found.held}


@pytest.mark.parametrize(
    ("bits", "certainty", "is_paired"), [(14, "surest", True), (8, "usual", True), (8, "surest", False)]
)
def test_the_surest_takes_a_smaller_risk_than_the_usual(bits: float, certainty: str, *, is_paired: bool) -> None:
    one, other = students(CLASS)[0], students(CLASS, form=True)[0]
    likely = Likely(other, Weight(bits, ()))
    rivals = Rivals(Odds((0.1, 0.1), 32))
    rivals.add(one, likely)
    found = {one.row: (likely,)}
    chosen = choose({one.row: one}, found, [other.row], rivals, lambda *_: "", Certainty(certainty))
    assert bool(chosen.pairs) is is_paired
    assert all(pair.risk <= BOUNDS[Certainty(certainty)].each for _, pair in chosen.pairs)


def test_a_rare_word_says_more_than_a_common_one() -> None:
    weights = Weights(students(CLASS), students(CLASS, form=True), SHORT_FORMS)
    ours, theirs = students(CLASS), students(CLASS, form=True)
    common = weights.weigh(ours[3]._replace(identifier="", birth=""), theirs[4]._replace(identifier="", birth=""))
    rare = weights.weigh(ours[2]._replace(identifier="", birth=""), theirs[2]._replace(identifier="", birth=""))
    by_word = {one.words: one.bits for one in (*common.agreements, *rare.agreements)}
    assert by_word["vodopyanova"] > by_word["nguyen"] > 0


def test_an_address_that_both_files_have_speaks_too() -> None:
    ours, theirs = (
        students([("", "Lund, I.", "")]),
        students([("T-1", "Lund, Ida", ""), ("T-2", "Lund, Ingrid", "")], form=True),
    )
    mail = Further(
        "e-mail", {ours[0].row: "ida@x.example"}, {theirs[0].row: "IDA@y.example", theirs[1].row: "ing@y.example"}
    )
    assert [pair.target.row for pair in pair_students(ours, theirs, PairingRule(further=(mail,))).pairs] == [
        theirs[0].row
    ]
    assert pair_students(ours, theirs, PairingRule()).pairs == ()


@given(seeds, st.integers(2, 25), st.sampled_from([0.0, 0.3, 1.0]))
def test_weighing_is_the_same_from_either_side(seed: int, size: int, slips: float) -> None:
    source, target, _ = make_classes(size, random.Random(seed), slips=slips, without_id=0.3)
    there, back = Weights(source, target, SHORT_FORMS), Weights(target, source, SHORT_FORMS)
    for one, other in zip(source, target, strict=False):
        assert there.weigh(one, other).bits == pytest.approx(back.weigh(other, one).bits)


@given(seeds, st.integers(5, 40), st.booleans())
def test_no_pair_by_evidence_is_wrong_though_everything_slips(seed: int, size: int, has_births: bool) -> None:
    chance = random.Random(seed)
    source, target, truth = make_classes(size, chance, slips=0.5, without_id=0.0)
    days = {
        row: f"20{chance.randint(7, 9):02}{chance.randint(1, 12):02}{chance.randint(1, 28):02}"
        for row in truth.values()
    }
    target = [one._replace(birth=days.get(one.row, "")) if has_births else one for one in target]

    def slipped(one: Student) -> Student:
        place = chance.randrange(max(1, len(one.identifier)))
        number = one.identifier[:place] + chance.choice("0123456789") + one.identifier[place + 1 :]
        birth = days.get(truth[one.row], "") if has_births and one.row in truth else ""
        return one._replace(identifier=number if chance.random() < 0.3 else one.identifier, birth=birth)

    found = pair_students([slipped(one) for one in source], target, PairingRule())
    assert [pair for pair in found.pairs if truth.get(pair.source.row) != pair.target.row] == []


@given(st.lists(st.text("abc1", min_size=3, max_size=9), unique=True, max_size=40), st.text("abc1", min_size=3))
def test_texts_one_slip_away_are_found_and_no_others(texts: list[str], asked: str) -> None:
    one_by_one, at_once = Texts(texts), Texts(texts)
    at_once.ask([asked, *texts])
    for one in [asked, *texts]:
        near = {text for text in texts if DamerauLevenshtein.distance(text, one) == 1}
        assert set(one_by_one.near(one)) == set(at_once.near(one)) == near


@given(st.sets(st.text("012é", max_size=5), max_size=40), st.sets(st.text("012é", max_size=5), max_size=30))
def test_identifiers_one_slip_away_are_found_whether_few_are_asked_or_many(known: set[str], asked: set[str]) -> None:
    def truth(texts: set[str]) -> dict[str, list[str]]:
        return {one: sorted(two for two in known if DamerauLevenshtein.distance(one, two) == 1) for one in texts}

    assert near_each(asked, known) == truth(asked)
    few = {text: near_each({text}, known)[text] for text in asked}
    assert few == truth(asked)
    bulk = near_pairs(sorted(asked), sorted(known))
    assert sorted(bulk) == [(one, two) for one, others in sorted(truth(asked).items()) for two in others]


@given(seeds, st.integers(5, 30))
def test_all_who_share_something_rare_are_looked_at(seed: int, size: int) -> None:
    chance = random.Random(seed)
    source, target, truth = make_classes(size, chance, slips=0.0, without_id=0.5, large=True)
    by_row = {student.row: student for student in target}
    candidates = Candidates(source, target, Weights(source, target, SHORT_FORMS))
    for student in source:
        if student.row in truth:
            assert candidates.of(student)[0] == by_row[truth[student.row]]


@pytest.mark.parametrize(
    ("one", "other", "differ"),
    [
        ("20080301", "2008-03-01", False),
        ("01032008", "20080301", False),
        ("19340525", "19190825", True),
        ("010308", "1.3.2008", False),
        ("2008-03-01 00:00", "1/3/08", False),
        ("1 March 2008", "2008-03-01", False),
    ],
)
def test_dates_are_compared_however_they_are_written(one: str, other: str, *, differ: bool) -> None:
    assert days_differ(one, other) is differ
