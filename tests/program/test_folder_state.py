"""`skarvin` alone: how far the work in a folder is, and what changed since it was written."""

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import Skarvin, as_exported, edit

FILES = {
    "klas.csv": "Leerlingnummer;Naam;Toets 1 (/10)\n"
    "51001;Bakker, Noor;7,5\n51002;El Idrissi, Sami;6\n51003;Vos, Pim;11\n",
    "lijst.csv": "Nummer,Leerling,Toets 1 (/10)\n51001,Bakker Noor,\n51002,El Idrissi Sami,\n51003,Vos Pim,\n",
}


@pytest.fixture
def klas(tmp_path: Path, skarvin: Skarvin) -> Path:
    """Lay out another school's class, drafted and with nothing open."""
    for name, text in FILES.items():
        (tmp_path / name).write_text(text, encoding="utf-8")
    assert skarvin("draft", "klas.csv", "lijst.csv").code == 0
    return tmp_path


def test_a_folder_without_a_transfer_gets_the_order_of_work(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "pyproject.toml").write_text("[project]\nname = 'x'\n", encoding="utf-8")
    shown = skarvin()
    assert (shown.code, "skarvin draft EXPORT FORM" in shown.out) == (0, True)
    assert "pyproject" not in shown.out


def test_each_stage_is_told_with_the_next_command(klas: Path, skarvin: Skarvin) -> None:
    assert skarvin().out.splitlines()[:4] == [
        "transfer.toml",
        "  klas.csv -> lijst.csv",
        "  drafted, no question open; not written yet",
        "  Next: skarvin preview",
    ]
    skarvin("write")
    when = json.loads((klas / "ledger.json").read_bytes())["when"]
    lines = skarvin().out.splitlines()
    assert lines[2:4] == [f"  written on {when[:16].replace('T', ' ')}, not confirmed", "  To decide: 1 mark."]
    edit(klas / "transfer.toml", 'above = "hold"', 'above = "cap"')
    assert "changed since: transfer.toml" in skarvin().out
    skarvin("write", "--replace")
    lines = skarvin().out.splitlines()
    upload = "  Read the report and upload lijst-import.csv; then:"
    assert lines[3:6] == ["  nothing held", upload, "  Next: skarvin confirm FRESH_EXPORT"]
    assert skarvin("confirm", as_exported("lijst-import.csv")).code == 0
    lines = skarvin().out.splitlines()
    assert re.fullmatch(r"  written on .{16}, confirmed on .{16} \(3 arrived\)", lines[2])
    assert lines[4] == "  Nothing is left to do until the next export."


def test_what_was_written_elsewhere_is_seen(klas: Path, skarvin: Skarvin) -> None:
    assert skarvin("write", "--into", "elsewhere").code == 1
    assert "written on" in skarvin().out
    (klas / "elsewhere" / "lijst-import.csv").unlink()
    assert "lijst-import.csv (not there any more)" in skarvin().out


@pytest.mark.parametrize(
    ("name", "is_told"),
    [("klas.csv", "klas.csv"), ("lijst.csv", "lijst.csv"), ("lijst-import.csv", "lijst-import.csv (changed by hand)")],
)
def test_whatever_changed_since_the_write_is_told(klas: Path, skarvin: Skarvin, name: str, is_told: str) -> None:
    skarvin("write")
    with (klas / name).open("a", encoding="utf-8") as file:
        file.write("\n")
    assert f"changed since: {is_told}\n" in skarvin().out


