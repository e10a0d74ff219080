"""Workbooks with a sheet for each student, of made-up schools: points or crosses beside criteria."""

import json
import random
from pathlib import Path
from typing import NamedTuple

import openpyxl
import pytest
import xlsxwriter

from conftest import Skarvin, as_exported, column, edit

PEOPLE = ["Łucja Nowak", "Emi Sato", "Chidi Abara", "Síle O'Neill", "Jan Dąbrowski", "Ana de la Cruz", "Bayo Adeyemi"]


class School(NamedTuple):
    """How a school writes its sheets; `levels` are crossed, where there are any."""

    title: str
    name: str
    number: str
    head: tuple[str, ...]
    items: tuple[str, ...]
    total: str = ""
    levels: tuple[str, ...] = ()


PLANING, HULL = ("Planing", "Joints", "Finish"), ("Casco", "Vela", "Nudos", "Mástil")
SIGNS, LETTERS = ("++", "+", "o", "-"), ("A", "B", "C", "D")
SCHOOLS = {
    "en": School("Practical assessment", "Name:", "Student no.", ("Criterion", "Points"), PLANING, "Total"),
    "de": School("Bewertungsbogen", "Name", "Matrikelnummer", ("Kriterium",), ("Hobeln", "Fügen"), "", SIGNS),
    "es": School("Hoja de evaluación", "Apellidos y nombre", "Nº", ("Criterio", "Nota"), HULL),
    "pl": School("Karta oceny", "Imię i nazwisko", "Nr albumu", ("Kryterium", "Punkty"), ("Kadłub", "Żagiel"), "Razem"),
    "fr": School("Fiche", "Nom", "N° élève", ("Critère",), ("Coque", "Voile", "Nœuds"), "", LETTERS),
}


def workbook(file: Path, school: School, seed: int) -> dict[str, list[str]]:
    """Write a sheet for each student, one of them a row longer at its top; return the marks by number."""
    draw, marks = random.Random(seed), {}
    with xlsxwriter.Workbook(str(file)) as book:
        book.add_worksheet("Help").write_column(0, 0, ["How to fill in these sheets", "Ask the office"])
        for at, name in enumerate(PEOPLE):
            sheet = book.add_worksheet(f"{at + 1}")
            number = f"{at + 2011:05}"
            moved = at == 3
            rows: list[list[str | int]] = [[school.title], [school.name, name], [school.number, number], []]
            rows += [["(again in May)"]] if moved else []
            rows.append([*school.head, *school.levels])
            own: list[str] = []
            for item in school.items:
                if school.levels:
                    level = draw.randrange(len(school.levels))
                    rows.append([item, *["x" if place == level else "" for place in range(len(school.levels))]])
                    own.append(school.levels[level])
                else:
                    own.append(str(draw.randint(0, 10)))
                    rows.append([item, int(own[-1])])
            if school.total:
                rows.append([school.total, sum(map(int, own)) + (at == 2)])
            for place, cells in enumerate(rows):
                sheet.write_row(place, 0, [cell if cell != "" else None for cell in cells])
            marks[number] = own
    return marks


def drafted(folder: Path, skarvin: Skarvin, school: School, *more: str) -> str:
    numbers = [f"{at + 2011:05}" for at in range(len(PEOPLE))]
    rows = [f"{number};{name}{';' * len(school.items)}" for number, name in zip(numbers, PEOPLE, strict=True)]
    text = "\n".join([f"Id;Name;{';'.join(school.items)}", *rows, ""])
    (folder / "form.csv").write_text(text, encoding="utf-8")
    run = skarvin("draft", "export.xlsx", "form.csv", *more)
    assert run.code == 0, run.err
    return " ".join(run.out.split())


@pytest.mark.parametrize("name", sorted(SCHOOLS))
def test_each_sheet_is_a_student_and_each_criterion_an_item(tmp_path: Path, skarvin: Skarvin, name: str) -> None:
    school = SCHOOLS[name]
    marks = workbook(tmp_path / "export.xlsx", school, seed=5)
    said = drafted(tmp_path, skarvin, school)
    assert "sheet 1 of export.xlsx is no student's like the others, and not read" in said
    assert skarvin("write").code == 0
    for place, _ in enumerate(school.items):
        assert column(tmp_path, place + 2) == [own[place] for own in marks.values()]
    assert "7 sheets of students" in skarvin("preview").out
    if school.total:
        assert "matches for 6 students and differs for 1 student" in " ".join(skarvin("preview").out.split())


def test_a_sheet_s_own_name_is_a_student_s_only_if_it_looks_like_one(tmp_path: Path, skarvin: Skarvin) -> None:
    for titles, is_called in ((["Kim Nour", "Ana Sá", "Ida Lund"], True), (["Form 1", "Form 2", "Form 3"], False)):
        with xlsxwriter.Workbook(str(tmp_path / "export.xlsx")) as book:
            for at, title in enumerate(titles):
                sheet = book.add_worksheet(title)
                for row, cells in enumerate((["Student no.", f"20{at}1"], [], ["Knots", at + 3], ["Sails", 8 - at])):
                    sheet.write_row(row, 0, cells)
        assert [title in skarvin("look", "export.xlsx", "--all").out for title in titles] == [is_called] * 3


