"""Several rows for one student: which mark counts, item by item, and what is said of the others."""

import json
from pathlib import Path
from typing import Any

import pytest

from conftest import Skarvin, column, edit, lay_out

ITEMS = (
    '[[item]]\nfrom = "C"\nto = "B"\n{}\n[[item]]\nfrom = "D"\nto = "C"\n[[comment]]\nfrom = "E"\nto = "D"\nof = "C"\n'
)
FORM = "Nr;Seil [20];Knoten [20];Notiz\n{}"
HEADS = "Nr,Datum,Seil (von 20),Knoten (von 20),Notiz zu Seil\n"


def preview(skarvin: Skarvin) -> Any:  # noqa: ANN401 - whatever JSON holds
    return json.loads(skarvin("preview", "--json").out)


def words(text: str) -> str:
    return " ".join(text.split())


def try_rule(folder: Path, skarvin: Skarvin, rows: str, rules: str, own: str = "") -> list[list[str]]:
    """Write the import file of students 7 and 8; return the cells of its columns of marks and comments."""
    lay_out(folder, HEADS + rows, FORM.format("7;;;\n8;;;\n"), f"[students]\n{rules}\n{ITEMS.format(own)}")
    assert skarvin("write", "--replace").code in {0, 1}
    return [column(folder, index) for index in (1, 2, 3)]


ROWS = "7,3.3.2026,12,,spät\n8,2026-03-01,15,9,\n7,1.3.2026,10,8,gut\n7,2.3.2026,,8,\n"


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ("first", [["10", "15"], ["8", "9"], ["gut", ""]]),
        ("latest", [["12", "15"], ["8", "9"], ["spät", ""]]),
        ("highest", [["12", "15"], ["8", "9"], ["spät", ""]]),
        ("agree", [["", "15"], ["8", "9"], ["", ""]]),
    ],
)
def test_each_item_takes_the_mark_of_the_row_that_counts_and_skips_blanks(
    tmp_path: Path, skarvin: Skarvin, rule: str, expected: list[list[str]]
) -> None:
    assert try_rule(tmp_path, skarvin, ROWS, f'repeated = "{rule}"\nrepeated_by = "Datum"') == expected


