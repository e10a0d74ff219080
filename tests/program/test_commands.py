"""The program as a user meets it: on files in a folder."""

import json
import re
import subprocess
import sys
from pathlib import Path

import click
import pytest

from conftest import Skarvin, edit, shared_demo
from skarvin.cli.main import commands, run
from skarvin.demo import walk
from skarvin.demo.walk import Step


def rows(file: Path) -> list[str]:
    return file.read_text(encoding="utf-8").splitlines()


def test_without_a_command_it_prints_the_order_of_work(skarvin: Skarvin) -> None:
    done = skarvin()
    assert done.code == 0
    steps = ["look", "draft", "students", "preview", "write", "confirm"]
    assert [line.split()[2] for line in done.out.splitlines() if line[2:3].isdigit()] == steps


def test_commands_are_listed_and_completed_without_being_loaded(skarvin: Skarvin) -> None:
    listed = dict(re.findall(r"^  ([a-z]+)  +(\S.*)$", skarvin("--help").out.partition("Commands:")[2], re.MULTILINE))
    context = click.Context(commands, info_name="skarvin")
    assert list(listed) == commands.list_commands(context)
    for start in ("", "st", "--v", "zz"):
        found = [item.value for item in commands.shell_complete(context, start)]
        assert found == [
            name for name in (*listed, "--version") if name.startswith(start) and (start or name in listed)
        ]
    for name, told in listed.items():
        command = commands.get_command(context, name)
        assert command is not None
        assert command.get_short_help_str(200) == told
    code = "import sys; from skarvin.cli.main import run; sys.argv = ['skarvin', '--help']; run(); print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert "skarvin.cli.main" in loaded
    assert not [name for name in listed if f"skarvin.cli.{name}" in loaded]


def test_look_tells_the_shape_and_each_column(class_files: Path, skarvin: Skarvin) -> None:
    done = skarvin("look", class_files / "form.csv", "--json")
    data = json.loads(done.out)
    assert (done.code, data["encoding"], data["delimiter"], data["line_ends"]) == (0, "UTF-8", "semicolon", "LF")
    taken = [(one["column"], one["taken_for"], one["filled"]) for one in data["columns"]]
    assert taken == [
        ("A", "student number", 3),
        ("B", "full name", 3),
        ("C", "item", 2),
        ("D", "item", 1),
        ("E", "comment", 1),
    ]
    assert "Lofting [15]" in skarvin("look", class_files / "form.csv").out


def test_look_names_oddities_with_their_places(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "odd.csv").write_bytes(b"No,Quiz,Quiz,\r\n1,2,3,\n\n2,3\n")
    data = json.loads(skarvin("look", "odd.csv", "--json").out)
    assert [(one["slug"], one["place"].get("row")) for one in data["oddities"]] == [
        *(("line-ends", None), ("heading-twice", 1), ("heading-blank", 1), ("blank-rows", 3)),
    ]
    assert [(one["slug"], one["place"]["row"]) for one in data["faults"]] == [("ragged-row", 4)]


def test_draft_writes_a_transfer_once(drafted: Path, skarvin: Skarvin) -> None:
    text = (drafted / "transfer.toml").read_text(encoding="utf-8")
    for line in ('identifier = "Learner no"', 'to = "Lofting [15]"', "from_out_of = 100", 'blank = "leave"'):
        assert line in text
    again = skarvin("draft", "export.csv", "form.csv")
    assert (again.code, (drafted / "transfer.toml").read_text(encoding="utf-8")) == (2, text)


def test_draft_proposes_what_must_be_set_aside_for_identifiers_to_meet(class_files: Path, skarvin: Skarvin) -> None:
    edit(class_files / "form.csv", "\n00", "\n")
    skarvin("draft", "export.csv", "form.csv")
    assert "ignore_leading_zeros = true" in (class_files / "transfer.toml").read_text(encoding="utf-8")


def test_a_maximum_known_on_one_side_alone_is_left_open_until_it_is_given(class_files: Path, skarvin: Skarvin) -> None:
    edit(class_files / "export.csv", " (out of 100)", "")
    assert "question to answer" in skarvin("draft", "export.csv", "form.csv").out
    refused = skarvin("preview")
    line = rows(class_files / "transfer.toml").index(
        next(x for x in rows(class_files / "transfer.toml") if '"?"' in x and "missing_maximum" in x)
    )
    assert (refused.code, f"transfer.toml, line {line + 1}" in refused.err) == (4, True)
    (class_files / "transfer.toml").unlink()
    assert "question to answer" not in skarvin("draft", "export.csv", "form.csv", "--from-out-of", "Lofting=100").out
    assert skarvin("preview").code == 1


