"""The shapes that exports come in, each with its truth beside it, read through the built program."""

import csv
import io
import json
import sys
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, edit

WHO = ("student number", "full name")
Truth = dict[str, object]
SHAPES: dict[str, tuple[str, Truth]] = {
    "title lines": (
        "Tidewrack School of Boatbuilding\nAutumn term\n\nNo,Name,Knots,Lofting\n001,Kim,7,8\n002,Diallo,,9\n",
        {"students": 2, "heading_rows": [4], "items": ["C", "D"], "lines": [1, 2]},
    ),
    "a heading over several columns": (
        "No,Name,Autumn,,Spring,\n,,Knots,Lofting,Knots,Lofting\n001,Kim,1,2,3,4\n002,Diallo,1,2,3,4\n",
        {"students": 2, "titles": ["Autumn Knots", "Autumn Lofting", "Spring Knots", "Spring Lofting"]},
    ),
    "a group row above the headings": (
        ",,Autumn,,Spring\nNo,Name,Knots,Lofting,Knots\n001,Kim,1,2,3\n002,Diallo,1,2,3\n",
        {"students": 2, "heading_rows": [1, 2], "titles": ["Autumn Knots", "Autumn Lofting", "Spring Knots"]},
    ),
    "three heading rows": (
        ",,2026,\n,,Autumn,\nNo,Name,Knots,Lofting\n001,Kim,1,2\n002,Diallo,1,2\n",
        {"students": 2},
    ),
    "maxima in a row of their own": (
        "No,Name,Knots,Lofting\n,out of,10,15\n001,Kim,7,8\n002,Diallo,,9\n",
        {"students": 2, "maxima_row": 2, "out_of": ["10", "15"]},
    ),
    "maxima without a word": (
        "No,Name,Knots,Lofting\n,,10,15\n001,Kim,7,8\n002,Diallo,,9\n",
        {"students": 2, "maxima_row": 2, "out_of": ["10", "15"]},
    ),
    "averages and a signature at the end": (
        "No,Name,Knots\n001,Kim,7\n002,Diallo,9\n\n,Class average,8\n,Highest,9\nSigned: the master boatbuilder,,\n",
        {"students": 2, "struck": [(5, "summary"), (6, "summary")], "lines": [7]},
    ),
    "practice students and nobody": (
        'No,Name,Knots\n001,Kim,7\n999,"Student, Practice",10\n,,5\n',
        {"students": 1, "struck": [(3, "practice"), (4, "nobody")]},
    ),
    "several class lists one below the other": (
        "Keel,,\nNo,Name,Knots\n001,Kim,7\n002,Diallo,8\n\nMast,,\nNo,Name,Knots\n003,Reyes,9\n",
        {"students": 3, "sections": {"Keel": 2, "Mast": 1}, "lines": [1, 6, 7]},
    ),
    "class lists with group rows and maxima each": (
        "Keel,,\n,,Autumn\nNo,Name,Knots\n,out of,10\n001,Kim,7\n\n"
        "Mast,,\n,,Autumn\nNo,Name,Knots\n,out of,10\n003,Reyes,9\n",
        {"students": 2, "sections": {"Keel": 1, "Mast": 1}, "lines": [1, 7, 8, 9, 10], "struck": [], "out_of": ["10"]},
    ),
    "students called Max and Min": (
        'No,Name,Knots\n001,"Kim, Max",7\n,"Kim, Min-jun",8\n,"Sum, Sophea",9\n,Max,10\n,"Highest mark",10\n',
        {"students": 3, "maxima_row": None, "struck": [(5, "summary"), (6, "summary")]},
    ),
    "a class list without a title of its own": (
        "Keel,,\nNo,Name,Knots\n001,Kim,7\n\nMast,,\nNo,Name,Knots\n003,Reyes,9\n\nNo,Name,Knots\n004,Diallo,9\n",
        {"students": 3, "sections": {"Keel": 1, "Mast": 1}, "lines": [1, 5, 6, 9]},
    ),
    "keys and maxima in headings": (
        "No,Name,Knots (104233) [10],[K-17] Lofting (out of 15),Ropes {55012},Sails: 20 pts\n"
        "1,Kim,7,8,9,10\n2,Diallo,7,8,9,10\n",
        {
            "titles": ["Knots", "Lofting", "Ropes", "Sails"],
            "keys": ["104233", "K-17", "55012", None],
            "out_of": ["10", "15", None, "20"],
        },
    ),
    "comments, totals, housekeeping, what doesn't count": (
        "No,Name,Knots,Knots comment,Warm-up (not counted),Total,Last access,Department,Campus\n"
        "1,Kim,7,well tied,1,8,June,Yard,North\n2,Diallo,8,,2,10,May,Yard,North\n3,Reyes,9,,2,11,May,Yard,North\n",
        {
            "uses": [*WHO, "item", "comment", "item", "total", "system data", "system data", "other"],
            "counts": [True, False],
        },
    ),
    "answers with their results between them": (
        "No,Name,Answer 1,Points 1,Answer 2,Points 2,Score\n1,Kim,B) oak,1,A) ash,0,1\n2,Diallo,A) ash,0,A) ash,0,0\n",
        {"uses": [*WHO, "answer", "result of an answer", "answer", "result of an answer", "item"]},
    ),
    "family and given, birth date, username, e-mail": (
        "Login,Family name,Given name,Date of birth,E-mail,Class,Knots\nkim,Kim,Min-jun,1.2.2008,k@example.org,Keel,7\n"
        "dia,Diallo,Fatoumata,3.4.2008,d@example.org,Keel,8\n",
        {"uses": ["username", "family name", "given name", "birth date", "e-mail", "section", "item"], "students": 2},
    ),
    "blank columns and rows": (
        ",No,,Name,Knots\n,001,,Kim,7\n,,,,\n,002,,Diallo,8\n",
        {"students": 2, "items": ["E"]},
    ),
    "a sign before each identifier": (
        "No,Name,Knots\n#001,Kim,7\n#002,Diallo,8\n",
        {"students": 2, "because": "heading contains 'no'; every cell is another code; each begins with '#'"},
    ),
}  # fmt: skip


