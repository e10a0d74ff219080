"""Targets that take a line for each mark: forms with lines are filled, and files are written anew after an example."""

import csv
import io
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, edit
from skarvin.core.findings import Refused
from skarvin.core.grid.read import read_grid
from skarvin.core.ledger.second_look.line_rows import LinePlaces, Read, look_at_lines
from skarvin.core.ledger.second_look.readers import reading_of

EXPORT = "No,Name,Class,Hull (20),Sail (10)\n" + "".join(
    f"{line}\n"
    for line in (
        "011,Ana Sato,5A,12,7.5",
        "012,Rui Nair,5A,15,",
        "013,Zoe Abara,5B,1O,9",
        "014,Síle O'Neill,5B,18,10",
    )
)
MARKS = [("011", "Hull", "12"), ("011", "Sail", "7.5"), ("012", "Hull", "15"), ("013", "Sail", "9")]
MARKS += [("014", "Hull", "18"), ("014", "Sail", "10")]
BLANK = {
    "en": "Student ID,Assessment,Score\n",
    "no": "Elev-id;Oppgave;Poeng\n",
    "pl": "Nr albumu\tZadanie\tPunkty\n",
    "es": "Matrícula;Actividad;Calificación\n",
    "hu": "Hallgató azonosító,Feladat,Pont\n",
}


def drafted(
    folder: Path, skarvin: Skarvin, form: str, *more: str, codec: str = "utf-8", name: str = "form.csv"
) -> None:
    (folder / "export.csv").write_text(EXPORT, encoding="utf-8")
    if form:
        (folder / name).write_bytes(form.encode(codec))
    run = skarvin("draft", "export.csv", name, "--missing-maximum", "same", *more)
    assert run.code == 0, run.err


def rows(folder: Path, name: str = "form-import.csv", sign: str = "") -> list[list[str]]:
    text = (folder / name).read_bytes().decode("utf-8-sig")
    return list(csv.reader(io.StringIO(text, newline=""), delimiter=sign or next(one for one in "\t;," if one in text)))


@pytest.mark.parametrize("school", sorted(BLANK))
def test_a_form_with_headings_alone_gets_a_line_for_each_mark_that_is_sent(
    tmp_path: Path, skarvin: Skarvin, school: str
) -> None:
    drafted(tmp_path, skarvin, BLANK[school])
    assert skarvin("write").code == 1
    assert [tuple(row) for row in rows(tmp_path)[1:]] == MARKS
    restored = rows(tmp_path, "form-restore.csv")
    assert [row[2] for row in restored[1:]] == [""] * len(MARKS)
    (tmp_path / "fresh.csv").write_bytes((tmp_path / "form-import.csv").read_bytes() + b"\n")
    assert skarvin("confirm", "fresh.csv").code == 0


def test_lines_that_are_an_example_say_what_stands_in_other_columns(tmp_path: Path, skarvin: Skarvin) -> None:
    form = (
        "nr,pupil_id,class,assessment,term,date,score\r\n1,X1,9Z,Boats,WS,01.09.2026,5\r\n2,X2,9Z,Boats,WS,02.09.2026,6"
    )
    drafted(tmp_path, skarvin, form)
    assert skarvin("write").code == 1
    head, *found = rows(tmp_path)
    assert head == form.split("\r\n", maxsplit=1)[0].split(",")
    assert [(row[1], row[3], row[6]) for row in found] == MARKS
    assert [row[0] for row in found] == [str(number) for number in range(1, 7)]
    assert [row[2] for row in found] == ["5A", "5A", "5A", "5B", "5B", "5B"]
    assert {row[4] for row in found} == {"WS"}
    (day,) = {row[5] for row in found}
    assert len(day) == len("01.09.2026")
    assert (tmp_path / "form-import.csv").read_bytes().count(b"\r\n") == len(MARKS) + 1


LINES = 'pupil;task;term;points\n011;Hull;"a;b";\n011;Sail;"a;b";5\n012;Hull;"a;b";\n013;Sail;"a;b";9\n'


