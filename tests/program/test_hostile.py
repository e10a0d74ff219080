"""Hostile and unlucky input is only input: bounds are told, no terminal obeys it, no spreadsheet runs it."""

import contextlib
import gzip
import json
import os
import pty
import re
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from cases import EXPORT, FORM, ORDINARY, PLAYS, TRANSFER, Case
from hypothesis import given
from hypothesis import strategies as st
from kept_cases import COMMANDS, INPUTS, kept_cases
from run_cases import OBEYED
from text_cases import text_cases
from transfer_cases import transfer_cases
from workbook_cases import book, sheet_xml, workbook_cases

from conftest import Skarvin, column, edit, lay_out
from skarvin.cli.terminal import escaped_json, shown
from skarvin.core.findings import Unreadable
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.headings import read_heading
from skarvin.core.texts.unsafe import as_text, would_run
from skarvin.entry import main as entry

QUICK = (
    "nothing but the byte order mark",
    "1000 blanks inside",
    "500 brackets inside",
    "1000 dashes inside",
    "16385 columns",
    "a cell of 5 MB",
    "a bomb in gzip",
    "a gzip in a gzip",
    "--encoding 'undefined'",
    "--encoding 'idna'",
    "--sheet '999",
    "look '/dev/zero'",
    "look '/proc/self/environ'",
    "look 'y/y/",
    "a link that goes round",
    "weight = 1e999999999",
    "weight = 99999",
    "decimals = 0xfff",
    "heading_row 922",
    "layout a\\u0000b",
    "nested tables",
    "nested dots",
    "2000 items that aren't there",
    "1,000 operators",
    "a formula of powers",
    "a chain of 500 totals",
    "totals that square each other",
    "held.csv is a deep list",
    "xlsx: a cell \"r='xfd1048576'\"",
    "xlsx: a cell 'r = \"ZZZZZZ1\"'",
    "xlsx: a row 4294967296",
    "xlsx: 20000 tags that don't end",
    "xlsx: 20000 comments with cells",
    "xlsx: names of other kinds",
    "xlsx: a number 1e999",
    "xlsx: entities that grow",
    "ods: both by 1048576",
    "ods: wide rows, often",
    "html: spans in each row",
    "html: in the encoding 'hex'",
    "xls: strewn cells",
)
"""Cases that run in a moment; `tests/faults/run_cases.py` runs all of them, with limits of time and memory."""
CASES = {
    case.name: case
    for case in (*text_cases(), *workbook_cases(), *transfer_cases())
    if any(part in case.name for part in QUICK)
}


@pytest.mark.parametrize("name", CASES)
def test_a_hostile_file_is_told_and_stays_as_it_was(name: str, tmp_path: Path, skarvin: Skarvin) -> None:
    case = CASES[name]
    case.lay_out(tmp_path)
    before = {path: path.read_bytes() for path in tmp_path.iterdir() if path.is_file()}
    for command in case.commands:
        done = skarvin(*command)
        assert done.code in range(6), done.err
        assert not OBEYED.search(re.sub(r"\x1b\[[0-9;]*m", "", done.out + done.err))
        assert done.code < 3 or done.err.startswith(("error: ", "Usage: ", "Error: "))
    assert {path: data for path, data in before.items() if path.read_bytes() != data} == {}


