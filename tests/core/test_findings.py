"""What is said to people: places, lists in a sentence, and the sentences of findings."""

from decimal import Decimal
from fractions import Fraction
from pathlib import Path

import pytest

from conftest import lay_out
from skarvin.core.findings import Finding, Place, Row, Source, Unreadable, counted, listed_rows, listing
from skarvin.core.grid.read import read_grid
from skarvin.core.items.agreement import agreement
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.numbered import has_people
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import Told
from skarvin.core.marks.choices import Above, Blank
from skarvin.core.marks.convert import MarkRule, read_points
from skarvin.core.plan.reading import read_plan
from skarvin.core.texts.mark_grammar import decimal_comma
from skarvin.core.texts.mark_kinds import says_a_mark_alone
from skarvin.core.texts.moments import day_of, day_text, read_moment
from skarvin.core.texts.names import by_family
from skarvin.core.texts.toml_text import TomlFault, load_toml
from skarvin.core.texts.unsafe import UnsafeText, as_text, control_in, without_apostrophe, would_run
from skarvin.core.texts.words import language_files
from skarvin.core.transfer.import_files import file_label

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
        (
            [*(Row(FORM, at) for at in range(3)), *(Row(LIST, at) for at in range(3))],
            None,
            "row 1 of form.csv, row 2 of form.csv, row 3 of form.csv, row 1 of list.xlsx, sheet 'Crew' and 2 more",
        ),
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
    later = read_moment("2026-03-01T23:59:30")
    assert later
    assert day_of(later) - day_of(later.replace(second=0)) == Fraction(30, 86_400)


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


@pytest.mark.parametrize(("text", "said"), [("'=1", "=1"), ("'plain", "'plain"), ("=1", "=1"), ("''=1", "''=1")])
def test_an_apostrophe_is_taken_off_only_what_would_run(text: str, said: str) -> None:
    assert without_apostrophe(text) == said


@pytest.mark.parametrize(
    ("text", "rule", "points"),
    [
        ("25/40", MarkRule(from_out_of=Decimal(20), rescales_others=True), Fraction(25, 2)),
        ("25/40", MarkRule(), Fraction(25)),
        ("17", MarkRule(from_out_of=Decimal(20)), Fraction(17)),
        ("", MarkRule(blank=Blank.ZERO), Fraction(0)),
        ("absent", MarkRule(statuses=(("absent", ""),)), None),
        ("absent", MarkRule(statuses=(("absent", "3"),)), Fraction(3)),
        ("25", MarkRule(from_out_of=Decimal(20), above=Above.CAP), Fraction(20)),
    ],
)
def test_a_total_counts_the_points_of_a_mark(text: str, rule: MarkRule, points: Fraction | None) -> None:
    assert read_points(text, rule).number == points


def test_a_file_is_named_by_a_label_that_no_other_has() -> None:
    labels = [
        file_label("Hull / A", ()),
        file_label("Hull: A", ["Hull-A"]),
        file_label("Hull A", ["Hull-A", "Hull-A-2"]),
    ]
    assert labels == ["Hull-A", "Hull-A-2", "Hull-A-3"]
    assert file_label("/", ()) == "file"


@pytest.mark.parametrize(("names", "has"), [("1,Ann\n2,\n3,", True), ("1,\n2,\n3,Bo", True), ("1,\n2,\n3,", False)])
def test_a_form_has_people_where_any_line_says_more_than_its_number(tmp_path: Path, names: str, has: bool) -> None:
    lines = "".join(f"{line},,\n" for line in names.split())
    (tmp_path / "form.csv").write_text(f"Line,Name,Knots,Hull\n{lines}")
    grid = read_grid(tmp_path / "form.csv")
    layout = recognise(grid, Told({"Name": Use.NAME}))
    assert has_people(grid, layout) is has


@pytest.mark.parametrize(
    ("said", "is_refused"), [("0.5", False), ("1", False), ("0", True), ("-1", True), ("same", False)]
)
def test_what_is_said_for_missing_maxima_is_above_zero(tmp_path: Path, said: str, is_refused: bool) -> None:
    lay_out(tmp_path, "A,B\n1,2\n", "A,B\n1,\n", f'[marks]\nmissing_maximum = "{said}"\n')
    if is_refused:
        with pytest.raises(Unreadable, match="nor a number above zero"):
            read_plan(tmp_path / "transfer.toml")
    else:
        assert read_plan(tmp_path / "transfer.toml").plan.marks.missing_maximum == said


BOUNDED = [
    *(("marks", "decimals", number, 0 <= number <= 10) for number in (-1, 0, 10, 11)),
    *(("marks", "to_width", number, 0 <= number <= 10) for number in (-1, 0, 10, 11)),
    *(("students", "minimum_paired_percent", number, 0 <= number <= 100) for number in (-1, 0, 100, 101)),
    *(("target", "identifier_width", number, 0 <= number <= 40) for number in (-1, 0, 40, 41)),
    *(("target", "heading_row", number, 0 <= number <= 2_000_000) for number in (-1, 0, 2_000_000, 2_000_001)),
]


