"""Workbooks with a sheet for each item or for each class, of made-up schools in several countries."""

import random
from pathlib import Path

import openpyxl
import pytest
import xlsxwriter

from conftest import Skarvin, as_exported, column

SCHOOLS = {
    "pl": (["Nr albumu", "Nazwisko i imię", "Punkty", "Uwagi"], ["Kadłub", "Żagiel", "Maszt"]),
    "tr": (["Öğrenci no", "Ad soyad", "Not (20)"], ["Tekne", "Yelken", "Direk", "Düğüm"]),
    "fr": (["N° élève", "Nom", "Prénom", "Note"], ["Semaine 1", "Semaine 2"]),
    "id": (["NIS", "Nama", "Nilai"], ["Lunas", "Layar", "Simpul"]),
    "de": (["Matrikelnummer", "Name", "Ergebnis", "Bemerkung"], ["Rumpf", "Segel", "Takelage"]),
}
PEOPLE = ["Łucja Nowak", "Emi Sato", "Chidi Abara", "Síle O'Neill", "Jan Dąbrowski", "Ana de la Cruz", "Bayo Adeyemi"]


def workbook(file: Path, school: str, seed: int) -> dict[tuple[str, str], str]:
    """Write a sheet for each item, each in an order of its own and without somebody; return the marks."""
    heads, items = SCHOOLS[school]
    draw, marks = random.Random(seed), {}
    with xlsxwriter.Workbook(str(file)) as book:
        book.add_worksheet("Help").write_column(0, 0, ["These sheets are filled in week by week", "Ask the office"])
        for item in items:
            sheet = book.add_worksheet(item)
            sheet.write(0, 0, "Tidewrack")
            sheet.write_row(2, 0, heads)
            order = draw.sample(range(len(PEOPLE)), len(PEOPLE) - 1)
            for row, at in enumerate(order, 3):
                number, mark = f"{at + 2011:05}", str(draw.randint(0, 10))
                marks[item, number] = mark
                given, _, family = PEOPLE[at].partition(" ")
                own = {"Nom": family, "Prénom": given}.get
                names = [own(head, "") or PEOPLE[at] for head in heads[1:-1]]
                place = next(n for n, head in enumerate(heads) if head[:3] in {"Pun", "Not", "Nil", "Erg"} and n > 1)
                sheet.write_row(row, 0, [number, *names][:place])
                sheet.write(row, place, int(mark))
                sheet.write_row(row, place + 1, ["made up well"] * (row == 4) * (len(heads) - place - 1))
    return marks


@pytest.mark.parametrize("school", sorted(SCHOOLS))
def test_a_sheet_for_each_item_is_an_item_by_its_name(tmp_path: Path, skarvin: Skarvin, school: str) -> None:
    items = SCHOOLS[school][1]
    marks = workbook(tmp_path / "export.xlsx", school, seed=7)
    numbers = [f"{at + 2011:05}" for at in range(len(PEOPLE))]
    rows = [f"{number};{name}{';' * len(items)}" for number, name in zip(numbers, PEOPLE, strict=True)]
    (tmp_path / "form.csv").write_text("\n".join([f"Id;Name;{';'.join(items)}", *rows, ""]), encoding="utf-8")
    drafted = skarvin("draft", "export.xlsx", "form.csv", "--missing-maximum", "same")
    assert drafted.code == 0, drafted.err
    said = " ".join(drafted.out.split())
    assert f"{len(items)} sheets of export.xlsx -> form.csv" in said
    assert (
        f"{len(items)} sheets of export.xlsx are an item each; not read, since they have other columns: 'Help'" in said
    )
    assert skarvin("write").code == 0
    for place, item in enumerate(items, 2):
        assert column(tmp_path, place) == [marks.get((item, number), "") for number in numbers]
    assert skarvin("preview").code == 0


