"""Held marks corrected in a list, and the report as a workbook."""

import csv
import json
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, edit, lay_out

RULES = """[[item]]
from = "C"
to = "C"
from_out_of = 10
to_out_of = 10
[[item]]
from = "D"
to = "D"
from_out_of = 10
to_out_of = 10
[categories]
both = ["C", "D"]
[[total]]
name = "Sum"
formula = "sum of both"
out_of = 20
[[item]]
from = "Sum"
to = "E"
"""
EXPORT = (
    'Id,Name,Knots,Rope\n0007,"Yılmaz, Ece",1O,5\n0008,"Braun, Kai",6,14\n'
    '0009,"Nagy, Lili",=1+1,7\n0099,"Ode, Gone",8,8\n'
)
FORM = 'Id,Name,Knots,Rope,Sum\n0007,"Yılmaz, Ece",,,\n0008,"Braun, Kai",,,\n0009,"Nagy, Lili",,,\n'


@pytest.fixture
def written(tmp_path: Path, skarvin: Skarvin) -> Path:
    lay_out(tmp_path, EXPORT, FORM, RULES)
    assert skarvin("write").code == 1
    return tmp_path


def held_of(folder: Path) -> list[dict[str, str]]:
    with (folder / "held.csv").open(encoding="utf-8-sig", newline="") as lines:
        return list(csv.DictReader(lines))


def fill_in(folder: Path, sign: str = ";", encoding: str = "cp1254", **corrections: str) -> None:
    """Save the list as a spreadsheet does that takes zeros in front away."""
    rows = held_of(folder)
    for row in rows:
        if text := corrections.get(row["Cell"]):
            row |= {"By": "M. Sá", "Why": "letter O; seen on paper", "Correction": text}
        row["Identifier"] = row["Identifier"].lstrip("0")
    with (folder / "held.csv").open("w", encoding=encoding, newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]), delimiter=sign)
        writer.writeheader()
        writer.writerows(rows)


def test_the_list_has_what_a_correction_can_help_and_no_cell_of_it_runs(written: Path) -> None:
    rows = held_of(written)
    assert [(row["Cell"], row["Identifier"], row["Mark"]) for row in rows] == [
        ("row 5", "0099", ""),
        ("C2", "0007", "1O"),
        ("D3", "0008", "14"),
        ("C4", "0009", "'=1+1"),
    ]
    assert list(rows[0])[-1] == "Correction"
    assert (written / "held.csv").stat().st_mode & 0o077 == 0


def test_corrections_are_applied_at_the_next_write_in_totals_too_and_stand_in_the_ledger(
    written: Path, skarvin: Skarvin
) -> None:
    fill_in(written, C2="10", C4="2", encoding="utf-8-sig")
    preview = " ".join(skarvin("preview").out.split())
    assert "Corrected: 2 marks" in preview
    assert "Yılmaz, Ece Knots C2 1O 10 M. Sá letter O; seen on paper" in preview
    assert skarvin("write", "--into", "second").code == 1
    with (written / "second" / "form-import.csv").open(encoding="utf-8", newline="") as lines:
        rows = list(csv.reader(lines))[1:]
    assert [row[2:] for row in rows] == [["10", "5", "15"], ["6", "", ""], ["2", "7", "9"]]
    ledger = json.loads((written / "second" / "ledger.json").read_bytes())
    corrected = [mark for mark in ledger["marks"]["list"] if "correction" in mark]
    assert [(mark["mark"], mark["now"], mark["correction"]) for mark in corrected] == [
        ("1O", "10", {"text": "10", "by": "M. Sá", "why": "letter O; seen on paper"}),
        ("=1+1", "2", {"text": "2", "by": "M. Sá", "why": "letter O; seen on paper"}),
    ]
    assert "seen on paper" in (written / "second" / "report.html").read_text(encoding="utf-8")
    assert {row["Cell"]: row["Correction"] for row in held_of(written)} == {
        "row 5": "",
        "D3": "",
        "C2": "10",
        "C4": "2",
    }
    assert skarvin("write", "--into", "third").code == 1  # a correction lasts
    with (written / "third" / "form-import.csv").open(encoding="utf-8", newline="") as lines:
        assert next(row for row in csv.reader(lines) if row[0] == "0007")[2] == "10"