@pytest.mark.parametrize("damaged", COMMANDS)
def test_whatever_is_read_besides_may_be_damaged(
    damaged: str, tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    for case in [case for case in kept_cases() if case.name.startswith(f"{damaged} ")][::15]:
        folder = tmp_path / case.name.replace("/", " ")
        folder.mkdir()
        case.lay_out(folder)
        monkeypatch.chdir(folder)
        for name in ("CONFIG", "STATE"):
            monkeypatch.setenv(f"XDG_{name}_HOME", f"{folder}/.{name.lower()}")
        for command in case.commands:
            done = skarvin(*command)
            assert done.code in range(6), (case.name, command, done.err)
            assert not OBEYED.search(re.sub(r"\x1b\[[0-9;]*m", "", done.out + done.err)), case.name
        for name in INPUTS - {damaged}:
            assert (folder / name).read_bytes() == case.files[name], (case.name, name)


def test_what_a_terminal_obeys_is_shown_and_not_sent(tmp_path: Path) -> None:
    signs = "".join(PLAYS)
    text = EXPORT.replace("Hiroshi", f"Hiro{signs.replace(chr(0x2028), '')}shi").replace("Lofting", "Lof\x1b[31mting")
    edited = TRANSFER.replace("export.csv", "strange\x9b.csv").replace("Lofting (out", "Lof\\u001b[31mting (out")
    Case("", (), {"strange\x9b.csv": text, "transfer.toml": edited}).lay_out(tmp_path)
    for command in (["look", "strange\x9b.csv"], ["preview"], ["students", "--all"], ["look", "\x1b[2Jno.csv"]):
        ours, theirs = pty.openpty()
        program = [sys.executable, "-m", "skarvin", *command]
        process = subprocess.Popen(program, cwd=tmp_path, stdin=theirs, stdout=theirs, stderr=theirs)
        os.close(theirs)
        said = b""
        with contextlib.suppress(OSError):  # the terminal is gone when the program is
            while data := os.read(ours, 65_536):
                said += data
        process.wait()
        os.close(ours)
        assert not OBEYED.search(said.decode())
        assert re.search("␛|<U\\+009B>", said.decode()), said.decode()


@given(st.text(st.characters(exclude_categories=["Cs"]) | st.sampled_from("".join(PLAYS))))
def test_no_text_reaches_a_terminal_with_anything_in_it_that_is_obeyed(text: str) -> None:
    assert not re.search(
        r"[^\t\n]", "".join(re.findall(r"[\x00-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]", shown(text)))
    )
    assert json.loads(escaped_json(json.dumps(text, ensure_ascii=False))) == text
    assert not OBEYED.search(escaped_json(json.dumps(text, ensure_ascii=False)))


RUNS = ("=1+1", " =A1", "@SUM(1)", "-2+3+cmd|' /C calc'!A0", "+A1", "-(2)", "\t=1", "＝1+1", "-2+3", "+1*2%", "=")
RUNS_NOT = (
    "-2",
    "+5",
    "-2,5 %",
    "- well done",
    "-",
    "--",
    "-/-",
    "a=b",
    "'=1",
    "2-3",
    "-x",
    "+/- ok",
    "-5 / 10 Punkte",
)


@pytest.mark.parametrize(("text", "runs"), [*((one, True) for one in RUNS), *((one, False) for one in RUNS_NOT)])
def test_what_a_spreadsheet_would_run_is_known_from_numbers_and_remarks(text: str, runs: bool) -> None:
    assert would_run(text) is runs
    assert not would_run(as_text(text))


COMMENTS = '[[comment]]\nfrom = "C"\nto = "C"\n'
ANSWERS = '[[answer]]\nfrom = "C"\nto = "C"\nkind = "text"\n'


@pytest.mark.parametrize("texts", [COMMENTS, ANSWERS])
@pytest.mark.parametrize(
    ("rule", "code", "sent"),
    [("", 1, ["", "", "fine"]), ('[target]\nunsafe_text = "apostrophe"\n', 0, ["'-2+3+cmd|'x'!A0", "'=1", "fine"])],
)
def test_a_text_that_would_run_is_held_or_sent_as_text(  # noqa: PLR0913 - the kinds of texts and the rules
    tmp_path: Path, skarvin: Skarvin, texts: str, rule: str, code: int, sent: list[str]
) -> None:
    head = "No;Name;Answer 1\n" if texts == ANSWERS else "No;Name;Remark\n"
    export = f"{head}w-1;Ida Lund;-2+3+cmd|'x'!A0\nw-2;Can Öz;=1\nw-3;Abir Roy;fine\n"
    lay_out(tmp_path, export, f"{head}w-1;Ida Lund;\nw-2;Can Öz;\nw-3;Abir Roy;\n", texts)
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8").replace("[target]\n", rule or "[target]\n")
    (tmp_path / "transfer.toml").write_text(text, encoding="utf-8")
    done = skarvin("write", "--plain")
    assert (done.code, column(tmp_path, 2)) == (code, sent)
    assert code == 0 or "so that a spreadsheet would run it" in " ".join(skarvin("preview", "--all").out.split())
    (tmp_path / "form.csv").write_bytes((tmp_path / "form-import.csv").read_bytes())
    assert skarvin("write", "--plain", "--replace").code == code
    assert json.loads((tmp_path / "ledger.json").read_bytes())["fates"]["sent"] == 0
    fresh = (tmp_path / "form-import.csv").read_text(encoding="utf-8").replace("'-", "-").replace("'=", "=")
    (tmp_path / "fresh.csv").write_text(fresh, encoding="utf-8")
    assert json.loads(skarvin("confirm", "fresh.csv", "--identical", "--json").out)["sent"]["different"] == 0


def test_a_control_character_is_held_whatever_the_rule(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "No;Name;Remark\nw-1;Ida Lund;a\x07b\n", "No;Name;Remark\nw-1;Ida Lund;\n", COMMENTS)
    assert skarvin("write", "--plain").code == 1
    assert "it has a control character (U+0007)" in (tmp_path / "ledger.json").read_text(encoding="utf-8")


def test_a_row_is_not_made_with_a_name_that_would_run_unless_it_goes_as_text(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "No;Name;Knots\nw-1;Ida Lund;5\nw-9;=HYPERLINK(1);7\n"
    rules = '[[item]]\nfrom = "C"\nto = "C"\n'
    lay_out(tmp_path, export, "No;Name;Knots\nw-1;Ida Lund;\n", rules)
    edit(tmp_path / "transfer.toml", 'file = "form.csv"\n', 'file = "form.csv"\nadd = "below"\n')
    held = skarvin("write", "--plain")
    assert (held.code, column(tmp_path, 1)) == (1, ["Ida Lund"])
    assert "no row was made for row 3 of the export" in " ".join(skarvin("preview").out.split())
    edit(tmp_path / "transfer.toml", 'add = "below"\n', 'add = "below"\nunsafe_text = "apostrophe"\n')
    assert skarvin("write", "--plain", "--replace").code == 0
    assert column(tmp_path, 1) == ["Ida Lund", "'=HYPERLINK(1)"]


def test_a_roster_holds_a_name_that_would_run_or_writes_it_as_text(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "list.csv").write_text("No;Family name;Given name\n1;Lund;Ida\n2;=1+1;Can\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("No;Family name;Given name\n", encoding="utf-8")
    command = ("roster", "list.csv", "--form", "form.csv", "--replace", "--json")
    held = skarvin(*command)
    assert (held.code, [row[1] for row in json.loads(held.out)["rows"]]) == (1, ["Lund"])
    sent = skarvin(*command, "--unsafe-text", "apostrophe")
    assert (sent.code, [row[1] for row in json.loads(sent.out)["rows"]]) == (0, ["Lund", "'=1+1"])
    assert column(tmp_path, 1, "form-roster.csv") == ["Lund", "'=1+1"]


def test_nul_is_told_with_its_line_and_read_on_without(tmp_path: Path, skarvin: Skarvin) -> None:
    files = ORDINARY | {"export.csv": EXPORT.replace("Hiroshi", "Hiro\0shi")}
    for name, text in files.items():
        (tmp_path / name).write_text(text, encoding="utf-8")
    told = skarvin("preview")
    assert (told.code, "export.csv, line 4: 1 NUL character" in told.err) == (3, True)
    read = skarvin("look", "export.csv", "--skip-controls")
    assert (read.code, "1 control character set aside, first here: NUL" in read.out) == (0, True)
    edit(tmp_path / "transfer.toml", "[target]", "skip_controls = true\n[target]")
    assert skarvin("preview").code == 1
    (tmp_path / "form.csv").write_text(FORM.replace("late", "la\0te"), encoding="utf-8")
    edit(tmp_path / "transfer.toml", 'file = "form.csv"', 'file = "form.csv"\nskip_controls = true')
    form = skarvin("preview")
    assert (form.code, "a form is filled as it lies there" in form.err) == (3, True)


def test_compressed_text_is_read_as_an_export_and_no_form(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv.gz").write_bytes(gzip.compress(EXPORT.encode()))
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "export.csv.gz", "form.csv").code == 0
    (tmp_path / "form.csv.gz").write_bytes(gzip.compress(FORM.encode()))
    assert (
        "a form is filled as it lies there"
        in skarvin("draft", "export.csv.gz", "form.csv.gz", "--transfer", "b.toml").err
    )


def test_a_pipe_is_read_once_and_only_where_that_is_enough(tmp_path: Path, skarvin: Skarvin) -> None:
    os.mkfifo(tmp_path / "pipe")
    threading.Thread(target=(tmp_path / "pipe").write_text, args=(EXPORT,), daemon=True).start()
    assert skarvin("look", "pipe").code == 0
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    refused = skarvin("draft", "pipe", "form.csv")
    assert (refused.code, "this is a pipe, which can be read only once" in refused.err) == (3, True)


def test_a_sheet_is_read_though_another_is_damaged(tmp_path: Path) -> None:
    broken = sheet_xml("<row r='9'><c r='A9' t='zz'><v>99</v></c></row>")
    file = tmp_path / "two.xlsx"
    file.write_bytes(book({"Marks": sheet_xml(), "Broken": broken}))
    for how in (ReadAs(), ReadAs(sheet="Marks")):
        grid = read_grid(file, how)
        assert (grid.sheet, grid.cells(1)[0]) == ("Marks", "T-1007")
    assert [str(note.place) for note in read_grid(file).notes] == ["two.xlsx, sheet 'Broken'"]
    with pytest.raises(Unreadable, match=r"two.xlsx, sheet 'Broken': this sheet is damaged"):
        read_grid(file, ReadAs(sheet="Broken"))


@pytest.mark.parametrize("form", ['r="{}"', "r='{}'", "r  =\n'{}'"])
@pytest.mark.parametrize("at", ["XFD1048576", "zz99999", "AAAA1", "A123456789012"])
def test_a_cell_far_out_is_found_however_it_is_written(tmp_path: Path, form: str, at: str) -> None:
    file = tmp_path / "far.xlsx"
    file.write_bytes(book({"Marks": sheet_xml(f"<row><c {form.format(at)} t='inlineStr'><is><t>x</t></is></c></row>")}))
    with pytest.raises(Unreadable, match=r"cells are strewn over|is damaged|a row has"):
        read_grid(file)


def test_cells_in_comments_of_the_xml_are_none(tmp_path: Path) -> None:
    file = tmp_path / "comment.xlsx"
    hidden = '<!-- <row r="3" hidden="1"><c r="XFD1048576"/> -->'
    file.write_bytes(book({"Marks": sheet_xml(hidden)}))
    assert [note.slug for note in read_grid(file).notes] == []


@given(st.lists(st.sampled_from(["Knots", "(out of", "10)", "–", "/20", "[4711]", "%", "no", "id"]), max_size=6))
def test_blanks_inside_a_heading_count_once(words: list[str]) -> None:
    assert read_heading("   ".join(words)) == read_heading(" ".join(words))


def test_what_cannot_be_shown_is_told_by_the_exit_code(class_files: Path) -> None:
    with Path("/dev/full").open("wb") as full:
        command = [sys.executable, "-m", "skarvin", "look", "export.csv"]
        done = subprocess.run(command, cwd=class_files, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert done.returncode == 5
    assert done.stderr.startswith("error: what was to be shown can't be: no space left on device")


def test_whoever_stops_the_program_while_it_starts_sees_a_sentence(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    ended: list[int] = []
    monkeypatch.setattr("skarvin.cli.main.main", lambda: signal.raise_signal(signal.SIGINT))
    monkeypatch.setattr("skarvin.entry.os._exit", ended.append)
    before = signal.signal(signal.SIGINT, signal.default_int_handler)  # whoever runs this may have it ignored
    try:
        entry()
    finally:
        signal.signal(signal.SIGINT, before)
    assert (ended, capsys.readouterr().err) == ([4], "Stopped; nothing was begun.\n")


def test_what_a_killed_run_left_is_gone_after_the_next_in_its_folder(class_files: Path, skarvin: Skarvin) -> None:
    record = Path(os.environ["XDG_STATE_HOME"], "skarvin", "unfinished", "0123456789abcdef.json")
    record.parent.mkdir(parents=True, exist_ok=True)
    record.write_text("[]")
    for name in (".form-import.csv.0123456789abcdef.part", ".skarvin.0123456789abcdef.new"):
        (class_files / name).write_text("T-1007,Síle", encoding="utf-8")
    strange = ".form-import.csv.fedcba9876543210.part"
    for name in (".notes.part", strange):
        (class_files / name).write_text("somebody else's", encoding="utf-8")
    assert skarvin("look", "export.csv").code == 0
    assert sorted(path.name for path in class_files.iterdir()) == [strange, ".notes.part", "export.csv", "form.csv"]
    assert not record.exists()


@pytest.mark.skipif(os.geteuid() == 0, reason="root reads everything")
def test_an_unreadable_file_ends_alike_wherever_it_is_named(drafted: Path, skarvin: Skarvin) -> None:
    (drafted / "export.csv").chmod(0)
    assert [skarvin("look", "export.csv").code, skarvin("preview").code] == [3, 3]