def test_the_latest_by_date_isnt_the_last_row_and_equal_dates_are_held_only_where_marks_differ(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = 'repeated = "latest"\nrepeated_by = "Datum"'
    rows = "7,9.3.2026,12,5,\n7,1.3.2026,10,6,\n8,1.3.2026,11,7,\n8,1.3.2026,12,7.0,\n"
    assert try_rule(tmp_path, skarvin, rows, rules)[:2] == [["12", ""], ["5", "7"]]


def test_under_agree_only_the_item_that_differs_is_held_with_what_the_other_row_says(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    try_rule(tmp_path, skarvin, ROWS, 'repeated = "agree"')
    assert preview(skarvin)["fates"]["held"] == 4  # two marks, and the comments on them
    assert "row 4 of the same student says '10'" in words(skarvin("preview").out)


def test_an_item_may_have_a_rule_of_its_own(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = "7,1.1.2026,12,8,\n7,2.1.2026,10,9,\n8,,1,1,\n"
    assert try_rule(tmp_path, skarvin, rows, 'repeated = "first"\nrepeated_by = "B"', 'repeated = "latest"')[:2] == [
        ["10", "1"],
        ["8", "1"],
    ]
    assert try_rule(tmp_path, skarvin, rows, 'repeated = "hold"', 'repeated = "highest"')[:2] == [
        ["12", "1"],
        ["", "1"],
    ]


def test_a_comment_of_another_row_is_told_and_stays(tmp_path: Path, skarvin: Skarvin) -> None:
    found = try_rule(tmp_path, skarvin, "7,,12,8,ruhig\n7,,14,8,flink\n8,,1,1,\n", 'repeated = "highest"')
    assert found[2] == ["flink", ""]
    assert "1 comment on marks that don't count, of students with several rows, not sent: E2" in words(
        skarvin("preview").out
    )


@pytest.mark.parametrize(
    ("beside", "which", "cell"),
    [
        ("like a mark", "latest", "ABS"),
        ("like a mark", "highest", "12"),
        ("mark", "latest", "12"),
        ("status", "highest", "ABS"),
        ("hold", "highest", ""),
    ],
)
def test_absent_beside_a_mark_follows_a_rule(
    tmp_path: Path, skarvin: Skarvin, beside: str, which: str, cell: str
) -> None:
    rules = (
        f'repeated = "{which}"\nrepeated_by = "Datum"\nstatus_beside_mark = "{beside}"\n[statuses]\nabwesend = "ABS"'
    )
    rows = "7,1.1.2026,12,8,\n7,2.1.2026,abwesend,8,\n8,1.1.2026,1,1,\n"
    assert try_rule(tmp_path, skarvin, rows, rules)[0] == [cell, "1"]


@pytest.mark.parametrize(("equal", "comment"), [("first", "eins"), ("last", "drei")])
def test_which_of_equal_marks_counts_is_ruled_and_said(
    tmp_path: Path, skarvin: Skarvin, equal: str, comment: str
) -> None:
    rules = f'repeated = "highest"\nequal_marks = "{equal}"'
    rows = "7,,12,8,eins\n7,,11,8,zwei\n7,,12.0,8,drei\n8,,1,1,\n"
    assert try_rule(tmp_path, skarvin, rows, rules)[2] == [comment, ""]
    reasons = {reason["reason"] for item in preview(skarvin)["items"] for reason in item["reasons"]}
    assert any(f"the {equal} of the highest" in reason for reason in reasons)


def test_identifiers_of_one_student_that_differ_in_form_are_one_students(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "Nr,Name,Seil (von 20)\nAB-12,Öztürk Elif,3\nab12,Elif Öztürk,17\nCD-1,Nwosu Ada,5\ncd1,Lund Ida,6\n"
    lay_out(
        tmp_path,
        export,
        "Nr;Name;Seil [20]\nAB-12;Öztürk Elif;\nCD-1;Nwosu Ada;\n",
        '[students]\nrepeated = "highest"\n[[item]]\nfrom = "C"\nto = "C"\n',
    )
    assert skarvin("write").code == 1
    assert column(tmp_path, 2) == ["17", "5"]  # two people stay two, whatever their identifiers
    assert "another form in another row of the student (1)" in words(skarvin("preview").out)


def test_forms_that_the_other_side_tells_apart_are_two_students(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "Nr,Name,Seil (von 20)\n012,Kim Nour,3\n12,Kim Nour,17\n"
    lay_out(
        tmp_path,
        export,
        "Nr;Name;Seil [20]\n012;Kim Nour;\n12;Kim Nour;\n",
        '[students]\nrepeated = "highest"\n[[item]]\nfrom = "C"\nto = "C"\n',
    )
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["3", "17"]


def test_a_total_of_a_student_with_several_rows_is_made_of_the_marks_that_count(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = (
        '[students]\nrepeated = "{}"\n[categories]\nall_parts = ["B", "C"]\n'
        '[[total]]\nname = "Sum"\nformula = "sum of all_parts"\n[[item]]\nfrom = "Sum"\nto = "B"\n'
    )
    export = "Nr,Seil,Knoten\n7,12,\n7,,8\n8,5,6\n8,4,7\n"
    lay_out(tmp_path, export, "Nr;Summe\n7;\n8;\n", rules.format("highest"))
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["20", "12"]
    lay_out(tmp_path, export, "Nr;Summe\n7;\n8;\n", rules.format("agree"))
    assert skarvin("write", "--replace").code == 1
    assert column(tmp_path, 1) == ["20", ""]
    assert "a person must decide which mark counts, of rows 4 and 5" in words(skarvin("preview").out)


def test_a_total_over_two_exports_has_the_parts_of_both(tmp_path: Path, skarvin: Skarvin) -> None:
    total = '[[total]]\nname = "Year"\nformula = "sum of terms"\n[[item]]\nfrom = "Year"\nto = "B"\n'
    rules = f'[categories]\nterms = ["Autumn", "Spring"]\n{total}'
    (tmp_path / "spring.csv").write_text("No,Spring\n2,7\n1,9\n")
    further = '[[export]]\nfile = "spring.csv"\nidentifier = "No"\n[students]\nrepeated = "agree"\n'
    lay_out(tmp_path, "No,Autumn\n1,10\n2,20\n", "No;Year\n1;\n2;\n", further + rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == ["19", "27"]


def test_rows_of_one_student_are_not_counted_as_students(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "notas.csv").write_text(
        "Matrícula;Alumno;Examen 1 (sobre 10)\nA-101;Quispe, Rosa;7,5\na-101;Quispe, Rosa;7,5\nA-102;Ñahui, Tomás;6\n"
        "A-103;Huamán, Luz;9\nA-103;Huamán, Luz;\nA-104;Ñahui, Tomás;8\n",
        encoding="utf-8",
    )
    (tmp_path / "acta.csv").write_text(
        "Código,Apellidos y nombres,Examen 1 [10]\nA-104,Ñahui Tomás,\nA-103,Huamán Luz,\nA-102,Ñahui Tomás,\n"
        "A-101,Quispe Rosa,\n",
        encoding="utf-8",
    )
    drafted = skarvin("draft", "notas.csv", "acta.csv")
    assert "4 students are in both, in 6 of 6 rows" in drafted.out
    edit(tmp_path / "transfer.toml", 'repeated = "hold"', 'repeated = "agree"')
    shown = skarvin("preview").out
    assert "4 students paired by 'Matrícula' with 'Código', in 6 rows" in shown
    assert "2 students of the export have the same name: rows 4 and 7" in shown
    assert "rows 2 and 3" not in shown


@pytest.mark.parametrize(("again", "rule"), [(0, "agree"), (1, "agree"), (2, "hold"), (4, "hold")])
def test_an_export_that_stands_twice_in_a_file_is_sent_once(
    tmp_path: Path, skarvin: Skarvin, again: int, rule: str
) -> None:
    """Of four students so many have another mark the second time: from half of them on these are attempts."""
    first = [f"{10 + n},{n + 5}" for n in range(4)]
    second = [f"{10 + n},{n + 5 + (n < again)}" for n in range(4)]
    (tmp_path / "e.csv").write_text("\n".join(["No,Knots", *first, "No,Knots", *second, ""]), encoding="utf-8")
    (tmp_path / "f.csv").write_text("No;Knots\n10;\n11;\n12;\n13;\n", encoding="utf-8")
    assert skarvin("draft", "e.csv", "f.csv", "--missing-maximum", "same").code == 0
    transfer = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert f'\nrepeated = "{rule}"' in transfer
    written = skarvin("write")
    if rule == "hold":
        assert '8 rows are of students with several: repeated = "agree" under [students]' in written.err
        edit(tmp_path / "transfer.toml", 'repeated = "hold"', 'repeated = "agree"')
        written = skarvin("write")
    if again < 4:
        assert [text for text in column(tmp_path, 1, "f-import.csv") if text] == [str(n + 5) for n in range(again, 4)]
    else:
        assert (written.code, "no mark" in written.err) != (0, True)
