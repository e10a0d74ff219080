"""Rows that are made below a form's headings: without these, in an order, with identifiers as the target has them."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, edit

EXPORT = """\
No,Name,Knots (out of 10)
w-017,Aoife Byrne,7
w-002,"Çelik, Yağmur",8.50
w-103,Bo Diallo,
w-009,Chidi Okoro,9
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_bytes(b"Learner id,Knots\r\n")
    return tmp_path


def written(folder: Path) -> str:
    return (folder / "form-import.csv").read_bytes().decode()


def test_two_columns_and_no_headings(folder: Path, skarvin: Skarvin) -> None:
    assert skarvin("draft", "export.csv", "form.csv", "--no-headings", "--to-out-of", "10").code == 0
    run = skarvin("write")
    assert (run.code, written(folder)) == (0, "w-017,7\r\nw-002,8.50\r\nw-009,9\r\n")
    assert "3 rows read again" in run.out
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    (file,) = ledger["target"]["import_files"]
    assert (file["rows"], file["columns"], ledger["target"]["rows_added"]) == ([2, 3, 4], None, 3)
    (folder / "form.csv").write_bytes(b"Learner id,Knots")  # a last row without a line end
    assert skarvin("write", "--replace").code == 0
    assert written(folder) == "w-017,7\nw-002,8.50\nw-009,9"


@pytest.mark.parametrize(
    ("rules", "rows"),
    [
        ('order = "family name"', ["w-017,7", "w-002,8.50", "w-009,9"]),
        ('order = "identifier"', ["w-002,8.50", "w-009,9", "w-017,7"]),
        ('identifiers = "bare"', ["017,7", "002,8.50", "009,9"]),
        (
            'identifiers = "bare"\nadd_prefix = "#"\nadd_suffix = "@tw"\nidentifier_width = 6',
            ["#000017@tw,7", "#000002@tw,8.50", "#000009@tw,9"],
        ),
    ],
)
def test_rows_are_written_as_the_target_has_them(folder: Path, skarvin: Skarvin, rules: str, rows: list[str]) -> None:
    assert skarvin("draft", "export.csv", "form.csv", "--to-out-of", "10").code == 0
    plan = folder / "transfer.toml"
    for rule in rules.splitlines():
        key = rule.partition(" ")[0]
        text = plan.read_text(encoding="utf-8")
        old = next(line for line in text.splitlines() if line.startswith(f"{key} = "))
        edit(plan, old, rule)
    edit(plan, 'ignore_prefix = ""', 'ignore_prefix = "w-"')
    assert skarvin("write").code == 0
    assert written(folder) == "\r\n".join(["Learner id,Knots", *rows, ""])


def test_a_crosswalk_gives_the_identifiers_and_who_is_not_on_it_is_held(folder: Path, skarvin: Skarvin) -> None:
    (folder / "ids.csv").write_text("Work,Registry\nw-017,R1\nw-009,R2\n", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--to-out-of", "10").code == 0
    plan = folder / "transfer.toml"
    plan.write_text(
        plan.read_text(encoding="utf-8") + '\n[[crosswalk]]\nfile = "ids.csv"\nfrom = "Work"\nto = "Registry"\n',
        encoding="utf-8",
    )
    edit(plan, "minimum_paired_percent = 50", "minimum_paired_percent = 0")
    assert skarvin("write").code == 1
    assert written(folder) == "Learner id,Knots\r\nR1,7\r\nR2,9\r\n"
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    held = [mark["row"] for mark in ledger["marks"]["list"] if mark["fate"] == "held"]
    assert held == [3]


def test_what_is_no_identifier_never_gets_into_the_file(folder: Path, skarvin: Skarvin) -> None:
    export = "No,Knots (out of 10)\n2.4E+11,7\n####,8\n00417,9\n2.5E+11,3\n"
    (folder / "export.csv").write_text(export, encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--to-out-of", "10").code == 0
    edit(folder / "transfer.toml", "minimum_paired_percent = 50", "minimum_paired_percent = 0")
    assert skarvin("write").code == 1
    assert written(folder) == "Learner id,Knots\r\n00417,9\r\n"


def test_rules_for_made_rows_are_refused_where_none_are_made(folder: Path, skarvin: Skarvin) -> None:
    (folder / "form.csv").write_text("Learner id,Knots\nw-017,\nw-002,\nw-103,\nw-009,\n", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--to-out-of", "10", "--no-headings").code == 0
    assert skarvin("write").code == 0
    assert written(folder) == "w-017,7\nw-002,8.50\nw-103,\nw-009,9\n"
    edit(folder / "transfer.toml", "headings = false", 'headings = false\nadd_prefix = "#"')
    run = skarvin("preview")
    assert (run.code, "no rows are made to which this could apply" in run.err) == (3, True)


def test_headings_cannot_be_left_out_of_a_workbook(folder: Path, skarvin: Skarvin) -> None:
    from workbooks import make_form  # noqa: PLC0415 - only here

    make_form(folder / "form.xlsx", [])
    assert skarvin("draft", "export.csv", "form.xlsx", "--no-headings").code == 0
    run = skarvin("write")
    assert (run.code, "rows, headings and columns can't be left out of a workbook" in run.err) == (3, True)