def test_of_a_list_to_type_from_nothing_is_said_to_be_changed(klas: Path, skarvin: Skarvin) -> None:
    (klas / "transfer.toml").unlink()
    skarvin("draft", "klas.csv", "lijst.csv", "--typing")
    edit(klas / "transfer.toml", 'above = "hold"', 'above = "allow"')
    assert skarvin("write").code == 0
    assert skarvin().out.splitlines()[3:6] == [
        "  nothing held",
        "  Read the report and type the marks; then:",
        "  Next: skarvin confirm FRESH_EXPORT",
    ]
    with (klas / "klas.csv").open("a", encoding="utf-8") as file:
        file.write("51004;Mulder, Fenna;9\n")
    assert "changed since: klas.csv" in skarvin().out
    skarvin("write", "--replace")
    with (klas / "lijst.csv").open("a", encoding="utf-8") as file:
        file.write("51005;Bakker, Ties\n")
    assert "changed since: lijst.csv" in skarvin().out


def test_a_list_or_a_form_of_lines_that_changed_is_told(klas: Path, skarvin: Skarvin) -> None:
    (klas / "transfer.toml").unlink()
    lines = "".join(f"5100{number};Toets;\n" for number in range(1, 4))
    (klas / "lines.csv").write_text(f"leerlingnummer;opdracht;punten\n{lines}", encoding="utf-8")
    (klas / "who.txt").write_text("51001\n51002\n", encoding="utf-8")
    assert skarvin("draft", "klas.csv", "lines.csv", "--missing-maximum", "same").code == 0
    with (klas / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write('\n[[list]]\nfile = "who.txt"\n')
    assert skarvin("write").code in {0, 1}
    assert "changed since" not in skarvin().out
    (klas / "who.txt").write_text("51001\n", encoding="utf-8")
    assert "changed since: who.txt" in skarvin().out
    skarvin("write", "--replace")
    (klas / "lines.csv").write_text(f"leerlingnummer;opdracht;punten\n{lines}51004;Toets;\n", encoding="utf-8")
    assert "changed since: lines.csv" in skarvin().out


def test_an_import_file_that_is_gone_and_a_decision_are_told(klas: Path, skarvin: Skarvin) -> None:
    edit(klas / "klas.csv", "51003;Vos, Pim", "51993;Vos, Pim")
    skarvin("students")
    skarvin("write")
    assert "changed since" not in skarvin().out
    (klas / "lijst-import.csv").unlink()
    assert "lijst-import.csv (not there any more)" in skarvin().out
    skarvin("write", "--replace")
    row = next(line for line in (klas / "pairings.csv").read_text(encoding="utf-8").splitlines() if "51993" in line)
    edit(klas / "pairings.csv", row, row.removesuffix(",,") + ",51003,")
    assert "changed since: pairings.csv" in skarvin().out
    skarvin("write", "--replace")
    assert "changed since" not in skarvin().out
    files = json.loads((klas / "ledger.json").read_bytes())["files"]
    assert files["pairings"]["name"] == "pairings.csv"


def test_the_ledger_of_another_transfer_and_a_damaged_one_say_nothing(klas: Path, skarvin: Skarvin) -> None:
    skarvin("write")
    shutil.copy(klas / "transfer.toml", klas / "spring term.toml")
    shown = skarvin().out
    assert shown.index("transfer.toml") < shown.index("spring term.toml")
    assert 'skarvin preview --transfer "spring term.toml"' in shown
    assert shown.count("not written yet") == 1
    (klas / "ledger.json").write_bytes(b'{"schema": "skarvin-ledger/1", "when"')
    assert skarvin().out.count("not written yet") == 2


def test_what_is_open_missing_or_broken_is_told_and_the_others_too(klas: Path, skarvin: Skarvin) -> None:
    text = (klas / "transfer.toml").read_text(encoding="utf-8")
    (klas / "a.toml").write_text(text.replace('identifier = "Nummer"', 'identifier = "?"'), encoding="utf-8")
    (klas / "b.toml").write_text(text.replace("klas.csv", "weg.csv"), encoding="utf-8")
    (klas / "c.toml").write_text(text.replace('above = "hold"', 'above = "hold'), encoding="utf-8")
    (klas / "d.toml").write_text(text.replace('above = "hold"', 'abvoe = "hold"'), encoding="utf-8")
    shown = skarvin()
    assert shown.code == 0
    said = " ".join(shown.out.split())
    assert "a: 1 question to answer in a.toml" in said
    assert "b: weg.csv: there is no such file. Put it there, or name another file in b.toml." in said
    assert "c.toml, line " in shown.out
    assert "d.toml, line " in shown.out
    assert "abvoe" in shown.out
    assert "transfer - - - -" in said
    assert "preview --transfer .\n" in shown.out, "transfer.toml alone would be meant without it"
    for name in "cd":
        (klas / f"{name}.toml").unlink()
    shown = skarvin()
    for text in ("drafted; 1 question to answer", "weg.csv: there is no such file", "drafted, no question open"):
        assert text in shown.out, text


def test_many_classes_have_a_line_each_with_what_their_ledgers_say(klas: Path, skarvin: Skarvin) -> None:
    for name in "1234":
        (klas / name).mkdir()
        for file in (*FILES, "transfer.toml"):
            shutil.copy(klas / file, klas / name / file)
    for file in (*FILES, "transfer.toml"):
        (klas / file).unlink()
    edit(klas / "4" / "klas.csv", ";11", ";9")
    edit(klas / "4" / "lijst.csv", "Bakker Noor,", "Bakker Noor,3")
    assert skarvin("write").code == 1
    shown = skarvin().out.splitlines()
    for name in "1234":
        fates = json.loads((klas / name / "ledger.json").read_bytes())["fates"]
        line = next(line.split() for line in shown if line.startswith(f"  {name} "))
        assert line[:3] == [name, str(fates["sent"] + fates["changed"]), str(fates["held"])]
    assert next(line for line in shown if line.startswith("  4 ")).split()[1:3] == ["3", "0"]
    assert "  3: 1 mark." in shown
    assert "  4: 1 mark." not in shown
    assert "Next: skarvin confirm FRESH_EXPORT" in shown
    fresh = klas / "fresh export"
    fresh.mkdir()
    for name in "1234":
        imported = (klas / name / "lijst-import.csv").read_bytes().removeprefix(b"\xef\xbb\xbf")
        (fresh / f"{name}.csv").write_bytes(imported + b"\n")
    assert skarvin("confirm", fresh).code == 0
    shown = skarvin().out.splitlines()
    assert all(len(line.split()) == 7 for line in shown if re.match(r"  [1-4] ", line)), "no dash"
    assert "Nothing is left to do until the next export." in shown
    edit(klas / "2" / "klas.csv", "7,5", "7,0")
    shown = skarvin().out.splitlines()
    assert "  2: klas.csv" in shown
    assert "Next: skarvin preview" in shown


def test_transfers_one_folder_below_are_told_where_there_are_none_here(klas: Path, skarvin: Skarvin) -> None:
    (klas / "3 havo").mkdir()
    for name in (*FILES, "transfer.toml"):
        (klas / name).rename(klas / "3 havo" / name)
    where = Path("3 havo") / "transfer.toml"
    assert f'skarvin preview --transfer "{where}"' in skarvin().out


@pytest.mark.skipif(shutil.which("bash") is None, reason="there is no bash here")
def test_bash_completes_commands_options_and_names_of_files(klas: Path) -> None:
    program = Path(sys.executable).with_name("skarvin")
    complete = """
eval "$(_SKARVIN_COMPLETE=bash_source skarvin)"
COMP_WORDS=(skarvin pre); COMP_CWORD=1; _skarvin_completion skarvin; echo "${COMPREPLY[@]}"
COMPREPLY=(); COMP_WORDS=(skarvin write --tr); COMP_CWORD=2; _skarvin_completion skarvin; echo "${COMPREPLY[@]}"
"""
    env = os.environ | {"PATH": f"{program.parent}{os.pathsep}{os.environ['PATH']}"}
    done = subprocess.run(
        ["bash", "--norc", "-c", complete], cwd=klas, env=env, capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines() == ["preview", "--transfer"]
