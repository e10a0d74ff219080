from hypothesis import given
from hypothesis import strategies as st

from skarvin.cli.table import Head, format_table, width_of, wrap

HEADS = [
    Head("name"),
    Head("item", rank=2, most=20, least=6),
    Head("mark", is_number=True),
    Head("why", rank=1, least=8),
]
ROWS = [["Łęcka, Małgorzata", "Planking, carvel", "21.5", "it was read as it stands"], ["Kim", "Knots", "7", "short"]]


def test_a_table_lines_up_words_on_the_left_and_numbers_on_the_right() -> None:
    assert format_table(HEADS, ROWS, width=120).splitlines() == [
        "  name               item              mark  why",
        "  Łęcka, Małgorzata  Planking, carvel  21.5  it was read as it stands",
        "  Kim                Knots                7  short",
    ]


def test_where_room_is_short_texts_are_cut_and_then_the_least_important_column_goes() -> None:
    cut = format_table(HEADS, ROWS, width=50)
    assert "Plank…" in cut
    assert max(map(width_of, cut.splitlines())) <= 50
    narrow = format_table(HEADS, ROWS, width=36).splitlines()
    assert narrow == [
        "  name               mark  why",
        "  Łęcka, Małgorzata  21.5  it was r…",
        "  Kim                   7  short",
    ]


def test_a_column_that_says_nothing_is_not_shown_unless_it_is_essential() -> None:
    rows = [[name, "", "", why] for name, _, _, why in ROWS]
    assert format_table(HEADS, rows, width=120).splitlines()[0].split() == ["name", "mark", "why"]


def test_signs_that_a_terminal_would_obey_are_not_printed() -> None:
    assert "\x1b" not in format_table([Head("name")], [["\x1b[31mred\r\n"]])


def test_wide_signs_count_double() -> None:
    assert width_of("木工") == 4
    lines = format_table([Head("a"), Head("b")], [["木工", "x"], ["ab", "y"]]).splitlines()
    assert [width_of(line) for line in lines[1:]] == [9, 9]


@given(st.lists(st.lists(st.text(max_size=30), min_size=4, max_size=4), min_size=1, max_size=5), st.integers(80, 200))
def test_a_table_with_a_name_that_fits_is_never_wider_than_the_screen(rows: list[list[str]], width: int) -> None:
    table = format_table(HEADS, [[row[0][:20], row[1], row[2][:10], row[3]] for row in rows], width=width)
    assert all(width_of(line) <= width for line in table.split("\n"))
    assert len(table.split("\n")) == len(rows) + 1


def test_a_long_sentence_is_wrapped_at_words() -> None:
    assert all(len(line) <= 100 for line in wrap("word " * 60, indent=2).splitlines())


def test_a_column_stays_as_long_as_the_table_fits_to_the_last_sign() -> None:
    heads, rows = (Head("name"), Head("mark", rank=1)), [("Lin Ng", "12345678")]
    assert [len(format_table(heads, rows, width=width).splitlines()[-1]) for width in (40, 18, 17)] == [18, 18, 8]
