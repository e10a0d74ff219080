"""Several exports into one form: halves of a term, a file for each section, files of two shapes."""

import json
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, edit

AUTUMN = "No,Name,Knots (out of 10),Lofting (out of 20)\n001,Aoife Byrne,7,\n002,Bo Diallo,8,15\n003,Chidi Okoro,,12\n"
SPRING = (
    "Spring term\n\nLearner no;Crew;Lofting (out of 20);Steam (out of 5)\n"
    "002;Keel;15.0;4\n001;Keel;18;3.5\n003;Keel;13;5\n009;Keel;1;1\n"
)
FORM = "No;Name;Knots [10];Lofting [20];Steam [5]\n001;Aoife Byrne;;;\n002;Bo Diallo;;;\n003;Chidi Okoro;;;\n"


@pytest.fixture
def term(tmp_path: Path, skarvin: Skarvin) -> Path:
    (tmp_path / "autumn.csv").write_text(AUTUMN, encoding="utf-8")
    (tmp_path / "spring.csv").write_text(SPRING, encoding="utf-16")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "autumn.csv", "spring.csv", "form.csv").code == 0
    return tmp_path


def marks(folder: Path) -> list[dict[str, object]]:
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    return list(ledger["marks"]["list"])


def test_halves_of_a_term_become_one_list(term: Path, skarvin: Skarvin) -> None:
    run = skarvin("write")
    assert run.code == 1
    assert (term / "form-import.csv").read_text(encoding="utf-8") == FORM.replace("Byrne;;;", "Byrne;7;18;3.5").replace(
        "Diallo;;;", "Diallo;8;15;4"
    ).replace("Okoro;;;", "Okoro;;;5")
    held = {
        (mark.get("export", 0), mark["row"], mark["column"]): mark["reason"]
        for mark in marks(term)
        if mark["fate"] == "held" and mark["to_row"]
    }
    assert held == {
        (0, 4, "D"): "row 6 of spring.csv of the same student says '13'",
        (1, 6, "C"): "row 4 of autumn.csv of the same student says '12'",
    }
    ledger = json.loads((term / "ledger.json").read_text(encoding="utf-8"))
    assert (ledger["files"]["export"]["name"], ledger["files"]["export_2"]["name"]) == ("autumn.csv", "spring.csv")
    assert ledger["rows"]["source_2"]["students"] == 4
    assert ledger["second_look"]["marks_looked_up"] > 10


def test_both_places_are_told_and_who_is_only_in_some(term: Path, skarvin: Skarvin) -> None:
    out = skarvin("preview").out
    assert "autumn.csv and spring.csv -> form.csv" in out
    assert "3 students paired by 'No' with 'No', in 6 rows" in out
    assert "C6 of spring.csv" in out
    assert "1 student is in only some of the exports: row 7 of spring.csv" in " ".join(out.split())
    assert term.exists()


@pytest.mark.parametrize(("rule", "lofting"), [("first", "12"), ("latest", "13"), ("highest", "13"), ("agree", "")])
def test_where_marks_differ_the_rule_decides_and_a_blank_never_counts(
    term: Path, skarvin: Skarvin, rule: str, lofting: str
) -> None:
    edit(term / "transfer.toml", 'repeated = "agree"', f'repeated = "{rule}"')
    assert skarvin("write").code == 1
    lines = (term / "form-import.csv").read_text(encoding="utf-8").splitlines()
    assert [line.split(";")[3].removesuffix(".0") for line in lines[1:]] == ["18", "15", lofting]
    assert [line.split(";")[2] for line in lines[1:]] == ["7", "8", ""]


def test_one_file_a_section_and_a_workbook_among_them(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "keel.csv").write_text("No,Name,Knots (out of 10)\n001,Aoife Byrne,7\n", encoding="utf-8")
    book = openpyxl.Workbook()
    sheet = book.create_sheet("Mast", 0)
    sheet.append(["Kept by", "the yard"])
    sheet.append(["Name", "Knots (out of 10)", "No"])
    sheet.append(["Bo Diallo", 9.5, "002"])
    book.save(tmp_path / "mast.xlsx")
    (tmp_path / "form.csv").write_text("No;Name;Knots [10]\n002;Bo Diallo;\n001;Aoife Byrne;\n", encoding="utf-8")
    assert skarvin("draft", "keel.csv", "mast.xlsx", "form.csv").code == 0
    assert 'identifier = "No"' in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert skarvin("write").code == 0
    assert (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:] == [
        "002;Bo Diallo;9.5",
        "001;Aoife Byrne;7",
    ]
    sent = [(mark.get("export", 0), mark["row"], mark["column"]) for mark in marks(tmp_path)]
    assert sent == [(0, 2, "C"), (1, 3, "B")]


