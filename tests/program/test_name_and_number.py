"""Exports, forms and lists in which a student's name and number stand in one cell."""

import csv
import json
import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Skarvin, edit
from skarvin.core.layout.name_with_number import hold_both, name_and_number, together

PEOPLE = [
    ("Reyes, Ana María", "B1203"),
    ("Okafor, Chidi", "B1204"),
    ("Reyes, Ana Maria", "B1310"),
    ("Ó Murchú, Síle", "B1401"),
    ("van den Berg-Núñez, Joost", "B1402"),
]
STYLES = ("{name} ({number})", "{name} [{number}]", "{number} - {name}", "{number}: {name}", "{number} {name}")


@pytest.mark.parametrize(
    ("text", "name", "number"),
    [
        ("Okafor, Chidi (B1204)", "Okafor, Chidi", "B1204"),
        ("0012 – Ece Yıldız", "Ece Yıldız", "0012"),
        ("Li, Mei (mli@tide.example)", "Li, Mei", "mli@tide.example"),
        ("  Kim Nour[17/204] ", "Kim Nour", "17/204"),
        ("Kim (2)", "Kim (2)", ""),  # which Kim, and no number of hers
        ("Robert (Bob) Sá", "Robert (Bob) Sá", ""),
        ("Apprentice 12", "Apprentice 12", ""),
        ("Apprentice 12 (B1204)", "Apprentice 12 (B1204)", ""),  # which of them is the number isn't certain
        ("B1204", "B1204", ""),
        ("(B1204)", "(B1204)", ""),
        ("Ana (B1204) Reyes", "Ana (B1204) Reyes", ""),
        ("a" * 100_000, "a" * 100_000, ""),
        ("1" * 100_000, "1" * 100_000, ""),
        ("a1" + " " * 100_000 + "(", "a1" + " " * 100_000 + "(", ""),
        ("", "", ""),
    ],
)
def test_a_cell_has_a_name_and_a_number_or_a_name(text: str, name: str, number: str) -> None:
    assert name_and_number(text) == (name, number)


@given(st.sampled_from(PEOPLE), st.sampled_from(PEOPLE), st.sampled_from(STYLES))
def test_what_is_put_together_in_the_way_of_a_cell_is_told_apart_again(
    one: tuple[str, str], other: tuple[str, str], style: str
) -> None:
    like = style.format(name=other[0], number=other[1])
    text = together(*one, like)
    assert text == style.format(name=one[0], number=one[1])
    assert name_and_number(text) == one
    assert name_and_number(together(*one)) == one


def test_cells_hold_both_from_four_in_five_on_with_numbers_of_their_own() -> None:
    both, bare = [STYLES[0].format(name=name, number=number) for name, number in PEOPLE], "Lindqvist, Åke"
    assert hold_both([*both[:4], bare, "", "  "])
    assert not hold_both([*both[:3], bare])
    assert hold_both([*both[:4], both[0]])
    assert not hold_both([*both[:3], both[0]])
    assert not hold_both([both[0], ""])
    assert not hold_both([])


def lay_out(folder: Path, style: str, *, is_form: bool) -> None:
    """Write an export of five and a form of four, of which one says name and number in one cell."""
    both = [style.format(name=name, number=number) for name, number in PEOPLE]
    apart = [f"{number};{name}" for name, number in PEOPLE]
    heads = ("Learner", "Roll no;Name")
    ours, theirs = (apart, both) if is_form else (both, apart)
    mine, other = heads[::-1] if is_form else heads
    marks = ["8", "7.5", "absent", "10", "3"]
    rows = [f"{who};{mark}" for who, mark in zip(ours, marks, strict=True)]
    (folder / "export.csv").write_text("\n".join([f"{mine};Knots (out of 10)", *rows, ""]), encoding="utf-8")
    rows = [f"{who};" for who in reversed(theirs[:4])]
    (folder / "form.csv").write_text("\n".join([f"{other};Knots (out of 10)", *rows, ""]), encoding="utf-8")


