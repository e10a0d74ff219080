"""What is said to people: places, lists in a sentence, and the sentences of findings."""

from decimal import Decimal
from pathlib import Path

import pytest

from skarvin.core.findings import Finding, Place, Row, Source, counted, listed_rows, listing
from skarvin.core.items.agreement import agreement
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.texts.mark_grammar import decimal_comma
from skarvin.core.texts.mark_kinds import says_a_mark_alone
from skarvin.core.texts.moments import day_of, day_text, read_moment
from skarvin.core.texts.names import by_family
from skarvin.core.texts.toml_text import TomlFault, load_toml
from skarvin.core.texts.unsafe import UnsafeText, as_text, control_in, would_run
from skarvin.core.texts.words import language_files

FORM, LIST = Source(Path("form.csv")), Source(Path("list.xlsx"), "Crew", 2, is_one_of_several=True)
HULL = Place(Path("form.csv"), 3, 2, "Hull")


@pytest.mark.parametrize(
    ("words", "most", "said"),
    [
        ("", 4, ""),
        ("a", 4, "a"),
        ("a b", 4, "a and b"),
        ("a b c d", 4, "a, b, c and d"),
        ("a b c d e", 4, "a, b, c, d and 1 more"),
        ("a b c d e", 2, "a, b and 3 more"),
        ("a b", 2, "a and b"),
    ],
)
def test_a_list_in_a_sentence_is_cut_after_so_many_with_a_count(words: str, most: int, said: str) -> None:
    assert listing(words.split(), most) == said


@pytest.mark.parametrize(
    ("rows", "seen_from", "said"),
    [
        ([Row(FORM, 3)], None, "row 4"),
        ([Row(FORM, 3), Row(FORM, 8)], None, "rows 4 and 9"),
        ([Row(FORM, 3), Row(FORM, 8)], FORM, "rows 4 and 9"),
        ([Row(FORM, at) for at in range(7)], None, "rows 1, 2, 3, 4 and 3 more"),
        ([Row(LIST, 3)], FORM, "row 4 of list.xlsx, sheet 'Crew'"),
        ([Row(FORM, 3), Row(LIST, 4)], None, "row 4 of form.csv and row 5 of list.xlsx, sheet 'Crew'"),
    ],
)
def test_rows_are_told_with_their_files_where_these_are_several(
    rows: list[Row], seen_from: Source | None, said: str
) -> None:
    assert listed_rows(rows, seen_from=seen_from) == said


@pytest.mark.parametrize(
    ("finding", "said"),
    [
        (Finding("x", "the mark is odd"), "the mark is odd."),
        (Finding("x", "Is it odd?", mend="Say so."), "Is it odd? Say so."),
        (Finding("x", "it is odd.", HULL), "form.csv, row 4, column C 'Hull': it is odd."),
        (Finding("x", "odd", Place(Path("a.toml"), line=7), "Mend it."), "a.toml, line 7: odd. Mend it."),
        (Finding("x", "odd", Row(LIST, 0).place(0)), "list.xlsx, sheet 'Crew', row 1, column A: odd."),
    ],
)
def test_a_finding_says_where_what_and_what_to_do(finding: Finding, said: str) -> None:
    assert str(finding) == said


def test_a_row_knows_its_neighbours_its_cells_and_its_file() -> None:
    row = Row(LIST, 5)
    assert (row.offset(-2), row.distance(Row(LIST, 2)), row.cell(27)) == (Row(LIST, 3), 3, "AB6")
    assert (row.in_words, row.label) == ("row 6 of list.xlsx, sheet 'Crew'", "6 of list.xlsx, sheet 'Crew'")
    assert (Row(FORM, 5).in_words, Row(FORM, 5).label, counted(1_200, "row")) == ("row 6", "6", "1,200 rows")
    folder = Source(Path("marked"), files=("a.pdf", "b.pdf"))
    assert [Row(folder, at).of_file for at in range(3)] == ["", "a.pdf", "b.pdf"]


@pytest.mark.parametrize(
    ("name", "parts"),
    [
        ("Ó Murchú, Síle", (("omurchu",), ("sile",))),
        ("Síle Maria Murchú", (("murchu",), ("sile", "maria", "murchu"))),
        ("de la Cruz, Ana, jun.", (("de", "la", "cruz"), ("ana", "jun"))),
    ],
)
def test_names_are_put_in_order_by_the_family_name(name: str, parts: tuple[tuple[str, ...], ...]) -> None:
    assert by_family(name) == parts


@pytest.mark.parametrize(
    ("text", "is_alone"),
    [
        *(("17", True), ("17,5", True), ("62 %", True), ("B+", True), ("absent", True), ("-", True), ("", True)),
        *(("17 late", False), ("see me", False), ("sehr gut", True), ("17*", False)),
    ],
)
def test_a_mark_alone_has_no_word_besides(text: str, is_alone: bool) -> None:
    assert says_a_mark_alone(text) is is_alone


