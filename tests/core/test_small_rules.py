"""Small rules as a table: what each makes of a text, at the bound where it changes its mind."""

import io
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest

from skarvin.core.findings import Row, Source, Unreadable, listed_rows, listing, read_cell
from skarvin.core.gradebook import understand
from skarvin.core.grid import file_bytes
from skarvin.core.grid.file_kinds import Kind, kind_of
from skarvin.core.grid.file_names import tell_names
from skarvin.core.grid.grid import CellGrid
from skarvin.core.grid.read import read_grid
from skarvin.core.grid.workbook import count_of
from skarvin.core.grid.xlsx_extent import extent
from skarvin.core.items.agreement import agreement
from skarvin.core.items.titles import likeness_of_titles, read_title
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.fitting import find_fitting
from skarvin.core.layout.heading_words import use_in_words
from skarvin.core.layout.headings import read_heading
from skarvin.core.layout.recognise import recognise
from skarvin.core.ledger.row_books import count_rows
from skarvin.core.marks.answers.labels import read_labels
from skarvin.core.marks.scales import Band, Scale, find_band
from skarvin.core.plan.spelling import spelling_of
from skarvin.core.rosters.casing import proper_case, split_name
from skarvin.core.rosters.usernames import Collision, Person, build_usernames, fill
from skarvin.core.students.decision_list import HEADINGS, read_decisions
from skarvin.core.texts.mark_grammar import decimal_comma, is_mark, split_flag
from skarvin.core.texts.moments import day_of, day_text
from skarvin.core.texts.numbers import Rounding, Steps
from skarvin.core.texts.unsafe import control_in, without_apostrophe

LIST = Source(Path("list.csv"))
RONJA = Person("7", "Okafor", "Ronja", "Maria", year="2009", section="Keel", number="007")
GRADED = Scale("care", (Band(Decimal(80), "good"), Band(Decimal(0), "fair")), (), ())


def maximum(heading: str) -> Decimal | None:
    """Return the maximum that a heading states."""
    return read_heading(heading).out_of


@pytest.mark.parametrize(
    ("rule", "given", "said"),
    [
        (count_of, "0", 1),
        (count_of, "2", 2),
        (count_of, "x", 1),
        (extent, b'<sheetData><row r="2"><c/><c/><c/></row></sheetData>', (2, 3, 3)),
        (day_of, datetime(1, 1, 1, 0, 1, 1), Fraction(61, 86_400) + 1),  # noqa: DTZ001 - a moment of no zone
        (day_of, datetime(1, 1, 2, 3, 0, 5), Fraction(10_805, 86_400) + 2),  # noqa: DTZ001
        (day_text, 739_950 + Fraction(1, 2), "2026-11-30T12:00"),
        (day_text, 739_951 + Fraction(3, 4), "2026-12-01T18:00"),
        (day_text, Fraction(739_950), "2026-11-30"),
        (control_in, "8\x07", "U+0007"),
        (control_in, "\x9f", "U+009F"),
        (control_in, "a tab\tand a line\n", ""),
        (decimal_comma, {"1,500": 2, "2,250": 1}, 0),
        (decimal_comma, {"1,500": 2, "2,2500": 1}, 3),
        (decimal_comma, {"7,5": 2, "8": 1}, 2),
        (decimal_comma, {"7,5": 2, "7.5": 1}, 0),
        (without_apostrophe, "a=b", "a=b"),
        (without_apostrophe, "'=b", "=b"),
        (without_apostrophe, "'b", "'b"),
        (without_apostrophe, "x=1", "x=1"),
        (is_mark, "7,5*", True),
        (is_mark, "7.5*", True),
        (is_mark, "seven*", False),
        (split_flag, "*7", ("7", "*")),
        (split_flag, "*x", None),
        (split_name, "Rui", ("Rui", "")),
        (split_name, "Ana de la Cruz", ("de la Cruz", "Ana")),
        (split_name, "Omar Petrov Jr.", ("Petrov Jr.", "Omar")),
        (proper_case, "MCX", "Mcx"),
        (proper_case, "viii", "VIII"),
        (proper_case, "MCAB", "McAb"),
        (proper_case, "MACNB", "Macnb"),
        (proper_case, "MACNAB", "MacNab"),
        (lambda name: read_title(name).words, "Project number", ("project", "number")),
        (lambda name: read_title(name).words, "Project number 7", ("project",)),
        (lambda name: read_title(name).numbers, "Sail V", ("5",)),
        (lambda name: read_title(name).numbers, "V sails", ()),
        (maximum, "Knots (out of 40)", 40),
        (maximum, "Knots (40 points possible)", 40),
        (maximum, "Knots (40 weeks possible)", None),
        (maximum, "Knots (40 points ashore)", None),
        (use_in_words, "Weather", None),
        (lambda text: spelling_of({text: 1, "": 2}).suffix, "80%", "%"),
        (lambda texts: spelling_of(dict.fromkeys(texts, 1)).suffix, ("80%", "7"), ""),
        (lambda texts: spelling_of(dict.fromkeys(texts, 1)).suffix, ("x",), ""),
        (lambda run: read_labels(run, "ABCDEFGH"), "CA", ["C", "A"]),
        (lambda run: read_labels(run, "ABCDEFGHI"), "CA", ["C", "A"]),
        (lambda run: read_labels(run, "ABCDEFGHI"), "IA", None),
        (lambda run: read_labels(run, "ABCDEFGHI"), "AI", ["A", "I"]),
        (lambda field: fill(field, RONJA), "{given 1}{family}", "rokafor"),
        (lambda field: fill(field, RONJA), "{given 0}{year 2}", "09"),
        (lambda field: fill(field, RONJA), "{number -1}", "7"),
        (lambda field: fill(field, RONJA, more_given=1), "{given 0}{given 1}", "rro"),
        (listing, ["a", "b", "c", "d"], "a, b, c and d"),
        (listing, ["a", "b", "c", "d", "e"], "a, b, c, d and 1 more"),
        (lambda count: listed_rows([Row(LIST, n) for n in range(count)]), 4, "rows 1, 2, 3 and 4"),
        (lambda count: listed_rows([Row(LIST, n) for n in range(count)]), 5, "rows 1, 2, 3, 4 and 1 more"),
        (lambda head: kind_of(head, Path("x")), b"<- see the <table", Kind.HTML),
        (lambda head: kind_of(head, Path("x")), b"<- see below", Kind.TEXT),
        (lambda head: kind_of(head, Path("x")), b"Id,<table>", Kind.TEXT),
        (lambda mark: find_band(GRADED, Fraction(mark), Steps(0, Rounding.HALF_UP))[:2], "79.6", ("fair", "good")),
        (lambda mark: find_band(GRADED, Fraction(mark), Steps(0, Rounding.HALF_UP))[:2], "79.4", ("fair", None)),
        (lambda mark: find_band(GRADED, Fraction(mark), Steps(1, Rounding.HALF_UP))[:2], "79.6", ("fair", "good")),
        (lambda stems: [one.mark for one in tell_names(stems).said], ["1 Ana 9", "2 Rui 7"], ["9", "7"]),
    ],
)
def test_each_says_what_it_says_at_its_bound(rule: Callable[[Any], Any], given: object, said: object) -> None:
    assert rule(given) == said


