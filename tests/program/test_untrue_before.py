"""What is said of a class is so: who is told, who is counted, what waits, in the file as on the screen."""

import csv
import json
import re
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.datavalidation import DataValidation

from conftest import Skarvin, column, edit, lay_out

NAMES = ("Ann Lee", "Bo Rey", "Cy Fox", "Dora Gil", "Ed Ham", "Fi Ona", "Gus Hay", "Hal Roe", "Ida Sen", "Jo Tran")
ITEM = '[[item]]\nfrom = "Knots"\nto = "Knots"\n'


def ledger(folder: Path) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((folder / "ledger.json").read_bytes())
    return found


def told(skarvin: Skarvin, *more: str) -> str:
    return " ".join(skarvin("preview", *more).out.split())


def cells(folder: Path, name: str = "form-import.csv") -> list[list[str]]:
    with (folder / name).open(encoding="utf-8-sig", newline="") as lines:
        return list(csv.reader(lines))


def a_class(folder: Path, marks: list[str], rules: str = ITEM, heading: str = "Knots") -> None:
    export = "".join(f"{at + 10},{name},{mark}\n" for at, (name, mark) in enumerate(zip(NAMES, marks, strict=False)))
    form = "".join(f"{at + 10},{name},\n" for at, name in enumerate(NAMES))
    lay_out(folder, f"Id,Name,{heading}\n{export}", f"Id,Name,{heading}\n{form}", rules)


