"""What no file says is asked or told: questions at the keyboard, options of `draft`, and refusals that name them."""

import io
import json
import os
import re
import subprocess
import sys
import tomllib
from pathlib import Path
from typing import Any

import pytest

from conftest import Skarvin, column, edit

EXPORT = "Nr;Nombre;Examen de junio (sobre 10);Taller (sobre 5);Lema\n" + "".join(
    f"30{n};{name};{mark};{work};azul\n"
    for n, (name, mark, work) in enumerate([("Ruiz Ana", "7", "4"), ("Paz Leo", "NP", "3"), ("Sol Iris", "9", "5")])
)
FORM = "Nr;Parcial final;Clase practica\n302;;\n301;;\n300;;\n"


@pytest.fixture
def spanish(tmp_path: Path) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    return tmp_path


def plan(folder: Path) -> dict[str, Any]:
    return tomllib.loads((folder / "transfer.toml").read_text(encoding="utf-8"))


def at_the_keyboard(monkeypatch: pytest.MonkeyPatch, *answers: str) -> None:
    monkeypatch.setattr("skarvin.cli.draft.may_ask", lambda: True)
    monkeypatch.setattr("skarvin.cli.preview.may_ask", lambda: True)
    monkeypatch.setattr(sys, "stdin", io.StringIO("".join(f"{answer}\n" for answer in answers)))


SAID = ("--item", "Examen de junio (sobre 10)=Parcial final", "--item", "Taller (sobre 5)=?")


def open_draft(folder: Path, skarvin: Skarvin) -> None:
    """Draft a transfer in which an item, a maximum and a status are open."""
    skarvin("draft", "export.csv", "form.csv", "--item", "Examen de junio (sobre 10)=Parcial final")
    file = folder / "transfer.toml"
    text = file.read_text(encoding="utf-8")
    file.write_text(re.sub(r'(from = "Taller \(sobre 5\)"\nto = )"[^"]*"', r'\1"?"', text), encoding="utf-8")


