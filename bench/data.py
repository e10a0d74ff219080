"""Makes the benchmark's data: a workshop's export and a registry's form, as large as asked for."""

import csv
import random
import zipfile
from pathlib import Path

from classes import make_classes
from skarvin.core.findings import column_letter

SEED = 20
_SYLLABLES = ("ka", "lor", "mi", "ven", "tu", "shi", "ran", "bel", "o", "dak", "ne", "wi", "sul", "far", "je", "gro")
_GIVEN = ("Ada", "Bo", "Chidi", "Dana", "Emre", "Fatou", "Goran", "Hana", "Ines", "Jamal", "Keiko", "Liam", "Mira")
_SECOND = 20
"""Of so many students, one has another initial in the form."""
_HALF = 0.5
_MAXIMA = ((100, 15), (40, 40), (20, 15), (10, 10))


def make(folder: Path, students: int, items: int, *, mixed: bool = False) -> tuple[Path, Path]:
    """Write an export and a form for so many students and items; return their paths.

    A quarter of the items is rescaled and a quarter rescaled and rounded; the form's rows stand in another order,
    one item in two hundred is half filled already (one mark in ten is another one), one student stands on one side
    alone, and one name in twenty has an initial more in the form. If `mixed`, a tenth of the cells are percent,
    fractions, statuses, and all marks of every tenth item have commas.
    """
    folder.mkdir(parents=True, exist_ok=True)
    export, form = folder / "export.csv", folder / "form.csv"
    chance = random.Random(SEED)
    maxima = [_MAXIMA[index % len(_MAXIMA)] for index in range(items)]
    marks = [[f"{half / 2:g}" for half in range(2 * maximum + 1)] for maximum, _ in maxima]
    if mixed:
        marks = [_mixed(texts, maxima[index][0], is_comma=index % 10 == 0) for index, texts in enumerate(marks)]
    there: dict[int, dict[int, str]] = {}
    filled = {index for index in range(items) if index % 200 == 3}
    with export.open("w", encoding="utf-8", newline="") as file:
        file.write(
            "Learner no,Name,Crew," + ",".join(f"Task {i} (out of {m[0]})" for i, m in enumerate(maxima)) + "\r\n"
        )
        for number in range(students):
            row = [*map(chance.choice, marks)]
            there[number] = {index: row[index] for index in filled}
            family, given = _name(number)
            cells = ",".join(row)
            file.write(f"{number:07d},{family} {given},Crew {number % 12},{cells}\r\n")
    order = list(range(1, students + 1)) if students >= 1000 else list(range(students))
    chance.shuffle(order)
    with form.open("w", encoding="utf-8", newline="") as file:
        file.write(
            "Registry no;Family name;Given name;" + ";".join(f"Task {i} [{m[1]}]" for i, m in enumerate(maxima)) + "\n"
        )
        for number in order:
            known = {index: text for index, text in there.get(number, {}).items() if chance.random() < _HALF}
            held = ";".join(chance.choice([known[at]] * 9 + ["5"]) if at in known else "" for at in range(items))
            family, given = _name(number)
            second = f" {given[-1].upper()}" if number % _SECOND == 0 else ""
            file.write(f"{number:07d};{family};{given}{second};{held}\n")
    return export, form


def _name(number: int) -> tuple[str, str]:
    """Return a family name that is nobody else's, and a given name that many have."""
    family = ""
    rest = number
    for _ in range(4):
        rest, place = divmod(rest, len(_SYLLABLES))
        family += _SYLLABLES[place]
    return family.capitalize(), _GIVEN[number * 7 % len(_GIVEN)]