def test_a_correction_that_says_neither_who_nor_why_is_refused_with_the_cell(written: Path, skarvin: Skarvin) -> None:
    fill_in(written, encoding="utf-8", C2="10")
    edit(written / "held.csv", "letter O; seen on paper", "")
    run = skarvin("preview")
    assert run.code == 3
    assert "held.csv, row 3, column G 'By': a correction needs who made it and why" in run.err
    (written / "held.csv").write_text("Cell;Mark\nC2;9\n", encoding="utf-8")
    run = skarvin("write", "--into", "second")
    assert run.code == 3
    assert "this isn't a list of held marks" in run.err
    (written / "held.csv").unlink()  # the way on
    assert skarvin("write", "--into", "second").code == 1


def test_a_correction_of_a_mark_that_the_export_no_longer_has_is_not_used_and_told(
    written: Path, skarvin: Skarvin
) -> None:
    fill_in(written, encoding="utf-8", C2="10")
    edit(written / "export.csv", "1O", "9")
    said = " ".join(skarvin("preview").out.split())
    assert "the export no longer has the mark '1O' in 'Knots' for this student" in said
    assert skarvin("write", "--into", "second").code == 1
    with (written / "second" / "form-import.csv").open(encoding="utf-8", newline="") as lines:
        assert next(row for row in csv.reader(lines) if row[0] == "0007")[2] == "9"


def test_a_correction_that_is_no_mark_either_stays_held(written: Path, skarvin: Skarvin) -> None:
    fill_in(written, encoding="utf-8", C2="ten")
    marks = json.loads(skarvin("preview", "--json").out)["marks"]["list"]
    assert [mark["fate"] for mark in marks if (mark["row"], mark["column"]) == (2, "C")] == ["held"]


def test_the_workbook_says_the_same_and_no_text_of_it_runs(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, EXPORT, FORM.replace('Kai",,,', 'Kai",5,,'), RULES)
    assert skarvin("write", "--workbook").code == 1
    file = tmp_path / "report.xlsx"
    assert file.stat().st_mode & 0o077 == 0
    book = openpyxl.load_workbook(file)
    assert book.sheetnames == ["Verdict", "Items", "Held", "Changed", "Students"]
    for sheet in book:
        assert sheet.freeze_panes == "A2"
        assert sheet.auto_filter.ref
        assert not [cell for row in sheet.iter_rows() for cell in row if cell.data_type == "f"]
    verdict = [row[1] for row in book["Verdict"].iter_rows(min_row=2, values_only=True)]
    assert verdict[0] == json.loads((tmp_path / "ledger.json").read_bytes())["verdict"]
    held = list(book["Held"].iter_rows(min_row=2, values_only=True))
    assert ("C4", "0009", "Nagy, Lili", "Knots", "=1+1") in [row[:5] for row in held]
    assert [row[4:8] for row in book["Changed"].iter_rows(min_row=2, values_only=True)] == [("6", None, "5", "6")]
    students = {row[2]: row[5:] for row in book["Students"].iter_rows(min_row=2, values_only=True)}
    assert students["0008"] == ("6", "(held)", "(held)")
    items = next(book["Items"].iter_rows(min_row=2, values_only=True))
    assert items[0] == "Knots"
    assert items[9] == 4
    assert not (tmp_path / "held.xlsx").exists()


def test_without_being_asked_for_no_workbook_is_written_and_no_list_where_nothing_is_held(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(tmp_path, "Id,Name,Knots,Rope\n1,A B,5,5\n", "Id,Name,Knots,Rope,Sum\n1,A B,,,\n", RULES)
    assert skarvin("write").code == 0
    assert not list(tmp_path.glob("*.xlsx"))
    assert not (tmp_path / "held.csv").exists()