def as_csv(folder: Path, text: str) -> Path:
    (folder / "shape.csv").write_text(text, encoding="utf-8")
    return folder / "shape.csv"


def as_xlsx(folder: Path, text: str) -> Path:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    rows = list(csv.reader(io.StringIO(text)))
    for row in rows:
        sheet.append([cell or None for cell in row])
    book.save(folder / "shape.xlsx")
    return folder / "shape.xlsx"


@pytest.mark.parametrize("lay_out", [as_csv, as_xlsx])
@pytest.mark.parametrize("shape", SHAPES)
def test_a_shape_is_understood(
    tmp_path: Path, skarvin: Skarvin, shape: str, lay_out: Callable[[Path, str], Path]
) -> None:
    text, truth = SHAPES[shape]
    data = json.loads(skarvin("look", lay_out(tmp_path, text), "--json").out)
    items = [column for column in data["columns"] if column["taken_for"] == "item"]
    found = {
        "students": data["students"],
        "heading_rows": data["heading_rows"],
        "maxima_row": data["maxima_row"],
        "sections": data["sections"],
        "lines": data["lines"],
        "struck": [(one["row"], one["slug"]) for one in data["no_students"]],
        "items": [item["column"] for item in items],
        "titles": [item["title"] for item in items],
        "keys": [item["key"] for item in items],
        "out_of": [item["out_of"] for item in items],
        "counts": [item["counts"] for item in items],
        "uses": [column["taken_for"] for column in data["columns"]],
        "because": data["columns"][0]["because"],
    }
    assert {key: found[key] for key in truth} == truth


def test_a_messy_workbook_moves_its_marks(tmp_path: Path, skarvin: Skarvin) -> None:
    text = "Tidewrack,,\nNo,Name,Knots (104233)\n,out of,10\n#001,Kim,7\n#002,Diallo,8\n,Class average,7.5\n"
    as_xlsx(tmp_path, text)
    (tmp_path / "form.csv").write_text("Registry no;Name;Knots [20]\n001;Kim;\n002;Diallo;\n")
    assert skarvin("draft", "shape.xlsx", "form.csv").code == 0
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert 'ignore_prefix = "#"' in plan
    done = skarvin("write", "--json")
    assert (done.code, json.loads(done.out)["fates"]["left out"]) == (0, 1)
    assert (tmp_path / "form-import.csv").read_text().splitlines()[1:] == ["001;Kim;14", "002;Diallo;16"]


