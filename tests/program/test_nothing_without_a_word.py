"""What would make a file wrong without a word: each is held, refused or told, through the built program."""

import json
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest

from conftest import Skarvin, column, edit, lay_out
from skarvin.core.transfer import outputs

PAIRED = "[students]\nleast_paired = 0\n"


def item(source: str = "B", target: str = "B", *lines: str) -> str:
    return "\n".join([f'[[item]]\nfrom = "{source}"\nto = "{target}"', *lines, ""])


def ledger(skarvin: Skarvin) -> Any:  # noqa: ANN401 - whatever JSON holds
    return json.loads(skarvin("preview", "--json").out)


def fates(skarvin: Skarvin) -> dict[str, int]:
    return {fate: count for fate, count in ledger(skarvin)["fates"].items() if count}


def held(skarvin: Skarvin) -> dict[int, str]:
    return {one["row"]: one["slug"] for one in json.loads(skarvin("students", "--json").out)["held"]}


def test_the_highest_of_several_attempts_is_written_though_a_later_one_is_blank(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = (
        f'[students]\nrepeated = "highest"\n{item()}[[comment]]\nfrom = "C"\nto = "C"\nof = "B"\nexisting = "replace"\n'
    )
    export = "No,Knots,Knots: remark\n1,7,well done\n1,,\n2,,\n2,6,tidy\n3,4,first\n3,5,second\n"
    lay_out(tmp_path, export, "No;Knots;Remarks\n1;3;old\n2;;\n3;;\n", rules)
    assert skarvin("write").code == 0
    assert (column(tmp_path, 1), column(tmp_path, 2)) == (["7", "6", "5"], ["well done", "tidy", "second"])


def test_a_comment_of_which_attempt_nobody_knows_is_held(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = f'[students]\nrepeated = "highest"\n{item()}[[comment]]\nfrom = "C"\nto = "C"\n'
    lay_out(tmp_path, "No,Knots,Remarks\n1,7,\n1,5,late\n", "No;Knots;Remarks\n1;;\n", rules)
    assert skarvin("write").code == 1
    assert (column(tmp_path, 1), column(tmp_path, 2)) == (["7"], [""])
    assert 'Add of = "..."' in " ".join(skarvin("preview").out.split())


def test_a_lone_quotation_mark_in_a_remark_swallows_no_student(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = [f"{number:03}\tName {number}\t{number % 10}\t" for number in range(1, 21)]
    rows[3] += '"late'
    rows[12] += '"ill, excused'
    export = "\n".join(["No\tName\tKnots (out of 10)\tRemarks", *rows, ""])
    (tmp_path / "export.txt").write_text(export, encoding="utf-8")
    form = "".join(f"{number:03};Name {number};\n" for number in range(1, 21))
    (tmp_path / "form.csv").write_text(f"No;Name;Knots [10]\n{form}", encoding="utf-8")
    assert skarvin("draft", "export.txt", "form.csv").code == 0
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == [str(number % 10) for number in range(1, 21)]
    assert "export.txt: 21 lines = 21 records" in skarvin("preview").out
    assert "read as plain characters" in " ".join(skarvin("look", "export.txt").out.split())


def test_a_comment_that_a_form_with_plain_quotation_marks_cannot_hold_is_held(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = f'{item()}[[comment]]\nfrom = "C"\nto = "C"\nof = "B"\nexisting = "replace"\n'
    export = 'No,Knots,Knots: remark\n101,7,"one; two"\n102,8,said "yes"\n103,9,fine\n'
    lay_out(tmp_path, export, 'No;Knots;Remarks\n101;;"lone\n102;;\n103;;\n', rules)
    assert skarvin("write").code == 1
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8")
    assert written == 'No;Knots;Remarks\n101;7;"lone\n102;8;said "yes"\n103;9;fine\n'
    assert "can hold its delimiter" in " ".join(skarvin("preview").out.split())


def test_quotation_marks_of_several_kinds_are_told_by_the_rows_unless_a_person_says_more(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rows = [
        "001,Kim Anna,7,x",
        '002,"Reyes, Luz",8,"late',
        "003,Sá Ana,9,",
        '004,Cole Tom,6,very"',
        "005,Diallo Nour,5,",
    ]
    (tmp_path / "export.csv").write_text("\n".join(["No,Name,Knots (out of 10),Remarks", *rows, ""]), encoding="utf-8")
    looked = skarvin("look", "export.csv")
    assert (looked.code, "in 1 line (3) some are plain characters" in " ".join(looked.out.split())) == (0, True)
    assert "--quotes around" in looked.out
    form = "".join(f"{number:03};\n" for number in range(1, 6))
    (tmp_path / "form.csv").write_text(f"No;Knots [10]\n{form}", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["7", "8", "9", "6", "5"]
    (tmp_path / "transfer.toml").unlink()
    assert skarvin("draft", "export.csv", "form.csv", "--quotes", "around").code == 0
    assert 'quotes = "around"' in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    told = skarvin("preview").out
    assert (
        "export.csv: 6 lines = 4 records, 1 of them over several lines = 1 row of headings and 3 rows of students"
        in " ".join(told.split())
    )
    assert ledger(skarvin)["rows"]["source"]["further_lines"] == 2


PAIRS = {
    "the name is another's": ("1,Jon Berger\n2,Jon Bergen\n", "1;Jon Bergen\n2;Jon Berger\n", {2, 3}),
    "both family names are others'": (
        "1,Anna Berger\n2,Tom Bergen\n3,Ida Berger\n",
        "1;Anna Bergen\n2;Tom Bergen\n3;Ida Berger\n",
        {2},
    ),
    "another's is nearer": (
        "1,Mara Vodopyanova\n2,Mara Okonkwo\n",
        "1;Marta Vodopianov-Li\n2;Mara Okonkwo\n3;Mara Vodopyanov\n",
        {2},
    ),
    "another generation": ("1,Sam Cole Jr\n2,Kim Nour\n", "1;Sam Cole III\n2;Kim Nour\n", {2}),
    "a slip of the hand": ("1,Anna Vodopyanova\n2,Kim Nour\n", "1;Anna Vodopianova\n2;Kim Nour\n", set()),
}


@pytest.mark.parametrize("case", PAIRS)
def test_an_identifier_whose_name_fits_somebody_else_better_is_held(
    tmp_path: Path, skarvin: Skarvin, case: str
) -> None:
    export, form, doubtful = PAIRS[case]
    marks = export.replace("\n", ",7\n")
    form = form.replace("\n", ";\n")
    lay_out(tmp_path, f"No,Name,Knots\n{marks}", f"No;Name;Knots\n{form}", PAIRED + item("C", "C"))
    found = held(skarvin)
    assert (set(found), set(found.values()) <= {"conflicting-identity"}) == (doubtful, True)


def test_an_identifier_whose_birth_dates_differ_pairs_by_the_whole_name_alone_and_says_so(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    export = "No,Name,Born,Knots\n1,Kim Nour,2008-03-01,7\n2,Sá Ana,01.04.2008,8\n3,Li Bo,2.5.2008,9\n"
    form = "No;Name;Birth date;Knots\n1;Kim Nour;1998-03-01;\n2;Sá Ana;2008-04-01;\n3;Li Bo;2008-05-02 00:00;\n"
    lay_out(tmp_path, export, form, PAIRED + item("D", "D"))
    assert held(skarvin) == {}
    told = (
        "export row 2 and form row 2 are paired by all that is known: 2 equal words; same identifier; but another birth"
    )
    assert told in " ".join(skarvin("students").out.split())
    preview = " ".join(skarvin("preview").out.split())
    assert "2 students paired by 'No' with 'No' 1 paired by all that is known" in preview
    edit(tmp_path / "form.csv", "1;Kim Nour;", "1;Kim Mira;")
    assert held(skarvin) == {2: "conflicting-identity"}


def test_a_name_alone_is_held_where_both_files_have_numbers_unless_that_is_ruled(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(
        tmp_path,
        "No,Name,Knots\n1,Kim Nour,7\n,Reyes Luz,8\n",
        "No;Name;Knots\n1;Kim Nour;\n2;Reyes Luz;\n",
        PAIRED + item("C", "C"),
    )
    assert held(skarvin) == {3: "name-alone"}
    assert 'names = "pair" allows it' in " ".join(skarvin("students").out.split())
    edit(tmp_path / "transfer.toml", "[students]", '[students]\nnames = "pair"')
    assert held(skarvin) == {}
    edit(tmp_path / "transfer.toml", 'names = "pair"\n', "")
    edit(tmp_path / "export.csv", "No,Name", "No,Born,Name")
    edit(tmp_path / "export.csv", "1,Kim", "1,1.2.2008,Kim")
    edit(tmp_path / "export.csv", ",Reyes", ",2.2.2008,Reyes")
    edit(tmp_path / "form.csv", "Name;Knots", "Name;Knots;Birthday")
    edit(tmp_path / "form.csv", "Reyes Luz;", "Reyes Luz;;2008-02-02")
    edit(tmp_path / "form.csv", "Kim Nour;", "Kim Nour;;2008-02-01")
    edit(tmp_path / "transfer.toml", 'from = "C"', 'from = "D"')
    assert held(skarvin) == {}


NAMES_ALONE = {
    "one word": (",Aroha,7\n1,Kim Nour,8\n", "9;Aroha;\n1;Kim Nour;\n", "one word isn't a full name"),
    "somebody near": (
        ",Cole Annabelle,7\n1,Sá Ana,8\n",
        "9;Cole Annabelle;\n1;Sá Ana;\n8;Cole Annabella;\n",
        "nearly the same name",
    ),
    "an initial": (",Cole Anna,7\n1,Sá Ana,8\n", "9;Cole Anna;\n1;Sá Ana;\n8;Cole A.;\n", "nearly the same name"),
}


@pytest.mark.parametrize("case", NAMES_ALONE)
def test_a_name_pairs_alone_only_where_it_is_whole_and_nobody_comes_near(
    tmp_path: Path, skarvin: Skarvin, case: str
) -> None:
    export, form, reason = NAMES_ALONE[case]
    rules = f'[students]\nnames = "pair"\nleast_paired = 0\n{item("C", "C")}'
    lay_out(tmp_path, f"No,Name,Knots\n{export}", f"No;Name;Knots\n{form}", rules)
    assert held(skarvin) == {2: "name-alone"}
    assert reason in " ".join(skarvin("students").out.split())


def test_a_suggestion_that_another_row_has_taken_is_shown_and_says_so(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "No,Name,Knots\n1,Kim Nour,7\n91,Kim Nour,8\n"
    lay_out(tmp_path, export, "No;Name;Knots\n1;Kim Nour;\n2;Sá Ana;\n", PAIRED + item("C", "C"))
    text = " ".join(skarvin("students").out.split())
    assert "but paired with row 2 of the export" in text
    assert held(skarvin) == {3: "likely"}


def test_a_decision_is_for_one_student_and_no_other_of_that_identifier_and_name(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    form = "No;Name;Class;Knots\n01;Kim Nur;Keel;\n02;Sá Ana;Keel;\n"
    lay_out(tmp_path, "No,Name,Crew,Knots\n7,Kim Nour,Keel,5\n02,Sá Ana,Keel,6\n", form, PAIRED + item("D", "D"))
    skarvin("students")
    lines = (tmp_path / "pairings.csv").read_text(encoding="utf-8-sig").splitlines()
    decided = [line.rsplit(",", 2)[0] + ",1," if line.startswith("7,") else line for line in lines]
    (tmp_path / "pairings.csv").write_text("\n".join(decided) + "\n", encoding="utf-8-sig")
    assert fates(skarvin) == {"sent": 2}
    edit(tmp_path / "export.csv", "7,Kim Nour,Keel,5", "7,Kim Nour,Mast,9")
    assert fates(skarvin) == {"sent": 1, "held": 1}
    edit(tmp_path / "export.csv", "7,Kim Nour,Mast,9", "7,Kim Nour,Keel,9\n7,Kim Nour,Keel,4")
    assert fates(skarvin) == {"sent": 1, "held": 2}
    assert held(skarvin) == {2: "decision-unclear", 3: "decision-unclear"}
    assert "one line decides for one student" in " ".join(skarvin("students").out.split())


def test_a_roster_whose_identifier_looks_like_a_name_says_nothing_against_anybody(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    (tmp_path / "list.csv").write_text("Apprentice,Called\nkim1,Kim Nour\nrey2,Reyes Luz\n", encoding="utf-8")
    rules = f'{PAIRED}[roster]\nfile = "list.csv"\nidentifier = "Apprentice"\n{item("C", "B")}'
    export = "Login,Name,Knots\nkim1,Kim Nour,7\nrey2,Reyes Luz,8\nxyz9,Diallo Nour,9\n"
    lay_out(tmp_path, export, "Login;Knots\nkim1;\nrey2;\nxyz9;\n", rules)
    assert (fates(skarvin), held(skarvin)) == ({"sent": 2, "held": 1}, {4: "not-on-roster"})
    assert ledger(skarvin)["rows"]["roster"]["students"] == 2
    edit(tmp_path / "transfer.toml", 'identifier = "Apprentice"', 'identifier = "Called"')
    refused = skarvin("preview")
    assert (refused.code, "no identifier of the form is in the column 'Called'" in refused.err) == (4, True)


def test_maxima_that_both_headings_give_hold_though_the_transfer_gives_none(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "No,Planks (out of 40)\n1,30\n", "No;Planks [60]\n1;\n", item())
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["45"]
    edit(tmp_path / "transfer.toml", 'to = "B"', 'to = "B"\nrescale = false')
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 1) == ["30"]


MARKS = {
    "a number on a scale of words": ("7", "[scale.craft.values]\nMaster = 95\n", 'scale = "craft"\nto_out_of = 10', ""),
    "a plus sign": ("+7", "", "", ""),
    "a fraction behind a space": ("7 ½", "", "", "7.5"),
    "a fraction": ("7½", "[marks]\nset_aside = ['½']\n", "", "7.5"),
    "a zero for a status": ("absent", "[statuses]\nabsent = 0\n", 'to_suffix = "%"\nfrom_out_of = 10', "0%"),
    "zeros behind the decimals": ("42.930", "", "decimals = 2", "42.93"),
    "never rounded": ("42.935", "", 'decimals = 2\nrounding = "none"', ""),
}


@pytest.mark.parametrize("case", MARKS)
def test_a_mark_is_sent_as_its_rule_says_or_held(tmp_path: Path, skarvin: Skarvin, case: str) -> None:
    mark, tables, rule, gives = MARKS[case]
    lay_out(tmp_path, f"No,Knots\n1,{mark}\n2,5\n", "No;Knots\n1;\n2;\n", tables + item("B", "B", rule))
    assert skarvin("write").code == (0 if gives and "scale" not in rule else 1)
    assert column(tmp_path, 1)[0] == gives
    assert "ignore_flags" not in skarvin("preview").out
    assert "(perhaps 7)" not in skarvin("preview").out or mark == "+7"


def test_the_lowest_of_one_mark_is_not_dropped_and_a_weight_that_moves_is_told(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = (
        '[statuses]\nexempt = ""\n[categories]\nquizzes = ["B", "C"]\ntests = ["D"]\n'
        '[[total]]\nname = "Term"\nmissing = "zero"\n'
        'formula = "weighted mean of (40: mean of all but lowest 1 of quizzes, 60: mean of tests)"\n'
        + item("Term", "B")
    )
    export = "No,Q1,Q2,T\n1,8,exempt,6\n2,exempt,exempt,6\n3,8,,5\n4,exempt,exempt,exempt\n"
    lay_out(tmp_path, export, "No;Term\n1;\n2;\n3;\n4;\n", rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["6.8", "6", "6.2", ""]
    text = " ".join(skarvin("preview").out.split())
    assert "For 1 student nothing of 'quizzes' counts, and its weight moved to the rest (row 3)." in text
    assert "For 1 student nothing counts, so there is no total (row 5)." in text


@pytest.mark.parametrize(
    "formula", ["mean of quizzes + 'Bonus'", "'Q1' + 'Q2' + 'Bonus'", "'Q1' + 2", "mean of quizzes + 0"]
)
def test_a_bonus_alone_is_no_total(tmp_path: Path, skarvin: Skarvin, formula: str) -> None:
    rules = f'[categories]\nquizzes = ["B", "C"]\n[[total]]\nname = "Term"\nformula = "{formula}"\n' + item("Term", "B")
    lay_out(tmp_path, "No,Q1,Q2,Bonus\n1,,,2\n2,6,8,1\n", "No;Term\n1;\n2;\n", rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 1)[0] == ""
    assert "nothing counts, so there is no total (row 2)" in " ".join(skarvin("preview").out.split())


def test_a_comment_goes_only_where_a_mark_goes_and_rows_appear_only_for_those_with_one(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = f'{PAIRED}{item()}[[comment]]\nfrom = "C"\nto = "C"\nof = "B"\n'
    export = "No,Knots,Knots: remark\n1,7,fine\n2,,see me\n3,,\n"
    lay_out(tmp_path, export, "No;Knots;Remarks\n1;;\n2;;\n3;;\n", rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["fine", "", ""]
    (tmp_path / "form.csv").write_text("No;Knots;Remarks\n", encoding="utf-8")
    assert skarvin("write", "--replace").code == 0
    assert (tmp_path / "form-import.csv").read_text(encoding="utf-8") == "No;Knots;Remarks\n1;7;fine\n"


def test_a_status_that_is_sent_as_a_blank_is_named_with_its_student(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[statuses]\nexempt = ""\n' + item("C", "B")
    lay_out(tmp_path, "No,Name,Knots\n1,Kim Nour,exempt\n2,Sá Ana,5\n", "No;Knots\n1;\n2;\n", rules)
    assert fates(skarvin) == {"sent": 1, "left out": 1}
    text = skarvin("preview").out
    assert "Sent as a blank: 1 mark\n" in text
    assert "C2" in text.split("Sent as a blank")[1]
    assert "Kim Nour" in text.split("Sent as a blank")[1]
    skarvin("write")
    assert "Sent as a blank: 1" in (tmp_path / "report.html").read_text(encoding="utf-8")


def meddling(monkeypatch: pytest.MonkeyPatch, file: Path, data: bytes) -> None:
    """Let a file change after it was read and before anything is written."""

    def outputs_for(*arguments: Any, **options: Any) -> Any:  # noqa: ANN401 - handed on as they are
        file.write_bytes(data)
        return outputs.outputs_for(*arguments, **options)

    monkeypatch.setattr("skarvin.cli.write.outputs_for", outputs_for)


def test_a_form_that_changes_while_a_write_runs_is_refused(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    meddling(monkeypatch, drafted / "form.csv", (drafted / "form.csv").read_bytes() + b"\n")
    done = skarvin("write")
    assert (done.code, "form.csv: the file changed while this ran" in done.err) == (4, True)
    assert not (drafted / "ledger.json").exists()


@pytest.mark.parametrize(("file", "name"), [("export.csv", "export"), ("transfer.toml", "transfer")])
def test_the_ledger_vouches_for_the_bytes_that_were_read(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, file: str, name: str
) -> None:
    read = (drafted / file).read_bytes()
    meddling(monkeypatch, drafted / file, read + b"# changed\n")
    skarvin("write")
    files = json.loads((drafted / "ledger.json").read_bytes())["files"]
    assert files[name]["sha256"] == sha256(read).hexdigest()


def test_marks_that_the_export_no_longer_holds_are_refused(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    meddling(monkeypatch, drafted / "export.csv", (drafted / "export.csv").read_bytes().replace(b",8,73", b",9,73"))
    done = skarvin("write")
    assert (done.code, "the export says '9' here, and the ledger '8'" in done.err) == (4, True)


def test_a_place_below_a_hidden_row_is_told_as_the_workbook_shows_it(tmp_path: Path, skarvin: Skarvin) -> None:
    import openpyxl  # noqa: PLC0415

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (
        ["No", "Name", "Knots (out of 10)"],
        ["001", "Kim Nour", 5],
        ["002", "Sá Ana", "1O"],
        ["003", "Li Bo", 7],
    ):
        sheet.append(row)
    sheet.row_dimensions[2].hidden = True
    book.save(tmp_path / "export.xlsx")
    (tmp_path / "form.csv").write_text("No;Knots [10]\n002;\n003;\n", encoding="utf-8")
    assert skarvin("draft", "export.xlsx", "form.csv", "--skip-hidden").code == 0
    assert "C3 " in skarvin("preview").out.split("Held: 1 mark")[1]
    told = ledger(skarvin)
    assert [(one["row"], one["column"]) for one in told["marks"]["list"] if one["fate"] == "held"] == [(3, "C")]
    assert told["rows"]["source"]["hidden"] == 1


COLUMNS = {
    "sections": ('to = "Class"', "No;Class;Knots\n1;Keel;\n2;Mast;\n", "isn't an item of the form: section"),
    "labels": (
        'to = "Berth"',
        "No;Berth;Knots\n1;Quay side;\n2;Lee side;\n",
        "nothing in this column looks like a mark",
    ),
}


@pytest.mark.parametrize("case", COLUMNS)
def test_a_column_that_is_no_item_is_not_written_over_unless_the_item_says_so(
    tmp_path: Path, skarvin: Skarvin, case: str
) -> None:
    target, form, says = COLUMNS[case]
    lay_out(tmp_path, "No,Knots\n1,7\n2,8\n", form, f'[[item]]\nfrom = "B"\n{target}\n')
    refused = skarvin("write")
    assert (refused.code, says in refused.err, "any_column = true" in refused.err) == (3, True, True)
    edit(tmp_path / "transfer.toml", target, f"{target}\nany_column = true")
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["7", "8"]


def test_a_constant_is_not_written_over_labels_and_is_sent_once(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[[constant]]\nmark = "Launched"\nto = "Berth"\nexisting = "replace"\n'
    form = "No;Berth\n1;Quay side\n2;Lee side\n"
    lay_out(tmp_path, "No,Knots\n1,7\n2,8\n", form, rules)
    refused = skarvin("write")
    assert (refused.code, "any_column = true" in refused.err) == (3, True)
    (tmp_path / "form.csv").write_text("No;Berth\n1;\n2;Launched\n", encoding="utf-8")
    assert (skarvin("write").code, column(tmp_path, 1)) == (0, ["Launched", "Launched"])
    (tmp_path / "form-import.csv").rename(tmp_path / "form.csv")
    assert fates(skarvin)["same"] == 2


def test_a_check_that_compares_nothing_is_a_fault(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = f'[[total]]\nname = "Term"\nformula = "\'Knots\'"\ncheck = "Crew"\n{item("B", "B")}'
    lay_out(tmp_path, "No,Knots,Crew\n1,7,Keel\n2,8,Mast\n", "No;Knots\n1;\n2;\n", rules)
    refused = skarvin("preview")
    assert (refused.code, "no student has two numbers to compare" in refused.err) == (3, True)


def test_a_roster_form_that_is_not_understood_is_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "list.csv").write_text("Learner no,Name\n1,Kim Nour\n2,Sá Ana\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Tunnus;Perekonnanimi;Eesnimi\n", encoding="utf-8")
    refused = skarvin("roster", "list.csv", "--form", "form.csv")
    assert (refused.code, "'Perekonnanimi'" in refused.err, (tmp_path / "form-roster.csv").exists()) == (3, True, False)
    (tmp_path / "form.csv").write_text("Student number;Family name;Eesnimi\n", encoding="utf-8")
    assert skarvin("roster", "list.csv", "--form", "form.csv").code == 0


def test_no_masked_output_shows_a_name_or_a_part_of_one(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    export = "No,Name,Knots\n0471,Vodopyanova Zoltan,7\n0472,MÃ¼ller JÃ¶rg,8\n,Okonkwo Robert,5\n"
    form = "No;Name;Knots\n0571;Vodopianova Zoli;\n0472;Müller Jörg;\n0573;Okonkwo Bob;\n"
    lay_out(tmp_path, export, form, PAIRED + item("C", "C"))
    monkeypatch.setattr("click.prompt", lambda *_, **__: "later")
    words = ["vodop", "zol", "ller", "jör", "jã", "okonkwo", "rob", "bob", "0471", "0472", "0571", "0573"]
    for arguments in (
        ("students", "--mask"),
        ("students", "--mask", "--json"),
        ("students", "--mask", "--decide"),
        ("look", "--mask", "export.csv"),
        ("look", "--mask", "--json", "export.csv"),
        ("look", "--mask", "--json", "export.csv", "form.csv"),
    ):
        done = skarvin(*arguments)
        said = (done.out + done.err).casefold()
        assert not [word for word in words if word in said.replace("export", "").replace("target", "")], arguments
