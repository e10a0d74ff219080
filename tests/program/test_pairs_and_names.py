"""Students as real classes have them: names that differ, decisions, entries of nobody, a spreadsheet's signs."""

import json
from pathlib import Path
from typing import Any

import pytest

from conftest import Skarvin, column, edit, lay_out

ITEM = '[[item]]\nfrom = "C"\nto = "C"\n'


def words(text: str) -> str:
    return " ".join(text.split())


def students(skarvin: Skarvin, *options: str) -> Any:  # noqa: ANN401 - whatever JSON holds
    return json.loads(skarvin("students", "--json", *options).out)


def test_pairs_whose_names_differ_in_anything_are_listed_with_what_differs(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = '101,"Nowak, Anna",5\n102,"Wójcik, Łukasz",6\n103,"Kim, Min-jun",7\n104,"Müller, Jo",8\n'
    export = f"Nr,Imię i nazwisko,Węzły\n{rows}"
    form = "Nr;Name;Knots\n101;Anna Maria Nowak;\n102;Wojcik Lukasz;\n103;MIN-JUN KIM;\n104;Mueller Jo;\n"
    lay_out(tmp_path, export, form, ITEM)
    found = {one["row"]: one["what"] for one in students(skarvin)["names_differ"]}
    assert found == {
        2: "only the form has: maria",
        3: "letters: wójcik, łukasz / lukasz, wojcik",
        5: "letters: müller / mueller",
    }
    for command in ("students", "preview"):
        assert "only the form has: maria" in words(skarvin(command).out)
    skarvin("write")
    assert "Pairs with names that differ: 3" in (tmp_path / "report.html").read_text(encoding="utf-8")


def test_a_rule_asks_for_equal_names(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "No,Name,Knots\n101,Anna Nowak,5\n102,Kim Min-jun,7\n"
    form = "No;Name;Knots\n101;Anna Maria Nowak;\n102;Min-jun Kim;\n"
    lay_out(tmp_path, export, form, f"[students]\nequal_names = true\n{ITEM}")
    assert skarvin("write").code == 1
    assert column(tmp_path, 2) == ["", "7"]
    assert "the names aren't equal (only the form has: maria)" in words(skarvin("preview").out)


def test_names_that_are_ignored_play_no_part(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "No,Name,Knots\n101,Kim Nour,5\n102,Reyes Luz,7\n103,Sá Ana,8\n"
    form = "No;Name;Knots\n101;Reyes Luz;\n102;Kim Nour;\n999;Sá Ana;\n"
    lay_out(tmp_path, export, form, f'[students]\nnames = "ignore"\n{ITEM}')
    assert skarvin("write").code == 1
    assert column(tmp_path, 2) == ["5", "7", ""]
    data = students(skarvin)
    assert (data["held"], data["only_in_export"]) == ([], [4])


@pytest.mark.parametrize(
    ("numbers", "told"),
    [
        (['"=""0101"""', '"=""0102"""'], "a spreadsheet's characters around it removed (2)"),
        (["'0101", "'0102"], "a spreadsheet's characters around it removed (2)"),
        (['"10,101"', '"10,102"'], "thousands separators removed (2)"),
        (["1.010.101", "1.010.102"], "thousands separators removed (2)"),
    ],
)
def test_a_spreadsheets_signs_around_a_number_are_ignored_told_and_counted(
    tmp_path: Path, skarvin: Skarvin, numbers: list[str], told: str
) -> None:
    digits = ["".join(filter(str.isdigit, text)) for text in numbers]
    bare = [text.removeprefix("10") if len(text) == 6 else text for text in digits]
    export = f"No,Name,Knots\n{numbers[0]},Kim Nour,5\n{numbers[1]},Reyes Luz,7\n"
    lay_out(tmp_path, export, f"No;Name;Knots\n{bare[0]};;\n{bare[1]};;\n", ITEM)
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["5", "7"]
    assert told in words(skarvin("preview").out)
    form = f"No;Name;Knots\n{numbers[0]};;\n{numbers[1]};;\n"
    lay_out(tmp_path, f"No,Name,Knots\n{bare[0]},Kim,5\n{bare[1]},Luz,7\n", form, ITEM)
    assert skarvin("write", "--replace").code == 0
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()
    assert written[1:] == [f"{numbers[0]};;5", f"{numbers[1]};;7"]  # untouched is untouched


def test_decimals_and_codes_are_no_thousands(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "No,Name,Knots\n1.101,Kim,5\n2.101,Luz,7\n", "No;Name;Knots\n1.101;;\n12.5;;\n2.101;;\n", ITEM)
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["5", "", "7"]


SHIFTED = ["Kim Nour", "Reyes Luz", "Sá Ana", "Diallo Bo", "Tanaka Ken", "Okonkwo Chidi", "Haddad Lea"]


def test_a_shift_is_told_once_at_the_top_in_look_students_and_preview(tmp_path: Path, skarvin: Skarvin) -> None:
    moved = [SHIFTED[0], SHIFTED[-1], *SHIFTED[1:-1]]
    export = "No,Name,Knots\n" + "".join(f"10{at},{name},5\n" for at, name in enumerate(moved))
    form = "No;Name;Knots\n" + "".join(f"10{at};{name};\n" for at, name in enumerate(SHIFTED))
    lay_out(tmp_path, export, form, f"[students]\nminimum_paired_percent = 0\n{ITEM}")
    headline = "Names and identifiers are out of step from row 4 on (names down by 1 row, 5 rows)"
    for arguments in (("students",), ("preview",), ("look", "export.csv", "form.csv")):
        out = words(skarvin(*arguments).out)
        assert out.count(headline) == 1, (arguments, out)
    assert words(skarvin("students").out).startswith(headline)
    assert students(skarvin)["out_of_step"].startswith(headline)


def decide(folder: Path, name: str, choice: str) -> None:
    text = (folder / name).read_text(encoding="utf-8-sig").splitlines()
    cells = text[1].split(",")
    cells[-2] = choice
    (folder / name).write_text("\n".join([text[0], ",".join(cells), *text[2:]]) + "\n", encoding="utf-8")


CLASS = ("No,Name,Knots\n101,Kim Nour,5\nx9,Reyes Lus,7\n", "No;Name;Knots\n101;Kim Nour;\n102;Reyes Luz;\n")


def test_pairings_belong_to_their_transfer(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, *CLASS, f"[students]\nminimum_paired_percent = 0\n{ITEM}")
    (tmp_path / "resit.toml").write_text((tmp_path / "transfer.toml").read_text())
    skarvin("students")
    skarvin("students", "--transfer", "resit.toml")
    decide(tmp_path, "resit-pairings.csv", "1")
    assert len(students(skarvin)["held"]) == 1
    assert students(skarvin, "--transfer", "resit.toml")["held"] == []


def test_a_decision_that_fits_no_longer_says_so_once(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, *CLASS, f"[students]\nminimum_paired_percent = 0\n{ITEM}")
    skarvin("students")
    decide(tmp_path, "pairings.csv", "1")
    edit(tmp_path / "export.csv", "x9,Reyes Lus,7\n", "")
    for command in ("students", "preview"):
        assert (
            words(skarvin(command).out).count("1 decision is about nobody in the export (row 2 of the pairings)") == 1
        )
    (tmp_path / "export.csv").write_text(CLASS[0].replace("x9,Reyes Lus", "102,Reyes Lus"))
    edit(tmp_path / "pairings.csv", "x9,Reyes Lus", "102,Reyes Lus")
    decide(tmp_path, "pairings.csv", "none")
    assert "the decision about row 3 isn't needed any more: paired by identifier with form row 3" in words(
        skarvin("preview").out
    )


def test_decisions_carry_over_to_the_next_term_where_the_evidence_is_the_same(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, *CLASS, f"[students]\nminimum_paired_percent = 0\n{ITEM}")
    skarvin("students")
    decide(tmp_path, "pairings.csv", "1")
    (tmp_path / "pairings.csv").rename(tmp_path / "autumn.csv")
    edit(tmp_path / "transfer.toml", "[students]", '[students]\nearlier_pairings = ["autumn.csv"]')
    assert students(skarvin)["held"] == []
    assert "in autumn.csv" in skarvin("students").out
    edit(tmp_path / "form.csv", "102;Reyes Luz;", "105;Reyes Luz;")  # another student, by the number
    assert [one["row"] for one in students(skarvin)["held"]] == [3]
    edit(tmp_path / "transfer.toml", "autumn.csv", "winter.csv")
    assert "there is no such file" in skarvin("students").err


def test_an_entry_that_is_nobodys_is_told_with_its_line(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "No,Name,Crew,Knots\n101,Kim Nour,Keel,5\n102,Reyes Luz,Mast,7\n"
    form = "No;Name;Knots\n101;Kim Nour;\n102;Reyes Luz;\n103;Sá Ana;\n"
    rules = '[students]\nonly = ["101", "12345"]\nleave_out = ["777"]\n[[item]]\nfrom = "D"\nto = "C"\n'
    lay_out(tmp_path, export, form, rules)
    out = words(skarvin("preview").out)
    assert "transfer.toml, line 9: `only` lists 12345, which isn't in the export" in out
    assert "transfer.toml, line 10: `leave_out` lists 777, which isn't in the export" in out
    assert "may have left" not in out  # only some were meant
    edit(tmp_path / "transfer.toml", '"101", "12345"', '"12345"')
    refused = skarvin("preview")
    assert (refused.code, "`only` lists 12345, which isn't in the export" in refused.err) == (4, True)
    edit(tmp_path / "transfer.toml", 'only = ["12345"]', 'only_sections = ["Sail"]')
    assert "which isn't in the export (its sections: Keel and Mast)" in skarvin("preview").err


def test_each_kind_of_evidence_is_counted_and_a_missing_field_is_named(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = "Lund, Ida;01-03-2008;A;7\nBerg, Freja;17-11-2008;B;4\nHolm, Asger;29-07-2007;A;10\n"
    (tmp_path / "hold.csv").write_text(f"Namn;Födelsedatum;Grupp;Betyg\n{rows}", encoding="utf-8")
    form = "11;Ida Lundh;2008-03-01;\n12;Freja Berg;2008-11-17;\n13;Rasmus Krogh;2007-01-02;\n"
    (tmp_path / "form.csv").write_text(f"Nummer;Elev;Födelsedatum;Betyg\n{form}", encoding="utf-8")
    skarvin("draft", "hold.csv", "form.csv")
    assert students(skarvin)["evidence"] == {"same birth date": 2, "nearly the same name": 1, "same name": 1}
    assert "same birth date 2, nearly the same name 1, same name 1" in words(skarvin("students").out)
    form = "Nummer;Elev;Betyg\n11;Ida Lundh;\n12;Freja Berg;\n13;Rasmus Krogh;\n"
    (tmp_path / "form.csv").write_text(form, encoding="utf-8")
    (tmp_path / "transfer.toml").unlink()
    skarvin("draft", "hold.csv", "form.csv")
    told = [note["what"] for note in students(skarvin)["notes"]]
    assert any("birth dates would help" in one and "if the form had them" in one for one in told)
    assert any("identifiers would help" in one and "if the export had them" in one for one in told)


@pytest.mark.parametrize(
    ("mine", "theirs", "is_sent"),
    [
        ("Smith,Ann", "Ann Smith", True),
        ("Smith,Ann", "Smith, Anne", False),
        ("Dahl,Henrik", "Dahl, Henrik Olav", False),
        ("Dahl,Henrik Olav", "Henrik Dahl", False),
        ("Okafor,Robert", "Bob Okafor", True),
        ("Bob,Robert", "Robert Bob", True),
        ("Bob,Robert", "Bob Bob", True),
        ("Smith,Robert", "Robert Smyth", False),
        ("Müller,Jörg", "Mueller, Joerg", True),
        ("de la Cruz,Ana", "Cruz, Ana de la", True),
        ("Dahl,H", "Henrik Dahl", False),
    ],
)
def test_names_alone_pair_only_where_they_agree_in_full(
    tmp_path: Path, skarvin: Skarvin, mine: str, theirs: str, is_sent: bool
) -> None:
    """By a short form that the words have, too; whoever's name only resembles is a suggestion."""
    others = [("Bâ", "Awa"), ("Haddad", "Layla"), ("Tanaka", "Hiroshi"), ("Nwosu", "Ada"), ("Kowal", "Zofia")]
    rows = [f"{4107 + at},{family},{given},{at + 2}\n" for at, (family, given) in enumerate(others)]
    (tmp_path / "export.csv").write_text(f"Id,Family,Given,Knots\n4106,{mine},9\n{''.join(rows)}", encoding="utf-8")
    names = "".join(f"{given} {family};\n" for family, given in others)
    (tmp_path / "form.csv").write_text(f"Name;Knots\n{theirs};\n{names}", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code == int(not is_sent)
    assert column(tmp_path, 1) == ["9" if is_sent else "", "2", "3", "4", "5", "6"]
    assert (theirs in skarvin("students").out.partition("Paired")[0]) is not is_sent


@pytest.mark.parametrize("heads", ["Pupil;Knots", "Learner;Pupil;Knots", "Family;Given;Pupil;Knots"])
def test_a_blank_form_is_told_by_the_columns_of_the_same_titles(tmp_path: Path, skarvin: Skarvin, heads: str) -> None:
    """By itself 'Pupil' would be a name."""
    (tmp_path / "export.csv").write_text(
        "Pupil,Family,Given,Knots\n4107,Smith,Ann,7\n4108,Bâ,Awa,6\n", encoding="utf-8"
    )
    (tmp_path / "form.csv").write_text(f"{heads}\n{';' * heads.count(';')}\n", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code == 0
    place = heads.split(";").index("Pupil")
    assert column(tmp_path, place) == ["4107", "4108"]
    assert column(tmp_path, place + 1) == ["7", "6"]
    assert skarvin("preview").code == 0


def test_where_too_few_are_paired_by_names_the_list_of_who_may_be_meant_is_named(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    (tmp_path / "export.csv").write_text("Id,Name,Knots\n1,Ann Smith,7\n2,Awa Bâ,6\n3,Li Wu,5\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Name;Knots\nAnne Smith;\nAwa Baa;\nLi Wu;\n", encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    refused = skarvin("preview")
    assert (refused.code, "where to decide it: skarvin students" in refused.err) == (4, True)
    shown = skarvin("students").out
    assert "Anne Smith (form row 2)" in shown
    assert "Awa Baa (form row 3)" in shown
