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
    assert "To decide a: 1 student" in said
    assert "1 row is in no form: export.csv, row 6." in said


def test_a_folder_without_forms_is_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text(EXPORT)
    (tmp_path / "forms").mkdir()
    run = skarvin("draft", "export.csv", "forms")
    assert run.code == 2
    assert "there is no form in 'forms'" in run.err


PEOPLE = (("Ünal", "Ece"), ("Dang", "Thi Mai"), ("Fofanah", "Ibu"), ("Björk", "Åsa"), ("Ek", "Bo"), ("Ito", "Rin"))


def lay_out_classes(folder: Path, *, is_blank: bool = False, first: int = 1) -> None:
    """Write an export and a form for each of three classes, in another order, with numbers that lack their zeros."""
    for kind in ("marks", "forms"):
        (folder / kind).mkdir()
    for place, name in enumerate(("7a", "7b", "8a")):
        people = [(first + place * 6 + at, *who) for at, who in enumerate(PEOPLE)]
        rows = "".join(f"{number:04};{family};{given};{number % 7}\n" for number, family, given in people)
        (folder / "marks" / f"export {name}.csv").write_text(
            "Nr;Familienname;Vorname;Knoten (max. 10)\n" + rows, "utf-8"
        )
        there = "" if is_blank else "".join(f'{number},"{fam}, {given}",\n' for number, fam, given in reversed(people))
        (folder / "forms" / f"registry_{name}.csv").write_text("Id,Name,Knoten [100]\n" + there, "utf-8")


def test_each_class_has_an_export_and_a_form_and_four_commands_move_them_all(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    lay_out_classes(tmp_path)
    run = skarvin("draft", "marks", "forms", "--each")
    assert run.code == 0, run.err
    assert "7b.csv: 6 students in both" in run.out
    monkeypatch.chdir(tmp_path / "forms")
    assert skarvin("preview").code == 0
    assert skarvin("write").code == 0
    (tmp_path / "fresh").mkdir()
    for place, name in enumerate(("7a", "7b", "8a")):
        written = tmp_path / "forms" / f"registry_{name}" / f"registry_{name}-import.csv"
        rows = [line.split(",") for line in written.read_text(encoding="utf-8").splitlines()[1:]]
        assert {int(row[0]): int(row[-1]) for row in rows} == {
            number: number % 7 * 10 for number in range(1 + place * 6, 7 + place * 6)
        }
        (tmp_path / "fresh" / f"registry_{name}.csv").write_bytes(written.read_bytes() + b"\n")
    assert skarvin("confirm", tmp_path / "fresh").code == 0


def test_blank_forms_go_by_their_names_and_what_fits_nowhere_is_told(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_classes(tmp_path, is_blank=True)
    (tmp_path / "marks" / "export 9c.csv").write_bytes((tmp_path / "marks" / "export 7a.csv").read_bytes())
    (tmp_path / "forms" / "registry_5x.csv").write_text("Id,Name,Knoten [100]\n77,Wu Lin,\n", encoding="utf-8")
    run = skarvin("draft", "marks", "forms", "--each")
    said = " ".join(run.out.split())
    assert run.code == 0, run.err
    for name in ("7a", "7b", "8a"):
        assert f"export {name}.csv -> forms/registry_{name}.csv: named alike" in said
    told = " ".join(run.err.split())
    assert "export 9c.csv goes to no form: no form has its students, and none alone is named like it" in told
    assert "no export goes to forms/registry_5x.csv" in told
    assert skarvin("write", "--transfer", "forms").code == 0


def test_students_count_more_than_names_and_those_in_two_forms_are_for_a_person(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out_classes(tmp_path)
    forms = tmp_path / "forms"
    (forms / "registry_7a.csv").rename(forms / "other.csv")
    (forms / "registry_7b.csv").rename(forms / "registry_7a.csv")
    (forms / "all.csv").write_bytes((forms / "registry_8a.csv").read_bytes())
    run = skarvin("draft", "marks", "forms", "--each")
    said = " ".join((run.out + run.err).split())
    assert "export 7a.csv -> forms/other.csv: 6 students in both" in said
    assert "export 7b.csv -> forms/registry_7a.csv: 6 students in both" in said
    assert "export 8a.csv goes to no form: its students are in all.csv and registry_8a.csv" in said


def test_where_nothing_fits_it_is_refused_with_the_way_on(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_classes(tmp_path)
    for place, form in enumerate(sorted((tmp_path / "forms").iterdir())):
        form.write_text("Id,Name,Knoten [100]\n", encoding="utf-8")
        form.rename(form.with_name(f"{'pqr'[place]}.csv"))
    run = skarvin("draft", "marks", "forms", "--each")
    assert run.code == 2
    assert "skarvin draft EXPORT FORM --transfer" in run.err
    assert not list((tmp_path / "forms").glob("*.toml"))


def test_an_export_for_each_class_and_one_form_of_all(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_classes(tmp_path)
    heading, *_ = (tmp_path / "forms" / "registry_7a.csv").read_text(encoding="utf-8").splitlines()
    rows = [row for form in (tmp_path / "forms").iterdir() for row in form.read_text("utf-8").splitlines()[1:]]
    (tmp_path / "all.csv").write_text("\n".join([heading, *rows, ""]), encoding="utf-8")
    assert skarvin("draft", "marks", "all.csv", "--each").code == 0
    assert skarvin("write", "--transfer", "marks").code == 0
    for place, name in enumerate(("7a", "7b", "8a")):
        written = (tmp_path / "marks" / f"export {name}" / "all-import.csv").read_text(encoding="utf-8")
        filled = {int(row.split(",")[0]) for row in written.splitlines()[1:] if row[-1] != ","}
        assert filled == set(range(1 + place * 6, 7 + place * 6))
