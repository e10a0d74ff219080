"""What a terminal of 80 by 24 shows first: the verdict, what is to be decided, the next step; a pipe gets all of it."""

import fcntl
import json
import os
import pty
import re
import struct
import subprocess
import sys
import termios
from collections.abc import Callable, Sequence
from pathlib import Path

import pytest

from conftest import shared_demo

ROWS, COLUMNS = 24, 80
CODES = re.compile(r"\x1b\[[0-9;]*[mK]|[^\n]*\r(?!\n)")
Screen = Callable[..., list[str]]


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return shared_demo(tmp_path_factory)


def on_screen(folder: Path, arguments: Sequence[str], typed: str = "") -> list[str]:
    """Return the lines that a command shows at a terminal."""
    main, other = pty.openpty()
    fcntl.ioctl(other, termios.TIOCSWINSZ, struct.pack("HHHH", ROWS, COLUMNS, 0, 0))
    environment = {name: value for name, value in os.environ.items() if name != "COLUMNS"}
    command = [sys.executable, "-m", "skarvin", *arguments]
    with subprocess.Popen(command, stdin=other, stdout=other, stderr=other, cwd=folder, env=environment) as process:
        os.close(other)
        os.write(main, typed.encode())
        seen = b""
        while True:
            try:
                piece = os.read(main, 65_536)
            except OSError:
                break
            if not piece:
                break
            seen += piece
        process.wait()
    os.close(main)
    return CODES.sub("", seen.decode().replace("\r\n", "\n")).rstrip("\n").split("\n")


def piped(folder: Path, arguments: Sequence[str]) -> str:
    environment = {name: value for name, value in os.environ.items() if name != "COLUMNS"}
    command = [sys.executable, "-m", "skarvin", *arguments]
    return subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, check=False).stdout


@pytest.mark.parametrize(
    ("arguments", "first", "decide", "following"),
    [
        (("look", "workshop-marks.csv"), "34 students", "row 36 Apprentice, Practice", "skarvin draft EXPORT FORM"),
        (
            ("draft", "workshop-marks.csv", "registry-form.csv", "-t", "new.toml"),
            "30 of 34 students are in both",
            "(left out)",
            "skarvin preview --transfer new.toml",
        ),
        (("students",), "To confirm: 3 students", "Missing from the form: 1 student", "skarvin preview"),
        (("preview",), "All 245 entries accounted for", "1 mark (E28)", "skarvin write --replace"),
        (("write", "--replace"), "All 245 entries accounted for", "1 mark (G14)", "skarvin confirm FRESH_EXPORT"),
    ],
    ids=lambda value: value[0] if isinstance(value, tuple) else "",
)
def test_the_first_screen_has_the_verdict_what_to_decide_and_the_next_step(
    demo: Path, arguments: tuple[str, ...], first: str, decide: str, following: str
) -> None:
    lines = on_screen(demo, arguments)
    assert len(lines) <= ROWS, "\n".join(lines)
    assert max(map(len, lines)) <= COLUMNS
    said = " ".join(" ".join(lines).split())
    assert lines[-1] == f"Next: {following}"
    for text in (first, decide):
        assert text in said, text


def test_nothing_that_a_pipe_gets_is_lost_at_a_terminal_with_all(demo: Path) -> None:
    """Each word of the full text is in what `--all` shows, and each title that the short one names is a part of it."""
    for arguments in (("preview",), ("students",), ("look", "workshop-marks.csv")):
        whole = set(piped(demo, [*arguments, "--all"]).split())
        shown = set(" ".join(on_screen(demo, [*arguments, "--all"])).split())
        lost = {word for word in whole - shown if not any(word.startswith(part.strip("…")) for part in shown)}
        assert len(lost) <= len(whole) // 10, sorted(lost)
    assert "Sample rows of the form" in piped(demo, ("preview",)), "a pipe gets all without being asked"
    short = " ".join(on_screen(demo, ("preview",)))
    full = piped(demo, ("preview", "--all"))
    assert "replaced: 1 mark" in short
    assert "Replaced: 1 mark" in full
    assert "2 can't be calculated, 2 differ" in " ".join(short.split())
    assert full.count("It can't be calculated for 1 student") == 2
    assert "differs for 2 students" in " ".join(full.split())


def test_a_pipe_shortens_nothing(tmp_path: Path) -> None:
    """Titles that are alike at first and long names stand there whole, and can be searched."""
    titles = [f"A very long title of an item that goes on and on, of the week {week} of the year" for week in (1, 2)]
    people = "".join(f"{number},{'Wolfeschlegelsteinhausenbergerdorff ' * 2}{number},5,6\n" for number in (11, 12))
    heads = ",".join(f'"{title} (out of 10)"' for title in titles)
    (tmp_path / "export.csv").write_text(f"Id,Name,{heads}\n{people}", encoding="utf-8")
    (tmp_path / "form.csv").write_text(f"Id,Name,{heads}\n{people.replace(',5,6', ',,')}", encoding="utf-8")
    assert f"  {titles[1]}" in piped(tmp_path, ("draft", "export.csv", "form.csv"))
    for arguments in (("preview",), ("look", "export.csv"), ("students",)):
        text = piped(tmp_path, arguments)
        assert "…" not in text
        assert titles[1] in text or arguments == ("students",)
    lines = on_screen(tmp_path, ("preview",))
    items = [line for line in lines if line.startswith("  A very")]
    assert len(items) == len(set(items)) == 2, "two titles never look alike"
    assert all("…" in line for line in items)


