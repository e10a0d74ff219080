"""What was refused wrongly, or with advice that led nowhere: each goes through as its user expects."""

import csv
import gzip
import io
import json
import re
import sys
import tomllib
from pathlib import Path
from typing import Any

import pytest
import xlsxwriter

from conftest import Skarvin, column, edit, lay_out

ITEM = '[[item]]\nfrom = "Knots"\nto = "Knots"\n'


def read(file: Path, sign: str = ",") -> list[list[str]]:
    with file.open(encoding="utf-8-sig", newline="") as lines:
        return list(csv.reader(lines, delimiter=sign))


def write_rows(file: Path, rows: list[list[str]]) -> None:
    with file.open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines).writerows(rows)


def correct(folder: Path, **corrections: str) -> None:
    """Fill in the list by what stands in its column 'Mark'; students by their identifiers."""
    rows = read(folder / "held.csv")
    for row in rows[1:]:
        if text := corrections.get(row[4] or f"S{row[1]}"):
            row[-3:] = ["M. Sá", "seen on paper", text]
    write_rows(folder / "held.csv", rows)


def fates(skarvin: Skarvin, *more: str) -> dict[str, int]:
    run = skarvin("preview", "--json", *more)
    found: dict[str, Any] = json.loads(run.out)
    return {fate: count for fate, count in found["fates"].items() if count}


def test_a_list_of_corrections_works_in_place_again_and_again(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[answers]\nlabels = "ABC"\nchoose = "one"\n[[answer]]\nfrom = "Q"\nto = "Q"\n'
    export = "Id,Name,Knots,Q\n0007,Ece Y,1O,A\n0008,Kai B,6,AC\n0009,Lili N,7,B\n0099,Ode Gone,8,C\n"
    form = "Id;Name;Knots;Q\n0007;Ece Y;;\n0008;Kai B;;\n0009;Lili N;;\n"
    lay_out(tmp_path, export, form, f"{ITEM}from_out_of = 10\nto_out_of = 10\n{rules}")
    assert skarvin("write").code == 1
    assert "corrections to apply" not in skarvin().out
    correct(tmp_path, **{"1O": "10"})
    assert "corrections to apply" in skarvin().out
    assert skarvin("write", "--replace").code == 1
    assert column(tmp_path, 2) == ["10", "6", "7"]
    correct(tmp_path, AC="A", S0099="none")
    for _ in range(2):
        assert skarvin("write", "--replace").code == 0
        assert (column(tmp_path, 2), column(tmp_path, 3)) == (["10", "6", "7"], ["A", "A", "B"])
    assert "corrections to apply" not in skarvin().out


def test_a_correction_obeys_what_is_ruled_of_existing_marks_and_holds_for_all_rows_that_say_it(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(tmp_path, "Id,Name,Knots\n1,Ann,1O\n2,Bo,1O\n", "Id;Name;Knots\n1;Ann;4\n2;Bo;\n", ITEM)
    edit(tmp_path / "transfer.toml", "[[item]]", '[marks]\nexisting = "only if blank"\n[[item]]')
    assert skarvin("write").code == 1
    correct(tmp_path, **{"1O": "7.5"})
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 2) == ["4", "7.5"]
    twice = "Id,Name,Knots\n1,Ann,1O\n1,Ann,1O\n2,Bo,1O\n2,Bo,9\n"
    folder = tmp_path / "again"
    folder.mkdir()
    rule = '[students]\nrepeated = "agree"\n'
    lay_out(folder, twice, "Id;Name;Knots\n1;Ann;\n2;Bo;\n", rule + ITEM)
    assert skarvin("write", "--transfer", "again/transfer.toml").code == 1
    correct(folder, **{"1O": "7.5"})
    said = " ".join(skarvin("preview", "--transfer", "again/transfer.toml").out.split())
    assert "row 4 of the same student says '1O', corrected to '7.5'" in said
    edit(folder / "transfer.toml", "agree", "highest")
    assert skarvin("write", "--replace", "--transfer", "again/transfer.toml").code == 0
    assert column(folder, 2) == ["7.5", "9"], "the corrected mark that doesn't count is still the export's"


def test_control_characters_and_compressed_text_pass_the_second_look(tmp_path: Path, skarvin: Skarvin) -> None:
    form = "Id;Name;Knots\n1;Ann;\n2;Bo;\n"
    lay_out(tmp_path, "Id,Name,Knots\n1,Ann\x0b,7\x1b\n2,Bo,8\n", form, ITEM)
    edit(
        tmp_path / "transfer.toml",
        '[source]\nfile = "export.csv"',
        '[source]\nskip_controls = true\nfile = "export.csv"',
    )
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["7", "8"]
    (tmp_path / "export.csv.gz").write_bytes(gzip.compress(b"Id,Name,Knots\n1,Ann,5\n2,Bo,6\n"))
    edit(tmp_path / "transfer.toml", 'skip_controls = true\nfile = "export.csv"', 'file = "export.csv.gz"')
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 2) == ["5", "6"]


