from decimal import Decimal
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from conftest import Skarvin, edit
from skarvin.core.ledger.outcomes import decide
from skarvin.core.marks.choices import Above, Blank
from skarvin.core.marks.convert import MarkRule, convert
from skarvin.core.reasons import Fate
from skarvin.core.texts.mark_grammar import (
    decimal_comma,
    is_no_mark,
    likely,
    may_be_thousands,
    read_mark,
    split_flag,
)
from skarvin.core.texts.mark_kinds import kind_of_mark

OUT_OF_20 = MarkRule(from_out_of=Decimal(100), to_out_of=Decimal(20))


@pytest.mark.parametrize(
    ("text", "is_comma", "number", "out_of"),
    [
        *(("17", False, "17", None), (" 17.50 ", False, "17.50", None), ("17,5", True, "17.5", None)),
        *(("25/40", False, "25", "40"), ("25 / 40", False, "25", "40"), ("25 out of 40", False, "25", "40")),
        *(("62.5%", False, "62.5", "100"), ("62,5 %", True, "62.5", "100"), ("17 1/2", False, "17.5", None)),
        *(("17½", False, "17.5", None), ("¾", False, "0.75", None), ("3 3/8", False, "3.375", None)),
        *(("12,5/20", True, "12.5", "20"), ("17", True, "17", None)),
    ],
)
def test_a_mark_is_read(text: str, is_comma: bool, number: str, out_of: str | None) -> None:
    mark = read_mark(text, is_comma=is_comma)
    assert mark is not None
    assert (mark.number, mark.out_of) == (Decimal(number), Decimal(out_of) if out_of else None)


@pytest.mark.parametrize(
    ("text", "is_comma"),
    [
        *(("17,5", False), ("17.5", True), ("1O", False), ("1.2.3", False), ("1,500.5", True), ("25/0", False)),
        *(
            ("25/", False),
            ("17 3/2", False),
            ("%", False),
            ("4-Mar", False),
            ("1e3", False),
            ("5//6", False),
        ),
    ],
)
def test_a_mark_that_is_not_certain_is_not_read(text: str, is_comma: bool) -> None:
    assert read_mark(text, is_comma=is_comma) is None


@pytest.mark.parametrize(
    ("text", "says"),
    [
        *(("1O", "perhaps 10"), ("l7", "perhaps 17"), ("17,5", "perhaps 17.5"), ("x", ""), ("Ox", "")),
        *(("7O %", "perhaps 70 %"), ("1O/2O", "perhaps 10/20"), ("7O %x", "")),
    ],
)
def test_what_it_may_have_meant_is_a_suggestion_only(text: str, says: str) -> None:
    assert likely(text).startswith(says) if says else not likely(text)
    converted = convert(text, MarkRule())
    assert converted.text is None
    assert says in str(converted.why)


@pytest.mark.parametrize(
    ("texts", "count"),
    [
        ({"17,5": 3, "18": 2, "": 1}, 3),
        ({"17,5": 3, "18.5": 1}, 0),
        ({"1,500": 3, "2,000": 1}, 0),
        ({"1,500": 3, "2,5": 1}, 4),
        ({"62,5 %": 2}, 2),
        ({"17": 3}, 0),
    ],
)
def test_the_decimal_sign_is_decided_for_the_whole_item(texts: dict[str, int], count: int) -> None:
    assert decimal_comma(texts) == count


@pytest.mark.parametrize(
    ("text", "rule", "sent"),
    [
        ("62.5%", OUT_OF_20, "12.5"),
        ("25/40", MarkRule(to_out_of=Decimal(20)), None),
        ("25/40", MarkRule(from_out_of=Decimal(40), to_out_of=Decimal(20), is_copied=False), "12.5"),
        ("25/40", OUT_OF_20, None),
        ("25/40", MarkRule(from_out_of=Decimal(40)), "25"),
        ("17½", MarkRule(), "17.5"),
        ("17,5", MarkRule(is_comma=True), "17.5"),
        ("120", replace(OUT_OF_20, above=Above.CAP), "20"),
        ("120", replace(OUT_OF_20, above=Above.ALLOW), "24"),
        ("Not  handed in", MarkRule(statuses=(("not handed in", "0"),)), "0"),
        ("absent", MarkRule(statuses=(("absent", "ABS"),)), "ABS"),
        ("62.5%", MarkRule(), None),
        ("25/40", MarkRule(), None),
        ("45/40", OUT_OF_20, None),
        ("absent", MarkRule(), None),
    ],
)
def test_a_mark_that_was_read_is_converted(text: str, rule: MarkRule, sent: str | None) -> None:
    assert convert(text, rule).text == sent