def _mixed(texts: list[str], maximum: int, *, is_comma: bool) -> list[str]:
    """Return the texts to choose from, a tenth of them odd ones; or with a decimal comma throughout."""
    if is_comma:
        return [f'"{text.replace(".", ",")}"' if "." in text else text for text in texts]
    odd = ["62.5%", "50 %", "7 1/2", "3½", f"9/{maximum}", "absent", "exempt", "not handed in"]
    return texts * max(1, 72 // len(texts)) + (odd * max(1, len(texts) // 72))


def make_rosters(folder: Path, students: int) -> tuple[str, str]:
    """Write an export and a form whose identifiers never meet, names slipped in one of ten, and their transfer."""
    folder.mkdir(parents=True, exist_ok=True)
    source, target, _ = make_classes(students, random.Random(SEED), slips=0.1, large=True)
    with (folder / "export.csv").open("w", encoding="utf-8", newline="") as file:
        rows = (
            [f"w{student.row.position}", student.name, student.section, str(student.row.position % 10)]
            for student in source
        )
        csv.writer(file).writerows([["Learner no", "Name", "Crew", "Knots"], *rows])
    with (folder / "form.csv").open("w", encoding="utf-8", newline="") as file:
        rows = ([f"r{student.row.position}", student.name, student.section, ""] for student in target)
        csv.writer(file, delimiter=";").writerows([["Registry no", "Name", "Class", "Knots"], *rows])
    sides = (("source", "export.csv", "Learner no"), ("target", "form.csv", "Registry no"))
    text = "".join(f'[{side}]\nfile = "{name}"\nidentifier = "{heading}"\n' for side, name, heading in sides)
    item = '[students]\nnames = "pair"\n[[item]]\nfrom = "Knots"\nto = "Knots"\n'
    (folder / "transfer.toml").write_text(f"version = 1\n{text}{item}", encoding="utf-8")
    return "export.csv", "form.csv"


def make_log(export: Path) -> None:
    """Write an export again with a line for each mark, in the order of its rows."""
    with export.open(encoding="utf-8", newline="") as file:
        headings, *rows = csv.reader(file)
    items = [heading.removesuffix(")").split(" (out of ") for heading in headings[3:]]
    with export.open("w", encoding="utf-8", newline="") as file:
        log = csv.writer(file)
        log.writerow([*headings[:3], "Task", "Out of", "Mark"])
        log.writerows([*row[:3], *item, mark] for row in rows for item, mark in zip(items, row[3:], strict=True))


def make_workbook(export: Path, delimiter: str = ",") -> Path:
    """Write a file again as a workbook, and return its path."""
    file = export.with_suffix(".xlsx")
    with (
        export.open(encoding="utf-8", newline="") as lines,
        zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive,
    ):
        for name, text in _PARTS.items():
            archive.writestr(name, text)
        with archive.open("xl/worksheets/sheet1.xml", "w", force_zip64=True) as sheet:
            sheet.write(f'<worksheet xmlns="{_MAIN}"><sheetData>'.encode())
            for number, cells in enumerate(csv.reader(lines, delimiter=delimiter), 1):
                row = "".join(_cell(f"{column_letter(index)}{number}", text) for index, text in enumerate(cells))
                sheet.write(f'<row r="{number}">{row}</row>'.encode())
            sheet.write(b"</sheetData></worksheet>")
    return file


def _cell(place: str, text: str) -> str:
    is_number = text.replace(".", "", 1).isdecimal() and not text.startswith("00")
    if is_number:
        return f'<c r="{place}"><v>{text}</v></c>'
    return f'<c r="{place}" t="inlineStr"><is><t>{text}</t></is></c>'


_OOXML = "http://schemas.openxmlformats.org"
_MAIN, _RELATIONS = f"{_OOXML}/spreadsheetml/2006/main", f"{_OOXML}/officeDocument/2006/relationships"
_SPREADSHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml"
_PARTS = {
    "[Content_Types].xml": f'<Types xmlns="{_OOXML}/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    f'<Override PartName="/xl/workbook.xml" ContentType="{_SPREADSHEET}.sheet.main+xml"/>'
    f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{_SPREADSHEET}.worksheet+xml"/></Types>',
    "_rels/.rels": f'<Relationships xmlns="{_OOXML}/package/2006/relationships">'
    f'<Relationship Id="r1" Type="{_RELATIONS}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
    "xl/workbook.xml": f'<workbook xmlns="{_MAIN}" xmlns:r="{_RELATIONS}"><sheets>'
    '<sheet name="Marks" sheetId="1" r:id="r1"/></sheets></workbook>',
    "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{_OOXML}/package/2006/relationships">'
    f'<Relationship Id="r1" Type="{_RELATIONS}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
}
