"""One export, several forms: each student goes to the form that lists them, and the others are told once for all."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin

EXPORT = "No,Name,Class,Hull\n" + "".join(
    f"w-1{n},{name},{section},{mark}\n"
    for n, (name, section, mark) in enumerate(
        [("Ana Sato", "A", 7), ("Rui Nair", "A", 8), ("Zoe Abara", "B", 9), ("Ole Ek", "B", 6), ("Lin Wu", "C", 5)], 1
    )
)


@pytest.fixture
def forms(tmp_path: Path) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT)
    (tmp_path / "forms").mkdir()
    for name, numbers in {"a": (1, 2), "b": (3, 4, 2)}.items():
        rows = "".join(f"w-1{n};\n" for n in numbers)
        (tmp_path / "forms" / f"{name}.csv").write_text(f"No;Hull\n{rows}")
    return tmp_path / "forms"


def marks(form: Path) -> str:
    return (form.with_suffix("") / f"{form.stem}-import.csv").read_text()


def test_each_student_goes_to_the_form_that_lists_them(forms: Path, skarvin: Skarvin) -> None:
    drafted = skarvin("draft", "export.csv", "forms")
    assert drafted.code == 0, drafted.err
    assert "Next: skarvin preview --transfer forms" in drafted.out
    run = skarvin("write", "--transfer", "forms")
    assert run.code == 1
    assert marks(forms / "a.csv") == "No;Hull\nw-11;7\nw-12;8\n"
    assert marks(forms / "b.csv") == "No;Hull\nw-13;9\nw-14;6\nw-12;8\n"
    said = " ".join(run.out.split())
    assert "2 transfers: 2 with nothing to decide." in said
    assert "1 row is in no form: export.csv, row 6." in said
    assert "export.csv, row 3 is in 2 forms, and goes to each: a.toml and b.toml." in said
    page = (forms / "term-report.html").read_text(encoding="utf-8")
    assert "1 row is in no form" in page
    notes = json.loads(skarvin("preview", "--transfer", "forms", "--json").out)["notes"]
    assert len(notes) == 2
    (forms / "c.csv").write_text("No;Hull\nw-15;\n")
    (forms / "b.csv").write_text("No;Hull\nw-13;\nw-14;\n")
    assert skarvin("draft", "export.csv", "forms").out.count("is there already, and stays as it is") == 2
    assert skarvin("preview", "--transfer", "forms").code == 0


def test_what_is_unclear_waits_in_its_own_form_and_a_form_of_nobody_is_told(forms: Path, skarvin: Skarvin) -> None:
    (forms / "a.csv").write_text("No;Name;Hull\nw-11;Ana Sato;\nw-12;Bo Quite Other;\n")
    (forms / "d.csv").write_text("No;Hull\nx-91;\nx-92;\n")
    run = skarvin("draft", "export.csv", "forms")
    assert run.code == 0, run.err
    for transfer in forms.glob("*.toml"):
        assert "shared = true" in transfer.read_text(encoding="utf-8")
    run = skarvin("preview", "--transfer", "forms")
    assert run.code == 4
    said = " ".join(run.out.split())
    assert "To decide: 1 student" in said
    assert "1 row is in no form: export.csv, row 6." in said


def test_a_folder_without_forms_is_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text(EXPORT)
    (tmp_path / "forms").mkdir()
    run = skarvin("draft", "export.csv", "forms")
    assert run.code == 2
    assert "there is no form in 'forms'" in run.err