@pytest.mark.parametrize(
    ("students", "items", "keeps"),
    [
        ([f"9{number};Person {number}" for number in range(6)], ("Boats", "Ropes"), False),
        (["x-011;Sato Ana", "x-012;Nair, Rui", "x-013;Abara Zoe"], ("Boats", "Ropes"), True),
        ([f"0{number};" for number in range(11, 15)], ("Hull (15)", "Sail (10)"), True),
        ([f"1{number};" for number in range(4)], ("Hull", "Ropes"), True),
        ([f"1{number};" for number in range(3)], ("Hull", "Ropes"), False),
    ],
)
def test_lines_of_others_are_an_example_and_those_of_the_class_are_kept(
    tmp_path: Path, skarvin: Skarvin, students: list[str], items: tuple[str, ...], keeps: bool
) -> None:
    lines = "".join(f"{who};{item};\n" for who in students for item in items)
    drafted(tmp_path, skarvin, f"pupil no;name;assessment;score\n{lines}")
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert ("keep = false" in text) is not keeps
    if not keeps:
        assert skarvin("write").code == 1
        assert [(row[0], row[2], row[3]) for row in rows(tmp_path)[1:]] == MARKS
        assert {row[1] for row in rows(tmp_path)[1:] if row[0] == "014"} == {"Síle O'Neill"}


def test_lines_are_filled_where_they_stand_and_every_other_byte_stays(tmp_path: Path, skarvin: Skarvin) -> None:
    drafted(tmp_path, skarvin, LINES)
    assert skarvin("write").code == 1
    filled = LINES.replace('011;Hull;"a;b";', '011;Hull;"a;b";12').replace(";5\n", ";7.5\n")
    filled = filled.replace('012;Hull;"a;b";', '012;Hull;"a;b";15')
    assert (tmp_path / "form-import.csv").read_text(encoding="utf-8") == filled
    assert (tmp_path / "form-restore.csv").read_text(encoding="utf-8") == LINES
    edit(tmp_path / "transfer.toml", 'add = "nobody"', 'rows = "sent"\nadd = "below"')
    assert skarvin("write", "--replace").code == 1
    assert [(row[0], row[1], row[3]) for row in rows(tmp_path, sign=";")[1:]] == [
        one for one in MARKS if one != ("013", "Sail", "9")
    ]
    assert rows(tmp_path, sign=";")[-1] == ["014", "Sail", "a;b", "10"]