@pytest.mark.parametrize(("table", "key", "number", "is_fit"), BOUNDED)
def test_a_number_is_tried_at_its_bounds(tmp_path: Path, table: str, key: str, number: int, is_fit: bool) -> None:
    lay_out(tmp_path, "A,B\n1,2\n", "A,B\n1,\n", "")
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    told = (
        text.replace("[target]\n", f"[target]\n{key} = {number}\n")
        if table == "target"
        else f"{text}[{table}]\n{key} = {number}\n"
    )
    (tmp_path / "transfer.toml").write_text(told, encoding="utf-8")
    if is_fit:
        assert read_plan(tmp_path / "transfer.toml")
    else:
        with pytest.raises(Unreadable, match=f"{key}: {number} is not between 0 and"):
            read_plan(tmp_path / "transfer.toml")


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
        (["1 1/3", "2"], ["0.67", "1"], (Decimal(2), Decimal(1)), (2, 2, 2, True)),
        (["1 1/3", "2"], ["0.7", "1"], (Decimal(2), Decimal(1)), (1, 2, 2, True)),
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


def test_a_row_of_a_sheet_says_the_sheet_wherever_its_cell_stands() -> None:
    elsewhere = Source(Path("groups.xlsx"), "Crews")
    own = Source(Path("marks.xlsx"), "Marks", lines={4: {2: 7}}, stands_in={2: 1, 3: 1}, elsewhere=elsewhere)
    row = Row(own, 4)
    assert row.place(0, "Id") == Place(Path("marks.xlsx"), 4, 0, "Id", sheet="Marks")
    assert row.place(2, "Hull") == Place(Path("groups.xlsx"), 7, 1, "Hull", sheet="Crews")
    assert (row.place().column, row.place().sheet) == (None, "Marks")
    assert row.numbers_of(range(4)) == [5, 5, 8, 0]
    assert [row.has(column) for column in range(4)] == [True, True, True, False]


def test_rows_of_several_files_are_cut_as_rows_of_one_are() -> None:
    rows = [Row(FORM, 1), Row(LIST, 2), Row(FORM, 3)]
    assert listed_rows(rows, 2) == "row 2 of form.csv, row 3 of list.xlsx, sheet 'Crew' and 1 more"
    assert listed_rows(rows[::2], 1) == "rows 2 and 1 more"


def test_a_finding_without_a_place_begins_with_what_it_is() -> None:
    assert str(Finding("gone", "the history is gone", None, "Begin anew.")) == "the history is gone. Begin anew."


BOOK = Source(Path("marks.xlsx"), sheets=(2, 5), lines={1: {9: 6}}, stands_in={9: 3})
FOLDER = Source(Path("marked"), files=("a.xlsx", "b.xlsx"), sheets=(1, 1), lines={2: {9: 6}}, stands_in={9: 3})


@pytest.mark.parametrize(
    ("row", "column", "place", "cell"),
    [
        (Row(BOOK, 1), None, Place(Path("marks.xlsx"), sheet="2"), ""),
        (Row(BOOK, 1), 9, Place(Path("marks.xlsx"), 6, 3, "H", sheet="2"), "D7 of sheet 2"),
        (Row(BOOK, 2), 4, Place(Path("marks.xlsx"), None, 4, "H", sheet="5"), "E3 of sheet 5"),
        (Row(FOLDER, 2), None, Place(Path("marked/b.xlsx")), ""),
        (Row(FOLDER, 2), 9, Place(Path("marked/b.xlsx"), 6, 3, "H"), "D7 of b.xlsx"),
        (Row(FOLDER, 1), 4, Place(Path("marked/a.xlsx"), None, 4, "H"), "E2 of a.xlsx"),
    ],
)
def test_where_a_student_has_a_sheet_or_a_file_places_say_which(
    row: Row, column: int | None, place: Place, cell: str
) -> None:
    assert row.place(column, None if column is None else "H") == place
    if column is not None:
        assert row.cell(column) == cell


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ([Row(BOOK, 1)], "sheet 2"),
        ([Row(BOOK, 2), Row(BOOK, 1)], "sheets 5 and 2"),
        ([Row(BOOK, 0), Row(BOOK, 1)], "rows 1 and 2"),
        ([Row(FOLDER, 1), Row(FOLDER, 2)], "a.xlsx and b.xlsx"),
        ([Row(BOOK, 1), Row(FOLDER, 2)], "sheet 2 of marks.xlsx and b.xlsx of marked"),
    ],
)
def test_rows_that_are_sheets_are_listed_as_sheets(rows: list[Row], said: str) -> None:
    assert listed_rows(rows) == said