def test_a_list_of_allowed_words_behind_a_name_is_obeyed_and_the_draft_asks_for_its_words(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    for row in (["Id", "Name", "Stand"], ["11", "Ann Lee"], ["12", "Bo Rey"], ["13", "Cy Fox"]):
        sheet.append(row)
    words = book.create_sheet("Lists")
    words["A1"], words["A2"] = "Pass", "Fail"
    book.defined_names["standings"] = DefinedName("standings", attr_text="Lists!$A$1:$A$2")
    rule = DataValidation(type="list", formula1="standings")
    rule.add("C2:C4")
    sheet.add_data_validation(rule)
    book.save(tmp_path / "form.xlsx")
    (tmp_path / "export.csv").write_text("Id,Name,Stand\n11,Ann Lee,Pass\n12,Bo Rey,Fail\n13,Cy Fox,Excellent\n")
    assert skarvin("draft", "export.csv", "form.xlsx").code == 0
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert 'Excellent = "?"' in text, "a word that the target's list lacks is asked for"
    (tmp_path / "transfer.toml").write_text(text.replace('Excellent = "?"', 'Excellent = "Grand"'), encoding="utf-8")
    assert skarvin("write").code == 1
    marks = [row[2] for row in openpyxl.load_workbook(tmp_path / "form-import.xlsx").worksheets[0].values]
    assert marks == ["Stand", "Pass", "Fail", None]


def test_choices_are_read_in_any_order_and_with_spaces_between(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[answers]\nlabels = "ABCD"\nchoose = "several"\n[[answer]]\nfrom = "Q"\nto = "Q"\n'
    lay_out(
        tmp_path,
        "Id,Name,Q\n1,Ann Lee,A B D\n2,Bo Rey,DBA\n3,Cy Fox,C\n",
        "Id;Name;Q\n1;Ann Lee;\n2;Bo Rey;\n3;Cy Fox;\n",
        rules,
    )
    edit(tmp_path / "transfer.toml", 'choose = "several"', 'choose = "several"\nlabel_order = "as offered"')
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["ABD", "ABD", "C"]


def test_every_file_of_a_folder_is_a_students_or_named_as_nobodys(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "marked").mkdir()
    for name in ("Byrne_Aoife_017_Knots_17 of 20", "Celik_Yag_002_Knots_8½ of 20", "Sorli_Dana_044_Knots"):
        (tmp_path / "marked" / f"{name}.txt").write_text("x")
    (tmp_path / "marked" / "readme notes.txt").write_text("x")
    (tmp_path / "form.csv").write_text("No,Name,Knots\n017,Byrne Aoife,\n002,Celik Yag,\n044,Sorli Dana,\n")
    how = ("--item", "marked (out of 20)=Knots", "--missing-maximum", "same")
    assert skarvin("draft", "marked", "form.csv", *how).code == 0
    text = told(skarvin, "--all")
    assert "marked: 5 rows = 1 row of headings and 4 rows of students" in text
    assert "readme notes" in text.partition("To decide Students to confirm: 1")[2]
    assert skarvin("write").code in {0, 1}
    assert [row[2] for row in cells(tmp_path)[1:]] == ["17", "8.5", ""]
    assert ledger(tmp_path)["fates"] == {"sent": 2, "changed": 0, "same": 0, "kept": 0, "held": 0, "left out": 2}


def test_two_of_one_name_have_a_line_of_decisions_each(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(
        tmp_path,
        "Name,Knots\nAnn Lee,3\nAnn Lee,4\nBo Rey,5\n",
        "Name;No;Knots\nAnn Lee;71;\nAnn Lee;72;\nBo Rey;73;\n",
        '[students]\nnames = "pair"\nminimum_paired_percent = 0\n' + ITEM,
    )
    edit(tmp_path / "transfer.toml", 'file = "export.csv"\nidentifier = "A"', 'file = "export.csv"\nidentifier = ""')
    edit(tmp_path / "transfer.toml", 'file = "form.csv"\nidentifier = "A"', 'file = "form.csv"\nidentifier = "No"')
    assert skarvin("students").code == 1
    rows = cells(tmp_path, "pairings.csv")
    place = rows[0].index("decision")
    assert [row[3] for row in rows[1:]] == ["row 2", "row 3"]
    rows[1][place], rows[2][place] = "72", "71"
    with (tmp_path / "pairings.csv").open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows(rows)
    assert skarvin("students").code == 0
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["4", "3", "5"]


def test_who_has_no_marks_and_whose_marks_are_all_held_get_the_rows_they_should(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(
        tmp_path,
        "Id,Name,Knots,Rope\n1,Ann Lee,5,6\n2,Bo Rey,,\n3,Cy Fox,1O,1O\n4,Di Gil,5,5\n4,Di Gil,6,6\n",
        "Id,Name,Sum,Knots\n",
        '[categories]\nboth = ["Knots", "Rope"]\n[[total]]\nname = "S"\nformula = "sum of both"\nmissing = "zero"\n'
        '[[item]]\nfrom = "S"\nto = "Sum"\n' + ITEM,
    )
    assert "2 rows would be added to the form" in told(skarvin)
    assert "To decide: 1 student, 2 marks; 4 more marks wait for that student." in told(skarvin)
    assert skarvin("write").code == 1
    assert cells(tmp_path)[1:] == [["1", "Ann Lee", "11", "5"], ["2", "Bo Rey", "0", ""]]
    assert [one["identifier"] for one in ledger(tmp_path)["students"]["without_row"]] == ["3"]


def test_a_total_of_rows_that_disagree_is_held_once_where_no_row_is_made(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = (
        '[students]\nrepeated = "agree"\n[categories]\nparts = ["Knots"]\n[[total]]\nname = "S"\n'
        'formula = "sum of parts"\n[[item]]\nfrom = "S"\nto = "Sum"\n'
    )
    lay_out(tmp_path, "Id,Name,Knots\n1,Ann,5\n2,Bo,9\n2,Bo,10\n", "Id,Name,Sum,Knots\n", rules + ITEM)
    assert skarvin("write").code == 1
    assert [item["fates"]["held"] for item in ledger(tmp_path)["items"]] == [2, 1]
    assert cells(tmp_path)[1:] == [["1", "Ann", "5", "5"]]


def test_made_up_people_are_emptied_and_told(tmp_path: Path, skarvin: Skarvin) -> None:
    form = "Id;Name;Knots\nEX1;Sam One;7\nEX2;Sam Two;9\nEX3;Sam Tri;9\n"
    lay_out(tmp_path, "Id,Name,Knots\n1,Ann,3\n2,Bo,4\n", form, ITEM)
    edit(tmp_path / "transfer.toml", "[target]\n", "[target]\nclear = true\n")
    text = told(skarvin)
    assert (
        "2 rows would be added to the form, one a student, with 2 cells filled, 3 rows of made-up people emptied"
        in text
    )
    assert "form.csv: 4 lines = 4 records = 1 row of headings and 3 rows of made-up people." in text
    assert skarvin("write").code == 0


def test_comments_that_stay_are_listed_and_can_go_without_a_mark(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = ITEM + '[[comment]]\nfrom = "Note"\nto = "Note"\nof = "Knots"\n'
    lay_out(
        tmp_path,
        "Id,Name,Knots,Note\n1,Ann Lee,5,good\n2,Bo Rey,,was ill\n",
        "Id;Name;Knots;Note\n1;Ann Lee;;\n2;Bo Rey;;\n",
        rules,
    )
    text = told(skarvin)
    assert 'without_mark = "send"' in text
    assert "Bo Rey" in text.partition("omments that stay")[2]
    edit(tmp_path / "transfer.toml", 'of = "Knots"', 'of = "Knots"\nwithout_mark = "send"')
    assert skarvin("write").code == 0
    assert column(tmp_path, 3) == ["good", "was ill"]


@pytest.mark.parametrize(
    ("key", "what"),
    [
        ('[students]\nrepeated = "hold"\nrepeated_by = "Day"', "repeated_by has no effect"),
        ('[marks]\nblank_code = "X"', "blank_code has no effect"),
    ],
)
def test_a_key_without_effect_is_an_error(tmp_path: Path, skarvin: Skarvin, key: str, what: str) -> None:
    lay_out(tmp_path, "Id,Name,Day,Knots\n1,Ann,2026-01-02,7\n", "Id,Name,Knots\n1,Ann,\n", f"{key}\n{ITEM}")
    run = skarvin("preview")
    assert (run.code, what in run.err) == (3, True), run.err


def test_of_marks_as_high_the_date_decides(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[students]\nrepeated = "highest"\nrepeated_by = "Day"\n' + ITEM
    comment = '[[comment]]\nfrom = "Rem"\nto = "Rem"\nof = "Knots"\n'
    export = "Id,Name,Day,Knots,Rem\n1,Ann,2026-01-05,7,second\n1,Ann,2026-01-02,7,first\n"
    lay_out(tmp_path, export, "Id;Name;Knots;Rem\n1;Ann;;\n", rules + comment)
    assert skarvin("write").code == 0
    assert column(tmp_path, 3) == ["first"], "the rows stand the other way round"


def test_sums_are_of_students_marks_in_the_items_unit(tmp_path: Path, skarvin: Skarvin) -> None:
    a_class(tmp_path, ["10", "50%", "7.125"], ITEM + "from_out_of = 20\nto_out_of = 20\ndecimals = 3\n")
    with (tmp_path / "export.csv").open("a", encoding="utf-8") as file:
        file.write(",Average,9.04\n")
    assert skarvin("write").code in {0, 1}
    item = ledger(tmp_path)["items"][0]
    assert item["source"]["sum"] in {"27.125", 27.125}
    assert item["target"]["after"]["sum"] in {"27.125", 27.125}
    assert "27.125" in json.dumps(item["moved"])


def test_an_average_decides_nothing_of_decimal_signs(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = "".join(f"{at + 10};{name};{at}\n" for at, name in enumerate(NAMES))
    (tmp_path / "export.csv").write_text(f"Id;Name;Knots\n{rows};Average;7,35\n")
    (tmp_path / "form.csv").write_text("Id;Name;Knots\n" + "".join(f"{at + 10};{n};\n" for at, n in enumerate(NAMES)))
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert (tmp_path / "transfer.toml").read_text(encoding="utf-8").count('decimal_separator = ","') == 0


def test_what_the_forms_marks_deny_and_titles_that_differ_in_a_word_each_are_asked(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    head = "Id,Name,Knots {},Sail trim (out of 20)\n"
    rows = "".join(f"{at + 10},{n},{at + 5},{at + 3}\n" for at, n in enumerate(NAMES))
    there = "".join(f"{at + 10},{n},,{19 - 2 * at}\n" for at, n in enumerate(NAMES))
    (tmp_path / "export.csv").write_text(head.format("test") + rows)
    (tmp_path / "form.csv").write_text(head.format("essay") + there)
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert text.count('to = "?"') == 2
    assert "only 0 of 10 marks that the form has agree" in text


def test_pairs_that_may_be_right_are_to_decide_unless_ruled(tmp_path: Path, skarvin: Skarvin) -> None:
    born = [f"200{at}-01-0{at + 1}" for at in range(8)]
    export = "".join(f"{at + 10},{n},{b},5\n" for at, (n, b) in enumerate(zip(NAMES, born, strict=False)))
    form = "".join(f"{at + 10},{n},{b},\n" for at, (n, b) in enumerate(zip(NAMES, born, strict=False)))
    lay_out(
        tmp_path,
        f"Id,Name,Born,Knots\n{export}99,Maria Silva Costa,2004-05-06,7\n50,Rosa Marta Pinto,2003-02-02,8\n",
        f"Id;Name;Born;Knots\n{form}88,Maria Silva Costa,2004-05-06,\n50,Rosa Marta Lima,2003-02-02,\n".replace(
            ",", ";"
        ),
        ITEM,
    )
    run = skarvin("preview")
    assert (run.code, "To decide: 2 pairs to check." in " ".join(run.out.split())) == (1, True)
    ruled = '[students]\nother_number = "accept"\nother_name = "hold"\n[[item]]'
    edit(tmp_path / "transfer.toml", "[[item]]", ruled)
    assert "To decide: 1 student; 1 mark waits for that student." in told(skarvin)
    assert skarvin("write").code == 1
    assert column(tmp_path, 3) == [*["5"] * 8, "7", ""]


def test_items_that_both_files_have_and_nothing_feeds_are_to_decide(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "Id,Name,Knots,Rope\n11,Ann,5,6\n12,Bo,6,7\n", "Id,Name,Knots,Rope\n11,Ann,,\n12,Bo,,\n", ITEM)
    run = skarvin("preview")
    assert (run.code, "1 item in both files" in run.out) == (1, True)
    edit(tmp_path / "transfer.toml", "[[item]]", '[[item]]\nfrom = "Rope"\nto = ""\n[[item]]')
    assert skarvin("preview").code == 0, "left out by a word of the transfer"


def test_a_mark_far_above_all_others_without_a_maximum_is_told(tmp_path: Path, skarvin: Skarvin) -> None:
    a_class(tmp_path, ["18", "17", "19", "12", "85", "16", "20", "15", "14", "13"])
    assert "C6" in told(skarvin).partition("maximum")[2]
    a_class(tmp_path, ["18", "17", "19", "12", "25", "16", "20", "15", "14", "13"])
    assert "maximum isn't known" not in told(skarvin)


def test_a_placeholder_that_gives_nothing_is_refused_and_a_column_can_be_told(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "list.csv").write_text("No,Family,Given,Abgang\n1,Lee,Ann,2027\n2,Rey,Bo,2028\n3,Fox,Cy,2029\n")
    (tmp_path / "form.csv").write_text("Login,Family name,Given name\n")
    how = ["roster", "list.csv", "--form", "form.csv", "--username", "{given 1}{family 7}{year -2}"]
    run = skarvin(*how)
    assert run.code == 3
    assert "--use" in run.err
    assert skarvin(*how, "--use", "Abgang=leaving year").code == 0
    assert [row[0] for row in cells(tmp_path, "form-roster.csv")[1:]] == ["alee27", "brey28", "cfox29"]


def test_confirm_takes_no_file_of_its_own_for_an_export(tmp_path: Path, skarvin: Skarvin) -> None:
    a_class(tmp_path, ["5", "6"])
    assert skarvin("write").code == 0
    assert skarvin("confirm", "form-import.csv").code == 4
    assert skarvin("confirm", "export.csv").code == 4
    (tmp_path / "same.csv").write_bytes((tmp_path / "form-import.csv").read_bytes())
    run = skarvin("confirm", "same.csv")
    assert "--identical" in run.out + run.err
    assert "arrived" not in skarvin("history").out
    assert skarvin("confirm", "same.csv", "--identical", "--replace").code == 0
    assert "2 arrived" in skarvin("history").out
    assert "2 arrived" in skarvin().out


def test_nothing_is_left_to_do_only_where_nothing_waits(tmp_path: Path, skarvin: Skarvin) -> None:
    a_class(tmp_path, ["5", "1O"])
    assert skarvin("write").code == 1
    (tmp_path / "same.csv").write_bytes(b"\xef\xbb\xbf" + (tmp_path / "form-import.csv").read_bytes())
    assert skarvin("confirm", "same.csv").code == 0
    assert "Nothing is left to do" not in skarvin().out


def test_several_rows_of_one_student_are_counted_as_one(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[students]\nrepeated = "highest"\n' + ITEM
    lay_out(tmp_path, "Id,Name,Knots\n1,Ann,5\n9,Zoe,6\n9,Zoe,7\n", "Id,Name,Knots\n1,Ann,\n", rules)
    edit(tmp_path / "transfer.toml", "[students]", "[students]\nminimum_paired_percent = 0")
    assert "To decide: 1 student missing from the form; 2 marks wait for that student." in told(skarvin)
    assert "Missing from the form: 1 student in 2 rows" in told(skarvin)
    line = re.search(r'write add = "below" under \[target\] \(transfer.toml, line (\d+)\)', told(skarvin))
    assert line
    assert (tmp_path / "transfer.toml").read_text(encoding="utf-8").split("\n")[int(line[1]) - 1] == "[target]"


def test_a_total_has_the_maximum_of_its_heading(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = (
        '[categories]\nparts = ["Knots", "Rope"]\n[[total]]\nname = "S"\nformula = "sum of parts"\nout_of = 200\n'
        '[[item]]\nfrom = "S"\nto = "Sum [60]"\n'
    )
    lay_out(tmp_path, "Id,Name,Knots,Rope\n1,Ann,30,60\n2,Bo,40,80\n", "Id;Name;Sum [60]\n1;Ann;\n2;Bo;\n", rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["27", "36"]


def test_on_a_list_of_names_who_is_not_on_it_is_not_moved(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(
        tmp_path,
        "Name,Knots\nAnn Lee,3\nBo Rey,4\nCy Fox,5\n",
        "Name;Knots\nAnn Lee;\nBo Rey;\nCy Fox;\n",
        '[students]\nnames = "pair"\n[[list]]\nfile = "who.txt"\n' + ITEM,
    )
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8").replace('identifier = "A"', 'identifier = ""')
    (tmp_path / "transfer.toml").write_text(text, encoding="utf-8")
    (tmp_path / "who.txt").write_text("Ann Lee\nCy Fox\n")
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["3", "", "5"]


def test_masked_no_name_that_only_a_roster_knows_is_shown(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Name,Knots (out of 20)\nAnn Lee,3\nBo Rey,4\n")
    (tmp_path / "form.csv").write_text("No;Knots [20]\n2101;\n2102;\n2103;\n")
    (tmp_path / "roster.csv").write_text("No,Family name,Given name\n2101,Lee,Ann\n2102,Rey,Bo\n2103,Ondine,Zuzka\n")
    assert skarvin("draft", "export.csv", "form.csv", "--roster", "roster.csv").code == 0
    assert "Ondine" in skarvin("preview", "--all").out
    masked = skarvin("preview", "--all", "--mask").out
    assert not [name for name in ("Ondine", "Zuzka", "Lee", "Rey", "2101") if name in masked]


def test_where_the_form_has_words_of_its_own_the_draft_asks_which_stands_for_which(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    ours = "".join(f"{at},{name},{'Bestanden' if at % 2 else 'Offen'}\n" for at, name in enumerate(NAMES[:6], 11))
    (tmp_path / "export.csv").write_text(f"Id,Name,Lofting\n{ours}")
    for theirs, asked in (("Not passed", True), ("Offen", False)):
        form = "".join(f"{at},{name},{theirs if at == 12 else ''}\n" for at, name in enumerate(NAMES[:6], 11))
        (tmp_path / "form.csv").write_text(f"Id,Name,Lofting\n{form}")
        (tmp_path / "transfer.toml").unlink(missing_ok=True)
        assert skarvin("draft", "export.csv", "form.csv", "--item", "Lofting=Lofting").code == 0
        text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
        assert ('Bestanden = "?"' in text) == asked == ("Not passed" in text)
        assert skarvin("preview").code == (4 if asked else 0)


@pytest.mark.parametrize("target", ["bare", "full"])
def test_a_blank_row_of_somebody_with_marks_in_another_is_one_of_two_rows(
    tmp_path: Path, skarvin: Skarvin, target: str
) -> None:
    export = "Id,Name,Knots\n11,Ann Lee,3\n12,Bo Rey,\n12,Bo Rey,4\n13,Cy Fox,\n"
    form = "Id,Name,Knots\n" + ("" if target == "bare" else "11,Ann Lee,\n12,Bo Rey,\n13,Cy Fox,\n")
    lay_out(tmp_path, export, form, "[students]\nminimum_paired_percent = 0\n" + ITEM)
    text = told(skarvin)
    assert "1 sent, 1 held, 2 left out" in text
    assert "To decide: 1 student; 1 mark waits for that student" in text
    assert "have the same name" not in text
    assert "would help" not in text
    edit(tmp_path / "transfer.toml", "[students]", '[students]\nrepeated = "agree"')
    assert "2 sent, 2 left out" in told(skarvin)
    assert "have the same name" not in told(skarvin)
