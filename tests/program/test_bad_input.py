"""Bad input: one clear message with its place and its exit code; nothing is half-written and no input changes."""

import errno
import os
from pathlib import Path

import pytest

from conftest import Skarvin, edit


def contents(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()}


BAD_FILES = {
    "empty": (b"", "the file is empty"),
    "binary": (b"No,Knots\n\x00\x01\x02,3\n", "line 2: 1 NUL character"),
    "picture": (b"\x89PNG\r\n\x1a\n\0\0", "this is a picture (PNG), whatever its name says"),
    "PDF": (b"%PDF-1.7\n", "this is a PDF document"),
    "archive": (b"PK\x03\x04broken", "this workbook is damaged"),
    "page": (b"<html><body>No marks here</body></html>", "this is a page without a table"),
    "too wide": (b"No" + b",1" * 20_000 + b"\n1\n", "row 1: a row has 20,001 cells"),
    "cut": (b'No,Knots\n1,2\n2,"3', "row 3, column B: a quotation mark opens here and never closes"),
    "cut-row": (b"No,Knots,Loft\n1,2,3\n2,3", "row 3: this row has 2 cells and is the last one; the headings have 3"),
    "ragged": (b"No,Knots\n1,2,3\n2,3\n", "row 2: this row has 3 cells; the headings have 2"),
    "no-identifier": (b"Knots,Lofting\n1,2\n1,3\n", "identifies its students"),
    "endless": (b'No,Knots\n1,"' + b"x" * 200_000 + b'"\n', "row 2: a cell in this row is longer than"),
}


@pytest.mark.parametrize("side", ["export.csv", "form.csv"])
@pytest.mark.parametrize("bad", BAD_FILES)
def test_a_file_that_cannot_be_used_is_told_with_its_place(
    class_files: Path, skarvin: Skarvin, side: str, bad: str
) -> None:
    data, says = BAD_FILES[bad]
    (class_files / side).write_bytes(data)
    before = contents(class_files)
    done = skarvin("draft", "export.csv", "form.csv")
    assert (done.code, contents(class_files)) == (3, before)
    assert f"error: {side}" in done.err
    assert says in done.err


@pytest.mark.parametrize("bad", BAD_FILES)
def test_a_file_that_went_bad_after_the_draft_stops_a_write(drafted: Path, skarvin: Skarvin, bad: str) -> None:
    (drafted / "export.csv").write_bytes(BAD_FILES[bad][0])
    before = contents(drafted)
    done = skarvin("write")
    assert (done.code in {3, 4}, contents(drafted)) == (True, before)
    assert done.err.startswith("error: ")


def test_missing_files_and_folders_are_told(tmp_path: Path, skarvin: Skarvin) -> None:
    assert "there is no such file" in skarvin("look", "gone.csv").err
    (tmp_path / "empty").mkdir()
    assert "there are no files in this folder" in skarvin("look", "empty").err
    (tmp_path / "export.csv").write_text("No,Knots\nw-1,7\n", encoding="utf-8")
    (tmp_path / "forms").mkdir()
    (tmp_path / "forms" / "form_w-17.csv").touch()
    assert "form_w-17.csv: the file is empty" in skarvin("draft", "export.csv", "forms").err
    missing = skarvin("preview")
    assert (missing.code, "skarvin draft" in missing.err) == (3, True)


BAD_PLANS = {
    "unknown key": ("[marks]", "[marks]\ndecimls = 1", 3, "no key 'decimls' in [marks]. Did you mean 'decimals'?"),
    "unknown table": ("[marks]", "[mark]", 3, "no key 'mark'. Did you mean 'marks'?"),
    "no such column": ('to = "Knots [10]"', 'to = "Knot [10]"', 3, "did you mean 'Knots [10]'?"),
    "double use": ('to = "Lofting [15]"', 'to = "Knots [10]"', 3, "'Knots [10]' is used twice: also in line"),
    "onto identifier": ('to = "Knots [10]"', 'to = "Registry no"', 3, "identifies students, and holds no marks"),
    "onto name": ('to = "Knots [10]"', 'to = "Name"', 3, "identifies students, and holds no marks"),
    "wrong type": ("decimals = 2", 'decimals = "two"', 3, "'decimals' should be a whole number, and is text in quotes"),
    "wrong choice": ('blank = "leave"', 'blank = "skip"', 3, '"clear", "code", "hold", "leave", "zero"'),
    "no maximum": ("from_out_of = 100", "from_out_of = 0", 3, "0 can't be a maximum"),
    "text maximum": ("from_out_of = 100", 'from_out_of = "a lot"', 3, "from_out_of"),
    "missing key": ('identifier = "Learner no"', "", 3, "the key 'identifier' is missing in [source]"),
    "no TOML": ('blank = "leave"', "blank = leave", 3, "this line can't be read"),
    "open": ('to = "Knots [10]"', 'to = "?"', 4, "has a question to answer: to ="),
    "wrong class": ('identifier = "Registry no"', 'identifier = "Name"', 4, "0 of 3 students are paired"),
    "missing file": ('file = "form.csv"', 'file = "from.csv"', 3, "from.csv: there is no such file"),
}


