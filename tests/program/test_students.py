"""Who is who, as a user sees and decides it."""

import csv
import json
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Skarvin, edit
from skarvin.cli.dialogue import Said, understood

EXPORT = """\
Learner no,Name,Crew,Born,Knots (out of 10)
001,"Kim, Min-jun",Keel,1.2.2008,1
002,"Reyes, Bob",Keel,,2
,"Ó Murchú, Síle",Mast,,3
0O4,"Okonkwo, Chidi",Mast,,4
005,"Diallo, Nour",Keel,,5
006,"Nobody, Known",Keel,,6
"""
FORM = """\
Registry no;Name;Class;Knots [10]
001;Min-jun Kim;Keel;
022;Robert Reyes;Keel;
003;SÍLE O'MURCHÚ;Mast;
004;Chidi Okonkwo;Mast;
005;Layla Haddad;Keel;
"""

Found = tuple[list[tuple[int, int, str]], dict[int, tuple[str, list[int]]], list[int]]


@pytest.fixture
def in_doubt(tmp_path: Path, skarvin: Skarvin) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    edit(tmp_path / "transfer.toml", "minimum_paired_percent = 50", "minimum_paired_percent = 1")
    edit(tmp_path / "transfer.toml", 'names = "backed"', 'names = "pair"')
    return tmp_path


def students(skarvin: Skarvin) -> Found:
    data = json.loads(skarvin("students", "--json").out)
    certain = [(one["row"], one["to_row"], one["by"]) for one in data["certain"]]
    held = {
        waiting["row"]: (waiting["slug"], [found["to_row"] for found in waiting["suggestions"]])
        for waiting in data["held"]
    }
    return certain, held, data["only_in_export"]


def test_students_are_certain_or_held_with_suggestions(in_doubt: Path, skarvin: Skarvin) -> None:
    certain, held, alone = students(skarvin)
    assert certain == [(2, 2, "identifier"), (4, 4, "name")]
    assert held[3] == ("likely", [3])
    assert held[5] == ("name-alone", [5])
    assert held[6][0] == "conflicting-identity"
    assert alone == [7]
    text = " ".join(skarvin("students").out.split())
    assert "Robert/Bob" in text or "Bob/Robert" in text
    assert "different identifier" in text
    assert (in_doubt / "pairings.csv").stat().st_mode & 0o777 == 0o600


def test_names_can_be_asked_about_or_ignored(in_doubt: Path, skarvin: Skarvin) -> None:
    edit(in_doubt / "transfer.toml", 'names = "pair"', 'names = "ask"')
    assert students(skarvin)[1][4] == ("name-alone", [4])
    edit(in_doubt / "transfer.toml", 'names = "ask"', 'names = "ignore"')
    assert students(skarvin)[1][4][0] == "no-identifier"


def decide(folder: Path, who: str, choice: str) -> None:
    file = folder / "pairings.csv"
    lines = file.read_text(encoding="utf-8-sig").splitlines()
    assert any(who in line for line in lines)
    changed = [line.rsplit(",", 2)[0] + f",{choice}," if who in line else line for line in lines]
    file.write_text("\n".join(changed) + "\n", encoding="utf-8-sig")


def test_decisions_in_the_file_are_carried_out_and_remembered(in_doubt: Path, skarvin: Skarvin) -> None:
    skarvin("students")
    decide(in_doubt, "Reyes, Bob", "1")
    decide(in_doubt, 'Okonkwo, Chidi"', "004")
    decide(in_doubt, "Diallo", "none")
    certain, held, _ = students(skarvin)
    assert [one for one in certain if one[2] == "decision"] == [(3, 3, "decision"), (5, 5, "decision")]
    assert held == {}
    assert "your decision, 20" in skarvin("students").out
    edit(in_doubt / "export.csv", "Keel,,2", "Keel,,9")
    data = json.loads(skarvin("write", "--json").out)
    assert [one["row"] for one in data["students"]["decided"]] == [3, 5]
    assert all(one["on"].startswith("20") for one in data["students"]["decided"])
    assert [one["row"] for one in data["students"]["left_out"]] == [6]
    assert "Pairs that a person decided: 2" in (in_doubt / "report.html").read_text(encoding="utf-8")


def test_a_decision_that_later_evidence_contradicts_is_held_again(in_doubt: Path, skarvin: Skarvin) -> None:
    skarvin("students")
    decide(in_doubt, "Reyes, Bob", "1")
    with (in_doubt / "export.csv").open("a", encoding="utf-8") as file:
        file.write('022,"Reyes, Robert",Keel,,7\n')
    certain, held, _ = students(skarvin)
    assert (8, 3, "identifier") in certain
    assert held[3][0] == "decision-contradicted"
    edit(in_doubt / "form.csv", "022;Robert Reyes;Keel;\n", "")
    assert students(skarvin)[1][3][0] == "decision-contradicted"