@pytest.mark.parametrize("has_values", [True, False])
def test_a_hidden_column_of_formulas_is_no_key_and_the_filled_form_passes(
    tmp_path: Path, skarvin: Skarvin, has_values: bool
) -> None:
    with xlsxwriter.Workbook(str(tmp_path / "form.xlsx")) as book:
        sheet = book.add_worksheet("Marks")
        sheet.write_row(0, 0, ["Row key", "Id", "Name", "Knots"])
        for row, (number, name) in enumerate((("11", "Ann Lee"), ("12", "Bo Rey"), ("13", "Cy Fox")), 1):
            sheet.write_formula(row, 0, f"=B{row + 1}", None, number if has_values else "")
            sheet.write_row(row, 1, [number, name])
        sheet.set_column(0, 0, None, None, {"hidden": True})
    (tmp_path / "export.csv").write_text("Id,Name,Knots\n11,Ann Lee,5\n12,Bo Rey,6\n13,Cy Fox,7\n")
    assert skarvin("draft", "export.csv", "form.xlsx", "--missing-maximum", "same").code == 0
    assert 'identifier = "Row key"' not in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    run = skarvin("write")
    assert (run.code, "Read-back check passed" in run.out) == (0, True), run.err


def test_names_in_the_export_and_numbers_in_the_class_list_make_the_rows_of_a_blank_form(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    people = ("Bo, Ann", "Di, Cy", "Fu, Ed", "Di, Cy", "Böhm, Gusti")
    rows = "".join(f'"{name}",{mark}\n' for mark, name in enumerate(people, 3))
    (tmp_path / "export.csv").write_text(f'Name,Knots (out of 20)\n{rows}"Mo, Jan",1O\n')
    (tmp_path / "form.csv").write_text("Registry no;Name;Knots [20]\n")
    roster = "".join(
        f"210{at},{name}\n" for at, name in enumerate(("Bo,Ann", "Di,Cy", "Fu,Ed", "Boehm,Gusti", "Mo,Jan"))
    )
    (tmp_path / "roster.csv").write_text(f"Registry no,Family name,Given name\n{roster}")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    refused = skarvin("preview")
    assert (refused.code, "--roster FILE" in refused.err) == (3, True)
    (tmp_path / "transfer.toml").unlink()
    assert skarvin("draft", "export.csv", "form.csv", "--roster", "roster.csv").code == 0
    assert skarvin("write").code == 1
    assert read(tmp_path / "form-import.csv", ";")[1:] == [
        ["2100", "Bo, Ann", "3"],
        ["2102", "Fu, Ed", "5"],
        ["2103", "Boehm, Gusti", "7"],
    ]
    assert "(roster row 3)" in skarvin("students").out
    pairings = read(tmp_path / "pairings.csv")
    for row in pairings[1:]:
        row[pairings[0].index("decision")] = "2101"
    write_rows(tmp_path / "pairings.csv", pairings)
    assert "was decided on for row 5, too" in " ".join(skarvin("students").out.split()), "two rows, and no rule"
    edit(tmp_path / "transfer.toml", 'repeated = "hold"', 'repeated = "highest"')
    assert skarvin("write", "--replace").code == 1
    assert [row[2] for row in read(tmp_path / "form-import.csv", ";")[1:]] == ["3", "6", "5", "7"]


def test_what_is_said_of_one_export_reaches_it_and_equal_titles_stay_apart(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "one.csv").write_text("No,Name,Knots (out of 20),Extra\n2101,Ann Bo,3,x1\n2102,Cy Di,4,x2\n")
    (tmp_path / "two.csv").write_text("Name,Learner,Knots (out of 20),Note\nAnn Bo,2101,13,7\nCy Di,2102,14,8\n")
    (tmp_path / "form.csv").write_text("No;Name;Knots 1 [20];Knots 2 [20]\n2101;Ann Bo;;\n2102;Cy Di;;\n")
    options = ["--use", "two.csv:Note=item", "--use", "Extra=other", "--missing-maximum", "same"]
    for file, place in (("one.csv", 1), ("two.csv", 2)):
        options += ["--item", f"{file}:Knots (out of 20)=Knots {place} [20]"]
    assert skarvin("draft", "one.csv", "two.csv", "form.csv", *options).code == 0
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    first, further = text.partition("[[export]]")[::2]
    assert ('Extra = "other"' in first, 'Note = "item"' in first) == (True, False)
    assert 'Note = "item"' in further
    assert skarvin("write").code == 0
    assert [row[2:] for row in read(tmp_path / "form-import.csv", ";")[1:]] == [["3", "13"], ["4", "14"]]
    wrong = skarvin("draft", "one.csv", "two.csv", "form.csv", "--use", "Gone=item", "--transfer", "other.toml")
    assert (wrong.code, "Gone" in wrong.err) == (3, True)


def test_none_decided_makes_a_row_and_of_two_rows_of_a_number_neither(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "Id,Name,Knots\n1,Ann Lee,5\n2,Bo Rey,6\n9,Anne Leen,7\n"
    form = "Id;Name;Knots\n1;Ann Lee;\n2;Bo Rey;\n3;Anna Leen;\n"
    lay_out(tmp_path, export, form, ITEM)
    edit(tmp_path / "transfer.toml", "[target]\n", '[target]\nadd = "below"\n')
    assert skarvin("students").code == 1
    rows = read(tmp_path / "pairings.csv")
    rows[1][rows[0].index("decision")] = "none"
    write_rows(tmp_path / "pairings.csv", rows)
    assert skarvin("write").code == 0
    assert read(tmp_path / "form-import.csv", ";")[-1] == ["9", "Anne Leen", "7"]


@pytest.mark.parametrize(("rows", "rule"), [("9,Anne Leen,1O\n", "hold"), ("9,Anne Leen,7\n9,Anne Leen,\n", "hold")])
def test_none_decided_makes_no_row_where_nothing_is_sent_and_where_two_rows_have_one_number(
    tmp_path: Path, skarvin: Skarvin, rows: str, rule: str
) -> None:
    form = "Id;Name;Knots\n1;Ann Lee;\n3;Anna Leen;\n"
    lay_out(tmp_path, f"Id,Name,Knots\n1,Ann Lee,5\n{rows}", form, f'[students]\nrepeated = "{rule}"\n{ITEM}')
    edit(tmp_path / "transfer.toml", "[target]\n", '[target]\nadd = "below"\n')
    edit(tmp_path / "transfer.toml", "[students]\n", "[students]\nminimum_paired_percent = 0\n")
    skarvin("students")
    pairings = read(tmp_path / "pairings.csv")
    for row in pairings[1:]:
        row[pairings[0].index("decision")] = "none"
    write_rows(tmp_path / "pairings.csv", pairings)
    run = skarvin("write")
    assert run.code == 1, run.err
    assert [row[0] for row in read(tmp_path / "form-import.csv", ";")] == ["Id", "1", "3"]


def test_a_column_that_one_export_hardly_tells_is_what_the_other_has_below_that_heading(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    odd, plain = ("31%", "1O", "35%", "1O", "1O"), ("21%", "22%", "23%", "24%", "25%")
    for file, marks in (("one.csv", odd), ("two.csv", plain)):
        number = 10 if file == "one.csv" else 20
        rows = "".join(f"{number + at},Student {'ABCDE'[at]}{file[0]},{mark}\n" for at, mark in enumerate(marks))
        (tmp_path / file).write_text(f"No,Name,Knots\n{rows}")
    people = "".join(f"{number};;\n" for number in (*range(10, 15), *range(20, 25)))
    (tmp_path / "form.csv").write_text(f"No;Knots [50];Rope\n{people}")
    assert skarvin("draft", "one.csv", "two.csv", "form.csv").code == 0
    assert fates(skarvin) == {"sent": 7, "held": 3}


def test_numbers_with_signs_between_thousands_and_three_decimals_of_both_signs(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    marks = ("3,125", "12.5", "1,5", "7.250")
    names = ("Ann Bo", "Cy Di", "Ed Fu", "Eda Fu")
    rows = "".join(f'"12,34{at}";{name};{mark}\n' for at, (name, mark) in enumerate(zip(names, marks, strict=True)))
    (tmp_path / "export.csv").write_text(f"No;Name;Knots (out of 20)\n{rows}")
    form = "".join(f"1234{at};{name};\n" for at, name in enumerate(names))
    (tmp_path / "form.csv").write_text(f"No;Name;Knots [20]\n{form}")
    looked = " ".join(skarvin("look", "export.csv").out.split())
    assert "A No student number" in looked
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    edit(tmp_path / "transfer.toml", "decimals = 2", "decimals = 3")
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["3.125", "12.5", "1.5", "7.250"]
    edit(tmp_path / "transfer.toml", "from_out_of = 20", "from_out_of = 1000")
    assert fates(skarvin)["held"] == 2, "a mark out of a thousand may have thousands"


def test_quotation_marks_of_three_kinds_are_told_row_by_row_or_all_places_are_named(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rows = [
        '2101,"Bo, Ann",3,fine',
        '2102,"Di, Cy",4,12" beam',
        '2103,"Fu, Ed",5,"12"" rope, wet"',
        '2104,"Gi, Flo",6,"never closed',
        '2105,"Ha, Gus",7,"two\nlines, of it"',
        '2106,"Iz, Hal",8,"8" and 9" boards',
        '2107,"Jo, Ida",9,end',
        *("2108,Kim,10,", "2109,Lee,11,"),
    ]
    export = "\n".join(["No,Name,Knots (out of 20),Remark", *rows, ""])
    form = "".join(f"{2101 + at};;\n" for at in range(9))
    comment = '[[comment]]\nfrom = "Remark"\nto = "Remark"\nof = "C"\n'
    lay_out(tmp_path, export, f"No;Knots [20];Remark\n{form}", f'[[item]]\nfrom = "C"\nto = "B"\n{comment}')
    assert "in 2 lines (5 and 8) some are plain" in " ".join(skarvin("look", "export.csv").out.split())
    run = skarvin("write")
    assert (run.code, "Read-back check passed" in run.out) == (0, True), run.err
    written = read(tmp_path / "form-import.csv", ";")[1:]
    assert [row[1] for row in written] == ["3", "4", "5", "6", "7", "8", "9", "10", "11"]
    assert [written[at][2] for at in (1, 2, 3, 5)] == [
        '12" beam',
        '12" rope, wet',
        '"never closed',
        '"8" and 9" boards',
    ]
    unclear = export.replace("9,end", '9,"5, or 6" x').replace("3,fine", '3,"4, or 5" y')
    (tmp_path / "export.csv").write_text(unclear)
    refused = skarvin("look", "export.csv")
    assert (refused.code, "line 2" in refused.err, "line 9" in refused.err) == (3, True, True)


def test_a_row_that_can_be_cut_in_two_ways_is_left_to_a_person(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = ['2101,"x, q",y', "2102,x,y", "2103,x,y", "2104,x,y", '2105,x,"late', '2106,"a",b","c",d"']
    (tmp_path / "export.csv").write_text("\n".join(["No,First,Second", *rows, ""]))
    refused = skarvin("look", "export.csv")
    assert (refused.code, "line 7: the quotation marks" in refused.err) == (3, True), refused.err


def test_a_samples_last_line_stays_and_its_count_is_told(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Name,Knots (out of 20)\n2101,Ann,3\n2102,Cy,4\n2103,Ed,5\n")
    (tmp_path / "form.csv").write_text("No;Name;Knots [20]\nEX1;Sample One;7\nEX2;Sample Two;9\nEND;2;\n")
    assert skarvin("draft", "export.csv", "form.csv", "--sample").code == 0
    assert "it says 2, as many as its people, and 3 rows are written" in " ".join(skarvin("preview").out.split())
    assert "1 row that isn't a student and 2 rows of made-up people" in " ".join(skarvin("preview").out.split())
    assert skarvin("write").code == 0
    assert read(tmp_path / "form-import.csv", ";")[-1] == ["END", "2", ""]


def test_a_heading_row_that_isnt_there_is_an_error_like_others(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "No,Name,Knots\n1,Ann,3\n", "No,Name,Knots\n1,Ann,\n", "")
    run = skarvin("draft", "export.csv", "form.csv", "--heading-row", "40", "--transfer", "new.toml")
    assert (run.code, "40" in run.err) == (3, True)


def test_a_list_to_type_from_is_told_no_way_that_it_does_not_have(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Name,Knots\n11,Ann Lee,3\n12,Bo Rey,4\n99,Zuzka Ondine,5\n")
    (tmp_path / "screen.txt").write_text("Ann Lee 11\nBo Rey 12\n")
    assert skarvin("draft", "export.csv", "screen.txt", "--typing").code == 0
    text = " ".join(skarvin("preview").out.split())
    assert "missing from the form: add them in the target" in text
    assert "below" not in text


def test_dates_that_are_asked_for_are_asked_for_in_words(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[students]\nrepeated = "latest"\n' + ITEM
    lay_out(tmp_path, "Id,Name,Day,Knots\n1,Ann,2026-01-02,5\n1,Ann,2026-01-03,6\n", "Id;Name;Knots\n1;Ann;\n", rules)
    refused = skarvin("preview")
    assert (refused.code, 'repeated_by = "Date"' in refused.err) == (3, True)
    edit(tmp_path / "transfer.toml", 'repeated = "latest"', 'repeated = "latest"\nrepeated_by = "Day"')
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["6"]


@pytest.mark.parametrize(("to", "is_taken"), [("Crew", True), ("Deck", True), ("Name", False)])
def test_an_item_sent_by_hand_to_a_column_without_marks_is_told_and_taken(
    tmp_path: Path, skarvin: Skarvin, to: str, is_taken: bool
) -> None:
    (tmp_path / "export.csv").write_text("Id,Name,Crew,Knots\n11,Ann Lee,Keel,3\n12,Bo Rey,Mast,4\n13,Cy Fox,Keel,5\n")
    (tmp_path / "form.csv").write_text("Id,Name,Crew,Deck\n11,Ann Lee,Keel,Under way\n12,Bo Rey,Mast,\n13,Cy Fox,,\n")
    said = skarvin("draft", "export.csv", "form.csv", "--item", f"Knots={to}")
    assert (said.code == 0) == is_taken == ("is written over" in said.out)
    assert is_taken or "identifies students, and holds no marks" in said.err
    assert skarvin("preview").code == (0 if is_taken else 3)


HELD_BEFORE = {"nothing": "", "percent": "80%", "commas": "7,50", "zeros": "7.00"}
"""What two columns of the form hold before."""
AS_WRITTEN = {
    "nothing": ["4.5", "5.5"], "percent": ["4.5%", "5.5%"], "commas": ["4,50", "5,50"], "zeros": ["4.50", "5.50"],
}  # fmt: skip


@pytest.mark.parametrize("kind", HELD_BEFORE)
@pytest.mark.parametrize("how", ["option", "by hand", "at the keyboard"])
def test_an_answer_gives_what_the_draft_would_have_proposed(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, how: str, kind: str
) -> None:
    people = list(enumerate(("Ann Lee", "Bo Rey"), 2011))
    marks = "".join(f"{number},{name},{number - 2008}.25,{number - 2007}.5\n" for number, name in people)
    (tmp_path / "export.csv").write_text(f"Id,Name,Quiz (out of 100),Quiz (out of 100)\n{marks}")
    rows = "".join(f"{number};{name};{HELD_BEFORE[kind]};{HELD_BEFORE[kind]}\n" for number, name in people)
    (tmp_path / "form.csv").write_text(f"Id;Name;Quiz A;Quiz B\n{rows}")
    options = ["--item", "C=Quiz A", "--item", "D=Quiz B"] if how == "option" else []
    if how == "at the keyboard":
        monkeypatch.setattr("skarvin.cli.draft.may_ask", lambda: True)
        answers = ["y", "=Quiz A", "=Quiz B", "1"]
        monkeypatch.setattr(sys, "stdin", io.StringIO("".join(f"{answer}\n" for answer in answers)))
    assert skarvin("draft", "export.csv", "form.csv", *options).code == 0
    file = tmp_path / "transfer.toml"
    text = file.read_text(encoding="utf-8").replace('missing_maximum = "?"', 'missing_maximum = "same"')
    for letter in "AB" if how == "by hand" else "":
        text = text.replace('to = "?"', f'to = "Quiz {letter}"', 1)
        below = re.compile(r'#   "Quiz A": [^\n]*\n((?:#     [^\n]*\n)+)')  # the lines that go with a candidate
        text = below.sub(_uncommented, text, count=1)
    file.write_text(text, encoding="utf-8")
    assert skarvin("write").code == 0
    assert column(tmp_path, 3) == AS_WRITTEN[kind]


def _uncommented(match: re.Match[str]) -> str:
    return match[1].replace("#     ", "")


@pytest.mark.parametrize(("rule", "sent"), [("hold", ""), ("rescale", "4.29")])
def test_a_mark_with_another_maximum_waits_where_only_the_target_says_the_item_s(
    tmp_path: Path, skarvin: Skarvin, rule: str, sent: str
) -> None:
    lay_out(
        tmp_path,
        "Id,Name,Knots\n1,Ann,2/7\n2,Bo,12/15\n3,Cy,9\n",
        "Id;Name;Knots [15]\n1;Ann;\n2;Bo;\n3;Cy;\n",
        f'[marks]\nother_maximum = "{rule}"\n[[item]]\nfrom = "Knots"\nto = "Knots [15]"\n',
    )
    assert skarvin("write").code == (1 if rule == "hold" else 0)
    assert column(tmp_path, 2) == [sent, "12", "9"]


def test_an_item_is_out_of_what_all_its_marks_state(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(
        tmp_path,
        "Id,Name,Knots\n1,Ann,25/40\n2,Bo,40 / 40\n3,Cy,\n",
        "Id;Name;Knots [20]\n1;Ann;\n2;Bo;\n3;Cy;\n",
        '[[item]]\nfrom = "Knots"\nto = "Knots [20]"\n',
    )
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["12.5", "20", ""]


@pytest.mark.parametrize(("said", "marks"), [("", ["7,5", "8"]), ('to_decimal_separator = "."\n', ["7.5", "8"])])
def test_unsaid_a_mark_is_written_as_the_form_s_other_marks_are(
    tmp_path: Path, skarvin: Skarvin, said: str, marks: list[str]
) -> None:
    lay_out(
        tmp_path,
        "Id,Name,Knots,Rope\n1,Ann,7.5,6.5\n2,Bo,8,9\n",
        "Id;Name;Knots;Rope\n1;Ann;;5,25\n2;Bo;;\n",
        f'[[item]]\nfrom = "Knots"\nto = "Knots"\n{said}[[item]]\nfrom = "Rope"\nto = "Rope"\n',
    )
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == marks
    assert column(tmp_path, 3) == ["6,5", "9"]


@pytest.mark.parametrize("side", ["export", "form"])
def test_each_refusal_to_read_a_file_names_the_option_of_that_file_and_the_key_of_a_transfer(
    tmp_path: Path, skarvin: Skarvin, side: str
) -> None:
    table = [["Roll no", "Name", "Knots (out of 10)"], ["007", "Zoë Ångström", "8"], ["0012", "Ömer Çelik", "7"]]
    texts = {name: "".join(";".join(row) + "\n" for row in table) for name in ("export", "form")}
    texts["form"] = texts["form"].replace(";8", ";").replace(";7", ";")
    for name, text in texts.items():
        marked = text.encode() if name != side else "\ufeff".encode() + text.encode("cp1252")
        (tmp_path / f"{name}.csv").write_bytes(marked.removeprefix(b"\xef\xbb\xbf") if name != side else marked)
    drafting, option = ("draft", "export.csv", "form.csv"), "--encoding" if side == "export" else "--form-encoding"
    refused = skarvin(*drafting)
    assert (refused.code, re.findall(r"--[\w-]+", refused.err)) == (3, [option])
    (tmp_path / f"{side}.csv").write_bytes(texts[side].encode("cp1252"))
    assert skarvin(*drafting, option, "cp1252").code == 0
    edit(tmp_path / "transfer.toml", 'encoding = "cp1252"', 'encoding = "utf-8"')
    refused = skarvin("preview")
    assert refused.code == 3
    assert "or say encoding = " in refused.err
    assert "--" not in refused.err
    edit(tmp_path / "transfer.toml", 'encoding = "utf-8"', 'encoding = "cp1252"')
    assert skarvin("write").code == 0
    codec = "cp1252" if side == "form" else "utf-8"
    assert [row[2] for row in csv.reader((tmp_path / "form-import.csv").read_text(codec).splitlines(), delimiter=";")][
        1:
    ] == ["8", "7"]


def test_a_form_is_read_by_each_option_by_which_an_export_is(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Roll no;Name;Knots (out of 10)\n007;Ana Sá;8\n0012;Bo Li;7\n")
    with xlsxwriter.Workbook(tmp_path / "form.xlsx") as book:
        for sheet in (book.add_worksheet("Old"), book.add_worksheet("Marks")):
            rows = [["Roll no", "Secret", "Name", "Knots (out of 10)"], ["007", "x", "Ana Sá"], ["0012", "y", "Bo Li"]]
            for number, row in enumerate(rows):
                sheet.write_row(number, 0, row)
            sheet.set_column(1, 1, options={"hidden": True})
            sheet.set_row(2, options={"hidden": True})
    refused = skarvin("draft", "export.csv", "form.xlsx")
    assert "--form-sheet" in refused.err
    options = ("--form-sheet", "2", "--form-skip-hidden", "--form-heading-row", "1", "--form-use", "A=student number")
    assert skarvin("draft", "export.csv", "form.xlsx", *options).code == 0
    told = tomllib.loads((tmp_path / "transfer.toml").read_text())["target"]
    assert (told["sheet"], told["skip_hidden"], told["heading_row"]) == ("2", True, 1)
    assert fates(skarvin) == {"sent": 1, "held": 1}  # who stands in the hidden row isn't there
    (tmp_path / "form.txt").write_text("Roll no|Name|Knots;out of 10\n007|'Ana' Sá|\n0012|Bo; Li|\n")
    signs = ("--form-delimiter", "pipe", "--form-quotes", "plain", "-t", "two.toml", "--to-out-of", "10")
    assert skarvin("draft", "export.csv", "form.txt", *signs).code == 0
    told = tomllib.loads((tmp_path / "two.toml").read_text())["target"]
    assert (told["delimiter"], told["quotes"]) == ("pipe", "plain")