def test_the_demo_is_the_one_job_step_by_step_and_the_others_by_name(tmp_path: Path) -> None:
    """At a terminal each step waits; a pipe waits for nothing."""
    lines = on_screen(tmp_path, ("demo", "one"), "\n\nq\n")
    said = "\n".join(lines)
    assert "--- 3 of 5 ---" in said
    assert "--- 4 of 5 ---" not in said
    assert said.count("Enter: the next step; q: stop") == 3
    whole = piped(tmp_path, ("demo", "two"))
    assert "--- 5 of 5 ---" in whole
    assert "Read-back check passed" in whole
    assert (tmp_path / "two" / "registry-form-import.csv").exists()
    assert not (tmp_path / "two" / "watch" / "ledger.json").exists()
    assert "watch" in whole.split("Further jobs")[1]
    part = piped(tmp_path, ("demo", "two", "--part", "watch"))
    assert "--- 1 of 1 ---" in part
    assert (tmp_path / "two" / "watch" / "ledger.json").exists()


def test_quiet_says_what_needs_a_person_and_which_files_there_are(demo: Path) -> None:
    told = "To decide: 3 students, 1 student missing from the form, 2 marks; 20 more marks wait for those students."
    assert piped(demo, ("preview", "-q")).splitlines() == [told]
    first, *files = piped(demo, ("write", "--quiet", "--replace", "-o", "out")).splitlines()
    assert first == told
    assert {demo / name for name in files} == {path for path in (demo / "out").iterdir() if path.suffix != ".part"}
    (demo / "fresh.csv").write_bytes((demo / "out" / "registry-form-import.csv").read_bytes() + b"\r\n")
    said = piped(demo, ("confirm", "fresh.csv", "-q", "-o", "out")).splitlines()
    assert said == [f"out/fresh-confirm.{kind}" for kind in ("html", "json", "csv")]


def test_help_of_a_command_with_many_options_fits_a_screen_and_all_of_it_can_be_had(tmp_path: Path) -> None:
    short, whole = (on_screen(tmp_path, ("draft", "--help", *more)) for more in ((), ("--all",)))
    assert len(short) <= ROWS
    options = [set(re.findall(r"^ +(?:-\w, )?(--[\w-]+)", "\n".join(text), re.MULTILINE)) for text in (short, whole)]
    assert options[0] < options[1]
    more = re.search(r"(\d+) more: .*draft --help --all", "\n".join(short))
    assert more
    assert len(options[1]) - len(options[0]) == int(more[1])


def test_why_says_of_a_column_on_what_evidence_it_is_read_so(demo: Path) -> None:
    told = json.loads(piped(demo, ("look", "workshop-marks.csv", "--json")))["columns"]
    for column in told:
        for asked in (column["column"], column["heading"]):
            said = " ".join(piped(demo, ("look", "workshop-marks.csv", "--why", asked)).split())
            assert f"read as {column['taken_for']}" in said
            assert " ".join(column["because"].split()) in said
            assert f"{column['filled']} filled, {column['distinct']} different" in said
    assert "33 points, 1 text; 8 to 20" in piped(demo, ("look", "workshop-marks.csv", "--why", "G"))
    both = piped(demo, ("look", "workshop-marks.csv", "registry-form.csv", "--why", "Remarks"))
    assert both.startswith("registry-form.csv, J Remarks\n"), "of the file that has it"
    masked = piped(demo, ("look", "workshop-marks.csv", "--why", "Name", "--mask"))
    assert "Al-Rashid" not in masked
    assert piped(demo, ("look", "workshop-marks.csv", "--why", "Berth")) == ""


def test_why_says_of_an_item_what_became_of_its_marks(demo: Path) -> None:
    """By its title on either side, whatever its case, or by its letter; the counts are those of the ledger."""
    ledger = json.loads((demo / "ledger.json").read_bytes())
    item = next(one for one in ledger["items"] if one["from"]["column"] == "G")
    for asked in ("steam bending", "Steam-bending [20]", "G"):
        said = piped(demo, ("preview", "--why", asked))
        assert "Steam bending (out of 20) -> Steam-bending [20]" in said, asked
        assert "1 held: unreadable mark '1O' (perhaps 10)" in said
        told = {reason["reason"]: reason["count"] for reason in item["reasons"]}
        assert all(f"{count} " in said and reason in " ".join(said.split()) for reason, count in told.items())
    assert "left out: the item is not mapped" in piped(demo, ("preview", "--why", "Tool care"))
    assert json.loads(piped(demo, ("preview", "--why", "G", "--json")))[0]["from"]["column"] == "G"
