"""The line on a terminal with what is being done: shown where it takes long, gone when it is done, never when piped."""

import io
import os
import pty
import re
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import Skarvin
from skarvin.cli import progress_line as line
from skarvin.core.progress import listening, report_progress
from skarvin.core.transfer.settling import settle_transfer

PROGRAM = """
import os, sys, time
from skarvin.cli import progress_line
from skarvin.core.transfer import settling
progress_line.FIRST_SHOWN_AFTER = {after}
waited = settling.settle
def slow(*given):
    time.sleep(1)
    return waited(*given)
settling.settle = slow
sys.argv = ["skarvin", *{arguments!r}]
from skarvin.cli.main import main
main()
"""


def on_a_terminal(folder: Path, *arguments: str, after: float) -> str:
    """Run the program on a terminal of its own, its marks a second longer than usual; return all that it drew."""
    ours, theirs = pty.openpty()
    code = PROGRAM.format(after=after, arguments=arguments)
    process = subprocess.Popen([sys.executable, "-c", code], cwd=folder, stdin=ours, stdout=theirs, stderr=theirs)
    os.close(theirs)
    drawn = b""
    while True:
        try:
            more = os.read(ours, 65_536)
        except OSError:
            break
        if not more:
            break
        drawn += more
    process.wait()
    os.close(ours)
    return drawn.decode()


@pytest.mark.parametrize("arguments", [("preview",), ("write",)])
def test_a_terminal_shows_what_takes_long_and_nothing_of_it_stays(drafted: Path, arguments: tuple[str, ...]) -> None:
    drawn = on_a_terminal(drafted, *arguments, after=0.2)
    assert re.search(r"\r\x1b\[2Kconverting the marks \.\.\. \d+ s", drawn)
    before, after = drawn.rsplit("\r\x1b[2K", 1)
    assert "export.csv -> form.csv" not in before
    assert "All 6 entries accounted for" in after
    assert "marks ... " not in after
    assert "Traceback" not in drawn


def test_what_is_quick_shows_no_line(drafted: Path) -> None:
    drawn = on_a_terminal(drafted, "preview", after=600)
    assert "\x1b[2K" not in drawn
    assert "accounted for" in drawn


@pytest.mark.usefixtures("drafted")
def test_nothing_is_drawn_where_output_is_piped(skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("skarvin.cli.progress_line.FIRST_SHOWN_AFTER", 0)
    run = skarvin("preview")
    assert "\x1b[2K" not in run.out + run.err


def test_a_listener_hears_each_step_in_order_and_only_within_its_block(drafted: Path) -> None:
    heard: list[str] = []
    with listening(heard.append):
        settle_transfer(drafted / "transfer.toml")
    report_progress("no one hears this")
    assert heard == ["reading export.csv", "reading form.csv", "pairing the students", "converting the marks"]


class Screen(io.StringIO):
    """A terminal that remembers all that was drawn on it."""

    def isatty(self) -> bool:
        return True


def test_the_line_moves_on_names_the_step_and_is_cut_to_the_screen(monkeypatch: pytest.MonkeyPatch) -> None:
    screen = Screen()
    monkeypatch.setattr(sys, "stdout", screen)
    monkeypatch.setattr(sys, "stderr", screen)
    monkeypatch.setattr(line, "FIRST_SHOWN_AFTER", 0.01)
    monkeypatch.setattr(line, "BETWEEN", 0.01)
    for what in ("reading class.csv", f"reading {'long ' * 60}.csv"):
        with line.progress_line():
            report_progress(what)
            while screen.getvalue().count(what[:30]) < 3:
                time.sleep(0.01)
    drawn = screen.getvalue().split("\r\x1b[2K")
    assert drawn[-1] == ""
    assert any(text.startswith("reading class.csv ... ") for text in drawn)
    assert all(len(text) < 80 for text in drawn)


def test_the_line_is_gone_when_the_work_is_stopped(monkeypatch: pytest.MonkeyPatch) -> None:
    screen = Screen()
    monkeypatch.setattr(sys, "stdout", screen)
    monkeypatch.setattr(sys, "stderr", screen)
    monkeypatch.setattr(line, "FIRST_SHOWN_AFTER", 0.01)

    def stopped() -> None:
        with line.progress_line():
            while not screen.getvalue():
                time.sleep(0.01)
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        stopped()
    assert screen.getvalue().endswith("\r\x1b[2K")
