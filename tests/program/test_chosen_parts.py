"""Which rows and columns are written, in which order, in how many files; and rows added to a form with students."""

import json
import re
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, edit
from skarvin.core.targets import delimited
from skarvin.core.targets.target import Part
from skarvin.core.transfer import import_files

EXPORT = """\
No,Name,Group,Knots (out of 10),Lofting (out of 20)
w-017,Aoife Byrne,Forenoon,7,15
w-002,"Çelik, Yağmur",Afternoon,8.50,
w-103,Bo Diallo,Forenoon,,
w-009,Chidi Okoro,Afternoon,9,12
w-044,Dana Sørli,Forenoon,3,4
"""
FORM = """\
Line;Learner id;Learner;Group;Knots [10];Lofting [20];Course\r
1;w-009;Chidi Okoro;Afternoon;;;TW1\r
2;w-017;Aoife Byrne;Forenoon;;;TW1\r
3;w-777;Someone Else;Forenoon;5;5;TW1\r
4;;;;;;TW1\r
"""


@pytest.fixture
def folder(tmp_path: Path, skarvin: Skarvin) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_bytes(FORM.encode())
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    return tmp_path


def rule(folder: Path, *lines: str) -> None:
    edit(folder / "transfer.toml", "[target]", "\n".join(["[target]", *lines]))
    text = (folder / "transfer.toml").read_text(encoding="utf-8")
    if any(line.startswith("add ") for line in lines):
        (folder / "transfer.toml").write_text(re.sub(r'\nadd = "nobody".*', "", text), encoding="utf-8")


def written(folder: Path, name: str = "form-import.csv") -> list[str]:
    return (folder / name).read_bytes().decode().split("\r\n")


def test_who_is_not_in_the_form_gets_a_row_in_its_blank_lines_and_below_and_only_once(
    folder: Path, skarvin: Skarvin
) -> None:
    rule(folder, 'add = "below"')
    run = skarvin("write")
    assert (run.code, "2 rows are added" in run.out) == (0, True)
    assert written(folder) == [
        "Line;Learner id;Learner;Group;Knots [10];Lofting [20];Course",
        "1;w-009;Chidi Okoro;Afternoon;9;12;TW1",
        "2;w-017;Aoife Byrne;Forenoon;7;15;TW1",
        "3;w-777;Someone Else;Forenoon;5;5;TW1",
        "4;w-002;Yağmur Çelik;Afternoon;8.50;;TW1",
        ";w-044;Dana Sørli;Forenoon;3;4;",
        "",
    ]
    assert (folder / "form-restore.csv").read_bytes() == FORM.encode()
    edit(folder / "transfer.toml", 'file = "form.csv"', 'file = "form-import.csv"')
    again = skarvin("write", "--replace")
    assert (again.code, "Nothing new is sent" in again.out) == (0, True)
    assert (folder / "form-import-2.csv").read_bytes() == (folder / "form-import.csv").read_bytes()


def test_nobody_is_added_who_may_be_there_already(folder: Path, skarvin: Skarvin) -> None:
    edit(folder / "form.csv", "w-777;Someone Else", "w-9;Dana Sorli")
    rule(folder, 'add = "below"')
    assert skarvin("write").code == 1
    assert sum("Dana" in line for line in written(folder)) == 1


def test_below_a_sum_no_row_is_added(folder: Path, skarvin: Skarvin) -> None:
    text = (folder / "form.csv").read_text(encoding="utf-8")
    (folder / "form.csv").write_text(text + "Average;;;;5;5;\n", encoding="utf-8")
    rule(folder, 'add = "below"')
    run = skarvin("write")
    assert (run.code, "isn't a student's" in run.err, "blank lines" in run.err) == (3, True, True)
    edit(folder / "form.csv", "4;;;;;;TW1", "4;;;;;;TW1\n5;;;;;;TW1")  # what the message says helps
    run = skarvin("write")
    assert (run.code, run.err) == (0, "")