def test_what_a_spreadsheet_does_to_the_file_loses_no_decision(in_doubt: Path, skarvin: Skarvin) -> None:
    skarvin("students")
    decide(in_doubt, "Reyes, Bob", "1")
    file = in_doubt / "pairings.csv"
    rows = [line.split(",") for line in file.read_text(encoding="utf-8-sig").splitlines()]
    assert len(rows) > 2
    text = file.read_text(encoding="utf-8-sig").replace("002,", "2,").replace(",1,\n", ",1.0,\n")
    file.write_bytes((text + ",,,,,,,,\n").encode("cp1252"))
    certain, _, _ = students(skarvin)
    assert (3, 3, "decision") in certain


def test_a_pairings_file_without_its_headings_is_told(in_doubt: Path, skarvin: Skarvin) -> None:
    (in_doubt / "pairings.csv").write_text("a,b\n1,2\n")
    done = skarvin("preview")
    assert (done.code, "the column 'identifier' is missing" in done.err) == (3, True)


def test_a_name_that_a_spreadsheet_would_run_is_made_harmless(in_doubt: Path, skarvin: Skarvin) -> None:
    edit(in_doubt / "export.csv", '"Reyes, Bob"', '"=Reyes, Bob"')
    skarvin("students")
    text = (in_doubt / "pairings.csv").read_text(encoding="utf-8-sig")
    assert "'=Reyes" in text
    decide(in_doubt, "'=Reyes", "1")
    assert (3, 3, "decision") in students(skarvin)[0]


