from decimal import Decimal
from pathlib import Path
from unittest.mock import Mock

import pytest

from skarvin.core.findings import Unreadable
from skarvin.core.grid.read import read_grid
from skarvin.core.layout import address
from skarvin.core.layout.address import NoSuchColumn, find_column, name_of
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.fitting import find_fitting, named_layout
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.headings import read_heading
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS, name_test
from skarvin.core.layout.stored import layout_text
from skarvin.core.layout.told import Told
from skarvin.core.layout.traits import is_like_name


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
        *(
            ("Knots (1500 points)", "Knots", "1500"),
            ("Knots (1500)", "Knots", None),
            ("Knots (1000)", "Knots", "1000"),
        ),
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


def read_as(folder: Path, *lines: str) -> Layout:
    (folder / "export.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
    return recognise(read_grid(folder / "export.csv"))


@pytest.mark.parametrize(
    ("lines", "rows", "maxima"),
    [
        (("No,Name,Knots", "1,,", "2,,", "3,,"), (0,), None),  # lines to be filled are no maxima
        (("Line,Name,Knots", "1,,", "2,,", "3,,"), (0,), None),
        ((",101,Kim Nour,8", ",102,Sá Ana,7", ",103,Roy Abir,6"), (), None),  # a blank column first tells nothing
        (("No,Name,Knots,Word", ",,7,good", "1,Kim Nour,8,fair", "2,Sá Ana,6,poor"), (0,), None),
        (("No,Name,Knots,Sails", ",,of wood,of cloth", "1,Kim Nour,8,7", "2,Sá Ana,6,9"), (0, 1), None),
        (("No,Name,Knots,Sails", ",,10,20", "1,Kim Nour,8,7", "2,Sá Ana,6,9"), (0,), 1),
    ],
)
def test_a_row_below_the_headings_is_one_of_them_if_it_is_words_alone(
    tmp_path: Path, lines: tuple[str, ...], rows: tuple[int, ...], maxima: int | None
) -> None:
    top = read_as(tmp_path, *lines).top
    assert (top.heading_rows, top.maxima_row) == (rows, maxima)


def test_a_text_above_several_columns_stands_before_theirs_and_before_no_others(tmp_path: Path) -> None:
    layout = read_as(tmp_path, "No,Term 1,,,Remarks", ",Knots,Sails,,", "1,7,8,,good", "2,8,9,,fine")
    assert [column.heading for column in layout.columns] == ["No", "Term 1 Knots", "Term 1 Sails", "", "Remarks"]


@pytest.mark.parametrize(
    ("marks", "out_of"), [(("11,5", "7,5"), 12), (("9,5", "10"), None), (("9,5", "10,5"), 12), (("x", "11.5"), 12)]
)
def test_of_two_maxima_the_larger_holds_if_a_mark_needs_it(
    tmp_path: Path, marks: tuple[str, ...], out_of: int | None
) -> None:
    lines = [f"{number};Kim Nour;{mark}" for number, mark in enumerate(marks, 1)]
    found = read_as(tmp_path, "No;Name;Knots (out of 10)", ";Maximum;12", *lines).columns[2]
    assert (found.out_of, found.other_out_of) == (out_of and Decimal(out_of), Decimal(10))


@pytest.mark.parametrize("times", [1, 2, 3])
def test_a_heading_that_several_columns_have_is_told_with_all_of_them(tmp_path: Path, times: int) -> None:
    layout = read_as(tmp_path, "No,Name" + ",Knots" * times, "1,Kim Nour" + ",8" * times, "2,Sá Ana" + ",6" * times)
    letters = ", ".join("CDE"[:times])
    told = [f"the heading 'Knots' is used in columns {letters}"] if times > 1 else []
    assert [finding.what for finding in layout.oddities] == told


def test_two_columns_without_headings_that_look_like_names_are_the_parts_of_a_name(tmp_path: Path) -> None:
    rows = ("1,Nour,Kim,8", "2,Sá,Ana,6", "3,Roy,Abir,6", "4,Lund,Ida,7")
    uses = [column.use for column in read_as(tmp_path, "No,,,Knots", *rows).columns]
    assert uses == [Use.NUMBER, Use.FAMILY, Use.GIVEN, Use.ITEM]


@pytest.mark.parametrize(
    ("headings", "cells", "use", "by"),
    [
        ("Right?,Q1", ("A", "B", "A", "C"), Use.RESULT, 3),
        ("Right?,Knots", ("8", "6", "6", "7"), Use.OTHER, None),  # what follows is no answer
        ("Q1,Q2", ("A", "B", "A", "C"), Use.RESULT, None),  # the answer of another number
    ],
)
def test_what_says_right_or_wrong_belongs_to_the_answer_beside_it_and_to_nothing_else(
    tmp_path: Path, headings: str, cells: tuple[str, ...], use: Use, by: int | None
) -> None:
    verdicts = ("right", "wrong", "right", "wrong")
    rows = [f"{at},Kim Nour,{one},{cell}" for at, (one, cell) in enumerate(zip(verdicts, cells, strict=True), 1)]
    found = read_as(tmp_path, f"No,Name,{headings}", *rows).columns[2]
    assert (found.use, found.belongs_to) == (use, by)


def test_a_numbered_heading_above_marks_is_an_item_and_labels_below_a_title_are_no_answers(tmp_path: Path) -> None:
    rows = ("1,Kim Nour,7,A,A", "2,Sá Ana,8,B,B", "3,Roy Abir,6,A,C", "4,Lund Ida,6,C,B")
    uses = [column.use for column in read_as(tmp_path, "No,Name,Q1,Q2,Craft", *rows).columns]
    assert uses[2:] == [Use.ITEM, Use.ANSWER, Use.ITEM]


@pytest.mark.parametrize(
    ("text", "is_one"),
    [
        ("Kim Nour", True),
        ("absent", False),
        ("Excused", False),
        ("Ana Luísa de Sá e Reis", True),
        ("Ana Luísa Inês de Sá e Reis", False),
    ],
)
def test_what_may_be_a_name(text: str, *, is_one: bool) -> None:
    assert is_like_name(text) is is_one


@pytest.mark.parametrize(("name", "is_there"), [("000001", True), ("000002", False), ("0000001", False), ('"', True)])
def test_a_position_has_six_digits_at_most_and_a_lone_quotation_mark_is_a_heading(name: str, *, is_there: bool) -> None:
    if is_there:
        assert find_column(columns('"'), name).index == 0
    else:
        with pytest.raises(NoSuchColumn):
            find_column(columns('"'), name)


def test_no_maximum_is_that_of_a_comment(tmp_path: Path) -> None:
    rows = ("1,Kim Nour,7,Tied with care and on time", "2,Sá Ana,8,A second rope would have held it")
    found = read_as(tmp_path, "No,Name,Knots (max 10),Comment on Knots (max 10)", *rows).columns
    assert [(column.use, column.out_of) for column in found[2:]] == [(Use.ITEM, Decimal(10)), (Use.COMMENT, None)]


def test_whatever_may_say_who_somebody_is_is_personal(tmp_path: Path) -> None:
    lines = [
        "No,Login,E-mail,Family name,Given name,Birth date,Group,Knots,Remarks",
        "901,knour,k@example.org,Nour,Kim,2009-03-04,Keel,7,Tied with care and on time",
        "902,asaa,a@example.org,Sá,Ana,2009-05-06,Keel,8,A second rope would have held it",
    ]
    layout = read_as(tmp_path, *lines)
    assert list(layout.personal(lines[1].split(","))) == lines[1].split(",")[:6]


def test_a_stored_layout_says_what_counts_and_one_that_is_none_says_what_to_do(tmp_path: Path) -> None:
    layout = read_as(tmp_path, "No,Name,Knots,Sails", "1,Kim Nour,8,7", "2,Sá Ana,6,5")
    text = layout_text(layout, "export.csv", (), {})
    (tmp_path / "x.layout.toml").write_text(text.replace('"Sails"', '"Sails"\ncounts = false'), encoding="utf-8")
    found = named_layout(read_grid(tmp_path / "export.csv"), "x", [tmp_path / "other", tmp_path])
    assert [column.counts for column in found.layout.columns] == [True, True, True, False]
    (tmp_path / "x.layout.toml").write_text("version = 1\n[[column]]\ncolumn = 3\n", encoding="utf-8")
    with pytest.raises(Unreadable, match=r"x\.layout\.toml: this isn't a layout: .*Correct it, or learn it anew\."):
        named_layout(read_grid(tmp_path / "export.csv"), "x", [tmp_path])
    with pytest.raises(Unreadable, match="there is no such layout") as raised:
        named_layout(read_grid(tmp_path / "export.csv"), "y", [tmp_path / "first", tmp_path])
    place = raised.value.findings[0].place
    assert place is not None
    assert place.file == tmp_path / "first" / "y.layout.toml"


def test_of_stored_layouts_one_that_fits_counts_before_one_that_is_as_alike(tmp_path: Path) -> None:
    column = '[[column]]\ncolumn = "{}"\nheading = "{}"\nuse = "{}"\n'
    known = (("A", "No", "student number"), ("B", "Name", "full name"), ("C", "Knots", "item"), ("D", "Sails", "item"))
    for name, extra in (("fits", ("E", "Remarks", "comment")), ("lacks", ("E", "Splices", "item"))):
        text = "version = 1\n" + "".join(column.format(*one) for one in (*known, extra))
        (tmp_path / f"{name}.layout.toml").write_text(text, encoding="utf-8")
    (tmp_path / "export.csv").write_text("No,Name,Knots,Sails\n1,Kim Nour,8,7\n2,Sá Ana,6,5\n", encoding="utf-8")
    fitting = find_fitting(read_grid(tmp_path / "export.csv"), [tmp_path])
    assert fitting is not None
    assert (fitting.name, fitting.fits) == ("fits", True)