def test_names_alone_bring_the_sheets_of_one_student_together(tmp_path: Path, skarvin: Skarvin) -> None:
    items = ["Lunas", "Layar", "Simpul"]
    with xlsxwriter.Workbook(str(tmp_path / "nilai.xlsx")) as book:
        for place, item in enumerate(items):
            sheet = book.add_worksheet(item)
            sheet.write_row(0, 0, ["Nama siswa", "Nilai"])
            for row, at in enumerate(random.Random(place).sample(range(7), 6), 1):
                sheet.write_row(row, 0, [PEOPLE[at], at + place])
    rows = [f"{name};;;" for name in reversed(PEOPLE)]
    (tmp_path / "form.csv").write_text("\n".join(["Nama siswa;Lunas;Layar;Simpul", *rows, ""]), encoding="utf-8")
    run = skarvin("draft", "nilai.xlsx", "form.csv")
    assert run.code == 0, run.err
    run = skarvin("write")
    assert run.code == 0, run.out + run.err
    for place in range(3):
        there = random.Random(place).sample(range(7), 6)
        assert column(tmp_path, place + 1) == [str(at + place) if at in there else "" for at in range(6, -1, -1)]


def classes(file: Path, *sections: str, more: str = "") -> None:
    with xlsxwriter.Workbook(str(file)) as book:
        for at, section in enumerate(sections):
            sheet = book.add_worksheet(section)
            sheet.write_row(0, 0, ["Elev", "Navn", "Skrog", *([more] if more and at else [])])
            for row in range(1, 4 + at):
                sheet.write_row(row, 0, [f"E{at}{row}", f"{PEOPLE[row]}{'xyz'[at]}", row + at])


@pytest.mark.parametrize(
    ("kept", "more", "heading", "sent"),
    [
        ("012", "", "3 sheets of export.xlsx", ["1", "2", "3", "2", "3", "4", "5", "3", "4", "5", "6", "7"]),
        ("02", "", "2 sheets of export.xlsx", ["1", "2", "3", "3", "4", "5", "6", "7"]),
        ("0", "", "export.xlsx", ["1", "2", "3"]),
        ("2", "", "export.xlsx", ["3", "4", "5", "6", "7"]),
    ],
)
def test_of_a_sheet_for_each_class_those_are_read_that_the_form_has(  # noqa: PLR0913 - what each form is filled with
    tmp_path: Path, skarvin: Skarvin, kept: str, more: str, heading: str, sent: list[str]
) -> None:
    classes(tmp_path / "export.xlsx", "5A", "5B", "5C", more=more)
    rows = [f"E{at}{row};;" for at in map(int, kept) for row in range(1, 4 + at)]
    (tmp_path / "form.csv").write_text("\n".join(["Elev;Navn;Skrog", *rows, ""]))
    drafted = skarvin("draft", "export.xlsx", "form.csv")
    assert drafted.code == 0, drafted.err
    assert drafted.out.startswith(f"{heading} -> form.csv\n")
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == sent


def test_what_stands_in_a_sheet_goes_with_the_changes_that_a_person_makes(tmp_path: Path, skarvin: Skarvin) -> None:
    """Marks of sheets are corrected, taken back and confirmed like any others."""
    workbook(tmp_path / "export.xlsx", "pl", seed=3)
    sheet = openpyxl.load_workbook(tmp_path / "export.xlsx")
    sheet["Żagiel"]["C5"] = "1O"
    sheet.save(tmp_path / "export.xlsx")
    rows = [f"{at + 2011:05};;;" for at in range(len(PEOPLE))]
    (tmp_path / "form.csv").write_text("\n".join(["Id;Kadłub;Żagiel;Maszt", *rows, ""]), encoding="utf-8")
    assert skarvin("draft", "export.xlsx", "form.csv").code == 0
    run = skarvin("write")
    assert run.code == 1
    assert "C5 of export.xlsx, sheet 'Żagiel'" in " ".join(run.out.split())
    assert skarvin("confirm", as_exported()).code == 0
