"""Totals through the built program: checked, computed, sent, banded, ranked."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, column, lay_out

EXPORT = """\
No,Name,Quiz (out of 10),Test (out of 40),Craft (out of 20),Sum,Average
001,Ito,8,30,10,48,68.3
002,Mbeki,5,,20,25,75
003,Sá,10,40,20,71,100
004,Åberg,x,20,10,30,50
"""
FORM = "No;Name;Final [100];Grade;Place\n001;Ito;;;\n002;Mbeki;;;\n003;Sá;;;\n004;Åberg;;;\n"
RULES = """
[categories]
all_marks = ["Quiz", "Test", "Craft"]
desk = ["Quiz", "D"]
[[total]]
name = "Total"
formula = "sum of all_marks"
check = "Sum"
[[total]]
name = "Mean"
formula = "mean of percent of all_marks"
check = "Average"
decimals = 1
missing = "{missing}"
[[total]]
name = "Final"
formula = 'weighted mean of (60: mean of percent of desk, 40: percent of "Craft")'
out_of = 100
missing = "{missing}"
[[total]]
name = "Grade"
formula = '"Final"'
out_of = 100
missing = "{missing}"
[[total]]
name = "Place"
formula = 'rank of "Final"'
missing = "{missing}"
[scale.grade.bands]
good = 75
fair = 0
[[item]]
from = "Final"
to = "Final [100]"
decimals = 1
[[item]]
from = "Grade"
to = "Grade"
scale = "grade"
[[item]]
from = "Place"
to = "Place"
"""


def test_a_total_is_checked_computed_banded_and_ranked(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, EXPORT, FORM, RULES.format(missing="leave out"))
    assert skarvin("write").code == 1
    assert [column(tmp_path, place) for place in (2, 3, 4)] == [
        ["66.5", "70", "100", ""],
        ["fair", "fair", "good", ""],
        ["3", "2", "1", ""],
    ]
    data = json.loads(skarvin("preview", "--json").out)
    checks = {one["name"]: one["check"] for one in data["totals"] if "check" in one}
    assert checks["Total"]["differ"] == [{"row": 4, "says": "71", "gives": "70", "by": "1"}]
    assert (checks["Total"]["agree"], checks["Total"]["incomparable"]) == (2, 1)
    assert (checks["Mean"]["agree"], checks["Mean"]["differ"]) == (3, [])
    assert [one["missing"] for one in data["totals"][0]["students"]] == [0, 1, 0, 0]
    out = " ".join(skarvin("preview").out.split())
    assert "1 mark of 1 student was missing, left out (row 3)" in out
    assert "Sá 71 70 +1" in out
    assert "it can't be calculated: 'Quiz': 'x' is a word" in out
    assert "12 calculated" in out
    report = (tmp_path / "report.html").read_text(encoding="utf-8")
    assert "Totals check" in report
    assert '<td>Sá</td><td class="n">71</td><td class="n">70</td>' in report


@pytest.mark.parametrize(("missing", "gives"), [("zero", ["66.5", "55", "100", ""]), ("hold", ["66.5", "", "100", ""])])
def test_a_missing_mark_is_ruled(tmp_path: Path, skarvin: Skarvin, missing: str, gives: list[str]) -> None:
    lay_out(tmp_path, EXPORT, FORM, RULES.format(missing=missing))
    skarvin("write")
    assert column(tmp_path, 2) == gives
    assert ("1 of its marks is missing" in " ".join(skarvin("preview").out.split())) == (missing == "hold")


@pytest.mark.parametrize(
    ("totals", "says", "line"),
    [
        ("formula = '\"Quizz\" + 1'", "it names 'Quizz', but there is no column 'Quizz': did you mean", 10),
        ('formula = "sum of quizes"', "it names 'quizes'", 10),
        ('formula = "Quiz /"', "missing before its end (at its character 7)", 10),
        ('formula = "Quiz / 0"', "it divides by nothing (at its character 8)", 10),
        ('formula = "percent of Sum"', "the maximum of 'Sum' isn't known", 10),
        (
            'formula = "Y"\n[[total]]\nname = "Y"\nformula = "X + 1"',
            "round in a circle: 'X', which needs 'Y', which needs 'X'",
            10,
        ),
        ('formula = "1"\n[[total]]\nname = "X"\nformula = "1"', "two totals are called 'X'", 12),
        ('formula = "1"\ncheck = "Nowhere"', "there is no column 'Nowhere'", 11),
        ('formula = "1"\n[categories]\nmean = ["Quiz"]', "'mean' is a word of formulas", 12),
        ('formula = "1"\n[categories]\nempty = []', "the category 'empty' has no items", 12),
        ('formula = "1"\nmissing = "zeros"', 'missing = "zeros" is not one of the choices', 11),
        ('formula = "1"\nout_of = 0', "0 can't be a maximum", 11),
    ],
)
def test_a_formula_that_cannot_be_meant_is_refused_with_its_place(
    tmp_path: Path, skarvin: Skarvin, totals: str, says: str, line: int
) -> None:
    lay_out(tmp_path, EXPORT, FORM, f'[[total]]\nname = "X"\n{totals}\n')
    refused = skarvin("preview")
    assert refused.code == 3
    assert says in refused.err
    assert f"line {line}" in refused.err


@pytest.mark.parametrize(
    ("formula", "gives"),
    [
        ("sum of desk", ["38", "5", "50"]),
        ("2 * Quiz + 10% of Craft", ["17", "12", "22"]),
        ("mean of best 2 of all_marks", ["20", "12.5", "30"]),
        ("sum of all but lowest 1 of all_marks", ["40", "20", "60"]),
        ("highest of all_marks - lowest of all_marks", ["22", "15", "30"]),
        ("Test / 3", ["10", "", "13.33"]),
    ],
)
def test_a_formula_computes_a_mark(tmp_path: Path, skarvin: Skarvin, formula: str, gives: list[str]) -> None:
    categories = '[categories]\nall_marks = ["Quiz", "Test", "Craft"]\ndesk = ["Quiz", "D"]\n'
    rules = f'{categories}[[total]]\nname = "X"\nformula = "{formula}"\n[[item]]\nfrom = "X"\nto = "Place"\n'
    lay_out(tmp_path, EXPORT, FORM, rules)
    assert skarvin("write").code in {0, 1}
    assert column(tmp_path, 4)[:3] == gives


def test_what_a_total_did_without_is_not_missing_for_one_that_needs_it(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = (
        '[[total]]\nname = "Desk"\nformula = "Quiz + Test"\nmissing = "zero"\n'
        '[[total]]\nname = "All"\nformula = "Desk + Craft"\nmissing = "hold"\n[[item]]\nfrom = "All"\nto = "Place"\n'
    )
    lay_out(tmp_path, EXPORT, FORM, rules)
    assert skarvin("write").code == 1
    assert column(tmp_path, 4) == ["48", "25", "70", ""]
    out = " ".join(skarvin("preview").out.split())
    assert "was missing, counted as zero" in out
    assert "All = Desk + Craft Same gaps as 'Desk'." in out


def test_a_student_whose_numbers_divide_by_nothing_is_held(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[[total]]\nname = "X"\nformula = "Test / (Craft - 10)"\n[[item]]\nfrom = "X"\nto = "Place"\n'
    lay_out(tmp_path, EXPORT, FORM, rules)
    assert skarvin("write").code == 1
    assert column(tmp_path, 4) == ["", "", "4", ""]
    assert "it can't be calculated: 'X' divides by nothing" in " ".join(skarvin("preview").out.split())


def test_draft_tells_which_simple_rule_a_total_follows(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = "".join(
        f"00{n},{n},{20 + n},{n + 20 + n}.0,{50 - n},{(10 * n + 2 * (20 + n)) / 2:.1f}\n" for n in range(1, 9)
    )
    (tmp_path / "e.csv").write_text(f"No,Quiz (out of 10),Test (out of 50),Total,Odd total,Average\n{rows}")
    (tmp_path / "f.csv").write_text("No;Quiz [10];Test [50]\n" + "".join(f"00{n};;\n" for n in range(1, 9)))
    drafted = " ".join(skarvin("draft", "e.csv", "f.csv").out.split())
    assert "'Total' is likely the sum of marks: it agrees for 8 of 8 students" in drafted
    assert "'Average' is likely the mean of percent of marks" in drafted
    assert "No simple rule gives 'Odd total'" in drafted
    out = " ".join(skarvin("preview").out.split())
    assert "'Total' of the export matches for 8 students and differs nowhere" in out
    assert "Not checked: Odd total (column " in out


def test_draft_says_how_the_parts_of_a_total_are_read_though_they_are_left_out(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rows = "01;7,5;8;absent;15,5\n02;7;8,25;1;16,25\n03;1;0;3;4\n04;2,5;2,5;1;6\n05;-;3;1;4\n"
    (tmp_path / "e.csv").write_text(f"No;Knots;Care;Lofting;Total\n{rows}")
    (tmp_path / "f.csv").write_text("No;Lofting\n" + "".join(f"0{n};\n" for n in range(1, 6)))
    skarvin("draft", "e.csv", "f.csv")
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert plan.count('decimal_separator = ","') == 4, "an item without decimals speaks as its file does"
    (tmp_path / "transfer.toml").write_text(
        plan.replace('dash = "hold"', 'dash = "blank"').replace('absent = "?"', 'absent = "ABS"')
    )
    assert "matches for 5 students and differs nowhere" in " ".join(skarvin("preview").out.split())


def test_draft_finds_the_total_of_the_items_beside_it(tmp_path: Path, skarvin: Skarvin) -> None:
    marks = [(n, n * n % 10, n % 7, 40 - n, 9 - n) for n in range(1, 9)]
    rows = [(n, a, b, a + b, c, d, c + d, a + b + c + d) for n, a, b, c, d in marks]
    lines = "".join(",".join(map(str, row)) + "\n" for row in rows)
    (tmp_path / "e.csv").write_text(f"No,Knots,Rope,Deck total,Planks,Saw,Yard total,Total\n{lines}")
    (tmp_path / "f.csv").write_text("No;Knots\n" + "".join(f"{n};\n" for n in range(1, 9)))
    drafted = " ".join(skarvin("draft", "e.csv", "f.csv").out.split())
    assert "'Deck total' is likely the sum of Knots and Rope: it agrees for 8 of 8 students" in drafted
    assert "'Yard total' is likely the sum of Planks and Saw" in drafted
    assert "'Total' is likely the sum of marks" in drafted
    out = " ".join(skarvin("preview").out.split())
    assert "'Deck total' of the export matches for 8 students and differs nowhere" in out
    assert "'Yard total' of the export matches for 8 students and differs nowhere" in out


def test_a_total_in_percent_and_with_a_decimal_comma_is_held_against_its_rule(tmp_path: Path, skarvin: Skarvin) -> None:
    export = 'No,Quiz (out of 10),Mean,Share\n001,7,"70,0",70%\n002,5,"50,5",50 %\n003,,,\n'
    total = '[[total]]\nname = "{}"\nformula = "percent of Quiz"\ncheck = "{}"\n'
    totals = total.format("X", "C") + total.format("Y", "D")
    lay_out(tmp_path, export, "No;Quiz\n001;\n002;\n003;\n", totals + '[[item]]\nfrom = "B"\nto = "B"\n')
    mean, share = (one["check"] for one in json.loads(skarvin("preview", "--json").out)["totals"])
    assert (mean["agree"], mean["differ"]) == (2, [{"row": 3, "says": "50.5", "gives": "50", "by": "0.5"}])
    assert (share["agree"], share["differ"]) == (3, [])
