"""All files of a write appear, or none; a run that was killed is undone by the next one."""

import errno
import json
import os
import subprocess
import sys
from contextlib import closing
from hashlib import sha256
from pathlib import Path

import pytest

from conftest import Skarvin, edit
from skarvin.core.ledger.run_history import history_file, read_runs
from skarvin.core.ledger.since import HISTORY

KILLED = """
import os, sys
from skarvin.cli import main, write

def counted(name):
    way = getattr(os, name)
    def call(*arguments, **options):
        global calls
        calls += 1
        if calls == at:
            os._exit(99)
        return way(*arguments, **options)
    return call

for line in sys.stdin:
    told, tell = os.pipe()
    child = os.fork()
    if child == 0:
        calls, at, say = 0, int(line), os.write
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        for name in ("open", "fsync", "link", "replace", "rename", "unlink", "write"):
            setattr(os, name, counted(name))
        sys.argv = ["skarvin", "write", "--replace", "--plain"]
        code = main.run()
        say(tell, str(calls).encode())
        os._exit(code)
    os.close(tell)
    print(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), os.read(told, 20).decode() or 0, flush=True)
    os.close(told)
"""
"""Writes as often as it is asked to, each time in a process that dies at one call; the program is loaded once."""


class Killed:
    """Writes in processes that die at their call of some number to the system's files; 0 lets one live."""

    def __init__(self, folder: Path) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-c", KILLED], cwd=folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def at(self, call: int) -> tuple[int, int]:
        """Return the exit code, and how many calls there were."""
        assert self._process.stdin
        assert self._process.stdout
        self._process.stdin.write(f"{call}\n")
        self._process.stdin.flush()
        code, calls = map(int, self._process.stdout.readline().split())
        return code, calls

    def close(self) -> None:
        """Let it end."""
        self._process.communicate()


def contents(folder: Path) -> dict[str, bytes]:
    """Return all files but the history, which its own library undoes and does."""
    files = [path for path in folder.iterdir() if path.is_file() and not path.name.startswith(HISTORY)]
    return {path.name: path.read_bytes() for path in files}


def kept(folder: Path) -> list[str]:
    """Return the ledgers of the writes that the history knows."""
    return [run.ledger for run in read_runs(history_file(folder))]


def fits(folder: Path) -> bool:
    """Tell whether the import file is the one that the ledger vouches for."""
    files = json.loads((folder / "ledger.json").read_bytes())["files"]
    written = (folder / files["import"]["name"]).read_bytes()
    return bool(files["import"]["sha256"] == sha256(written).hexdigest())


@pytest.mark.parametrize("is_first", [True, False])
def test_a_write_that_is_killed_at_any_moment_is_undone_or_done(
    drafted: Path, skarvin: Skarvin, *, is_first: bool
) -> None:
    if not is_first:
        assert skarvin("write").code == 1
        edit(drafted / "export.csv", "007,", "007,")
        edit(drafted / "export.csv", ",8,73", ",9,75")
    before = contents(drafted)
    known = {HISTORY: (drafted / HISTORY).read_bytes()} if not is_first else {}
    earlier = kept(drafted)
    with closing(Killed(drafted)) as killed:
        _, calls = killed.at(0)
        after = contents(drafted)
        assert calls > 20
        for at in range(1, calls + 1, 3 if is_first else 1):  # what is new is simpler than what is replaced
            for path in drafted.iterdir():
                path.unlink()
            for name, data in {**before, **known}.items():
                (drafted / name).write_bytes(data)
            assert killed.at(at)[0] == 99
            said = skarvin("preview").err
            now = contents(drafted)
            assert now.keys() in (before.keys(), after.keys())
            if "ledger.json" in now:
                assert fits(drafted)
            ledger = sha256(now.get("ledger.json", b"")).hexdigest()
            assert kept(drafted) in (earlier, [*earlier, ledger])
            is_done = "ledger.json" in now and now["form-import.csv"] == after["form-import.csv"]
            same = {name for name in now if name not in {"ledger.json", "report.html"}}
            expected = after if is_done else before
            assert {name: now[name] for name in same} == {name: expected[name] for name in same}
            assert (ledger in kept(drafted)) is ("ledger.json" in now)
            assert is_done or not said or "an earlier write was cut off" in said


@pytest.mark.parametrize("moment", [1, 2, 3, 4])
def test_where_a_file_cannot_be_put_in_place_those_before_it_are_put_back(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, moment: int
) -> None:
    skarvin("write")
    edit(drafted / "export.csv", ",8,73", ",9,75")
    before, calls, replace = contents(drafted), 0, os.replace

    def failing(*names: Path) -> None:
        nonlocal calls
        calls += 1
        if calls == moment:
            raise OSError(errno.EACCES, os.strerror(errno.EACCES))
        replace(*names)

    monkeypatch.setattr(os, "replace", failing)
    done = skarvin("write", "--replace")
    assert (done.code, "Nothing was written." in done.err, contents(drafted)) == (4, True, before)


def test_files_that_cannot_be_put_back_are_named_and_the_next_run_puts_them_back(
    drafted: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    skarvin("write")
    edit(drafted / "export.csv", ",8,73", ",9,75")
    before, calls, replace = contents(drafted), 0, os.replace

    def failing(*names: Path) -> None:
        nonlocal calls
        calls += 1
        if calls > 1:
            raise OSError(errno.EACCES, os.strerror(errno.EACCES))
        replace(*names)

    monkeypatch.setattr(os, "replace", failing)
    done = skarvin("write", "--replace")
    monkeypatch.undo()
    monkeypatch.chdir(drafted)
    assert (done.code, "couldn't be put back" in done.err, "Nothing was written" in done.err) == (4, True, False)
    assert "an earlier write was cut off; as they were before it: " in skarvin("preview").err
    assert contents(drafted) == before


def test_what_another_run_is_writing_is_left_alone(drafted: Path, skarvin: Skarvin) -> None:
    from skarvin.core.grid.journal import Journal  # noqa: PLC0415

    other = Journal(drafted)
    (drafted / f".form-import.csv.{other.token}.part").write_bytes(b"half")
    before = contents(drafted)
    assert skarvin("preview").err == ""
    assert contents(drafted) == before
    other.close()
    skarvin("preview")
    assert len(contents(drafted)) == len(before) - 2


def test_an_import_file_that_was_changed_since_is_told(drafted: Path, skarvin: Skarvin) -> None:
    skarvin("write")
    assert skarvin("preview").err == ""
    edit(drafted / "form-import.csv", "0013", "0014")
    assert "form-import.csv: this isn't the import file that ledger.json vouches for" in skarvin("preview").err