@pytest.mark.usefixtures("in_doubt")
def test_students_can_be_decided_at_the_keyboard(skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    answers = iter(["9", "yes", "1", "later", "stop"])
    monkeypatch.setattr("click.prompt", lambda *_, **__: next(answers))
    done = skarvin("students", "--decide")
    assert "That can't be meant here" in done.out
    assert "what you decided is kept" in done.out
    certain, held, _ = students(skarvin)
    assert (3, 3, "decision") in certain
    assert {5, 6} <= set(held)
    answers = iter(["B", "l", "b", "S", "=nobody", "=004", "Q"])
    done = skarvin("students", "--decide")
    assert list(answers) == []
    assert "Nobody in the form has this identifier" in done.out
    assert "-> " in done.out
    assert "export row 5: " in done.out, "s shows the row as it stands"


def test_somebody_is_searched_for_nobody_is_taken_twice_unasked_and_back_undoes(
    in_doubt: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    def decided() -> dict[str, str]:
        lines = (in_doubt / "pairings.csv").read_text(encoding="utf-8-sig").splitlines()
        return {row[3]: row[-2] for row in csv.reader(lines[1:])}

    skarvin("students")
    first, second, *_ = sorted(decided())
    answers = iter([" /KIM ", "3", "1", "b", "/none of them", "/ha", "3", "/ha", "3", "q"])
    taken = iter([False, False])
    monkeypatch.setattr("click.prompt", lambda *_, **__: next(answers))
    monkeypatch.setattr("click.confirm", lambda *_, **__: next(taken))
    done = skarvin("students", "--decide")
    said = " ".join(done.out.split())
    assert "3. 001 Min-jun Kim Keel, paired with row 2" in said
    assert "001 Min-jun Kim Keel is paired with row 2" in said, "refused: asked for another answer"
    assert "Nobody in the form has 'none of them' in name or number" in said
    assert "3. 005 Layla Haddad Keel" in said
    assert "005 Layla Haddad Keel is paired with row 3" in said, "taken a moment ago"
    assert (decided()[first], decided()[second]) == ("005", ""), "the first answer was taken back"
    assert list(answers) == []
    answers = iter(["/ha", "3", "b", "q"])
    taken = iter([True])
    said = " ".join(skarvin("students", "--decide").out.split())
    assert "005 Layla Haddad Keel is paired with row 3" in said, "decided before, and asked of again"
    assert decided()[second] == "", "what is taken back is no longer kept"


@given(st.text(max_size=8), st.integers(0, 4), st.sampled_from(["", "CODE"]), st.sets(st.sampled_from("bsa/lq")))
def test_a_text_of_ones_own_is_never_a_command_and_a_command_never_a_text(
    typed: str, choices: int, free: str, commands: set[str]
) -> None:
    own = understood(f" ={typed}", choices, free, commands)
    assert own == (Said(text=typed.strip()) if free else None)
    said = understood(typed, choices, free, commands)
    assert said == understood(f"  {typed.upper()} ", choices, free, commands) or typed.strip()[:1] in {
        "=",
        "/",
        "a",
        "A",
    }
    if said and said.choice:
        assert 1 <= said.choice <= choices
    if said and said.command:
        assert said.command in commands
    for number in range(6):
        meant = understood(str(number), choices, free, commands)
        is_own = not choices and free
        assert meant == (Said(text=str(number)) if is_own else Said(choice=number) if 0 < number <= choices else None)


def test_which_students_move_can_be_narrowed(in_doubt: Path, skarvin: Skarvin) -> None:
    edit(in_doubt / "transfer.toml", "only_sections = []", 'only_sections = ["keel"]')
    data = json.loads(skarvin("students", "--json").out)
    assert data["not_to_be_moved"] == [4, 5]
    edit(in_doubt / "transfer.toml", "only = []", 'only = ["001"]')
    assert json.loads(skarvin("students", "--json").out)["not_to_be_moved"] == [3, 4, 5, 6, 7]


def test_identifiers_meet_without_domain_and_dashes(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text(
        "E-mail,Knots (out of 10)\na-b@tw.example,1\ncd@tw.example,2\nef@tw.example,3\n"
    )
    (tmp_path / "form.csv").write_text("Login,Knots [10]\nab,\ncd,\nef,\n")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    data = json.loads(skarvin("preview", "--json").out)
    assert data["fates"]["sent"] == 3
    assert data["students"]["set_aside"] == {"domain": 3, "dashes and spaces inside": 1}


def test_the_users_own_short_forms_count(in_doubt: Path, skarvin: Skarvin) -> None:
    edit(in_doubt / "export.csv", "Reyes, Bob", "Reyes, Xinho")
    assert students(skarvin)[1].get(3, ("", []))[1] in ([], [3])
    edit(in_doubt / "transfer.toml", "[students]", '[students]\nshort_forms = { Robert = ["Xinho"] }')
    assert "xinho" in skarvin("students").out.casefold()
    assert students(skarvin)[1][3] == ("likely", [3])


def test_masked_students_show_no_identity(in_doubt: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(in_doubt / "config"))
    masked = skarvin("students", "--mask").out
    assert not [name for name in ("Reyes", "Bob", "Murch", "Okonkwo", "022", "Haddad") if name in masked]


def fates(skarvin: Skarvin) -> dict[str, int]:
    found: dict[str, int] = json.loads(skarvin("preview", "--json").out)["fates"]
    return {fate: count for fate, count in found.items() if count}


def test_a_roster_leads_from_one_identifier_to_the_other(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Username,Name,Knots (out of 10)\nkim1,Kim Min-jun,1\nrey2,Reyes Luz,2\n")
    (tmp_path / "form.csv").write_text("Registry no,Knots [10]\n001,\n002,\n")
    (tmp_path / "roster.csv").write_text("Registry no,Login,Name\n001,REY2,Reyes Luz\n002,KIM1,Kim Min-jun\n")
    assert skarvin("draft", "export.csv", "form.csv", "--roster", "roster.csv").code == 0
    assert 'source_identifier = "Login"' in (tmp_path / "transfer.toml").read_text()
    assert fates(skarvin) == {"sent": 2}
    assert skarvin("write").code == 0
    assert (tmp_path / "form-import.csv").read_text() == "Registry no,Knots [10]\n001,2\n002,1\n"


def test_a_roster_lends_its_names_to_a_form_that_has_none(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text('Pupil key,Name,Knots (out of 10)\nx1,"Kim, Min-jun",1\nx2,"Reyes, Luz",2\n')
    (tmp_path / "form.csv").write_text("Registry no,Knots [10]\n001,\n002,\n")
    (tmp_path / "roster.csv").write_text("Registry no,Name\n001,Luz Reyes\n002,Min-jun Kim\n")
    assert skarvin("draft", "export.csv", "form.csv", "--roster", "roster.csv").code == 0
    assert fates(skarvin) == {"sent": 2}
    wrong = tmp_path / "wrong.csv"
    wrong.write_text("Registry no,Name\n901,Luz Reyes\n")
    (tmp_path / "transfer.toml").unlink()
    assert skarvin("draft", "export.csv", "form.csv", "--roster", "wrong.csv").code == 3


def test_crosswalks_are_gone_through_in_their_order(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Username,Knots (out of 10)\nkim1,1\nrey2,2\ndia3,3\n")
    (tmp_path / "form.csv").write_text("Registry no,Knots [10]\n001,\n002,\n003,\n")
    (tmp_path / "one.csv").write_text("Username,Card\nkim1,C1\nrey2,C2\ndia3,C3\n")
    (tmp_path / "two.csv").write_text("Card,Registry no\nC1,002\nC2,001\nC3,003\nC3,004\n")
    sides = '[source]\nfile = "export.csv"\nidentifier = "Username"\n[target]\nfile = "form.csv"\nidentifier = "A"\n'
    walks = "".join(f'[[crosswalk]]\nfile = "{file}"\nfrom = "A"\nto = "B"\n' for file in ("one.csv", "two.csv"))
    item = '[[item]]\nfrom = "Knots (out of 10)"\nto = "Knots [10]"\n'
    (tmp_path / "transfer.toml").write_text(f"version = 1\n{sides}{walks}{item}")
    assert fates(skarvin) == {"sent": 2, "held": 1}
    assert students(skarvin)[1][4][0] == "crosswalk-unclear"
    edit(tmp_path / "transfer.toml", 'from = "A"', 'from = "Nothing"')
    assert "there is no column 'Nothing'" in skarvin("preview").err


REPEATED = {
    "hold": ({"held": 4}, ["", ""]),
    "first": ({"sent": 2, "left out": 2}, ["5", "6"]),
    "highest": ({"sent": 2, "left out": 2}, ["8", "6"]),
    "latest": ({"sent": 2, "left out": 2}, ["8", "1"]),
}


@pytest.mark.parametrize("rule", REPEATED)
def test_of_several_rows_for_one_student_the_rule_says_which_counts(
    tmp_path: Path, skarvin: Skarvin, rule: str
) -> None:
    (tmp_path / "export.csv").write_text(
        "No,Name,Knots (out of 10),Ropes (out of 10),Handed in\n001,Kim,5,6,2.3.2026\n001,Kim,8,1,2026-03-04 10:00\n"
    )
    (tmp_path / "form.csv").write_text("No,Knots [10],Ropes [10]\n001,,\n002,,\n")
    skarvin("draft", "export.csv", "form.csv")
    edit(tmp_path / "transfer.toml", "minimum_paired_percent = 50", "minimum_paired_percent = 0")
    edit(tmp_path / "transfer.toml", 'repeated = "hold"', f'repeated = "{rule}"')
    edit(tmp_path / "transfer.toml", 'repeated_by = ""', 'repeated_by = "Handed in"')
    expected, marks = REPEATED[rule]
    if rule != "hold":
        assert fates(skarvin) == expected
        assert skarvin("write").code == 0
        assert (tmp_path / "form-import.csv").read_text().splitlines()[1] == f"001,{marks[0]},{marks[1]}"
    else:
        refused = skarvin("preview")
        assert (refused.code, "repeated_by has no effect here" in refused.err) == (3, True)


def test_rows_of_two_people_with_one_identifier_are_held_whatever_the_rule(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Name,Knots (out of 10)\n001,Kim Nour,5\n001,Reyes Luz,8\n002,Diallo,7\n")
    (tmp_path / "form.csv").write_text("No,Knots [10]\n001,\n002,\n")
    skarvin("draft", "export.csv", "form.csv")
    edit(tmp_path / "transfer.toml", "minimum_paired_percent = 50", "minimum_paired_percent = 0")
    edit(tmp_path / "transfer.toml", 'repeated = "hold"', 'repeated = "first"')
    assert fates(skarvin) == {"sent": 1, "held": 2}
    edit(tmp_path / "transfer.toml", 'repeated = "first"', 'repeated = "latest"')
    assert "can't be told without dates" in skarvin("preview").err


def test_an_export_is_written_again_with_the_targets_identifiers(in_doubt: Path, skarvin: Skarvin) -> None:
    assert skarvin("students", "--enrich", "more.csv").code == 1
    before, after = ((in_doubt / name).read_text(encoding="utf-8").splitlines() for name in ("export.csv", "more.csv"))
    added = ["Registry no", "001", "", "003", "", "", ""]
    assert after == [f"{line},{more}" for line, more in zip(before, added, strict=True)]
    assert skarvin("students", "--enrich", "more.csv").code == 4
    assert skarvin("students", "--enrich", "export.csv", "--replace").code == 4
    assert skarvin("students", "--enrich", "more.csv", "--replace").code == 1


def test_an_export_that_is_a_workbook_is_written_again_as_text(tmp_path: Path, skarvin: Skarvin) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["Learner no", "Name", "Knots (out of 10)"], ["a1", "Kim Nour", 5], ["a2", "Sá, Ana", 7]):
        sheet.append(row)
    book.save(tmp_path / "export.xlsx")
    (tmp_path / "form.csv").write_text("Registry no;Knots [10]\nA2;\nA1;\n", encoding="utf-8")
    assert skarvin("draft", "export.xlsx", "form.csv").code == 0
    assert skarvin("students", "--enrich", "more.csv").code == 0
    lines = (tmp_path / "more.csv").read_text(encoding="utf-8-sig").splitlines()
    assert lines[1:] == ["a1,Kim Nour,5,A1", 'a2,"Sá, Ana",7,A2']


def test_namesakes_two_sections_and_students_who_left_are_worth_knowing(in_doubt: Path, skarvin: Skarvin) -> None:
    with (in_doubt / "export.csv").open("a", encoding="utf-8") as file:
        file.write('011,"Kim, Min-jun",Mast,,7\n005,"Diallo, Nour",Mast,,7\n')
    with (in_doubt / "form.csv").open("a", encoding="utf-8") as file:
        file.write("099;Haruka Tanaka;Keel;\n")
    notes = {one["slug"]: one["what"] for one in json.loads(skarvin("students", "--json").out)["notes"]}
    assert "rows 2 and 8" in notes["namesakes"]
    assert "rows 6 and 9" in notes["two-sections"]
    assert notes["may-have-left"].endswith("may have left: row 7")
    skarvin("write")
    assert "Worth knowing" in (in_doubt / "report.html").read_text(encoding="utf-8")
    assert "in two sections" in skarvin("preview").out


def test_a_further_identifier_pairs_whom_the_first_leaves_or_contradicts_it(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text(
        "No,E-mail,Knots (out of 10)\n001,a@x.example,1\n,b@x.example,2\n003,d@x.example,3\n004,,4\n"
    )
    (tmp_path / "form.csv").write_text(
        "No,Mail,Knots [10]\n001,a@x.example,\n002,b@x.example,\n003,c@x.example,\n004,d@x.example,\n"
    )
    skarvin("draft", "export.csv", "form.csv")
    with (tmp_path / "transfer.toml").open("a") as file:
        file.write('[[also]]\nfrom = "E-mail"\nto = "Mail"\n')
    certain, held, _ = students(skarvin)
    assert certain == [(2, 2, "identifier"), (3, 3, "identifier"), (5, 5, "identifier")]
    assert held[4][0] == "conflicting-identity"
    edit(tmp_path / "transfer.toml", 'to = "Mail"', 'to = "Male"')
    assert "did you mean 'Mail'?" in skarvin("students").err


def test_a_leaving_year_speaks_against_a_namesake(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text(
        "No,Name,Leaving year,Knots (out of 10)\n,Kim Nour,2026,1\n2,Reyes Luz,2026,2\n"
    )
    (tmp_path / "form.csv").write_text("No,Name,Year of leaving,Knots [10]\n1,Kim Nour,2027,\n2,Reyes Luz,2026,\n")
    skarvin("draft", "export.csv", "form.csv")
    certain, held, _ = students(skarvin)
    assert (certain, held[2][0]) == ([(3, 3, "identifier")], "name-alone")
    assert "another leaving year" in skarvin("students").out


def test_the_highest_of_several_marks_is_found_as_the_item_reads_them(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = "001;Kim;17,5;60%\n001;Kim;9;12/20\n002;Reyes;8,5;1O\n002;Reyes;7;18\n"
    (tmp_path / "export.csv").write_text(f"No;Name;Knots (out of 20);Ropes (out of 20)\n{rows}")
    (tmp_path / "form.csv").write_text("No;Knots [20];Ropes [20]\n001;;\n002;;\n")
    skarvin("draft", "export.csv", "form.csv")
    edit(tmp_path / "transfer.toml", 'repeated = "hold"', 'repeated = "highest"')
    assert skarvin("write").code == 1
    assert (tmp_path / "form-import.csv").read_text().splitlines()[1:] == ["001;17.5;12", "002;8.5;"]
    assert fates(skarvin) == {"sent": 3, "held": 1, "left out": 4}


def test_students_who_are_only_narrowed_out_have_not_left(in_doubt: Path, skarvin: Skarvin) -> None:
    edit(in_doubt / "transfer.toml", "only = []", 'only = ["001"]')
    notes = {one["slug"]: one["what"] for one in json.loads(skarvin("students", "--json").out)["notes"]}
    assert "row 4" not in notes.get("may-have-left", "")
    assert "row 6" not in notes.get("may-have-left", "")