def test_preview_tells_every_fate_and_writes_nothing(drafted: Path, skarvin: Skarvin) -> None:
    before = sorted(drafted.iterdir())
    done = skarvin("preview", "--json")
    data = json.loads(done.out)
    assert (done.code, sorted(drafted.iterdir())) == (1, before)
    assert data["fates"] == {"sent": 2, "changed": 1, "same": 1, "kept": 0, "held": 1, "left out": 1}
    (changed,) = [mark for mark in data["marks"]["list"] if mark["fate"] == "changed"]
    assert (changed["was"], changed["now"], changed["to_row"], changed["to_column"]) == ("5", "6.5", 2, "C")
    (held,) = [mark for mark in data["marks"]["list"] if mark["fate"] == "held"]
    assert (held["row"], held["column"], held["slug"]) == (4, "D", "unreadable")
    text = skarvin("preview").out
    for said in ("unreadable mark '1O' (perhaps 10)", "D4", "before", "after", "Nothing was written"):
        assert said in text


def test_write_fills_the_form_and_nothing_else(drafted: Path, skarvin: Skarvin) -> None:
    done = skarvin("write")
    assert done.code == 1
    assert rows(drafted / "form-import.csv") == [
        "Registry no;Name;Knots [10];Lofting [15];Remarks",
        '0013;Tanaka;6.5;;"late; twice"',
        "007;Ó Murchú;8.0;10.95;",
        "0012;D'Angelo;0;9;",
    ]
    assert (drafted / "form-restore.csv").read_bytes() == (drafted / "form.csv").read_bytes()
    assert {
        file.stat().st_mode & 0o777 for file in drafted.glob("*") if file.name.startswith(("form-", "re", "le"))
    } == {0o600}


def test_the_ledger_balances_and_fingerprints_its_files(drafted: Path, skarvin: Skarvin) -> None:
    skarvin("write")
    data = json.loads((drafted / "ledger.json").read_text(encoding="utf-8"))
    assert (data["schema"], data["second_look"]) == (
        "skarvin-ledger/3",
        {"rows": 4, "cells_that_differ": 3, "marks_looked_up": 6},
    )
    lofting = next(item for item in data["items"] if item["to"] and item["to"]["column"] == "D")
    assert lofting["moved"] == {"before": {"count": 1, "sum": "73"}, "after": {"count": 1, "sum": "10.95"}}
    assert lofting["target"]["after"] == {"count": 2, "sum": "19.95"}
    assert sum(one["count"] for one in lofting["by_text"]) == 3
    assert set(data["files"]) == {"transfer", "export", "form", "import", "held"}
    page = (drafted / "report.html").read_text(encoding="utf-8")
    assert data["verdict"] in page
    assert data["files"]["import"]["sha256"] in page


def test_what_a_file_says_is_harmless_in_the_report(class_files: Path, skarvin: Skarvin) -> None:
    edit(class_files / "export.csv", "Tanaka, Hiroshi", "<script>alert(1)</script>")
    skarvin("draft", "export.csv", "form.csv")
    skarvin("write")
    page = (class_files / "report.html").read_text(encoding="utf-8")
    assert "<script" not in page
    assert "&lt;script&gt;" in page


def test_running_again_on_what_was_written_sends_nothing_new(drafted: Path, skarvin: Skarvin) -> None:
    skarvin("write")
    (drafted / "form-import.csv").replace(drafted / "form.csv")
    done = skarvin("write", "--replace")
    assert "Nothing new is sent" in done.out
    assert (drafted / "form-import.csv").read_bytes() == (drafted / "form.csv").read_bytes()


def test_files_are_replaced_only_when_told_to(drafted: Path, skarvin: Skarvin) -> None:
    (drafted / "report.html").write_text("mine")
    refused = skarvin("write")
    assert (refused.code, "report.html" in refused.err, "--replace" in refused.err) == (4, True, True)
    assert not (drafted / "form-import.csv").exists()
    assert skarvin("write", "--replace").code == 1