def test_a_mark_that_was_cut_says_so() -> None:
    cut = decide("120", "", "", replace(OUT_OF_20, above=Above.CAP))
    assert (cut.fate, cut.written, str(cut.why)) == (Fate.SENT, "20", "120 was capped at the maximum 100")


def test_a_blank_may_be_a_code_or_held() -> None:
    coded = decide("", "", "", MarkRule(blank=Blank.CODE, blank_code="NA"))
    assert (coded.fate, coded.written) == (Fate.SENT, "NA")
    assert decide(" ", "7", "7", MarkRule(blank=Blank.HOLD)).fate is Fate.HELD


@given(st.decimals(0, 40, places=2), st.sampled_from([10, 20, 40, 50, 100]))
def test_points_to_percent_and_back_stay_within_the_rounding(points: Decimal, out_of: int) -> None:
    if points > out_of:
        points = Decimal(out_of)
    there = MarkRule(from_out_of=Decimal(out_of), to_out_of=Decimal(100), decimals=4)
    back = MarkRule(from_out_of=Decimal(100), to_out_of=Decimal(out_of), decimals=4)
    percent = convert(str(points), there).text
    assert percent is not None
    again = convert(percent, back).text
    assert again is not None
    assert abs(Fraction(again) - Fraction(points)) <= Fraction(1, 10**4)
    assert Decimal(convert(f"{percent}%", back).text or "-1") == Decimal(again)


def test_marks_of_all_kinds_move_through_the_program(tmp_path: Path, skarvin: Skarvin) -> None:
    folder = tmp_path
    (folder / "export.csv").write_text(
        "No;Knots (out of 20)\n001;17,5\n002;12/20\n003;50%\n004;absent\n005;25\n006;l7\n"
    )
    (folder / "form.csv").write_text("No;Knots [10]\n" + "".join(f"00{number};\n" for number in range(1, 7)))
    skarvin("draft", "export.csv", "form.csv", "--status", "absent=ABS")
    plan = folder / "transfer.toml"
    assert 'decimal_separator = ","' in plan.read_text(encoding="utf-8")
    edit(plan, 'above = "hold"', 'above = "cap"')
    assert skarvin("write").code == 1
    moved = [line.split(";")[1] for line in (folder / "form-import.csv").read_text().splitlines()[1:]]
    assert moved == ["8.75", "6", "5", "ABS", "10", ""]
    assert "perhaps 17" in skarvin("preview").out


SCRIPTS = {"wide": 0xFF10, "Arabic": 0x0660, "Persian": 0x06F0, "Devanagari": 0x0966, "Thai": 0x0E50}
MARKS = ["0", "85", "72.5", "7,5", "-3", "8/10", "8 / 10", "85%", "7½", "1 1/2", "1,500", "+4", "8.", "1e2", "85*"]


@pytest.mark.parametrize("script", SCRIPTS)
@pytest.mark.parametrize("is_comma", [False, True])
def test_a_mark_is_the_same_in_the_digits_of_any_script(script: str, *, is_comma: bool) -> None:
    other = str.maketrans({str(digit): chr(SCRIPTS[script] + digit) for digit in range(10)})
    for text in MARKS:
        said = text.translate(other)
        assert read_mark(said, is_comma=is_comma) == read_mark(text, is_comma=is_comma), said
        assert (kind_of_mark(said), may_be_thousands(said)) == (kind_of_mark(text), may_be_thousands(text)), said
    assert decimal_comma({text.translate(other): 1 for text in ("7,5", "8")}) == 1


@pytest.mark.parametrize(
    ("text", "plain"),
    [("８／１０", "8/10"), ("８５％", "85%"), ("７２．５", "72.5"), ("－３", "-3"), ("٨٥٫٥", "85.5"), ("٨٥٪", "85%")],
)
def test_wide_signs_and_those_among_arabic_digits_are_the_plain_ones(text: str, plain: str) -> None:
    assert read_mark(text) == read_mark(plain) is not None
    assert is_no_mark("－")
    assert split_flag("85（遅）") == ("85", "（遅）")
