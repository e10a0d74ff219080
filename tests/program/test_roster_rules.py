"""Rosters of other schools: usernames, names in every script, who left and who moved; and the books of a roster."""

import json
from pathlib import Path
from typing import Any

import pytest

from conftest import Skarvin
from skarvin.core.rosters.casing import proper_case, split_name
from skarvin.core.rosters.usernames import Collision, Person, build_usernames, fill
from skarvin.core.targets.delimited import DelimitedTarget

FORM = "Matrikelnr;Benutzername;Nachname;Vorname;Klasse;E-Mail\n"


def make(folder: Path, skarvin: Skarvin, people: str, *options: str, form: str = FORM) -> Any:  # noqa: ANN401
    (folder / "list.csv").write_text(people, encoding="utf-8")
    (folder / "form.csv").write_text(form, encoding="utf-8")
    run = skarvin("roster", "list.csv", "--form", "form.csv", "--replace", "--json", *options)
    assert run.code in {0, 1}, run.err
    return json.loads(run.out) | {"code": run.code}


@pytest.mark.parametrize(
    ("template", "person", "expected"),
    [
        ("{given}.{family}", Person("1", "King Jr.", "Martin"), "martin.king"),
        ("{given 1}{family}", Person("1", "Okafor III", "Chidi"), "cokafor"),
        ("{given}{further 1}", Person("1", "Lund", "Anna", "Maria Sofie"), "annam"),
        ("{initials}", Person("1", "Lund", "Jean-Luc", "Maria"), "jlml"),
        ("{family 4}{year -2}", Person("1", "Lund", "Ida", "", "2027/28"), "lund28"),
        ("{family}", Person("1", "Владимирова", "Ольга"), "vladimirova"),
        ("{family}{given 1}", Person("1", "王", "小明"), "wangx"),
        ("{given}", Person("1", "Γεωργίου", "Ελένη"), "eleni"),
        ("{family}", Person("1", "Ðorđević", "Ana"), "dordevic"),
        ("{number -3}", Person("1", "Lund", "Ida", "", "", "", "S-10044"), "044"),
    ],
)
def test_a_form_takes_what_is_plain_in_every_script(template: str, person: Person, expected: str) -> None:
    assert fill(template, person) == expected


def test_each_student_has_the_year_of_the_lists_own_column(tmp_path: Path, skarvin: Skarvin) -> None:
    people = "Matrikelnr,Nachname,Vorname,Jahrgang\n1,Öz,Can,2027\n2,Lund,Ida Sofie,2028\n3,Roy,Abir,\n"
    data = make(tmp_path, skarvin, people, "--username", "{family 3}{year -2}", "--year", "2030")
    assert [row[1] for row in data["rows"]] == ["oz27", "lun28", "roy30"]


def test_hold_holds_all_rivals_and_writes_no_line_for_them(tmp_path: Path, skarvin: Skarvin) -> None:
    people = "Matrikelnr,Nachname,Vorname\n1,Kim,Min\n2,Kim,Mira\n3,Lund,Ida\n"
    data = make(tmp_path, skarvin, people, "--username", "{given 1}{family}", "--collisions", "hold")
    assert [row[0] for row in data["rows"]] == ["3"]
    assert (data["code"], list(data["held"])) == (1, ["list.csv, row 2", "list.csv, row 3"])
    out = skarvin(
        "roster",
        "list.csv",
        "--form",
        "form.csv",
        "--replace",
        "--username",
        "{given 1}{family}",
        "--collisions",
        "hold",
    ).out
    assert "Kim, Min (1), list.csv, row 2: 'mkim': several students would have it" in out


def test_names_in_use_count_from_a_plain_list_and_from_rows_without_a_number(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "taken.txt").write_text("ilund\n", encoding="utf-8")
    people = "Matrikelnr,Nachname,Vorname\n1,Lund,Ida\n2,Kim,Min\n"
    form = FORM + ";mkim;Kim;Max;;\n"
    data = make(
        tmp_path, skarvin, people, "--username", "{given 1}{family}", "--taken", "taken.txt", "--add", form=form
    )
    assert [row[1] for row in data["rows"]] == ["ilund2", "mkim2"]
    assert (
        "can't be read" in skarvin("roster", "list.csv", "--form", "form.csv", "--replace", "--taken", "none.txt").err
    )


def test_further_given_names_go_into_a_column_of_their_own(tmp_path: Path, skarvin: Skarvin) -> None:
    people = 'Matrikelnr,Name\n1,"Lund, Ida Maria Sofie"\n2,"Roy, Abir"\n'
    form = "Matrikelnr;Nachname;Vorname;Weitere Vornamen\n"
    data = make(tmp_path, skarvin, people, form=form)
    assert data["rows"] == [["1", "Lund", "Ida", "Maria Sofie"], ["2", "Roy", "Abir", ""]]
    people = "Matrikelnr,Last name,First name,Middle name\n1,Lund,Ida,Maria\n"
    assert make(tmp_path, skarvin, people)["rows"][0][2:4] == ["Lund", "Ida Maria"]


