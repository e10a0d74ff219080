from unittest.mock import Mock

import pytest

from skarvin.core.items import matching
from skarvin.core.items.matching import propose
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.headings import read_heading


def columns(*headings: str) -> list[Column]:
    return [
        Column(index=index, heading=text, use=Use.ITEM, evidence="", title=read_heading(text).title)
        for index, text in enumerate(headings)
    ]


@pytest.mark.parametrize(
    ("source", "target", "proposed"),
    [
        (["Knots"], ["Knots [10]"], ["Knots [10]"]),
        (["Planking, carvel"], ["PLANKING (carvel)"], ["PLANKING (carvel)"]),
        (["Steam bendng"], ["Steam bending"], ["Steam bending"]),
        (["Quiz 1", "Quiz 2"], ["Quiz 2", "Quiz 1"], ["Quiz 1", "Quiz 2"]),
        (["Quiz 1"], ["Quiz 2"], [None]),
        (["Tool care"], ["Lofting"], [None]),
        (["Safety test A"], ["Safety test B", "Safety test C"], [None]),
        (["Safety test B", "Safety test C"], ["Safety test A"], [None, None]),
        (["Knots", "Knots"], ["Knots"], [None, None]),
        (["Knots", "Knotts"], ["Knots", "Lofting"], ["Knots", None]),
    ],
)
def test_items_are_matched_by_title_and_never_two_to_one(
    source: list[str], target: list[str], proposed: list[str | None]
) -> None:
    found = propose(columns(*source), columns(*target))
    assert [proposal.target.heading if proposal.target else None for proposal in found] == proposed


def test_an_item_whose_like_is_there_is_weighed_against_that_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    weigh = Mock(wraps=matching._weigh)  # noqa: SLF001
    monkeypatch.setattr(matching, "_weigh", weigh)
    source, target = columns(*(f"Task {n}" for n in range(40))), columns(*(f"Task {n} [10]" for n in range(40)))
    found = propose(source, target[::-1])
    assert [one.target and one.target.title for one in found] == [one.title for one in source]
    assert weigh.call_count == len(source)


def test_a_near_tie_is_left_open_with_its_candidates() -> None:
    (found,) = propose(columns("Safety test A"), columns("Safety test B", "Safety test C"))
    assert [column.heading for column in found.candidates] == ["Safety test B", "Safety test C"]


def test_the_first_candidates_of_items_that_compete_are_different_ones() -> None:
    found = propose(columns("Keel joint", "Keel joints a"), columns("Keel joint b", "Keel joint ab"))
    asked = [proposal for proposal in found if proposal.candidates]
    firsts = [proposal.candidates[0].title for proposal in asked]
    assert len(asked) == 2
    assert len(firsts) == len(set(firsts))


def test_what_stands_in_brackets_of_an_unknown_language_leaves_a_question() -> None:
    (found,) = propose(columns("იალქანი (მაქს. 20)"), columns("იალქანი"))
    assert (found.target, [column.title for column in found.candidates]) == (None, ["იალქანი"])