@pytest.mark.parametrize("bad", BAD_PLANS)
def test_a_plan_that_cannot_be_meant_is_told_with_its_line_and_mend(drafted: Path, skarvin: Skarvin, bad: str) -> None:
    old, new, code, says = BAD_PLANS[bad]
    edit(drafted / "transfer.toml", old, new)
    before = contents(drafted)
    done = skarvin("write")
    assert (done.code, contents(drafted)) == (code, before)
    assert says in done.err
    lines = (drafted / "transfer.toml").read_text(encoding="utf-8").splitlines()
    wrong = [number for number, line in enumerate(lines, 1) if new and line.startswith(new.splitlines()[-1])]
    if "transfer.toml, line" in done.err and wrong:
        assert any(f"transfer.toml, line {number}" in done.err for number in wrong)


def test_an_identifier_twice_is_held_and_the_others_move(drafted: Path, skarvin: Skarvin) -> None:
    edit(drafted / "export.csv", "0012,", "007,")
    edit(drafted / "transfer.toml", "minimum_paired_percent = 50", "minimum_paired_percent = 10")
    done = skarvin("preview")
    assert (done.code, "duplicate identifier (also row 3" in done.out) == (1, True)


def test_a_heading_twice_is_named_by_its_letter(class_files: Path, skarvin: Skarvin) -> None:
    edit(class_files / "export.csv", "Knots (out of 10),Lofting (out of 100)", "Quiz (out of 10),Quiz (out of 10)")
    skarvin("draft", "export.csv", "form.csv")
    text = (class_files / "transfer.toml").read_text(encoding="utf-8")
    assert ('from = "C"' in text, 'from = "D"' in text) == (True, True)
    edit(class_files / "transfer.toml", 'from = "C"', 'from = "Quiz (out of 10)"')
    assert "is used in columns C and D" in skarvin("preview").err


def test_nothing_is_written_onto_an_input(drafted: Path, skarvin: Skarvin) -> None:
    (drafted / "form.csv").rename(drafted / "ledger.json")
    edit(drafted / "transfer.toml", 'file = "form.csv"', 'file = "ledger.json"')
    before = contents(drafted)
    done = skarvin("write", "--replace")
    assert (done.code, "is never written to" in done.err, contents(drafted)) == (4, True, before)


def test_a_folder_that_cannot_be_written_is_told(drafted: Path, skarvin: Skarvin) -> None:
    before = contents(drafted)
    done = skarvin("write", "--into", drafted / "export.csv" / "below")
    assert (done.code, "can't be written" in done.err, contents(drafted)) == (4, True, before)


@pytest.mark.parametrize("moment", [1, 2, 3, 4])
def test_a_disk_that_fills_up_leaves_nothing_behind(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, moment: int
) -> None:
    before, calls = contents(drafted), 0

    def full(_: int) -> None:
        nonlocal calls
        calls += 1
        if calls == moment:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(os, "fsync", full)
    done = skarvin("write")
    assert (done.code, "no space left" in done.err, contents(drafted)) == (4, True, before)


def test_a_written_file_that_is_not_what_the_ledger_says_is_withdrawn(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = contents(drafted)
    monkeypatch.setattr(
        "skarvin.core.targets.delimited.filled", lambda grid, *_: [grid.file.read_bytes().replace(b"8.0", b"9.0")]
    )
    done = skarvin("write")
    assert (done.code, "was withdrawn" in done.err, contents(drafted)) == (4, True, before)


def test_a_fault_of_the_program_shows_nothing_of_the_data(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object) -> None:
        raise RuntimeError("Tanaka, Hiroshi")

    monkeypatch.setattr("skarvin.core.transfer.settling.settle", fail)
    done = skarvin("preview")
    assert (done.code, "Tanaka" in done.err, "RuntimeError" in done.err) == (70, False, True)
    assert drafted.exists()


def test_a_last_row_of_one_cell_is_a_line_of_text(class_files: Path, skarvin: Skarvin) -> None:
    with (class_files / "export.csv").open("a", encoding="utf-8") as file:
        file.write("0099")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code in {0, 1}


def test_an_export_without_students_is_told(class_files: Path, skarvin: Skarvin) -> None:
    (class_files / "export.csv").write_bytes(b"No,Knots\n")
    run = skarvin("draft", "export.csv", "form.csv")
    assert (run.code, "the export has no students" in run.err) == (3, True)