def test_each_answer_is_written_down_with_a_word_that_a_person_gave_it(
    spanish: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_draft(spanish, skarvin)
    at_the_keyboard(monkeypatch, "y", "=wat", "1", "NOPR", "S", "=Q", "b", " =NOPR", "what", "=Clase practica")
    done = skarvin("preview")
    found = plan(spanish)
    assert done.code == 0
    assert (found["statuses"], found["marks"]["missing_maximum"]) == ({"np": "NOPR"}, "same")
    assert [item["to"] for item in found["item"]] == ["Parcial final", "Clase practica"]
    assert (spanish / "transfer.toml").read_text(encoding="utf-8").count("# decided by a person, 20") == 3
    assert "That can't be meant here" in done.out
    assert skarvin("write").code == 0
    assert column(spanish, 1, "form-import.csv") == ["9", "NOPR", "7"]


def test_draft_asks_at_the_keyboard_and_what_is_put_off_stays_open(
    spanish: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    at_the_keyboard(monkeypatch, "y", "later", "stop")
    told = skarvin("draft", "export.csv", "form.csv", "--item", "Examen de junio (sobre 10)=Parcial final")
    assert (told.code, "Stopped; what you answered is kept." in told.out) == (0, True)
    assert plan(spanish)["marks"]["missing_maximum"] == "?"
    at_the_keyboard(monkeypatch, "n")
    assert skarvin("preview").code == 4


def test_one_answer_may_be_for_all_alike(spanish: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    edit(spanish / "export.csv", ";9;5;", ";exento;5;")
    open_draft(spanish, skarvin)
    assert {word: code for word, code in plan(spanish)["statuses"].items() if code == "?"} == {"np": "?", "exento": "?"}
    at_the_keyboard(monkeypatch, "y", "1", "a", "A =NADA", "2")
    said = skarvin("preview").out
    assert plan(spanish)["statuses"] == {"np": "NADA", "exento": "NADA"}
    assert "a in front of an answer takes it for all" in " ".join(said.split())


def test_nothing_is_asked_of_a_pipe(spanish: Path, skarvin: Skarvin) -> None:
    open_draft(spanish, skarvin)
    run = skarvin("preview")
    assert (run.code, "?" in run.out, run.err.count("error: transfer.toml")) == (4, False, 3)


@pytest.mark.parametrize(
    ("export", "form", "told", "follow"),
    [
        ("a,b,T\n7,blue,3\n8,blue,4\n", "Nr,T\n8,\n7,\n", "--use 'A=student number'", ["--use", "a=student number"]),
        ("Nr,T\n7,4\n8,5\n", "x,T\n8,\n7,\n", "--form-use 'A=student number'", ["--form-use", "x=student number"]),
        (
            "term list,,\nspring,,\nred,blue,T (out of 5)\nxx,k17,4\nyy,k18,5\n",
            "Nr,T [5]\nk17,\nk18,\n",
            "",
            ["--heading-row", "3", "--pair", "blue=Nr"],
        ),
        ("Nr,T\nk17,4\nk18,5\n", "Nr,T\nm1,\nm2,\n", "--pair 'COLUMN=COLUMN'", ["--pair", "Nr=Nr"]),
        ("Nr,T\nk17,4\nk18,5\n", "Nr,T\nm1,\nm2,\n", "--roster FILE", ["--roster", "roster.csv"]),
    ],
)  # fmt: skip
def test_a_refusal_names_the_option_that_leads_on(  # noqa: PLR0913 - both files, what is told and how it is followed
    tmp_path: Path, skarvin: Skarvin, export: str, form: str, told: str, follow: list[str]
) -> None:
    (tmp_path / "export.csv").write_text(export, encoding="utf-8")
    (tmp_path / "form.csv").write_text(form, encoding="utf-8")
    (tmp_path / "roster.csv").write_text("Nr,Other nr\nk17,m1\nk18,m2\n", encoding="utf-8")
    first = skarvin("draft", "export.csv", "form.csv")
    assert told in " ".join((first.out + first.err).split())
    (tmp_path / "transfer.toml").unlink(missing_ok=True)
    assert skarvin("draft", "export.csv", "form.csv", *follow).code == 0
    found = plan(tmp_path)
    assert "?" not in (found["source"]["identifier"], found["target"]["identifier"])
    assert skarvin("students").code in {0, 1}


@pytest.mark.parametrize(
    ("options", "told"),
    [
        (["--use", "Nr=berth"], "a column can't hold 'berth'"),
        (["--use", "Nobody=item"], "there is no column 'Nobody'"),
        (["--pair", "Nr=Nobody"], "names no two columns"),
        (["--item", "Taller (sobre 5)=Nr=Nr"], "names no two columns"),
        (["--item", "D=Parcial final", "--item", "C=Parcial final"], "is named twice"),
        (["--missing-maximum", "some"], "'some' can't be a maximum"),
        (["--layout", "nobody"], "there is no such layout"),
    ],
)
def test_what_cannot_be_meant_is_told_and_nothing_is_written(
    spanish: Path, skarvin: Skarvin, options: list[str], told: str
) -> None:
    run = skarvin("draft", "export.csv", "form.csv", *options)
    assert (run.code in {2, 3}, told in run.err, (spanish / "transfer.toml").exists()) == (True, True, False)


def test_what_is_said_holds(spanish: Path, skarvin: Skarvin) -> None:
    options = ["--item", "C=Clase practica", "--item", "D=", "--status", "np=0", "--missing-maximum", "100"]
    assert skarvin("draft", "export.csv", "form.csv", *options, "--use", "Lema=section").code == 0
    found = plan(spanish)
    assert (found["statuses"], found["source"]["uses"]) == ({"np": 0}, {"Lema": "section"})
    assert skarvin("write").code == 0
    assert column(spanish, 2, "form-import.csv") == ["90", "0", "70"]


def test_a_layout_that_fits_is_used_and_one_that_nearly_fits_says_where_it_departs(
    spanish: Path, skarvin: Skarvin
) -> None:
    assert skarvin("layout", "learn", "export.csv", "--name", "escuela", "--here", "--use", "Lema=section").code == 0
    assert "by your layout 'escuela'" in " ".join(skarvin("look", "export.csv").out.split())
    drafted = skarvin("draft", "export.csv", "form.csv", "--status", "np=hold", "--missing-maximum", "same")
    assert "export.csv is read by your layout 'escuela'." in drafted.out
    assert plan(spanish)["source"]["layout"] == "escuela"
    (spanish / "transfer.toml").unlink()
    (spanish / "export.csv").write_text(EXPORT.replace("Nombre", "Persona"), encoding="utf-8")
    assert "nearly fits your layout 'escuela'" in skarvin("draft", "export.csv", "form.csv").out
    assert "layout" not in plan(spanish)["source"]


def test_confused_columns_are_told_before_anything_is_written(tmp_path: Path, skarvin: Skarvin) -> None:
    marks = [(3, 9), (5, 2), (8, 7), (1, 4), (6, 10), (9, 3)]
    (tmp_path / "export.csv").write_text(
        "Nr,Keel,Mast\n" + "".join(f"k{n}00,{a},{b}\n" for n, (a, b) in enumerate(marks))
    )
    (tmp_path / "form.csv").write_text("Nr,Keel,Mast\n" + "".join(f"k{n}00,{a},\n" for n, (a, _) in enumerate(marks)))
    skarvin("draft", "export.csv", "form.csv", "--item", "Mast=Keel", "--item", "Keel=Mast")
    told = " ".join(skarvin("preview").out.split())
    assert "'Mast' goes to 'Keel', but only 0 of 6 marks that the form has there agree with it, and 6 of 6 with" in told
    skarvin("write")
    assert "were two columns confused?" in (tmp_path / "report.html").read_text(encoding="utf-8")


def test_students_whom_nobody_pairs_are_guessed_at(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Nr,Other,Class,T\n" + "".join(f"A-{n}00,x{n}99,8a,4\n" for n in range(5)))
    (tmp_path / "form.csv").write_text("Code,Class,T\n" + "".join(f"x{n}99,8b,\n" for n in range(5)))
    skarvin("draft", "export.csv", "form.csv", "--pair", "Nr=Code")
    told = " ".join(skarvin("preview").err.split())
    assert "5 of the form's identifiers stand in 'Other' of the export: is that the right column?" in told
    assert "identifiers are written as A-999 in the export (5), as A999 in the form (5)" in told
    assert "the export's sections (8a) aren't those of the form (8b)" in told


def test_class_lists_are_read_by_a_layout_that_fits(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "list.csv").write_text("Wer,Zahl,Wo\nRuiz Ana,301,blau\nPaz Leo,302,rot\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Student number;Name;Class\n", encoding="utf-8")
    uses = ["--use", "Wer=full name", "--use", "Zahl=student number", "--use", "Wo=section"]
    skarvin("layout", "learn", "list.csv", "--name", "liste", "--here", *uses)
    done = skarvin("roster", "list.csv", "--form", "form.csv")
    assert (done.code, "list.csv is read by your layout 'liste'" in done.out) == (0, True)
    assert column(tmp_path, 2, "form-roster.csv") == ["blau", "rot"]


def test_words_of_ones_own_are_known(tmp_path: Path) -> None:
    (tmp_path / "export.csv").write_text("Tunnus;Loppukoe\n7;3\n8;4\n", encoding="utf-8")
    environment = {**os.environ, "XDG_CONFIG_HOME": str(tmp_path / "config"), "PYTHONUTF8": "1"}
    kept = Path(environment["XDG_CONFIG_HOME"]) / "skarvin" / "layouts"
    kept.mkdir(parents=True)
    (kept / "fi.words.toml").write_text('[columns]\nitem = "koe, *koe"\n"student number" = "tunnus"\n')
    command = [sys.executable, "-m", "skarvin", "look", "export.csv", "--json"]
    run = subprocess.run(command, cwd=tmp_path, env=environment, capture_output=True, text=True, check=False)
    told = [column["taken_for"] for column in json.loads(run.stdout)["columns"]]
    assert told == ["student number", "item"]
    (kept / "bad.words.toml").write_text("[columns\n")
    run = subprocess.run(command, cwd=tmp_path, env=environment, capture_output=True, text=True, check=False)
    assert (run.returncode, "bad.words.toml: this isn't a file of words" in run.stderr) == (3, True)


def test_identifiers_and_the_marks_of_words_are_asked_too(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "export.csv").write_text("Key,Also,Care\nk17,m1,good\nk18,m2,fair\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Code,Care [10]\nm1x,\nm2x,\n", encoding="utf-8")
    skarvin("draft", "export.csv", "form.csv")
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert text.count('identifier = "?"') == 2
    assert text.count('"?"') == 2 + 2 + 1  # both sides, both words, and the note about question marks
    at_the_keyboard(monkeypatch, "y", "9", "=Also", "1", "=lots", "80", "-1", "=50")
    assert skarvin("preview").code == 4  # nobody pairs: m1 isn't m1x
    found = plan(tmp_path)
    assert (found["source"]["identifier"], found["target"]["identifier"]) == ("Also", "Code")
    assert found["scale"]["care"]["values"] == {"good": 80, "fair": 50}


def test_an_answer_of_ones_own_may_be_a_letter_or_nothing(
    spanish: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_draft(spanish, skarvin)
    at_the_keyboard(monkeypatch, "y", "=12,5", "3", "=Nobody", "later")
    assert skarvin("preview").code == 4
    found = plan(spanish)
    assert (found["marks"]["missing_maximum"], found["statuses"]["np"]) == ("12.5", "")
    at_the_keyboard(monkeypatch, "y", "=C")
    assert skarvin("preview").code == 0
    assert found["item"][1]["to"] == "?"
    assert plan(spanish)["item"][1]["to"] == "Clase practica"


def test_rosters_and_lists_of_a_transfer_are_read_by_layouts_too(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("Nr,T\nk17,4\nk18,5\nk19,6\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Code;T\nm1;\nm2;\nm3;\n", encoding="utf-8")
    (tmp_path / "both.csv").write_text("Da,Dort,Wer\nk17,m1,Ann Lee\nk18,m2,Bo Ek\nk19,m3,Eve Fox\n", encoding="utf-8")
    skarvin(
        "layout",
        "learn",
        "both.csv",
        "--name",
        "zwei",
        "--here",
        "--use",
        "Dort=student number",
        "--use",
        "Da=username",
    )
    skarvin("draft", "export.csv", "form.csv", "--roster", "both.csv")
    assert plan(tmp_path)["roster"]["layout"] == "zwei"
    (tmp_path / "some.csv").write_text("Da,Dort,Wer\nk18,m2,Bo Ek\n", encoding="utf-8")
    with (tmp_path / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write('\n[[list]]\nfile = "some.csv"\nlayout = "zwei"\nidentifier = "Da"\n')
    assert skarvin("write").code in {0, 1}
    assert column(tmp_path, 1, "form-import.csv") == ["", "5", ""]
    edit(
        tmp_path / "transfer.toml",
        '[[list]]\nfile = "some.csv"\nlayout = "zwei"',
        '[[list]]\nfile = "some.csv"\nlayout = "x"',
    )
    assert "there is no such layout" in skarvin("preview").err


@pytest.mark.parametrize("text", ["[source]\nidentifier = 3\n", "[source\n", "\udcff"])
def test_a_transfer_that_is_none_is_told_at_the_keyboard_too(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, text: str
) -> None:
    (tmp_path / "transfer.toml").write_bytes(text.encode(errors="surrogateescape"))
    at_the_keyboard(monkeypatch)
    assert skarvin("preview").code == 3


def test_an_answer_leaves_the_line_ends_as_they_are(
    spanish: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_draft(spanish, skarvin)
    file = spanish / "transfer.toml"
    file.write_bytes(file.read_bytes().replace(b"\n", b"\r\n"))
    at_the_keyboard(monkeypatch, "y", "=SAME", "1", "1")
    assert skarvin("preview").code in {0, 1}
    assert file.read_bytes().count(b"\n") == file.read_bytes().count(b"\r\n")


def test_headings_that_are_numbers_are_headings_and_a_status_in_the_first_row_is_none(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    (tmp_path / "tasks.csv").write_text("Berth,1,2,3\nk17,5,7,8\nk18,6,9,4\n", encoding="utf-8")
    (tmp_path / "bare.csv").write_text("k17,absent,7\nk18,6,9\nk19,4,8\n", encoding="utf-8")
    tasks, bare = (json.loads(skarvin("look", name, "--json").out) for name in ("tasks.csv", "bare.csv"))
    assert (tasks["heading_rows"], bare["heading_rows"]) == ([1], [])
