"""What the tests share: the program as a user starts it, and a small class with two files."""

import csv
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import Phase, settings

from skarvin.cli.main import run

os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()  # what is begun in a test is no business of the user's own folder
EXAMPLES = os.environ.get("EXAMPLES", "")
"""How many examples each law is tried on, if more than usual are wanted; they are new ones on every run then."""
PHASES = tuple(one for one in Phase if one is not Phase.shrink or os.environ.get("SHRINK") != "no")
"""Whether a counterexample is made small before it is shown; whoever only wants to know that there is one says no."""
settings.register_profile(
    "skarvin", max_examples=int(EXAMPLES or 60), deadline=None, derandomize=not EXAMPLES, phases=PHASES
)
settings.load_profile("skarvin")

EXPORT = """\
Learner no,Name,Knots (out of 10),Lofting (out of 100)
007,"Ó Murchú, Síle",8,73
0012,"D'Angelo, Chiara",0,
0013,"Tanaka, Hiroshi",6.5,1O
"""
TEMPLATE = """\
Registry no;Name;Knots [10];Lofting [15];Remarks
0013;Tanaka;5;;"late; twice"
007;Ó Murchú;8.0;;
0012;D'Angelo;;9;
"""


NOW = "2026-11-25T18:00:00+00:00"
"""When whatever the tests write is written."""


@dataclass(frozen=True)
class Run:
    """What a command did."""

    code: int
    out: str
    err: str


Skarvin = Callable[..., Run]


LEDGER_SCHEMA = Path(__file__).parents[1] / "docs" / "ledger.schema.json"
MOST_CHECKED = 200_000


@cache
def ledger_schema() -> Any:  # noqa: ANN401 - it has no types
    return jsonschema.Draft202012Validator(json.loads(LEDGER_SCHEMA.read_text(encoding="utf-8")))


def departures_of(ledger: Path) -> list[str]:
    """Return where a ledger isn't what its schema says; nothing is said of one that is a roster's, or too large."""
    if not ledger.is_file() or ledger.stat().st_size > MOST_CHECKED:
        return []
    return [
        f"{error.json_path}: {error.message}" for error in ledger_schema().iter_errors(json.loads(ledger.read_bytes()))
    ]


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put those first that look at the demo, which one process makes while others have other tests."""
    items.sort(key=lambda item: not hasattr(getattr(item, "module", None), "shared_demo"))


@pytest.fixture
def skarvin(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], request: pytest.FixtureRequest
) -> Skarvin:
    """Run the program in the temporary folder, through its own entry point; whatever it says has no hole in it.

    Its reports have figures, which take their time, only where a test is marked so.
    """
    if not request.node.get_closest_marker("figures"):
        monkeypatch.setattr("skarvin.reports.page._figures", lambda _: [])
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("COLUMNS", "100")

    def start(*arguments: str | Path) -> Run:
        monkeypatch.setattr(sys, "argv", ["skarvin", *map(str, arguments)])
        capsys.readouterr()
        code = run()
        captured = capsys.readouterr()
        assert "\n\n\n" not in captured.out
        if code <= 1 and "write" in arguments:
            assert not [one for ledger in tmp_path.rglob("ledger.json") for one in departures_of(ledger)]
        return Run(code, captured.out, captured.err)

    return start


def shared_demo(factory: pytest.TempPathFactory) -> Path:
    """Return a copy of the demo's folder of one's own; the demo is run once for all processes of a test run."""
    run = os.environ.get("PYTEST_XDIST_TESTRUNUID", str(os.getpid()))
    shared = factory.getbasetemp().parent / f"demo-{run}"
    done = shared.with_suffix(".done")
    try:
        shared.mkdir()
    except FileExistsError:
        until = time.monotonic() + 240
        while not done.exists() and time.monotonic() < until:
            time.sleep(0.2)
    else:
        command = [sys.executable, "-m", "skarvin", "demo", "tidewrack", "--all"]
        said = subprocess.run(command, cwd=shared, env=os.environ | {"COLUMNS": "80"}, check=True, capture_output=True)
        (shared / "said.txt").write_bytes(said.stdout)
        assert said.stderr == b""
        done.touch()
    return Path(shutil.copytree(shared, factory.mktemp("demo"), dirs_exist_ok=True)) / "tidewrack"


@pytest.fixture
def class_files(tmp_path: Path) -> Path:
    """Lay out an export and a form; return their folder."""
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_text(TEMPLATE, encoding="utf-8")
    return tmp_path


@pytest.fixture
def drafted(class_files: Path, skarvin: Skarvin) -> Path:
    """Lay out a class with its drafted transfer; return the folder."""
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    return class_files


def edit(file: Path, old: str, new: str) -> None:
    """Replace a text that stands in a file."""
    text = file.read_text(encoding="utf-8")
    assert old in text
    file.write_text(text.replace(old, new), encoding="utf-8")


def lay_out(folder: Path, export: str, form: str, rules: str) -> None:
    """Write an export, a form and a transfer whose identifiers are the columns A."""
    (folder / "export.csv").write_text(export, encoding="utf-8", newline="")
    (folder / "form.csv").write_text(form, encoding="utf-8", newline="")
    files = {"source": "export.csv", "target": "form.csv"}
    sides = "".join(f'[{side}]\nfile = "{name}"\nidentifier = "A"\n' for side, name in files.items())
    (folder / "transfer.toml").write_text(f"version = 1\n{sides}{rules}", encoding="utf-8")


def as_exported(name: str = "form-import.csv") -> str:
    """Return the name of an export after the upload: what the import file says, not byte for byte."""
    data = Path(name).read_bytes()
    Path("exported.csv").write_bytes(data[3:] if data.startswith(b"\xef\xbb\xbf") else b"\xef\xbb\xbf" + data)
    return "exported.csv"


def column(folder: Path, index: int, name: str = "form-import.csv") -> list[str]:
    """Return the cells of a column of the import file below its heading."""
    with (folder / name).open(encoding="utf-8", newline="") as lines:
        return [row[index] for row in csv.reader(lines, delimiter=";")][1:]