def test_made_up_people_are_emptied_and_their_lines_filled(folder: Path, skarvin: Skarvin) -> None:
    (folder / "form.csv").write_text(FORM.replace("w-0", "x-0"), encoding="utf-8")
    rule(folder, "clear = true")
    assert skarvin("write").code == 0
    lines = (folder / "form-import.csv").read_text(encoding="utf-8").splitlines()
    assert lines[1:5] == [
        "1;w-017;Aoife Byrne;Forenoon;7;15;TW1",
        "2;w-002;Yağmur Çelik;Afternoon;8.50;;TW1",
        "3;w-009;Chidi Okoro;Afternoon;9;12;TW1",
        "4;w-044;Dana Sørli;Forenoon;3;4;TW1",
    ]


@pytest.mark.parametrize(
    ("rules", "files"),
    [
        (
            ['columns = ["Learner id", "F", "E"]', "headings = false", 'rows = "sent"', 'order = "family name"'],
            {"form-import.csv": ["w-017;15;7", "w-002;;8.50", "w-009;12;9", "w-044;4;3", ""]},
        ),
        (
            ['columns = ["Learner id", "Knots [10]", "Lofting [20]"]', 'files = "one an item"', 'rows = "sent"'],
            {
                "form-Knots-import.csv": ["Learner id;Knots [10]", "w-009;9", "w-017;7", "w-002;8.50", "w-044;3", ""],
                "form-Lofting-import.csv": ["Learner id;Lofting [20]", "w-009;12", "w-017;15", "w-044;4", ""],
            },
        ),
        (
            ['columns = ["B", "E", "F"]', 'files = "one a section"', 'order = "identifier"', "headings = false"],
            {
                "form-Afternoon-import.csv": ["w-002;8.50;", "w-009;9;12", ""],
                "form-Forenoon-import.csv": ["w-017;7;15", "w-044;3;4", "w-777;5;5", ""],
            },
        ),
    ],
)
def test_only_what_is_wanted_is_written(
    folder: Path, skarvin: Skarvin, rules: list[str], files: dict[str, list[str]]
) -> None:
    rule(folder, 'add = "below"', *rules)
    run = skarvin("write")
    assert run.code == 0
    assert {path.name for path in folder.glob("*-import*")} == set(files)
    for name, lines in files.items():
        assert written(folder, name) == lines
    assert not list(folder.glob(".*")), "what was looked at on the way is gone"
    assert len(list(folder.glob("*-restore*"))) == len(files)


def test_a_mark_that_would_stand_in_no_file_is_refused(folder: Path, skarvin: Skarvin) -> None:
    rule(folder, 'columns = ["Learner id", "Knots [10]"]')
    run = skarvin("preview")
    assert (run.code, "'Lofting', which isn't among the columns that are written" in run.err) == (3, True)
    edit(folder / "transfer.toml", '"Learner id", "Knots [10]"', '"E", "F"')
    assert "none of the columns that are written identifies students" in skarvin("preview").err


@pytest.mark.parametrize(
    "text", ["Chidi Okoro\n2. Byrne, Aoife\nw-002 (late)\nNobody Here\n", "Id,Name\nw-009,\nw-017,\nw-002,\nw-555,\n"]
)
def test_a_list_says_who_is_moved_and_in_which_order(folder: Path, skarvin: Skarvin, text: str) -> None:
    (folder / "who.txt").write_text(text, encoding="utf-8")
    rule(folder, 'add = "below"', 'rows = "listed"', 'order = "list"', 'columns = ["B", "E", "F"]', "headings = false")
    plan = folder / "transfer.toml"
    plan.write_text(plan.read_text(encoding="utf-8") + '\n[[list]]\nfile = "who.txt"\n', encoding="utf-8")
    told = " ".join(skarvin("preview").out.split())
    assert "2 students of the export are on no list: rows 4 and 6." in told
    assert re.search(r"1 person on the list is not in the export: row [45] of who.txt", told)
    assert skarvin("write").code == 0
    assert written(folder) == ["w-009;9;12", "w-017;7;15", "w-002;8.50;", ""]
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    assert [student["row"] for student in ledger["students"]["left_out"]] == [4, 6]


