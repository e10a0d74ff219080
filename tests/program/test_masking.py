"""With --mask no output of any command shows a name, a number or a fragment of one."""

import csv
import json
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from conftest import Skarvin, lay_out, shared_demo
from skarvin.reports.masking import Masker, hidden, masking

HARMLESS = frozenset({"practice", "apprentice", "registry", "workshop", "mast", "keel", "rudder", "sail", "marked"})
"""Words that the demo's rows have where names stand, and that name nobody, or also stand for something else."""
WHO = re.compile(
    r"name|learner no|registry no|reg\. no|apprentice$|workshop no|student|boarder|candidate|e-mail|pupil|policy|berth",
    re.IGNORECASE,
)


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return shared_demo(tmp_path_factory)


def rows_of(file: Path) -> Iterator[dict[str, str]]:
    """Yield a file's rows by plain means, whatever stands between its cells."""
    data = file.read_bytes()
    text = data.decode("utf-16") if data[:2] == b"\xff\xfe" else data.decode("utf-8-sig")
    lines = text.splitlines()
    first = next(place for place, line in enumerate(lines) if WHO.search(line))
    sign = max(",;\t", key=lines[first].count)
    yield from csv.DictReader(lines[first:], delimiter=sign)


def identities(folder: Path) -> set[str]:
    """Return every word of a name and every number that the demo's files give people."""
    found: set[str] = set()
    names = ["workshop-marks.csv", "registry-form.csv", "quiz/quiz-answers.csv", "quiz/answer-form.csv"]
    names += ["final/final-form.csv", "weeks/workshop-week-1.csv", "weeks/registry-week-2.csv"]
    for name in (*names, "weeks/registry-overview-1.txt"):
        for row in rows_of(folder / name):
            for heading, text in row.items():
                if heading and text and WHO.search(heading):
                    found |= set(re.findall(r"[^\W_]{3,}", text))
    found = {word for word in found if word.casefold() not in HARMLESS}
    assert len(found) > 120
    return {word for word in found if not word.isdecimal() or len(word) > 3}


COMMANDS = [
    (".", "look workshop-marks.csv registry-form.csv"),
    (".", "look workshop-marks.csv --json"),
    (".", "students --all"),
    (".", "students --json"),
    (".", "preview --all"),
    (".", "preview --json"),
    (".", "preview --why 0097738"),
    (".", "preview --why 0097738 --json"),
    (".", "write --replace --workbook --into masked"),
    (".", "write --replace --into masked-2 --json"),
    (".", "confirm registry-form-import.csv --replace --into masked"),
    (".", "confirm registry-form-import.csv --replace --into masked --json"),
    (".", "history --export masked.csv --replace"),
    (".", "history --json"),
    (".", "history --student 0097738"),
    (".", "history --student 0097738 --json"),
    (".", "roster workshop-marks.csv --form roster-form.csv --replace"),
    ("final", "preview --all"),
    ("final", "write --replace --into masked"),
    ("quiz", "preview --all"),
    ("quiz", "write --replace --into masked --json"),
    ("harbour", "preview --all"),
    ("insurer", "write --replace --into masked --json"),
    ("essays", "preview --all"),
    ("watch", "write --replace --into masked"),
    ("weeks", "preview --all"),
    ("weeks", "write --replace --into masked"),
    ("weeks", "confirm registry-overview-2.txt --replace --into masked"),
    ("weeks", "history"),
]
PAGES = ("report.html", "report.xlsx", "-confirm.html", "-confirm.json", "-confirm.csv", "roster-report.html")
"""What of the files that are written is to be shown; others are for the target, or prove what was sent."""


@pytest.mark.parametrize(("where", "command"), COMMANDS)
def test_no_command_shows_anybody_of_the_demo(
    demo: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, where: str, command: str
) -> None:
    folder = demo / where
    before = {path: path.stat().st_mtime_ns for path in folder.rglob("*") if path.is_file()}
    monkeypatch.chdir(folder)
    run = skarvin(*command.split(), "--mask")
    said = run.out + run.err
    assert run.code in {0, 1}, said
    for path in folder.rglob("*"):
        if path.is_file() and path.name.endswith(PAGES) and path.stat().st_mtime_ns != before.get(path):
            said += readable(path)
    if "masked.csv" in command:
        said += (folder / "masked.csv").read_text(encoding="utf-8-sig")
    words = set(re.findall(r"[^\W_]{3,}", said))
    assert not sorted(words & identities(demo))
    assert re.search(r"~[a-z2-7]{8}", said) or "history" in command or "--json" in command