def test_a_column_is_named_by_the_systems_key(drafted: Path, skarvin: Skarvin) -> None:
    edit(drafted / "export.csv", "Knots (out of 10)", "Knots (104233)")
    edit(drafted / "transfer.toml", 'from = "Knots (out of 10)"', 'from = "104233"')
    assert skarvin("preview").code == 1


DAMAGE = {
    "scientific": ("No,Name,Knots\n1.2E+11,Kim,7\n120000000002,Diallo,8\n", "A"),
    "rounded": ("No,Name,Knots\n12345678901234560,Kim,7\n12345678901234570,Diallo,8\n", "A"),
    "zeros-lost": ("No,Name,Knots\n12345,Kim,7\n54321,Diallo,8\n987,Reyes,8\n", "A"),
    "point-zero": ("No,Name,Knots\n104.0,Kim,7\n105.0,Diallo,8\n", "A"),
    "unseen": ("No,Name,Knots\n10\u200b4,Kim,7\n105,Diallo,8\n", "A"),
    "mark-day": ("No,Name,Knots\n104,Kim,7\n105,Diallo,04-Mar\n106,Reyes,8\n", "C"),
    "curly": ("No,Name,Knots\n104,D’Angelo,7\n105,Diallo,8\n", "B"),
    "mangled": ("No,Name,Knots\n104,MÃ¼ller,7\n105,Diallo,8\n", "B"),
    "cut": ("No,Name,Notes,Knots\n104,Kim," + "x" * 255 + ",7\n105,Diallo,,8\n", "C"),
}


@pytest.mark.parametrize("damage", DAMAGE)
def test_damage_is_named_with_its_place(tmp_path: Path, skarvin: Skarvin, damage: str) -> None:
    text, column = DAMAGE[damage]
    data = json.loads(skarvin("look", as_csv(tmp_path, text), "--json").out)
    assert (damage, column) in [(one["slug"], one["place"].get("column")) for one in data["oddities"]]


def test_what_is_certain_is_restored_and_counted_and_the_rest_is_held(tmp_path: Path, skarvin: Skarvin) -> None:
    as_csv(tmp_path, "No,Name,Knots\n104.0,Kim,7\n10\u200b5,Diallo,8\n1.1E+11,Reyes,9\n106,MÃ¼ller,2026-03-04\n")
    (tmp_path / "form.csv").write_text(
        "No;Name;Knots\n104;Kim;\n105;Diallo;\n106;Müller;\n107;Reyes;\n", encoding="utf-8"
    )
    skarvin("draft", "shape.csv", "form.csv")
    assert "mend_mangled = true" in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    data = json.loads(skarvin("preview", "--json").out)
    assert data["students"]["restored"] == {"a trailing .0 removed": 1, "invisible characters removed": 1}
    assert data["fates"] == {"sent": 2, "changed": 0, "same": 0, "kept": 0, "held": 2, "left out": 0}
    assert "Müller" in skarvin("preview").out


def test_two_files_are_compared_and_a_column_sorted_alone_is_seen(tmp_path: Path, skarvin: Skarvin) -> None:
    as_csv(tmp_path, "No,Name,Knots\n104,Kim,7\n105,Diallo,8\n106,Reyes,9\n")
    (tmp_path / "later.csv").write_text("Name,No,Knots\nKim,104,7\nReyes,105,8\nDiallo,106,9\n")
    both = json.loads(skarvin("look", "shape.csv", "later.csv", "--json").out)[2]["both"]
    assert both["students"] == {"both": 3, "only_first": 0, "only_second": 0}
    assert both["other_names"] == [[3, 3], [4, 4]]
    assert "sorted without its neighbours" in " ".join(skarvin("look", "shape.csv", "later.csv").out.split())