@pytest.mark.parametrize(
    ("name", "beside", "proper"),
    [
        ("IŞIK", "DİLEK", "Işık"),
        ("DİLEK", "IŞIK", "Dilek"),
        ("ILGAZ", "GÜLŞEN", "Ilgaz"),
        ("ışık", "", "Işık"),
        ("ilker", "ışık", "İlker"),
        ("IONESCU", "ŞTEFĂNIȚĂ", "Ionescu"),
        ("SMITH", "IRIS", "Smith"),
        ("İNCİ", "", "İnci"),
    ],
)
def test_both_turkish_letters_are_right_in_every_case(name: str, beside: str, proper: str) -> None:
    assert proper_case(name, None, beside) == proper


def test_a_suffix_behind_a_comma_is_the_familys() -> None:
    assert split_name("King, Martin, Jr.") == ("King Jr.", "Martin")


def test_a_name_in_capitals_is_spelled_as_another_row_or_the_form_spells_it(tmp_path: Path, skarvin: Skarvin) -> None:
    people = "Matrikelnr,Nachname,Vorname\n1,DEVRIES,ANKE\n2,MACKENNA,EILIDH\n3,deVries,Bo\n4,VAN DEN BERG,JO\n"
    form = FORM + "9;;MacKenna;Ian;Kiel;\n8;;Van Dyk;Zoë;Kiel;\n"
    rows = make(tmp_path, skarvin, people, "--add", form=form)["rows"]
    assert [row[2] for row in rows] == ["deVries", "MacKenna", "deVries", "van den Berg"]


def test_a_form_that_would_stay_blank_is_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "list.csv").write_text("Name\nLund Ida\nRoy Abir\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Matrikelnr;Klasse\n", encoding="utf-8")
    run = skarvin("roster", "list.csv", "--form", "form.csv")
    assert (run.code, "nothing is known for A 'Matrikelnr'" in run.err, "form with names" in run.err) == (3, True, True)
    assert not list(tmp_path.glob("form-roster*"))


def test_who_is_gone_and_who_changed_section_is_told(tmp_path: Path, skarvin: Skarvin) -> None:
    people = "Matrikelnr,Nachname,Vorname,Klasse\n1,Lund,Ida,Mast\n2,Kim,Min,Kiel\n3,Roy,Abir,Kiel\n"
    form = FORM + "1;;Lund;Ida;Kiel;\n2;;Kim;Min;Kiel;\n7;;Sand;Eli;Kiel;\n"
    data = make(tmp_path, skarvin, people, "--add", form=form)
    assert (data["not_in_the_lists"], data["other_section"]) == ([4], {"list.csv, row 2": "Kiel"})
    out = skarvin("roster", "list.csv", "--form", "form.csv", "--replace", "--add").out
    assert "Sand Eli, 7, form row 4" in out
    assert "Lund, Ida (1), list.csv, row 2: Mast in the list, Kiel in the form (row 2)" in out
    page = (tmp_path / "form-roster-report.html").read_text(encoding="utf-8")
    assert "In the form and not in the lists: 1" in page


def test_a_roster_has_a_report_and_a_ledger_whose_books_balance(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = "1,Lund,Ida\n1,Lund,Ida\n2,Kim,Min\n3,Roy,Abir\n3,Nwosu,Ada\n,Durchschnitt,\n"
    people = f"Klassenliste\n\nMatrikelnr,Nachname,Vorname\n{rows}"
    make(tmp_path, skarvin, people, "--add", form=FORM + "2;;Kim;Min;Kiel;\n")
    ledger = json.loads((tmp_path / "form-roster-ledger.json").read_text(encoding="utf-8"))
    assert ledger["verdict"] == (
        "All 5 students of the lists accounted for: 1 written, 1 already in the form, 1 again in the lists, 2 held."
    )
    assert sum(ledger["fates"].values()) == len(ledger["people"]) == ledger["lists"][0]["rows"]["students"] == 5
    assert [one["fate"] for one in ledger["people"]] == [
        "written",
        "again in the lists",
        "already in the form",
        "held",
        "held",
    ]
    page = (tmp_path / "form-roster-report.html").read_text(encoding="utf-8")
    assert "Roster report" in page
    assert "somebody of quite another name has this number" in page
    assert ledger["files"]["roster"]["sha256"]


def test_a_slip_of_the_writer_is_seen_against_the_filed_ledger(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "list.csv").write_text("Matrikelnr,Nachname,Vorname\n1,Lund,Ida\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    real = DelimitedTarget.filled
    monkeypatch.setattr(DelimitedTarget, "filled", lambda *given: (one.replace(b"Ida", b"Ada") for one in real(*given)))
    assert skarvin("roster", "list.csv", "--form", "form.csv").code == 4
    assert not list(tmp_path.glob("form-roster*"))


def test_rivals_are_held_whatever_their_order() -> None:
    people = [Person("1", "Kim", "Min"), Person("2", "Kim", "Mira"), Person("3", "Lee", "Ida")]
    one = build_usernames(people, "{given 1}{family}", Collision.HOLD, ["ilee"], {})
    other = build_usernames(people[::-1], "{given 1}{family}", Collision.HOLD, ["ilee"], {})
    assert one.names == other.names == {}
    assert set(one.held) == set(other.held) == {"1", "2", "3"}
