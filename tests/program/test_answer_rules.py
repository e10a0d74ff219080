"""Answers of another school's quiz: choices, keys, texts, and what nothing means; through the built program."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, column, edit

EXPORT = """\
Matrikel;Name;Frage 1: Welche Balken?;Bewertung 1;Frage 2: Spannung?;Bewertung 2;Frage 3: Welches Holz?;Bewertung 3
S-101;Bauer, Jo;"A; C";teilweise richtig;12,5 kN;richtig;B;richtig
S-102;Nwosu, Ada;"A; B; C";richtig;12 kN;falsch;C;falsch
S-103;Öz, Can;B;falsch;-12,5 kN;falsch;A;falsch
S-104;Lund, Ida;"C; D";falsch;11,5 kN;falsch;B;richtig
S-105;Kim, Nour;;falsch;keine Antwort;falsch;;
S-106;Tran, Vy;"A; C";teilweise richtig;;falsch;B;richtig
S-107;Roy, Abir;D;falsch;12,50 kN;richtig;"B; C";falsch
S-108;Sand, Eli;"A; B";falsch;12,5 kN;richtig;B;richtig
"""
KEYS = {
    "a line a question": "Nr;Lösung\n1;A;B\n".replace(";A;B", ";ABC") + "2;12,5\n3;B\n",
    "another order and more columns": 'Punkte,Correct answer,Item\n3,A+B+C,Q1\n2,"12,5",Q2\n1,B,Q3\n',
    "no headings": "1;ABC\n2;12,5\n3;B\n",
    "the right answers alone, several lines": "Frage;Antwort\n1;ABC\n2;12,5\n3;B\n",
    "a line an answer": 'Frage,Buchstabe,korrekt\n1,ABC,ja\n1,D,nein\n2,"12,5",ja\n3,B,ja\n3,C,nein\n3,A,nein\n',
}


def words(text: str) -> str:
    return " ".join(text.split())


@pytest.fixture
def quiz(tmp_path: Path) -> Path:
    (tmp_path / "quiz.csv").write_text(EXPORT, encoding="utf-8")
    form = "Kandidat;Q1;Q2;Q3\n" + "".join(f"S-10{number};;;\n" for number in range(1, 9))
    (tmp_path / "form.csv").write_text(form, encoding="utf-8")
    return tmp_path


@pytest.mark.parametrize("kind", KEYS)
def test_a_quiz_of_another_school_is_drafted_with_whatever_key(quiz: Path, skarvin: Skarvin, kind: str) -> None:
    (quiz / "key.csv").write_text(KEYS[kind], encoding="utf-8")
    assert skarvin("draft", "quiz.csv", "form.csv", "--key", "key.csv").code == 0
    plan = (quiz / "transfer.toml").read_text(encoding="utf-8")
    assert 'from = "Bewertung' not in plan  # columns of verdicts are never items
    assert (plan.count('choose = "several"'), plan.count('choose = "one"')) == (1, 1)
    assert skarvin("write").code == 1
    assert [column(quiz, place) for place in (1, 2, 3)] == [
        ["AC", "ABC", "B", "CD", "", "AC", "D", "AB"],
        ["12.5", "12", "", "11.5", "", "", "12.5", "12.5"],
        ["B", "C", "A", "B", "", "B", "", "B"],
    ]
    out = words(skarvin("preview", "--all").out)
    assert "'B; C' chooses B and C, and one choice is allowed" in out
    assert "'-12,5 kN' is below zero" in out
    assert "match the key on" in out


def test_skipped_never_seen_and_blank_are_told_apart(quiz: Path, skarvin: Skarvin) -> None:
    skarvin("draft", "quiz.csv", "form.csv")
    edit(quiz / "transfer.toml", 'no_answer = ["no answer", "-"]', 'no_answer = ["keine Antwort"]')
    out = words(skarvin("preview").out)
    assert "Answered nothing: Kim, Nour (row 6); 2 skipped and 1 never seen." in out
    data = json.loads(skarvin("preview", "--json").out)
    reasons = [{one["reason"]: one["count"] for one in item["reasons"]} for item in data["items"]]
    assert [sum(count for why, count in item.items() if why.startswith("skipped")) for item in reasons] == [1, 2, 0]
    assert data["answers"]["answered_nothing"] == [{"row": 6, "skipped": 2, "never_seen": 1, "blank": 0}]


def test_without_results_a_blank_is_only_blank(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "quiz.csv").write_text("No,Answer 1,Answer 2\n101,A,B\n102,,\n103,B,A\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("No;Q1;Q2\n101;;\n102;;\n103;;\n", encoding="utf-8")
    skarvin("draft", "quiz.csv", "form.csv")
    out = words(skarvin("preview").out)
    assert "Answered nothing: 102 (row 3); 2 blank." in out
    assert "skipped" not in out
    assert "ever seen" not in out


def test_several_choices_become_a_row_of_signs_and_are_read_from_one(quiz: Path, skarvin: Skarvin) -> None:
    skarvin("draft", "quiz.csv", "form.csv")
    edit(quiz / "transfer.toml", 'write = "as offered"', 'write = "signs"')
    assert skarvin("write").code == 1
    assert column(quiz, 1) == ["1010", "1110", "0100", "0011", "", "1010", "0001", "1100"]
    edit(quiz / "transfer.toml", 'write = "signs"', 'write = "as offered"')
    edit(quiz / "quiz.csv", '"A; C";teil', "1010;teil")
    assert skarvin("write", "--replace").code == 1
    assert column(quiz, 1)[0] == "AC"
    edit(quiz / "transfer.toml", 'labels = "ABCD"', 'labels = ""\nwrite = "signs"')
    assert "needs the labels that the question offers" in words(skarvin("preview").err)


@pytest.mark.parametrize(
    ("rows_for", "expected"), [("answered", ["101"]), ("opened", ["101", "102"]), ("everyone", ["101", "102", "103"])]
)
def test_only_those_who_opened_it_get_a_row_where_wanted(
    tmp_path: Path, skarvin: Skarvin, rows_for: str, expected: list[str]
) -> None:
    export = "No,Name,Answer 1,Points 1\n101,Ito Ren,A,1\n102,Sá Luz,no answer,0\n103,Roy Abir,,\n"
    (tmp_path / "quiz.csv").write_text(export, encoding="utf-8")
    (tmp_path / "form.csv").write_text("No;Q1\n", encoding="utf-8")
    skarvin("draft", "quiz.csv", "form.csv")
    edit(tmp_path / "transfer.toml", "[answers] ", f'[answers]\nrows_for = "{rows_for}"\n#')
    assert skarvin("write").code == 0
    assert column(tmp_path, 0) == expected


FORMS = {
    "in the heading": 'Nr;"Q1: Welches? A) Kiel; B) Dollbord; C) die Spante"\nS-101;\nS-102;\nS-103;\n',
    "in its cells": "Nr;Q1\nS-101;C. die Spante\nS-102;A. Kiel\nS-103;B. Dollbord\n",
}


@pytest.mark.parametrize("where", FORMS)
def test_answers_are_coded_by_their_texts_where_both_sides_state_them(
    tmp_path: Path, skarvin: Skarvin, where: str
) -> None:
    export = "Nr;Name;Frage 1: Welches?\nS-101;Ito;A) die Spante\nS-102;Sá;B) Kiel\nS-103;Roy;C) das Deck\n"
    (tmp_path / "quiz.csv").write_text(export, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORMS[where], encoding="utf-8")
    assert skarvin("draft", "quiz.csv", "form.csv").code == 0
    assert "match_texts = true" in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert skarvin("write").code == 1
    assert [text[:1] for text in column(tmp_path, 1)][:2] == ["C", "A"]
    assert "'C) das Deck' is the text of none of the form's answers" in words(skarvin("preview").out)


def test_an_answer_file_without_headings_and_of_fixed_width(quiz: Path, skarvin: Skarvin) -> None:
    skarvin("draft", "quiz.csv", "form.csv")
    plan = quiz / "transfer.toml"
    edit(plan, "width = 0", "answer_width = 4")
    plan.write_text(
        plan.read_text(encoding="utf-8").replace("[target]", "[target]\nheadings = false"), encoding="utf-8"
    )
    assert skarvin("write").code == 1
    lines = (quiz / "form-import.csv").read_text(encoding="utf-8").splitlines()
    assert (len(lines), lines[0]) == (8, "S-101;AC  ;12.5;B   ")
