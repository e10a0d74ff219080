"""Lists of corrections through the built program: they are taken over the export, and what is unclear is held."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, as_exported, column, edit

EXPORT = """No,Name,Hull (20),Sail (10),Sum
0017,Åsa Lindqvist,12,7,19
0018,Bayo Adeyemi,15.5,8,23.5
0019,Chen Wei,9,,9
0020,Dana Al-Sayed,18,10,28
0021,Eero Mäkinen,11,6,17
"""
FORM = "Registry;Name;Hull;Sail;Total\n" + "".join(
    f"R{n};{line.split(',')[1]};;;\n" for n, line in enumerate(EXPORT.splitlines()[1:], 1)
)
BEFORE = {"Hull": ["12", "15.5", "9", "18", "11"], "Sail": ["7", "8", "", "10", "6"]}


def written(folder: Path, skarvin: Skarvin, lines: str, *more: str, code: int = 0) -> dict[str, list[str]]:
    """Draft and write the class with a list of corrections; return what the form says then."""
    for name, text in (("export", EXPORT), ("form", FORM), ("appeals", lines)):
        (folder / f"{name}.csv").write_text(text, encoding="utf-8")
    options = ("--corrections", "appeals.csv", "--missing-maximum", "same", *more)
    drafted = skarvin("draft", "export.csv", "form.csv", *options)
    assert drafted.code == 0, drafted.err
    run = skarvin("write")
    assert run.code == code, run.out + run.err
    assert "Read-back check passed" in " ".join(run.out.split())
    return {"Hull": column(folder, 2), "Sail": column(folder, 3)}


@pytest.mark.parametrize(
    ("lines", "changes", "code"),
    [
        ("No,Activity,Old,New,Why\n17,Hull,12,14,found\n0019,Sail,,9,on paper\n", {"Hull0": "14", "Sail2": "9"}, 0),
        ("Elev;Emne;Gammel;Ny\nR2;hull;15,5;16,5\nR5;SAIL;6,0;7\n", {"Hull1": "16.5", "Sail4": "7"}, 0),
        ("Name,Item,Mark,Reason\nDana Al-Sayed,Hull (20),19.5,it was added up wrongly\n", {"Hull3": "19.5"}, 0),
        ("No,Item,Old mark,New mark\n0018,Hull,15,16\n", {"Hull1": ""}, 1),
        ("No,Item,New mark\n0018,Hull,16\n0018,Hull,17\n", {"Hull1": ""}, 1),
        ("No,Item,New mark\n0018,Hull,16\n0018,Hull,16\n", {"Hull1": "16"}, 0),
        ("No,Item,Old mark,New mark\n0018,Hull,15,15.5\n0017,Hull,12,13\n", {"Hull0": "13"}, 0),
        ("No,Item,New mark\n0018,Hull,25\n0017,Hull,abs\n0020,Hull,17\n", {"Hull1": "", "Hull0": "", "Hull3": "17"}, 1),
        ("No,Item,New mark\n0999,Hull,3\n0018,Mast,4\n0017,Hull,\n0020,Hull,17\n", {"Hull3": "17"}, 1),
    ],
)
def test_a_list_of_corrections_is_taken_over_the_export(
    tmp_path: Path, skarvin: Skarvin, lines: str, changes: dict[str, str], code: int
) -> None:
    expected = {item: list(marks) for item, marks in BEFORE.items()}
    for where, mark in changes.items():
        expected[where[:4]][int(where[4:])] = mark
    assert written(tmp_path, skarvin, lines, code=code) == expected


def test_each_correction_is_told_with_what_it_replaced_and_totals_follow_it(tmp_path: Path, skarvin: Skarvin) -> None:
    lines = "No,Item,Old,New,Why\n17,Hull,12,14,page two\n18,Hull,15,16,-\n0999,Hull,1,2,-\n0021,Mast,1,2,-\n"
    written(tmp_path, skarvin, lines, "--item", "Sum=Total", code=1)
    ledger = json.loads((tmp_path / "ledger.json").read_bytes())
    (mark,) = [one for one in ledger["marks"]["list"] if "correction" in one]
    assert (mark["mark"], mark["now"]) == ("12", "14")
    assert mark["correction"] == {"text": "14", "by": "appeals", "why": "page two"}
    shown = " ".join(skarvin("preview").out.split())
    assert "To decide: 1 mark, 2 corrections." in shown
    assert "1 mark (C3): correct the list that says so, or decide in the list of held marks" in shown
    assert "2 corrections fit nothing (appeals.csv, row 4 and appeals.csv, row 5)" in shown
    assert "row 3 of appeals.csv says that it was '15'" in shown
    (total,) = ledger["totals"]
    assert [one["gives"] for one in total["students"]][:2] == ["21", None]
    held = tmp_path / "held.csv"
    edit(held, "says that it was '15',,,", "says that it was '15',M. S,both sheets,15.5")
    assert skarvin("write", "--replace").code == 1
    assert column(tmp_path, 2)[1] == "15.5"


def test_a_correction_of_a_blank_gets_a_row_where_rows_are_made(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Name,Hull\n1,Ana Sato,7\n2,Rui Nair,\n3,Zoe Abara,\n")
    (tmp_path / "form.csv").write_text("No;Name;Hull\n")
    (tmp_path / "appeals.csv").write_text("No,Item,New\n2,Hull,8\n")
    assert skarvin("draft", "export.csv", "form.csv", "--corrections", "appeals.csv").code == 0
    assert skarvin("write").code == 0
    assert (tmp_path / "form-import.csv").read_text() == "No;Name;Hull\n1;Ana Sato;7\n2;Rui Nair;8\n"


def test_an_appeal_after_the_upload_sends_that_mark_alone(tmp_path: Path, skarvin: Skarvin) -> None:
    written(tmp_path, skarvin, "No,Item,New\n0017,Hull,12\n")
    fresh = as_exported()
    assert skarvin("confirm", fresh).code == 0
    (tmp_path / "appeals.csv").write_text("No,Item,New\n0017,Hull,14\n")
    edit(tmp_path / "transfer.toml", 'file = "form.csv"', f'file = "{fresh}"')
    assert "1 cell of the form would be filled" in " ".join(skarvin("preview").out.split())
    assert skarvin("write", "--replace").code == 0
    assert (tmp_path / "exported-import.csv").read_text().splitlines()[1].split(";")[2] == "14"


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        ("No,What,New\n0017,Keel,14\n", "no column of this list has titles of the export's items"),
        ("No,Item,One,Two\n0017,Hull,14,15\n", "which column of this list has the new marks can't be told"),
        ("No,Item,Why\n0017,Hull,it was lost and found\n", "which column of this list has the new marks can't be told"),
    ],
)
def test_a_list_that_cannot_be_understood_is_refused_and_the_tables_that_are_named_do(
    tmp_path: Path, skarvin: Skarvin, lines: str, says: str
) -> None:
    for name, text in (("export", EXPORT), ("form", FORM), ("appeals", lines)):
        (tmp_path / f"{name}.csv").write_text(text, encoding="utf-8")
    run = skarvin("draft", "export.csv", "form.csv", "--corrections", "appeals.csv")
    assert run.code == 3
    assert says in run.err
    assert "[[correction]]" in run.err