@pytest.mark.parametrize(
    ("name", "ending"), [("de", "html"), ("en", "xlsx"), ("es", "html"), ("fr", "xlsx"), ("pl", "html")]
)
def test_a_folder_with_a_form_for_each_student_is_the_same(
    tmp_path: Path, skarvin: Skarvin, name: str, ending: str
) -> None:
    school = SCHOOLS[name]
    marks = workbook(tmp_path / "all.xlsx", school, seed=7)
    folder = tmp_path / "export.xlsx"  # a folder may be called as it likes
    folder.mkdir()
    for at, sheet in enumerate(openpyxl.load_workbook(tmp_path / "all.xlsx").worksheets):
        rows = [["" if cell is None else str(cell) for cell in row] for row in sheet.iter_rows(values_only=True)]
        file = folder / f"form {chr(97 + 7 * at % 26)}.{ending}"
        if ending == "html":
            cells = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows)
            file.write_text(f"<html><table>{cells}</table></html>", encoding="utf-8")
            continue
        with xlsxwriter.Workbook(str(file)) as book:
            page = book.add_worksheet("Form")
            for place, row in enumerate(rows):
                page.write_row(place, 0, [cell or None for cell in row])
    said = drafted(tmp_path, skarvin, school)
    assert f"form a.{ending} of export.xlsx is no student's like the others, and not read" in said
    assert skarvin("write").code == 0
    for place, _ in enumerate(school.items):
        assert column(tmp_path, place + 2) == [own[place] for own in marks.values()]
    assert "7 files of students" in skarvin("preview").out
    assert "changed since" not in skarvin().out
    (folder / f"form h.{ending}").write_bytes((folder / f"form o.{ending}").read_bytes())
    assert "changed since: export.xlsx" in skarvin().out


def test_levels_become_marks_by_a_scale_that_is_asked_for(tmp_path: Path, skarvin: Skarvin) -> None:
    school = SCHOOLS["de"]
    marks = workbook(tmp_path / "export.xlsx", school, seed=5)
    said = drafted(tmp_path, skarvin, school, "--to-out-of", "10")
    assert "to answer" in said
    values = {"++": "100", "+": "80", "o": "50", "-": "0"}
    for sign, mark in values.items():
        text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
        keys = (f'"{sign}" =', f"{sign} =")
        lines = [f'"{sign}" = {mark}' if line.startswith(keys) else line for line in text.split("\n")]
        (tmp_path / "transfer.toml").write_text("\n".join(lines), encoding="utf-8")
    assert skarvin("write").code == 0
    points = {"++": "10", "+": "8", "o": "5", "-": "0"}
    for place in range(2):
        assert column(tmp_path, place + 2) == [points[own[place]] for own in marks.values()]


def test_a_sheet_that_does_not_fit_is_named_and_what_it_says_is_not_lost(tmp_path: Path, skarvin: Skarvin) -> None:
    school = SCHOOLS["es"]
    marks = workbook(tmp_path / "export.xlsx", school, seed=2)
    book = openpyxl.load_workbook(tmp_path / "export.xlsx")
    book["2"]["A7"], book["4"]["B8"] = "Remos", "1O"
    book.save(tmp_path / "export.xlsx")
    said = drafted(tmp_path, skarvin, school)
    assert "1 sheet differs from the others: sheet 3 lacks 'Vela' and has marks beside no title in row 7" in said
    run = skarvin("write")
    assert run.code == 1
    assert "1 mark (B8 of sheet 5)" in " ".join(run.out.split())
    assert column(tmp_path, 3) == ["" if at in {1, 3} else own[1] for at, own in enumerate(marks.values())]
    held = (tmp_path / "held.csv").read_text(encoding="utf-8-sig")
    assert "B8 of sheet 5,02014" in held
    edit(tmp_path / "held.csv", "(perhaps 10),,,", "(perhaps 10),M. S,on paper,10")
    assert skarvin("write", "--replace").code == 0
    assert skarvin("confirm", as_exported()).code == 0


def test_two_crosses_in_one_line_are_held_at_their_place_and_nobody_is_named(tmp_path: Path, skarvin: Skarvin) -> None:
    school = SCHOOLS["fr"]
    workbook(tmp_path / "export.xlsx", school, seed=2)
    book = openpyxl.load_workbook(tmp_path / "export.xlsx")
    book["1"]["B6"] = book["1"]["C6"] = "x"
    book.save(tmp_path / "export.xlsx")
    drafted(tmp_path, skarvin, school)
    assert skarvin("write").code == 1
    marks = json.loads((tmp_path / "ledger.json").read_bytes())["marks"]["list"]
    (held,) = [one for one in marks if one["fate"] == "held"]
    assert (held["mark"], held["row"], held["mark_row"]) == ("crosses at A and B", 2, 6)
    shown = skarvin("preview", "--all", "--mask").out
    assert "B6 of sheet 2" in skarvin("preview", "--all").out
    assert "B6" not in shown
    assert "sheet 2" not in shown
    assert not [name for name in PEOPLE if name.split()[0] in shown]


@pytest.mark.parametrize(
    ("told", "says"),
    [
        ('{ items = "6", marks = "B" }', "'6' is no cell"),
        ('{ items = "A60:A70", marks = "B", name = "B2" }', "no sheet has titles in A60:A70"),
        ('{ items = "A6:A9" }', "marks"),
    ],
)
def test_what_is_said_of_the_sheets_and_is_not_there_is_told(
    tmp_path: Path, skarvin: Skarvin, told: str, says: str
) -> None:
    school = SCHOOLS["es"]
    workbook(tmp_path / "export.xlsx", school, seed=2)
    drafted(tmp_path, skarvin, school)
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    (line,) = [line for line in text.split("\n") if line.startswith("student_sheets")]
    edit(tmp_path / "transfer.toml", line, f"student_sheets = {told}")
    run = skarvin("preview")
    assert run.code == 3
    assert says in run.err