def test_items_of_one_title_with_other_maxima_are_two(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "a.csv").write_text("No,Knots (out of 10)\n001,7\n", encoding="utf-8")
    (tmp_path / "b.csv").write_text("No,Knots (out of 20)\n001,15\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("No;Knots [10]\n001;\n", encoding="utf-8")
    assert skarvin("draft", "a.csv", "b.csv", "form.csv").code == 0
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert ('from = "Knots (out of 10)"' in plan, 'from = "Knots (out of 20)"' in plan) == (True, True)


def test_a_mark_of_a_further_export_that_is_changed_meanwhile_is_found(
    term: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    def change(*_: object) -> None:
        (term / "spring.csv").write_text(SPRING.replace("001;Keel;18", "001;Keel;17"), encoding="utf-16")

    monkeypatch.setattr("skarvin.core.grid.save.Delivery.check", change)
    run = skarvin("write")
    assert (run.code, "spring.csv, row 5, column C: the export says '17' here, and the ledger '18'" in run.err) == (
        4,
        True,
    )


def test_a_file_that_is_missing_or_has_no_such_column_is_told_with_its_line(term: Path, skarvin: Skarvin) -> None:
    edit(term / "transfer.toml", 'identifier = "Learner no"', 'identifier = "Lerner no"')
    run = skarvin("preview")
    assert (run.code, "did you mean 'Learner no'?" in run.err) == (3, True)
    edit(term / "transfer.toml", '"spring.csv"', '"gone.csv"')
    assert "gone.csv: there is no such file" in skarvin("preview").err


def test_an_item_may_have_a_heading_in_each_language(tmp_path: Path, skarvin: Skarvin) -> None:
    """Two exports at once, and each of them alone; by a letter, and by a heading with its file in front, too."""
    (tmp_path / "en.csv").write_text("No,Name,Knots (out of 20),Care\n11,Ann Bo,12,3\n12,Cy Di,8,4\n", encoding="utf-8")
    (tmp_path / "fr.csv").write_text("No;Nom;Nœuds (sur 20);Soin\n21;Éva Fu;7,5;5\n22;Gil Ho;x;1\n", encoding="cp1252")
    (tmp_path / "form.csv").write_text("No,Knots [10],Care\n" + "".join(f"{one},,\n" for one in (11, 12, 21, 22)))
    several = '"Knots (out of 20)", "Noeuds", "Nœuds (sur 20)"'
    transfer = tmp_path / "transfer.toml"
    rules = f"""[marks]
missing_maximum = "same"
decimal_separator = "either"
[[item]]
from = [{several}]
to = "Knots [10]"
from_out_of = 20
to_out_of = 10
[[item]]
from = ["Soin", "Care"]
to = "Care"
"""
    target = '[target]\nfile = "form.csv"\nidentifier = "No"\n'

    def written(first: str, further: str = "") -> list[list[str]]:
        source = f'version = 1\n[source]\nfile = "{first}"\nidentifier = "No"\n'
        more = f'[[export]]\nfile = "{further}"\nidentifier = "No"\n' if further else ""
        transfer.write_text(source + target + more + rules, encoding="utf-8")
        run = skarvin("write", "--replace")
        assert run.code == int("fr.csv" in (first, further)), run.out + run.err
        assert "Read-back check passed" in run.out
        lines = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]
        return [line.split(",")[1:] for line in lines]

    assert written("en.csv") == [["6", "3"], ["4", "4"], ["", ""], ["", ""]]
    assert written("fr.csv") == [["", ""], ["", ""], ["3.75", "5"], ["", "1"]]
    both = [["6", "3"], ["4", "4"], ["3.75", "5"], ["", "1"]]
    assert written("en.csv", "fr.csv") == both
    assert written("fr.csv", "en.csv") == both
    both_here = "No,Name,Nœuds (sur 20),Knots (out of 20),Care\n11,Ann Bo,2,12,3\n12,Cy Di,4,8,4\n"
    (tmp_path / "both.csv").write_text(both_here, encoding="utf-8")
    assert written("both.csv")[:2] == [["6", "3"], ["4", "4"]], "the first that is there, where there are two"
    like = skarvin("draft", "fr.csv", "form.csv", "--like", "transfer.toml", "--transfer", "next.toml")
    assert like.code == 0, like.err
    assert "new in the export" not in like.out
    text = transfer.read_text(encoding="utf-8")
    transfer.write_text(text.replace('"Soin", "Care"', '"Care taken", "Soins"'), encoding="utf-8")
    refused = skarvin("preview")
    at = transfer.read_text(encoding="utf-8").split("\n").index('from = ["Care taken", "Soins"]') + 1
    assert (refused.code, f"line {at}:" in refused.err, "'Care taken'" in refused.err) == (3, True, True)
    transfer.write_text(text.replace('from = ["Soin", "Care"]', "from = []"), encoding="utf-8")
    assert skarvin("preview").code == 3
