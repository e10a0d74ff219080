"""The line on a terminal with what is being done: shown where it takes long, gone when it is done, never when piped."""

import os
import pty
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import Skarvin
from skarvin.core.progress import listening, report_progress
from skarvin.core.transfer.carry_out import settle_transfer

PROGRAM = """
import os, sys, time
from skarvin.cli import progress_line
from skarvin.core.transfer import carry_out
progress_line.FIRST_SHOWN_AFTER = {after}
waited = carry_out.settle
def slow(*given):
    time.sleep(1)
    return waited(*given)
carry_out.settle = slow
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
    assert "\r\x1b[2Kconverting the marks ... 1 s" in drawn or "\r\x1b[2Kconverting the marks ... 0 s" in drawn
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