def test_what_comes_through_a_pipe_may_be_as_much_as_is_allowed_and_no_more(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(file_bytes, "MOST_PIPED", 4)
    assert file_bytes.read_stream(io.BytesIO(b"1234"), Path("-")) == b"1234"
    with pytest.raises(Unreadable):
        file_bytes.read_stream(io.BytesIO(b"12345"), Path("-"))


def test_whoever_comes_first_by_name_gets_the_username_whatever_the_order() -> None:
    people = [Person(str(number), "Okafor", given) for number, given in enumerate(["Zita", "Ana", "Alma"])]
    for order in (people, people[::-1]):
        found = build_usernames(order, "{given 1}{family}", Collision.NUMBER, [], {})
        assert found.names["2"] == "aokafor"
        assert found.names["1"] != "aokafor"
        assert "aokafor" in found.collided["1"]
    held = build_usernames(people[1:], "{given 1}{family}", Collision.HOLD, [], {}).held
    assert held == dict.fromkeys("12", "'aokafor': several students would have it")
    held = build_usernames(people[:1], "{given 1}{family}", Collision.HOLD, ["ZOKAFOR"], {}).held
    assert held == {"0": "'zokafor': somebody else has it"}


def test_a_list_keeps_texts_that_would_run_behind_an_apostrophe(tmp_path: Path) -> None:
    cells = ["'=1", "'Ana", *[""] * (len(HEADINGS) - 2)]
    file = tmp_path / "pairings.csv"
    file.write_text("\n".join([",".join(HEADINGS), ",".join(cells), ","]), encoding="utf-8")
    (told,) = read_decisions(file).rows
    assert {getattr(told, HEADINGS[place].replace(" ", "_"), cells[place]) for place in (0, 1)} & {"=1", "'Ana"}


def test_the_likeness_of_titles_falls_with_what_they_do_not_share() -> None:
    """The order is what counts: a title is nearer to its short form than to another title of the same kind."""
    near = [
        ("Quiz 2", "Quiz 2"),
        ("Quiz 2", "Q2"),
        ("Sail quiz 2", "Sail test 2"),
        ("Sail quiz 2", "Sail quiz 3"),
        ("Rigging", "Varnish"),
    ]
    scores = [likeness_of_titles(*pair) for pair in near]
    assert scores == sorted(scores, reverse=True)
    assert scores[0] > scores[1] > scores[-1]
    assert likeness_of_titles("Klassenarbeit", "Arbeit") > likeness_of_titles("Klassenart", "Arbeit")


def test_of_two_stored_layouts_the_one_that_a_file_fits_best_is_taken(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("Id,Name,Hull,Sail\n1,Ana Sato,7,8\n2,Rui Nair,9,6\n", encoding="utf-8")
    column = '[[column]]\nheading = "{}"\ncolumn = "A"\nuse = "{}"\n'
    whole = [("Id", "student number"), ("Name", "full name"), ("Hull", "item"), ("Sail", "item")]
    for name, columns in {"full": whole, "other": [*whole[:3], ("Mast", "item")]}.items():
        text = "version = 1\n" + "".join(column.format(*one) for one in columns)
        (tmp_path / f"{name}.layout.toml").write_text(text, encoding="utf-8")
    for folders in ([tmp_path], [tmp_path, tmp_path]):
        found = find_fitting(read_grid(tmp_path / "a.csv"), folders)
        assert found
        assert (found.name, found.fits) == ("full", True)


def test_how_many_cells_are_marks_is_said_as_it_is(tmp_path: Path) -> None:
    rows = [f"w-{n:03},{'x' if n > 15 else n % 7}" for n in range(1, 21)]
    (tmp_path / "a.csv").write_text("\n".join(["Id,Hull", *rows]), encoding="utf-8")
    (hull,) = recognise(read_grid(tmp_path / "a.csv")).of_use(Use.ITEM)
    assert "75% of the cells are marks" in hull.evidence


def test_a_cell_is_read_with_or_without_its_row() -> None:
    assert read_cell("C4") == (3, 2)
    assert read_cell("AA") == (0, 26)


def test_a_use_is_known_by_the_name_that_it_had() -> None:
    assert Use("housekeeping") is Use.HOUSEKEEPING
    with pytest.raises(ValueError, match="fish"):
        Use("fish")


def test_a_column_stands_in_each_file_where_that_has_it() -> None:
    joined = Column(2, "Hull", Use.ITEM, "", "Hull", elsewhere=(5, None))
    assert [joined.in_file(number) for number in (0, 1, 2)] == [2, 5, None]
    alone = Column(7, "Sail", Use.ITEM, "", "Sail", elsewhere=(1, 4), is_elsewhere_alone=True)
    assert [alone.in_file(number) for number in (0, 1, 2)] == [None, 1, 4]
    assert (joined.letter, alone.letter) == ("C", "B")


def test_a_short_row_says_nothing_beyond_its_end(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("Id,Hull\n1,7\n", encoding="utf-8")
    grid = read_grid(tmp_path / "a.csv")
    book = understand(grid, recognise(grid), None, [])
    assert [book.text(grid.row(1), column) for column in (0, 1, 2, 3)] == ["1", "7", "", ""]


def test_titles_with_other_numbers_are_less_alike_and_marks_agree_once_rescaled() -> None:
    assert likeness_of_titles("Sail quiz 2", "Sail quiz 2") > likeness_of_titles("Sail quiz 2", "Sail quiz")
    assert likeness_of_titles("K 1", "Knots 1") > likeness_of_titles("K", "Knots"), "equal numbers make up for letters"
    assert likeness_of_titles("LGB", "Logbook") > likeness_of_titles("GBK", "Logbook") == 0, "initials begin alike"
    found = agreement(["1/3", "2/3", "1/3"], ["3.33", "6.67", "3.34"], (Decimal(1), Decimal(10)))
    assert (found.agree, found.of) == (3, 3)
    found = agreement(["7 1/3", "9 2/3", "3 1/3"], ["3.67", "4.83", "1.7"], (Decimal(20), Decimal(10)))
    assert (found.agree, found.of, found.is_rescaled) == (2, 3, True)


def test_the_books_call_a_file_by_its_name_and_a_sheet_beside_others_by_both(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("Id,Hull\n1,7\n", encoding="utf-8")
    grid = read_grid(tmp_path / "a.csv")
    sheet = CellGrid(Path("b.xlsx"), "", Kind.XLSX, [["Id", "Hull"], ["1", "7"]], "Crew").numbered(1, is_sheet=True)
    for one, called in ((grid, "a.csv"), (grid.numbered(1), "a.csv"), (sheet, "b.xlsx, sheet 'Crew'")):
        layout = recognise(one)
        assert count_rows(understand(one, layout, None, [])).file == called