def test_the_rules_of_the_transfer_rule(drafted: Path, skarvin: Skarvin) -> None:
    edit(drafted / "transfer.toml", 'existing = "replace"', 'existing = "keep"')
    edit(drafted / "transfer.toml", 'blank = "leave"', 'blank = "zero"')
    edit(drafted / "transfer.toml", "leave_out = []", 'leave_out = ["0013"]')
    data = json.loads(skarvin("preview", "--json").out)
    assert data["fates"] == {"sent": 2, "changed": 0, "same": 1, "kept": 1, "held": 0, "left out": 2}
    assert skarvin("preview").code == 0


def test_a_long_table_of_items_is_cut_with_a_count(tmp_path: Path, skarvin: Skarvin) -> None:
    heads = ",".join(f"Task {number}" for number in range(45))
    (tmp_path / "e.csv").write_text(f"No,{heads}\n01{',7' * 45}\n")
    (tmp_path / "f.csv").write_text(f"No,{heads}\n01{',' * 45}\n")
    skarvin("draft", "e.csv", "f.csv")
    assert "... 5 more; --all shows them" in skarvin("preview").out
    whole = skarvin("preview", "--all").out
    assert ("Task 44" in whole, "more;" in whole) == (True, False)
    assert "... 5 more; report.html shows them" in skarvin("write").out
    assert "Task 44" in (tmp_path / "report.html").read_text(encoding="utf-8")


def test_the_demo_walks_through_the_whole_job(tmp_path_factory: pytest.TempPathFactory, skarvin: Skarvin) -> None:
    demo = shared_demo(tmp_path_factory)
    said = demo.with_name("said.txt").read_text(encoding="utf-8")
    for command in ("look", "draft", "students", "preview", "write", "confirm", "history"):
        assert f"$ skarvin {command}" in said
    assert "Read-back check passed: 35 rows read again" in " ".join(said.split())
    ledger = json.loads((demo / "ledger.json").read_text(encoding="utf-8"))
    assert ledger["fates"] == {"sent": 140, "changed": 1, "same": 5, "kept": 0, "held": 22, "left out": 77}
    final = (demo / "final" / "final-form-import.csv").read_text(encoding="utf-8")
    assert "0097738;Al-Rashid;Layla;Keel;55.9;Journeyman;sharp;P" in final
    assert "0092948;Çelik;Yağmur;Rudder;83.6;Senior journeyman;fair;" in final
    quiz = (demo / "quiz" / "answer-form-import.csv").read_text(encoding="utf-8")
    assert "0092948;Rudder;A;B;AB;T;160;B" in quiz
    again = skarvin("demo", demo)
    assert (again.code, "not an empty folder" in again.err) == (2, True)
    assert "27 of 28 marks sent arrived (1 missing)." in said
    assert "All 14 marks that were sent have arrived" in said


def test_the_demo_ends_with_the_code_of_a_step_that_fails(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    fails = Step("This fails.", ("write",), "weeks", (("workshop-week-1.csv", "nowhere.csv"),))
    draft = ("draft", "workshop-week-1.csv", "registry-form.csv", "--status", "absent=hold")
    monkeypatch.setattr(walk, "STEPS", (Step("Propose.", draft, "weeks"), fails))
    monkeypatch.setattr(sys, "argv", ["skarvin", "demo", "tw", "--all"])
    assert run() == 3
    said = capfd.readouterr().out
    assert "(in transfer.toml: workshop-week-1.csv becomes nowhere.csv)" in said
    assert "All of it lies in" not in said
    monkeypatch.setattr(walk, "STEPS", ())
    monkeypatch.setattr(sys, "argv", ["skarvin", "demo", "other", "--all"])
    assert run() == 0
    assert "All of it lies in other" in capfd.readouterr().out
    assert (tmp_path / "other" / "weeks" / "registry-form.csv").exists()


@pytest.mark.parametrize("width", ["80", "200"])
def test_no_line_of_a_table_is_wider_than_the_screen(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, width: str
) -> None:
    monkeypatch.setenv("COLUMNS", width)
    for arguments in (("look", "export.csv"), ("preview",)):
        assert max(map(len, skarvin(*arguments).out.splitlines())) <= int(width)
    assert drafted.exists()