@pytest.mark.parametrize("style", STYLES)
@pytest.mark.parametrize("is_form", [False, True])
def test_marks_move_by_the_number_in_the_cell_and_rows_are_made_in_its_way(
    tmp_path: Path, skarvin: Skarvin, style: str, is_form: bool
) -> None:
    lay_out(tmp_path, style, is_form=is_form)
    run = skarvin("draft", "export.csv", "form.csv", "--status", "absent=A")
    assert (run.code, "4 of 5 students are in both" in " ".join(run.out.split())) == (0, True)
    edit(tmp_path / "transfer.toml", 'add = "nobody"', 'add = "below"')
    run = skarvin("write")
    assert run.code == 0, run.err
    rows = list(csv.reader((tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines(), delimiter=";"))
    made = [style.format(name=name, number=number) for name, number in PEOPLE] if is_form else [n for _, n in PEOPLE]
    assert [(row[0], row[-1]) for row in rows[1:]] == list(
        zip([*made[3::-1], made[4]], ["10", "A", "7.5", "8", "3"], strict=True)
    )
    (tmp_path / "fresh.csv").write_bytes(b"\xef\xbb\xbf" + (tmp_path / "form-import.csv").read_bytes())
    assert "All 5 marks that were sent have arrived." in skarvin("confirm", "fresh.csv").out
    shown = skarvin("preview", "--mask", "--all").out
    assert not [word for name, number in PEOPLE for word in (*name.split(", "), number) if word in shown]


def test_a_roster_and_a_list_of_people_are_read_alike(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = [STYLES[0].format(name=name, number=number) for name, number in PEOPLE]
    (tmp_path / "list.csv").write_text("Learner;Class\n" + "".join(f"{row};A\n" for row in rows), encoding="utf-8")
    (tmp_path / "roster.csv").write_text("number;family;given\n", encoding="utf-8")
    assert skarvin("roster", "list.csv", "--form", "roster.csv").code == 0
    written = (tmp_path / "roster-roster.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert written == [f"{number};{';'.join(name.split(', '))}" for name, number in PEOPLE]
    lay_out(tmp_path, STYLES[0], is_form=False)
    assert skarvin("draft", "export.csv", "form.csv", "--status", "absent=A").code == 0
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    (tmp_path / "only.csv").write_text(f"Learner;Class\n{rows[0]};A\n{rows[2]};A\n", encoding="utf-8")
    (tmp_path / "transfer.toml").write_text(f'{text}\n[[list]]\nfile = "only.csv"\n', encoding="utf-8")
    assert skarvin("write").code <= 1
    lines = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()
    assert [line.rpartition(";")[2] for line in lines[1:]] == ["", "A", "", "8"]


def test_beside_a_number_of_their_own_such_cells_are_names_and_parts_of_names_are_better(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rows = [f"{70 + at};{name} ({number});8;" for at, (name, number) in enumerate(PEOPLE)]
    head = "Roll no;Learner;Knots (out of 10);Remark"
    (tmp_path / "export.csv").write_text("\n".join([head, *rows, ""]), encoding="utf-8")
    rows = [f"{70 + at};{name};" for at, (name, _) in enumerate(PEOPLE)]
    (tmp_path / "form.csv").write_text("\n".join(["Roll no;Name;Knots (out of 10)", *rows, ""]), encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert json.loads(skarvin("students", "--json").out)["names_differ"] == []
    assert not [number for _, number in PEOPLE if number in skarvin("students", "--all").out]
    rows = [f"{name.replace(', ', ';')};{name} ({number});8" for name, number in PEOPLE]
    head = "Family name;Given name;Learner;Knots (out of 10)"
    (tmp_path / "parts.csv").write_text("\n".join([head, *rows, ""]), encoding="utf-8")
    read = json.loads(skarvin("look", "parts.csv", "--json").out)["columns"]
    assert [one["taken_for"] for one in read] == ["family name", "given name", "name and number", "item"]
    assert skarvin("draft", "parts.csv", "form.csv", "-t", "two.toml", "--pair", "Learner=Roll no").code == 0
    assert "Okafor Chidi" in skarvin("students", "-t", "two.toml", "--all").out


def test_a_remark_is_none_and_a_person_may_say_otherwise(tmp_path: Path, skarvin: Skarvin) -> None:
    rows = [f"{number};{8};moved here ({number}x)" for _, number in PEOPLE]
    (tmp_path / "export.csv").write_text("\n".join(["Roll no;Knots (out of 10);Remark", *rows, ""]), encoding="utf-8")
    read = json.loads(skarvin("look", "export.csv", "--json").out)["columns"]
    assert [one["taken_for"] for one in read] == ["student number", "item", "comment"]
    lay_out(tmp_path, STYLES[0], is_form=False)
    assert skarvin("draft", "export.csv", "form.csv", "--use", "Learner=full name", "--status", "absent=A").code == 0
    told = tomllib.loads((tmp_path / "transfer.toml").read_text(encoding="utf-8"))["source"]
    assert (told["uses"], told["identifier"]) == ({"Learner": "full name"}, "?")


def test_who_is_added_is_named_as_the_others_are(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, STYLES[1], is_form=True)
    text = (tmp_path / "form.csv").read_text(encoding="utf-8")
    for name, _ in PEOPLE:
        text = text.replace(name, " ".join(reversed(name.split(", "))))
    (tmp_path / "form.csv").write_text(text, encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--status", "absent=A").code == 0
    edit(tmp_path / "transfer.toml", 'add = "nobody"', 'add = "below"')
    assert skarvin("write").code == 0
    last = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[-1]
    assert last == "Joost van den Berg-Núñez [B1402];3"


def test_classes_find_their_forms_and_lines_their_students_by_such_cells(tmp_path: Path, skarvin: Skarvin) -> None:
    for folder in ("exports", "forms"):
        (tmp_path / folder).mkdir()
    for day, name in (("monday", "two"), ("friday", "one")):
        people = [(person, f"{name[0]}{number}") for person, number in PEOPLE]
        rows = [f"{person} ({number});8" for person, number in people]
        (tmp_path / "exports" / f"{day}.csv").write_text("\n".join(["Learner;Knots (out of 10)", *rows, ""]), "utf-8")
        rows = [f"{number};" for _, number in people]
        (tmp_path / "forms" / f"{name}.csv").write_text("\n".join(["Roll no;Knots (out of 10)", *rows, ""]), "utf-8")
    run = skarvin("draft", "exports", "forms", "--each")
    assert (run.code, run.out.count("5 students in both")) == (0, 2)
    (tmp_path / "export.csv").write_bytes((tmp_path / "exports" / "monday.csv").read_bytes())
    lines = [f"t{number};{title};" for _, number in PEOPLE for title in ("Knots", "Sails")]
    (tmp_path / "form.csv").write_text("\n".join(["Wer;Component;Score", *lines, ""]), encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code == 0
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert written == [line + ("8" if "Knots" in line else "") for line in lines]


def test_with_a_second_export_corrections_and_a_second_write_each_mark_finds_its_student(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    marks = ["8", "7,5", "1O", "10"]
    rows = [f"{name} [{number}];{mark}" for (name, number), mark in zip(PEOPLE, marks, strict=False)]
    (tmp_path / "one.csv").write_text("\n".join(["Learner;Knots /20", *rows, ""]), encoding="utf-8")
    rows = [f"{number};{name};{at}" for at, (name, number) in enumerate(PEOPLE[:4])]
    (tmp_path / "two.csv").write_text("\n".join(["Code;Full name;Sails /20", *rows, ""]), encoding="utf-8")
    rows = [f"{number} - {name};;" for name, number in reversed(PEOPLE[:4])]
    (tmp_path / "form.csv").write_text("\n".join(["Learner;Knots /20;Sails /20", *rows, ""]), encoding="utf-8")
    assert skarvin("draft", "one.csv", "two.csv", "form.csv").code == 0
    assert skarvin("write").code == 1
    edit(tmp_path / "held.csv", "(perhaps 10),,,", "(perhaps 10),M. Sá,seen,12")
    assert skarvin("write", "--replace").code == 0
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert [line.split(";")[1:] for line in written] == [["10", "3"], ["12", "2"], ["7.5", "1"], ["8", "0"]]
    (tmp_path / "fresh.csv").write_bytes((tmp_path / "form-import.csv").read_bytes() + b"\n")
    assert "All 8 marks that were sent have arrived." in skarvin("confirm", "fresh.csv").out
    assert "8 same, 8 left out. Nothing new is sent." in " ".join(skarvin("write", "--replace").out.split())


def test_rows_after_a_sample_are_written_in_its_way(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "sample.csv").write_text("Learner;Knots\nExample, Max [11111];5\nSample, Eva [22222];7\n")
    rows = [f"{number};{name};8" for name, number in PEOPLE]
    (tmp_path / "export.csv").write_text("\n".join(["Roll no;Name;Knots", *rows, ""]), encoding="utf-8")
    assert skarvin("draft", "export.csv", "sample.csv", "--sample").code == 0
    assert skarvin("write").code == 0
    written = (tmp_path / "sample-import.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert written == [f"{STYLES[1].format(name=name, number=number)};8" for name, number in PEOPLE]