def test_a_masked_look_shows_no_identity_and_always_the_same_codes(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    as_csv(tmp_path, 'No,Name,Knots\n104,MÃ¼ller,7\n105,"Student, Practice",8\n106,Reyes,9\n')
    masked = skarvin("look", "shape.csv", "--mask")
    assert not [name for name in ("104", "ller", "Practice", "Reyes") if name in masked.out]
    assert masked.out == skarvin("look", "shape.csv", "--mask").out


def test_cells_can_be_piped_in(skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(b"No\tName\tKnots\n1\tKim\t7\n2\tDiallo\t8\n")))
    data = json.loads(skarvin("look", "-", "--json").out)
    assert (data["delimiter"], data["students"]) == ("tab", 2)


def test_a_person_says_how_a_file_is_read(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "x.csv").write_bytes("No;Name;A,B\n1;J\xf6rg;7\n".encode("latin-1"))
    assert json.loads(skarvin("look", "x.csv", "--json", "--encoding", "mac-roman").out)["columns"][1]["examples"] == [
        "Jˆrg"
    ]
    assert skarvin("look", "x.csv", "--encoding", "klingon").code == 3
    assert len(json.loads(skarvin("look", "x.csv", "--json", "--delimiter", "comma").out)["columns"]) == 2
    assert skarvin("look", "x.csv", "--delimiter", "dash").code == 3


@pytest.fixture
def learned(drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(drafted / "config"))
    assert (
        skarvin(
            "layout", "learn", "export.csv", "--name", "workshop", "--use", "Name=other", "--use", "Name=full name"
        ).code
        == 0
    )
    edit(drafted / "transfer.toml", "[source]\n", '[source]\nlayout = "workshop"\n')
    return drafted


def test_a_layout_is_learned_listed_shown_and_fits(learned: Path, skarvin: Skarvin) -> None:
    listed = json.loads(skarvin("layout", "list", "--json").out)
    assert [(one["name"], one["where"]) for one in listed] == [("workshop", "library")]
    shown = json.loads(skarvin("layout", "show", "workshop", "--json").out)["columns"]
    assert [(one["column"], one["use"], one["out_of"]) for one in shown][1:3] == [
        ("B", "full name", None),
        ("C", "item", "10"),
    ]
    assert (
        skarvin("layout", "check", "export.csv", "--name", "workshop").out == "export.csv fits the layout 'workshop'.\n"
    )
    assert skarvin("preview").code == 1
    assert learned.exists()


def test_a_file_that_departs_goes_on_only_where_its_meaning_is_certain(learned: Path, skarvin: Skarvin) -> None:
    lines = (
        (learned / "export.csv")
        .read_text(encoding="utf-8")
        .replace('"Ó Murchú, Síle"', "Síle")
        .replace('"', "")
        .splitlines()
    )
    cells = [line.replace(", ", " ").split(",") for line in lines]
    moved = [[row[0], row[1], row[3], row[2], "x"] for row in cells]
    moved[0][4] = "Seen"
    (learned / "export.csv").write_text("\n".join(map(",".join, moved)), encoding="utf-8")
    check = skarvin("layout", "check", "export.csv", "--name", "workshop", "--json")
    slugs = [(one["slug"], one["certain"]) for one in json.loads(check.out)["departures"]]
    assert (check.code, slugs) == (0, [("moved", True), ("moved", True), ("new", True)])
    assert "moved from D to C" in skarvin("preview").out
    edit(learned / "export.csv", "Knots (out of 10)", "Knots (of 10)")
    refused = skarvin("preview")
    assert (refused.code, "renamed" in refused.err, "is missing" in refused.err) == (4, True, True)
    assert skarvin("layout", "check", "export.csv", "--name", "workshop").code == 1


def test_a_layout_that_is_none_is_told(tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    as_csv(tmp_path, "No,Name,Knots\n104,Kim,7\n")
    assert skarvin("layout", "show", "nothing").code == 3
    assert skarvin("layout", "learn", "shape.csv", "--name", "../up", "--here").code == 2
    assert skarvin("layout", "learn", "shape.csv", "--name", "x", "--use", "Knots=fish").code == 2
    assert skarvin("layout", "learn", "shape.csv", "--name", "x", "--use", "Knits=item").code == 2
    (tmp_path / "bad.layout.toml").write_text('version = 1\n[[column]]\nheading = "A"\ncolumn = "A"\nuse = "fish"\n')
    assert "'fish'" in skarvin("layout", "show", "bad").err
