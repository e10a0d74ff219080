"""Numbers as the target writes them, and files that say what they are."""

import os
from pathlib import Path

import pytest

from conftest import Skarvin, edit, lay_out

EXPORT = "No,Knots\n001,7\n002,7.50\n003,7.505\n004,\n"
FORM = "No;Knots\n001;\n002;\n003;\n004;\n"
ITEM = '[[item]]\nfrom = "Knots"\nto = "Knots"\n'


@pytest.mark.parametrize(
    ("rules", "written"),
    [
        ("", ["7", "7.50", "7.51", ""]),
        ('to_zeros = "fill"', ["7.00", "7.50", "7.51", ""]),
        ('to_zeros = "strip"', ["7", "7.5", "7.51", ""]),
        ('to_zeros = "fill"\nto_decimal_sign = ","', ["7,00", "7,50", "7,51", ""]),
        ("to_width = 5", ["00007", "07.50", "07.51", ""]),
        ('to_zeros = "fill"\nto_width = 6\nto_behind = " p"', ["007.00 p", "007.50 p", "007.51 p", ""]),
        ('to_zeros = "fill"\nblank = "zero"', ["7.00", "7.50", "7.51", "0.00"]),
        ('to_zeros = "fill"\ndecimals = 0', ["7", "8", "8", ""]),
    ],
)
def test_numbers_are_written_as_the_target_writes_them(
    tmp_path: Path, skarvin: Skarvin, rules: str, written: list[str]
) -> None:
    lay_out(tmp_path, EXPORT, FORM, f"[marks]\n{rules}\n{ITEM}")
    assert skarvin("write").code == 0
    lines = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()
    assert [line.partition(";")[2] for line in lines[1:]] == written
    edit(tmp_path / "transfer.toml", '"form.csv"', '"form-import.csv"')
    assert "Nothing new is sent" in skarvin("preview").out


def test_decimals_that_the_targets_marks_have_are_drafted(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Knots (out of 10)\n001,7\n002,9.25\n003,8\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("No;Knots [10]\n001;7.50\n002;8.00\n003;\n", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code == 0
    assert (tmp_path / "form-import.csv").read_text(encoding="utf-8") == "No;Knots [10]\n001;7.00\n002;9.25\n003;8.00\n"


def test_the_folder_for_new_files_is_made_and_only_if_something_comes_of_it(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, EXPORT, FORM, ITEM)
    made = tmp_path / "out" / "spring"
    assert skarvin("write", "--into", made).code == 0
    assert sorted(path.name for path in made.iterdir()) == [
        "form-import.csv",
        "form-restore.csv",
        "ledger.json",
        "report.html",
    ]
    assert os.name == "nt" or (made.stat().st_mode & 0o77) == 0
    edit(tmp_path / "transfer.toml", '"form.csv"', '"gone.csv"')
    assert skarvin("write", "--into", tmp_path / "other").code == 3
    assert not (tmp_path / "other").exists()
    (tmp_path / "file").write_text("x")
    edit(tmp_path / "transfer.toml", '"gone.csv"', '"form.csv"')
    refused = skarvin("write", "--into", tmp_path / "file" / "below")
    assert (refused.code, "can't be written" in refused.err) == (4, True)


def test_a_folder_that_was_made_goes_again_when_the_write_is_refused(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    lay_out(tmp_path, EXPORT, FORM, ITEM)
    monkeypatch.setattr("skarvin.core.targets.delimited.filled", lambda *_: [b"something else"])
    assert skarvin("write", "--into", tmp_path / "new" / "er").code == 4
    assert not (tmp_path / "new").exists()


def test_names_of_files_do_not_pile_up(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, EXPORT, FORM, ITEM)
    assert skarvin("write").code == 0
    (tmp_path / "export.csv").write_text(EXPORT.replace("001,7", "001,8"), encoding="utf-8")
    edit(tmp_path / "transfer.toml", '"form.csv"', '"form-import.csv"')
    assert skarvin("write", "--replace").code == 0
    assert (tmp_path / "form-import-2.csv").read_text(encoding="utf-8").startswith("No;Knots\n001;8\n")
    assert (tmp_path / "form-restore.csv").read_text(encoding="utf-8") == FORM
    assert (tmp_path / "form-restore-2.csv").read_bytes() == (tmp_path / "form-import.csv").read_bytes()
    edit(tmp_path / "transfer.toml", '"form-import.csv"', '"form-restore-2.csv"')
    assert "form-import-3.csv" in skarvin("write", "--replace").out
