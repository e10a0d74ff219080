"""What is ruled about totals, each with an example of its own, through the built program."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, column, lay_out

HEADS = "Nr,Naam,T1 (max 10),T2 (max 10),T3 (max 20),Labo 1 (max 20),Extra taak (max 5),Dagen te laat,Ingeleverd op\n"
ROWS = [
    "1,Bakker Joost,8,6,20,15,2,3,2026-03-04",
    "2,Osei Abena,9,afwezig,vrijgesteld,,,,2026-02-27",
    "3,Lý Minh,7,,,18,1,0,2026-03-02",
]
CATEGORIES = '[statuses]\nafwezig = 0\nvrijgesteld = ""\n[categories]\ntoetsen = ["C", "D", "E"]\nlabs = ["F"]\n'


def words(text: str) -> str:
    return " ".join(text.split())


def totals(folder: Path, skarvin: Skarvin, *blocks: str, rows: list[str] = ROWS, heads: str = HEADS) -> list[list[str]]:
    """Write one total a block; return the columns of the import file."""
    names = [f"Totaal {number}" for number in range(len(blocks))]
    form = "Nr;" + ";".join(names) + "\n" + "".join(f"{row.split(',')[0]}{';' * len(names)}\n" for row in rows)
    rules = "".join(
        f'[[total]]\nname = "{name} berekend"\nformula = {block}\n[[item]]\nfrom = "{name} berekend"\nto = "{name}"\n'
        for name, block in zip(names, blocks, strict=True)
    )
    lay_out(folder, heads + "".join(f"{row}\n" for row in rows), form, CATEGORIES + rules)
    assert skarvin("write", "--replace").code in {0, 1}, skarvin("write", "--replace").err
    return [column(folder, number + 1) for number in range(len(names))]


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("'sum of toetsen + extra of \"G\"'", ["36", "9", "8"]),
        ("'sum of labs + extra of \"G\"'", ["17", "", "19"]),  # extra credit alone is no total
        ("'percent of (sum of labs + extra of \"G\")'", ["85", "", "95"]),
        ('\'at most 16 of ("F" + "G")\'', ["16", "", "16"]),
        ("'at least 10 of (2 * \"C\" - 8)'", ["10", "10", "10"]),
        ("'sum of at most 7 of toetsen'", ["20", "7", "7"]),
        ('\'"F" - 2 * "Dagen te laat"\'', ["9", "", "18"]),
        ('\'at least 0 of ("C" - 5 * days after 2026-03-02 of "Ingeleverd op")\'', ["0", "9", "7"]),
        ("'at most 10 of (\"C\" + 1.5)'", ["9.5", "10", "8.5"]),
        ("'lift within 0.5 to (8.5, 9) of (\"C\" + 0.25)'", ["8.5", "9.25", "7.25"]),
        ("'lift within 1 to 9 of \"C\"'", ["9", "9", "7"]),
        ("'sum of all but lowest 1 of labs'", ["15", "", "18"]),
        ("'sum of all but lowest 1 even if alone of labs'", ["", "", ""]),
    ],
)
def test_the_language_says_what_teachers_do_with_totals(
    tmp_path: Path, skarvin: Skarvin, formula: str, expected: list[str]
) -> None:
    assert totals(tmp_path, skarvin, formula) == [expected]


def test_two_totals_that_differ_in_what_is_missing_stand_in_one_transfer(tmp_path: Path, skarvin: Skarvin) -> None:
    found = totals(
        tmp_path,
        skarvin,
        "'mean of toetsen'\nmissing_as = { blank = 'zero', vrijgesteld = 'leave out' }",
        "'mean of toetsen'\nmissing_as = { afwezig = 'leave out', vrijgesteld = 'zero' }\ndecimals = 2",
        "'mean of toetsen'\nmissing_as = { blank = 'hold' }",
    )
    assert found == [["11.33", "4.5", "2.33"], ["11.33", "4.5", "7"], ["11.33", "4.5", ""]]
    assert "it can't be calculated: 2 of its marks are missing" in words(skarvin("preview").out)


def test_a_category_may_rule_what_is_missing_in_it(tmp_path: Path, skarvin: Skarvin) -> None:
    formula = "'sum of toetsen + sum of labs'\nmissing = 'hold'\n"
    assert totals(tmp_path, skarvin, formula) == [["49", "", ""]]
    assert totals(tmp_path, skarvin, formula + "missing_in = { toetsen = { blank = 'leave out' } }") == [
        ["49", "", "25"]
    ]


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ("'leave out'", ["77.5", "45", "80"]),
        ("'zero'", ["77.5", "22.5", "80"]),
        ("'hold'", ["77.5", "", "80"]),
        ("{ labs = 'zero' }", ["77.5", "22.5", "80"]),
        ("{ toetsen = 'zero' }", ["77.5", "45", "80"]),
    ],
)
def test_a_category_without_marks_follows_a_rule_of_its_own(
    tmp_path: Path, skarvin: Skarvin, rule: str, expected: list[str]
) -> None:
    formula = "'weighted mean of (50: mean of percent of toetsen, 50: percent of mean of labs)'"
    assert totals(tmp_path, skarvin, f"{formula}\nempty_category = {rule}") == [expected]


def test_a_category_of_which_nothing_counts_is_told_in_sums_too(tmp_path: Path, skarvin: Skarvin) -> None:
    assert totals(tmp_path, skarvin, "'sum of toetsen + sum of labs'") == [["49", "9", "25"]]
    assert "For 1 student nothing of 'labs' counts; it is left out (row 3)." in words(skarvin("preview").out)


def test_a_status_may_be_one_that_cannot_be_dropped(tmp_path: Path, skarvin: Skarvin) -> None:
    formula = "'sum of best 2 of toetsen'\n"
    rows = ["1,A,8,6,fraude,,,,", "2,B,8,6,4,,,,"]
    held = totals(tmp_path, skarvin, formula, rows=rows)
    assert held == [["", "14"]]
    ruled = formula + "missing_as = { fraude = 'zero, never dropped' }"
    assert totals(tmp_path, skarvin, ruled, rows=rows) == [["8", "14"]]
    assert "E2" in skarvin("preview", "--why", "1").out
    assert "never dropped" in skarvin("preview", "--why", "1").out


def test_which_of_equal_attempts_counts_is_ruled_and_shown(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = ["1,A,8,8,6,,,,"]
    totals(tmp_path, skarvin, "'best 1 of toetsen'".replace("'best", "'sum of best"), rows=rows)
    assert "T2 = 8 (not counted)" in words(skarvin("preview", "--why", "1").out)
    totals(tmp_path, skarvin, "'sum of best 1 of toetsen'\nequal_marks = 'last'", rows=rows)
    assert "T1 = 8 (not counted)" in words(skarvin("preview", "--why", "1").out)


WEIGHTS = {
    "in the headings": ("No,Quiz (10) [weight 20%],Essay (20) (weight 50),Test (40) - weight: 30%\n", ""),
    "in a row above": ("Weight,20,50,30\nNo,Quiz (10),Essay (20),Test (40)\n", ""),
    "in a row below the headings": ("No,Quiz (10),Essay (20),Test (40)\nWeight,20 %,50 %,30 %\n", ""),
    "beside maxima": ("No,Quiz,Essay,Test\nOut of,10,20,40\nGewichtung,2,5,3\n", ""),
    "at the end": ("No,Quiz (10),Essay (20),Test (40)\n", "Weight,20,50,30\n"),
}


@pytest.mark.parametrize("where", WEIGHTS)
def test_a_weight_may_stand_in_the_export(tmp_path: Path, skarvin: Skarvin, where: str) -> None:
    before, behind = WEIGHTS[where]
    export = f"{before}101,5,10,40\n102,10,,20\n{behind}"
    rules = (
        '[categories]\nparts = ["Quiz", "Essay", "Test"]\n[[total]]\nname = "Year"\n'
        'formula = "weighted mean of percent of parts"\n[[item]]\nfrom = "Year"\nto = "B"\n'
    )
    lay_out(tmp_path, export, "No;Year mark\n101;\n102;\n", rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["65", "70"]
    assert skarvin("look", "export.csv").code == 0


@pytest.mark.parametrize(
    ("formula", "says"),
    [
        ("at most of labs", "a number is missing before 'of'"),
        ("lift within 1 of labs", "'to' is missing before 'of'"),
        ("days after 2026-13-01 of 'I'", "a date, or a column with dates, is missing before '2026-13-01'"),
        ("weighted mean of toetsen", "the export gives no weight for 'toetsen'"),
        ("sum of labs + days after 'X' of 'I'", "it names 'X'"),
    ],
)
def test_a_phrase_that_cannot_be_meant_is_refused_with_its_place(
    tmp_path: Path, skarvin: Skarvin, formula: str, says: str
) -> None:
    rules = CATEGORIES + f'[[total]]\nname = "T"\nformula = "{formula}"\n[[item]]\nfrom = "T"\nto = "B"\n'
    lay_out(tmp_path, HEADS + ROWS[0] + "\n", "Nr;Totaal\n1;\n", rules)
    run = skarvin("preview")
    assert (run.code, says in words(run.err), "line 16" in run.err) == (3, True, True), run.err


def test_a_rule_for_a_category_that_there_is_not_is_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = CATEGORIES + '[[total]]\nname = "T"\nformula = "sum of labs"\nempty_category = { lab = "zero" }\n'
    lay_out(tmp_path, HEADS + ROWS[0] + "\n", "Nr;Totaal\n1;\n", rules)
    assert "there is no category 'lab' (there are: toetsen, labs)" in words(skarvin("preview").err)


def test_a_date_that_cannot_be_read_holds_the_total(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = ["1,A,8,6,4,,,,gisteren", "2,B,8,6,4,,,,4.3.2026 10:00"]
    found = totals(tmp_path, skarvin, '\'"C" - days after 2026-03-02T09:00 of "I"\'', rows=rows)
    assert found == [["", "5"]]  # two days and an hour are three started days
    assert "'gisteren' isn't a date that can be read" in words(skarvin("preview").out)


def test_how_a_students_total_comes_about_is_shown_part_by_part(tmp_path: Path, skarvin: Skarvin) -> None:
    block = "'weighted mean of (60: mean of best 2 of percent of toetsen, 40: percent of \"F\")'"
    totals(tmp_path, skarvin, block, heads=HEADS)
    shown = words(skarvin("preview", "--why", "Joost Bakker").out)
    for part in (
        "Totaal 0 berekend: 84",
        "mean of best 2 of percent of toetsen = 90 (weight 60)",
        "T1 = 80 T2 = 6",
        "T3 = 100",
        'percent of "F" = 75 (weight 40)',
    ):
        assert part in shown, shown
    data = json.loads(skarvin("preview", "--why", "1", "--json").out)
    assert data[0]["totals"][0]["exact"] == "84"
    assert [mark["place"] for mark in data[0]["marks"]][:2] == ["C2", "D2"]
    nobody = skarvin("preview", "--why", "Nobody")
    assert (nobody.code, "skarvin students --all" in nobody.err) == (2, True)


def test_a_total_that_cannot_be_calculated_is_named_among_what_to_decide(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = CATEGORIES + '[[total]]\nname = "Alles"\nformula = "sum of toetsen"\n[[item]]\nfrom = "F"\nto = "B"\n'
    rows = "1,Bakker Joost,8,1O,20,15,2,3,\n2,Osei Abena,9,8,7,10,,,\n"
    lay_out(tmp_path, HEADS + rows, "Nr;Labo 1 [20]\n1;\n2;\n", rules)
    out = words(skarvin("preview").out)
    decide = out[out.index("To decide Totals") :]
    assert "Totals that can't be calculated: 1" in decide
    assert "Bakker Joost Alles row 2 'T2': unreadable mark '1O' (perhaps 10)" in decide


def test_draft_finds_a_total_that_is_weighted_as_the_export_says(tmp_path: Path, skarvin: Skarvin) -> None:
    marks = [(1, 5, 10, 40), (2, 10, 12, 20), (3, 7, 20, 10), (4, 3, 5, 30), (5, 8, 14, 25)]
    rows = "".join(f"10{n},{a},{b},{c},{2 * a + 2.5 * b + 0.75 * c:g}\n" for n, a, b, c in marks)
    (tmp_path / "e.csv").write_text(f"No,Quiz (10),Essay (20),Test (40),Total\nWeight,20,50,30,\n{rows}")
    (tmp_path / "f.csv").write_text("No;Quiz [10]\n" + "".join(f"10{n};\n" for n in range(1, 6)))
    out = words(skarvin("draft", "e.csv", "f.csv").out)
    assert "'Total' is likely the weighted mean of percent of marks: it agrees for 5 of 5 students" in out
    assert "matches for 5 students and differs nowhere" in words(skarvin("preview").out)


def test_a_student_who_is_called_like_a_weight_stays_a_student(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "Nr,Nombre,Nudos\n101,Ana Sol,5\n,Juan Peso,7\n"
    lay_out(tmp_path, export, "Nr;Nombre;Nudos\n101;Ana Sol;\n102;Juan Peso;\n", '[[item]]\nfrom = "C"\nto = "C"\n')
    assert "1 student to confirm" in words(skarvin("preview").out)