def test_what_was_sent_by_line_is_not_sent_again_and_a_correction_there_is_kept(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    drafted(tmp_path, skarvin, LINES)
    assert skarvin("write").code == 1
    fresh = (tmp_path / "form-import.csv").read_text(encoding="utf-8").replace(";15\n", ";14\n") + "\n"
    (tmp_path / "fresh.csv").write_text(fresh, encoding="utf-8")
    run = skarvin("confirm", "fresh.csv")
    assert run.code == 1
    assert "1 mark has another value (D4)" in " ".join(run.out.split())
    edit(tmp_path / "export.csv", "5A,12,", "5A,13,")
    edit(tmp_path / "transfer.toml", 'file = "form.csv"', 'file = "fresh.csv"')
    assert skarvin("write", "--replace").code == 1
    found = {(row[0], row[1]): row[3] for row in rows(tmp_path, "fresh-import.csv", sign=";")[1:] if len(row) > 3}
    assert found == {("011", "Hull"): "13", ("011", "Sail"): "7.5", ("012", "Hull"): "14", ("013", "Sail"): "9"}


def test_a_line_for_each_student_and_item_where_that_is_wanted(tmp_path: Path, skarvin: Skarvin) -> None:
    drafted(tmp_path, skarvin, BLANK["en"])
    edit(tmp_path / "transfer.toml", "lines = {", "lines = { blanks = true,")
    assert skarvin("write").code == 1
    marks = {(row[0], row[1]): row[2] for row in rows(tmp_path)[1:]}
    assert marks == {(f"01{n}", item): "" for n in "1234" for item in ("Hull", "Sail")} | {
        (student, item): mark for student, item, mark in MARKS
    }


def test_codes_of_items_are_said_and_a_workbook_is_filled_by_line(tmp_path: Path, skarvin: Skarvin) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["Matrikelnummer", "Prüfung", "Note", "Semester"])
    for number in range(11, 15):
        for code in ("T-1", "T-2"):
            sheet.append([f"{number:03}", code, None, "WS26"])
    book.save(tmp_path / "form.xlsx")
    drafted(tmp_path, skarvin, "", "--item", "Hull (20)=T-1", "--item", "Sail (10)=T-2", name="form.xlsx")
    run = skarvin("write")
    assert run.code == 1, run.err
    found = openpyxl.load_workbook(tmp_path / "form-import.xlsx").active
    assert found is not None
    cells = {(row[0], row[1]): row[2] for row in found.iter_rows(min_row=2, values_only=True)}
    wanted = {(student, {"Hull": "T-1", "Sail": "T-2"}[item]): float(mark) for student, item, mark in MARKS}
    assert cells == {("012", "T-2"): None, ("013", "T-1"): None, **wanted}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("011;Sail", "011;Hull"), "row 2 and this one are of one student and item"),
        (("pupil;task", "pupil;what"), 'item = "task"'),
        (("pupil;task", "who;task"), '"pupil"'),
    ],
)
def test_lines_that_cannot_be_told_apart_are_refused(
    tmp_path: Path, skarvin: Skarvin, change: tuple[str, str], says: str
) -> None:
    drafted(tmp_path, skarvin, LINES)
    edit(tmp_path / "form.csv", *change)
    run = skarvin("write")
    assert run.code == 3
    assert says in run.err
    assert not (tmp_path / "form-import.csv").exists()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ((";12\n", ";13\n"), "the line says '13', and the ledger '12'"),
        (("012;Nair;Hull", "012;Nair;Sail"), "a mark that was sent stands in no line"),
        ((";15\n", ";15\n012;Nair;Hull;;15\n"), "a mark that was sent stands in two lines"),
        ((";9\n", ";8\n"), "the line says '8', and the ledger '9'"),
        (("Abara;Sail;x", "Abara;Sail;y"), "the line isn't the form's besides its mark"),
        (("task", "tusk"), "the headings aren't those of the form"),
        (("Nair;Hull", "Sato;Hull"), "the line names somebody else"),
    ],
)
def test_a_file_of_lines_that_says_anything_else_is_withdrawn(
    tmp_path: Path, change: tuple[str, str], says: str
) -> None:
    texts = {
        "form": "pupil;name;task;term;points\n011;Sato;Hull;;\n013;Abara;Sail;x;9\n",
        "before": "pupil,name,Hull,Sail\n011,Sato,,\n013,Abara,,9\n",
        "after": "pupil,name,Hull,Sail\n011,Sato,12,\n013,Abara,,9\n012,Nair,15,\n",
        "written": "pupil;name;task;term;points\n011;Sato;Hull;;12\n013;Abara;Sail;x;9\n012;Nair;Hull;;15\n",
    }
    reads = {}
    for name, text in texts.items():
        (tmp_path / name).write_text(text.replace(*change) if name == "written" else text)
        reading = reading_of(read_grid(tmp_path / name).reading)
        assert reading
        reads[name] = Read(tmp_path / name, reading)
    look = (
        reads["form"],
        reads["written"],
        Path("x.csv"),
        (reads["before"], reads["after"]),
        LinePlaces(1, 0, 2, 4, kept=True, name=1),
    )
    with pytest.raises(Refused) as refused:
        look_at_lines(*look)
    assert says in str(refused.value)
    reads["written"].file.write_text(texts["written"])
    assert look_at_lines(*look) == 4