def readable(path: Path) -> str:
    """Return what a file says; of a workbook what is in its cells."""
    if path.suffix != ".xlsx":
        return path.read_text(encoding="utf-8-sig")
    import openpyxl  # noqa: PLC0415 - few files are workbooks

    sheets = openpyxl.load_workbook(path).worksheets
    return "\n".join(str(cell) for sheet in sheets for row in sheet.iter_rows(values_only=True) for cell in row if cell)


def test_one_person_has_one_code_wherever_named_and_short_numbers_are_hidden_too(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = '[[item]]\nfrom = "C"\nto = "C"\nfrom_out_of = 10\nto_out_of = 10\n'
    export = "Id,Name,Knots\n7,Lin Ng,12\n12,Bo O'Hara-Li,6\n15,Ana Wu,1O\n"
    lay_out(tmp_path, export, "Id,Name,Knots\n7,Lin Ng,\n12,Bo O'Hara-Li,\n", rules)
    shown = skarvin("preview", "--all", "--mask").out
    assert not re.findall(r"\bNg\b|O'Hara|\bLi\b|\bWu\b|\b15\b", shown)
    data = json.loads(skarvin("preview", "--json", "--mask").out)
    assert {one["identifier"][0] for one in data["students"]["in_form"]} == {"~"}
    codes = {one["name"] for one in data["students"]["in_form"]}
    assert len(codes & set(re.findall(r"~\w{8}", shown))) == 2
    assert [mark["mark"] for mark in data["marks"]["list"]] == ["12", "6", "1O"]
    plain = skarvin("preview", "--json").out
    assert '"identifier": "7"' in plain
    assert skarvin("write", "--mask").code == 1
    assert "Lin Ng" not in (tmp_path / "report.html").read_text(encoding="utf-8")
    assert "Lin Ng" in (tmp_path / "ledger.json").read_text(encoding="utf-8")  # it proves what was sent


def test_a_masker_hides_names_in_sentences_and_leaves_the_rest() -> None:
    masker = Masker(["Ó Murchú, Síle", "S-0412", "sile.om@tidewrack.example", "Mark Row", "de Wit, An"])
    with masking(masker):
        said = hidden("row 5: same name as Ó Murchú, Síle (S-0412), or SÍLE; sile.om writes; mark 12 of the row")
    assert not re.findall("Murch|SÍLE|Síle|0412|sile", said)
    assert said.startswith("row 5: same name as ~")
    assert said.endswith("writes; mark 12 of the row")
    assert hidden("Ó Murchú, Síle") == "Ó Murchú, Síle"


RARE = ("Quetzalcoatl Zyxwvut", "Bartholomew Krzyzewski", "Xanthippe Ouedraogo", "Wilhelmina Nakagawa")
NUMBERS = ("1715310", "2725320", "3735330", "4745340")
MASKED = (
    *("look export.csv", "look export.csv --all", "look export.csv --json", "preview --all", "preview --json"),
    *("write --replace", "write --json --replace", "students", "students --all", "students --json", "history"),
    *("history --all", f"history --student {NUMBERS[0]}", f"history --student {NUMBERS[0]} --json"),
)


def test_masked_no_part_of_a_rare_name_is_shown_wherever_it_stands(tmp_path: Path, skarvin: Skarvin) -> None:
    marks, remarks = ("7", "see Krzyzewski", "8 Xanthippe", "9"), ("good Zyxwvut", "", "", "NAKAGAWA late")
    rows = zip(NUMBERS, RARE, marks, remarks, strict=True)
    lines = (f'{number},"{name.split()[1]}, {name.split()[0]}",{mark},{told}' for number, name, mark, told in rows)
    (tmp_path / "export.csv").write_text("Id,Name,Knots,Remark\n" + "\n".join(lines) + "\n")
    form = "".join(f"{number},{name},,\n" for number, name in zip(NUMBERS, RARE, strict=True))
    (tmp_path / "form.csv").write_text(f"Id,Name,Knots,Remarks\n{form}")
    assert skarvin("draft", "export.csv", "form.csv", "--use", "Knots=item").code == 0
    with (tmp_path / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write('\n[[comment]]\nfrom = "Remark"\nto = "Remarks"\nof = "Knots"\n')
    assert skarvin("write").code == 1
    parts = [*(word[:4].casefold() for name in RARE for word in name.split()), *NUMBERS]
    for command in MASKED:
        run = skarvin(*command.split(), "--mask")
        assert run.code in {0, 1}, run.err
        said = (run.out + run.err).casefold()
        assert [part for part in parts if part in said] == [], command
        page = (tmp_path / "report.html").read_text(encoding="utf-8").casefold()
        assert not command.startswith("write") or not [part for part in parts if part in page]
    assert skarvin("history", "--export", "kept.csv").code == 0
    kept = (tmp_path / "kept.csv").read_text(encoding="utf-8-sig").casefold()
    assert [part for part in parts[:-4] if part in kept] == [], "an export of the history holds no names"
