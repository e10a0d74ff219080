from decimal import Decimal
from pathlib import Path
from unittest.mock import Mock

import pytest

from skarvin.core.grid.read import read_grid
from skarvin.core.layout import address
from skarvin.core.layout.address import NoSuchColumn, find_column, name_of
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.headings import read_heading
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS, name_test
from skarvin.core.layout.told import Told


@pytest.mark.parametrize(
    ("heading", "title", "maximum"),
    [
        ("Knots (out of 10)", "Knots", "10"),
        ("Knots [15]", "Knots", "15"),
        ("Knots (max. 12.5 pts)", "Knots", "12.5"),
        ("Knots out of 20", "Knots", "20"),
        ("Knots - 20 points", "Knots", "20"),
        ("Knots /40", "Knots", "40"),
        *(("Knots (Points)", "Knots", None), ("Knots (%)", "Knots", "100"), ("Knots [20] (percent)", "Knots", "20")),
        *(("Knots %", "Knots", "100"), ("(Points)", "(Points)", None), ("Grade (letter)", "Grade", None)),
        ("Knots 2", "Knots 2", None),
        ("Quiz (2)", "Quiz", "2"),
        ("(10)", "(10)", None),
        ("Knots (out of 0)", "Knots (out of 0)", None),
        ("1/2 hitch", "1/2 hitch", None),
    ],
)
def test_a_heading_gives_its_title_and_its_maximum(heading: str, title: str, maximum: str | None) -> None:
    assert read_heading(heading)[:2] == (title, Decimal(maximum) if maximum else None)


def test_columns_are_taken_for_what_their_headings_and_cells_say(tmp_path: Path) -> None:
    file = tmp_path / "export.csv"
    file.write_text(
        "Ref,Learner no,Family name,Given name,Crew,Mail,Knots,Total,Notes,Empty,Seen,Planks,Rig,When,Here\n"
        "ab12,1,Diallo,Fatoumata,Keel,f@example.org,7,7,good,,June,17½,8.5/10,2026-10-01,Present\n"
        "ab13,2,Kim,Min-jun,Keel,m@example.org,8,8,,,June,3 1/3,9*,2026-11-02,absent\n"
    )
    uses = [column.use for column in recognise(read_grid(file)).columns]
    assert uses == [
        *(Use.KEY, Use.NUMBER, Use.FAMILY, Use.GIVEN, Use.SECTION, Use.EMAIL),
        *(Use.ITEM, Use.TOTAL, Use.COMMENT, Use.ITEM, Use.OTHER),
        *(Use.ITEM, Use.ITEM, Use.HOUSEKEEPING, Use.ITEM),
    ]


def test_a_section_is_told_from_its_tests_and_a_comment_from_a_dash(tmp_path: Path) -> None:
    file = tmp_path / "export.csv"
    file.write_text(
        "No,Class,Class test,Group code,Team project,Set 2,Remarks,Care,Teacher\n"
        "1,7,12,1,,3,-,-,-\n2,8,15,2,,4,-,7,-\n3,7,9,1,,5,neat,8,Ms Sá\n4,7,11,1,,5,-,-,-\n"
    )
    uses = [column.use for column in recognise(read_grid(file)).columns]
    assert uses == [
        *(Use.NUMBER, Use.SECTION, Use.ITEM, Use.SECTION, Use.ITEM, Use.ITEM),
        *(Use.COMMENT, Use.ITEM, Use.OTHER),
    ]


@pytest.mark.parametrize("name", ["Student, Practice", "practice STUDENT", "Preview  Student", "(Preview) Student"])
def test_rows_that_the_system_put_in_are_struck_whatever_the_order_of_their_words(name: str) -> None:
    assert name_test(NOT_STUDENTS)(name)


@pytest.mark.parametrize("name", ["", "Student, Prudence", "Practice"])
def test_rows_of_students_are_not_struck(name: str) -> None:
    assert not name_test(NOT_STUDENTS)(name)


def columns(*headings: str) -> list[Column]:
    return [
        Column(index=index, heading=text, use=Use.ITEM, evidence="", title=text) for index, text in enumerate(headings)
    ]


@pytest.mark.parametrize(
    ("name", "index"), [("Knots", 0), ("C", 2), ("3", 2), ('"B"', 3), ("ID", 4), (" Knots ", 0), ("5", 4)]
)
def test_a_column_is_found_by_heading_letter_or_position(name: str, index: int) -> None:
    assert find_column(columns("Knots", "Lofting", "Lofting", "B", "ID"), name).index == index


@pytest.mark.parametrize(
    ("name", "says"), [("Lofting", "columns B and C"), ("B", "'\"B\"'"), ("Knot", "did you mean 'Knots'"), ("9", "'9'")]
)
def test_a_name_that_means_no_column_or_several_says_what_to_write(name: str, says: str) -> None:
    with pytest.raises(NoSuchColumn, match=says):
        find_column(columns("Knots", "Lofting", "Lofting", "B", "ID"), name)


def test_every_column_has_a_name_by_which_it_is_found_again() -> None:
    found = columns("Knots", "Lofting", "Lofting", "B", "", '"q"', "7")
    assert [find_column(found, name_of(found, column)) for column in found] == found


def test_columns_that_a_transfer_names_are_looked_up_in_one_index(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    index = Mock(wraps=address._Index)  # noqa: SLF001
    monkeypatch.setattr(address, "_Index", index)
    names = [f"Task {number}" for number in range(30)]
    lines = [",".join(["No", *names]), *(",".join([f"10{row}", *["7"] * 30]) for row in range(5))]
    (tmp_path / "export.csv").write_text("\n".join(lines), encoding="utf-8")
    layout = recognise(read_grid(tmp_path / "export.csv"), Told(marked=tuple(names)))
    assert [column.use for column in layout.columns[1:]] == [Use.ITEM] * 30
    assert index.call_count == 1