@pytest.mark.parametrize(
    ("text", "code", "told"),
    [
        ("Crew;Birth date\nKeel;2001-04-05\nMast;2001-04-06\n", 3, "no column of this list says who somebody is"),
        ("Zita Quell\nOmar Petrov\n", 4, "all 5 students are left out by [students] or by a [[list]]"),
        ("\n\n", 3, "who.txt"),
    ],
)
def test_a_list_of_nobody_is_refused_in_words(folder: Path, skarvin: Skarvin, text: str, code: int, told: str) -> None:
    (folder / "who.txt").write_text(text, encoding="utf-8")
    with (folder / "transfer.toml").open("a", encoding="utf-8") as plan:
        plan.write('\n[[list]]\nfile = "who.txt"\n')
    run = skarvin("preview")
    assert (run.code, told in run.err) == (code, True), run.err


def test_of_two_of_one_name_on_a_list_both_stay_and_are_held(folder: Path, skarvin: Skarvin) -> None:
    (folder / "who.txt").write_text("Chidi Okoro\nAoife Byrne\nokoro, chidi\n", encoding="utf-8")
    plan = folder / "transfer.toml"
    plan.write_text(plan.read_text(encoding="utf-8") + '\n[[list]]\nfile = "who.txt"\n', encoding="utf-8")
    run = skarvin("preview")
    assert run.code == 1
    assert "may be on the list, which isn't certain" in " ".join(run.out.split())
    (folder / "who.txt").write_text("w-017\nw-009\nw-017\n", encoding="utf-8")  # a number twice is one person
    assert "certain" not in skarvin("preview").out


def test_students_of_a_list_in_another_section_are_told(folder: Path, skarvin: Skarvin) -> None:
    (folder / "who.csv").write_text("Number,Name,Group\nw-009,Chidi Okoro,Night\n", encoding="utf-8")
    plan = folder / "transfer.toml"
    plan.write_text(plan.read_text(encoding="utf-8") + '\n[[list]]\nfile = "who.csv"\n', encoding="utf-8")
    assert "1 student stands in another section on the list: row 5" in " ".join(skarvin("preview").out.split())


def test_a_file_of_a_section_gives_it_to_its_students(folder: Path, skarvin: Skarvin) -> None:
    edit(folder / "transfer.toml", "[source]", '[source]\nsection = "Night"')
    rule(folder, 'add = "below"')
    assert skarvin("write").code == 0
    assert written(folder)[4:6] == ["4;w-002;Yağmur Çelik;Night;8.50;;TW1", ";w-044;Dana Sørli;Night;3;4;"]


REAL = vars(delimited)["filled_part"]
SENT = vars(import_files)["_sent"]
TARGETS, TRANSFER = "skarvin.core.targets", "skarvin.core.transfer"


@pytest.mark.parametrize(
    ("place", "slip"),
    [
        (f"{TARGETS}.delimited.filled_part", lambda *given: REAL(*given[:-1], Part(given[-1].rows[::-1]))),
        (f"{TARGETS}.delimited.filled_part", lambda *given: REAL(*given[:-1], Part(given[-1].rows[:-1]))),
        (f"{TRANSFER}.import_files._sent", lambda ledger: {row: at for row, at in SENT(ledger).items() if row != 1}),
        (f"{TRANSFER}.import_files._Parts._columns", lambda _: [1, 4]),
        (f"{TRANSFER}.import_files._Parts._section", lambda *_: ""),
    ],
)
def test_a_slip_in_the_parts_is_seen(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, place: str, slip: object
) -> None:
    files = '"one a section"' if place.endswith("_section") else '"one"'
    rule(folder, 'add = "below"', 'rows = "sent"', "headings = false", f"files = {files}")
    monkeypatch.setattr(place, slip)
    assert skarvin("write").code in {3, 4}
    assert not list(folder.glob("form-*")), "nothing stays"


def test_a_list_may_be_a_workbook_with_a_title(folder: Path, skarvin: Skarvin) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["Day 2"], [], ["Place", "Login", "Name"], [1, "w-009", "Okoro, Chidi"], [2, "w-017", "Byrne, Aoife"]):
        sheet.append(row)
    book.save(folder / "day.xlsx")
    plan = folder / "transfer.toml"
    plan.write_text(plan.read_text(encoding="utf-8") + '\n[[list]]\nfile = "day.xlsx"\n', encoding="utf-8")
    rule(folder, 'rows = "listed"', 'order = "list"', 'columns = ["B", "E"]', "headings = false")
    edit(plan, 'to = "Lofting [20]"', 'to = ""')
    assert skarvin("write").code == 0
    assert written(folder) == ["w-009;9", "w-017;7", ""]