@pytest.mark.parametrize(
    ("texts", "count"),
    [
        ({"7,5": 2, "8": 1, "9,25": 1}, 3),
        ({"7,5": 2, "8.0": 1}, 0),
        ({"1,500": 1, "2,000": 4}, 0),
        ({"1,500": 1, "2,00": 4}, 5),
        ({"7,5 %": 1}, 1),
        ({"8": 5}, 0),
        ({"7,5": 1, "a.b": 1}, 1),
    ],
)
def test_a_comma_is_a_decimal_sign_where_nothing_speaks_against_it(texts: dict[str, int], count: int) -> None:
    assert decimal_comma(texts) == count


@pytest.mark.parametrize(
    ("text", "shown"),
    [("2026-03-01", "2026-03-01"), ("1.3.2026 6:30", "2026-03-01T06:30"), ("2026-03-01T23:59", "2026-03-01T23:59")],
)
def test_a_moment_is_a_number_of_days_and_back(text: str, shown: str) -> None:
    moment = read_moment(text)
    assert moment
    assert day_text(day_of(moment)) == shown


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("a = 1\nb = " + "9" * 5_000, 2, "thousands of digits"),
        ("a = 1\n\n" + ".".join("k" * 1 for _ in range(400)) + " = 1", 3, "dots between"),
        ("a = 1\nb = = 2", 2, "Invalid value"),
        ("a = " + "[" * 3_000, None, "nested"),
    ],
)
def test_what_is_no_toml_is_told_with_its_line(text: str, line: int | None, says: str) -> None:
    with pytest.raises(TomlFault) as raised:
        load_toml(text)
    assert raised.value.line == line
    assert says in str(raised.value)


@pytest.mark.parametrize(
    ("text", "runs"),
    [
        *(("=1+1", True), (" @SUM(A1)", True), ("-7", False), ("- well done", False), ("+A1", True), ("-2+3", True)),
        *(("-cmd|x", True), ("+49 30 12", False), ("plain", False), ("'=1", False)),
    ],
)
def test_what_a_spreadsheet_would_run_stands_behind_an_apostrophe(text: str, runs: bool) -> None:
    assert would_run(text) is runs
    assert as_text(text) == (f"'{text}" if runs else text)


def test_the_first_control_character_is_named() -> None:
    assert [control_in(text) for text in ("a\x07b\x1b", "tab\there", "\x9b", "")] == ["U+0007", "", "U+009B", ""]
    assert {one.value for one in UnsafeText} == {"hold", "apostrophe"}


def test_languages_are_read_in_one_order_english_first() -> None:
    folder = Path(__file__).parents[2] / "src" / "skarvin" / "core" / "texts" / "languages"
    names = [file.stem for file in language_files(folder)]
    assert names == ["en", *sorted(set(names) - {"en"})]
    assert len(names) >= 11


OLD = (None, None)


@pytest.mark.parametrize(
    ("marks", "held", "maxima", "said"),
    [
        (["7", "8", "", "9"], ["7", "9", "3", ""], OLD, (1, 2, 2, False)),
        (["7", "absent", "Absent "], ["7.0", "ABSENT", "sick"], OLD, (2, 3, 2, False)),
        (["10", "20", "30"], ["1", "2", "3"], (Decimal(100), Decimal(10)), (3, 3, 3, True)),
        (["10", "20", "30"], ["10", "20", "30"], (Decimal(100), Decimal(10)), (3, 3, 3, False)),
        (["1", "2"], ["0.5", "0.99"], (Decimal(2), Decimal(1)), (2, 2, 2, True)),
        (["1", "2"], ["0.5", "0.97"], (Decimal(2), Decimal(1)), (1, 2, 2, True)),
    ],
)
def test_marks_agree_as_they_stand_or_once_rescaled(
    marks: list[str],
    held: list[str],
    maxima: tuple[Decimal | None, Decimal | None],
    said: tuple[int, int, int, bool],
) -> None:
    assert tuple(agreement(marks, held, maxima)) == said


@pytest.mark.parametrize(
    ("name", "index"), [('"A"', 1), ("A", None), ("Rope", 2), ("2", 1), ("B", 1), ("3", 2), ('"', None)]
)
def test_a_column_is_named_by_its_heading_in_quotation_marks_or_by_its_place(name: str, index: int | None) -> None:
    columns = [Column(at, text, Use.ITEM, "", text) for at, text in enumerate(("No", "A", "Rope"))]
    if index is None:
        with pytest.raises(NoSuchColumn):
            find_column(columns, name)
    else:
        assert find_column(columns, name).index == index
