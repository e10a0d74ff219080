"""What the program says and writes, word for word, on the files of other schools and on the demo's.

A change that is meant shows in the difference: TRANSCRIPTS=new python -m pytest tests/program/test_transcripts.py
"""

import hashlib
import os
import re
import shlex
import shutil
from collections.abc import Iterator, Sequence
from datetime import datetime
from pathlib import Path

import pytest

from conftest import NOW, Skarvin, as_exported
from skarvin import __version__
from skarvin.demo.walk import STEPS, lay_out

DATA = Path(__file__).parents[1] / "data"
TRANSCRIPTS = DATA / "transcripts"
FOLDERS = sorted({step.folder for step in STEPS})
PAIRS = sorted(one.name for one in (DATA / "pairs").iterdir())
_SHOWN = {".csv", ".toml", ".txt"}


@pytest.fixture(autouse=True)
def at_one_time(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let everything be written at one time, since the ledger's digest is said."""
    monkeypatch.setattr("skarvin.cli.clock._now", lambda: datetime.fromisoformat(NOW))


def told(text: str, folder: Path) -> str:
    """Return a text without what is another for everybody, or in the next version."""
    return re.sub(r"test_what_is_said\w*", "FOLDER", text.replace(str(folder), "FOLDER")).replace(
        __version__, "VERSION"
    )


def commands(skarvin: Skarvin, folder: Path, steps: Sequence[Sequence[str]]) -> Iterator[str]:
    """Yield what each command says, and which files it makes or changes: texts whole, others by a digest."""
    before: dict[str, str] = {}
    for step in steps:
        if step == ["answer"]:
            answer(folder / "transfer.toml")
            continue
        if step[-1:] == ["exported.csv"]:
            if not (folder / "form-import.csv").exists():
                continue
            as_exported()
        run = skarvin(*step)
        yield f"$ skarvin {shlex.join(step)}\n{told(run.out, folder)}{told(run.err, folder)}({run.code})\n"
        for file in sorted(one for one in folder.rglob("*") if one.is_file()):
            name = file.relative_to(folder).as_posix()
            if file.suffix in {".db", ".xlsx", ".zip"}:
                continue  # what is in them has a time, and tests of its own
            text = told(file.read_bytes().decode("utf-8-sig", "replace"), folder)
            if before.get(name) != text and not name.startswith("exported"):
                is_shown = file.suffix in _SHOWN and len(text) < 5_000
                yield f"--- {name}\n{text if is_shown else hashlib.sha256(text.encode()).hexdigest()}\n"
            before[name] = text


def answer(transfer: Path) -> None:
    """Answer what a draft asks, as somebody in a hurry would."""
    text = transfer.read_text(encoding="utf-8")
    for key, said in (("missing_maximum", '"same"'), ("to", '""'), (r"\w*out_of", "100"), (r"[^=\n]+", "false")):
        text = re.sub(rf'^({key} = )"\?"', rf"\g<1>{said}", text, flags=re.MULTILINE)
    transfer.write_text(text, encoding="utf-8")


def compare(name: str, parts: Iterator[str]) -> None:
    """Hold what was said against what was said before."""
    file = TRANSCRIPTS / f"{name}.txt"
    text = "\n".join(parts)
    if os.environ.get("TRANSCRIPTS") == "new":
        file.write_text(text, encoding="utf-8", newline="")
    assert text.splitlines() == file.read_bytes().decode().splitlines()


@pytest.mark.parametrize("pair", PAIRS)
def test_what_is_said_of_the_files_of_another_school(tmp_path: Path, skarvin: Skarvin, pair: str) -> None:
    for name in ("export.csv", "form.csv"):
        shutil.copy(DATA / "pairs" / pair / name, tmp_path)
    options = DATA / "pairs" / pair / "options.txt"
    said = shlex.split(options.read_text(encoding="utf-8")) if options.exists() else []
    steps = [["look", "export.csv", "form.csv"], ["draft", "export.csv", "form.csv", *said], ["preview"]]
    steps += [["answer"], ["students"], ["preview"], ["write"], [], ["confirm", "exported.csv"], ["history"]]
    compare(pair, commands(skarvin, tmp_path, steps))


@pytest.mark.parametrize("place", FOLDERS)
def test_what_is_said_of_the_demo(
    tmp_path: Path, skarvin: Skarvin, place: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    lay_out(tmp_path / "demo")
    folder = tmp_path / "demo" / place
    monkeypatch.chdir(folder)
    parts: list[str] = []
    for step in STEPS:
        if step.folder == place:
            for old, new in step.renamed:
                text = (folder / "transfer.toml").read_text(encoding="utf-8").replace(f'"{old}"', f'"{new}"')
                (folder / "transfer.toml").write_text(text, encoding="utf-8")
            parts += commands(skarvin, folder, [step.arguments])
    compare(f"demo-{place or 'first'}", iter(parts))
