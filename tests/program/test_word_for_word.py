"""What the program says and writes, word for word, on the files of other schools and on the demo's.

A change that is meant shows in the difference: WORDS=new python -m pytest tests/program/test_word_for_word.py
"""

import hashlib
import os
import re
import shlex
import shutil
from collections.abc import Iterator, Sequence
from datetime import datetime
from difflib import unified_diff
from pathlib import Path
from random import Random

import pytest

from conftest import NOW, Skarvin, as_exported
from skarvin import __version__
from skarvin.demo.walk import STEPS, lay_out

DATA = Path(__file__).parents[1] / "data"
KEPT = DATA / "word-for-word"
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
            if file.suffix in {".db", ".xlsx", ".zip"} or name == "transfer.schema.json":
                continue  # these have tests of their own
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
    file = KEPT / f"{name}.txt"
    text = "\n".join(parts)
    if os.environ.get("WORDS") == "new":
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


ODD = (
    "",
    "?",
    "0",
    "1e9",
    "-1",
    "absent",
    "zz top",
    "7*",
    "12/20",
    "1,5",
    "3 of 4",
    "=1+1",
    "2026-02-30",
    "007",
    "A",
    "—",
)
TIMES_EACH = 5


def with_odd_cell(text: str, random: Random) -> str:
    """Return a table with something odd in one of its cells, with a row twice, or without one."""
    lines = text.splitlines(keepends=True)
    at = random.randrange(len(lines))
    delimiter = max(";,\t", key=text.count)
    how = random.randrange(8)
    if how < 2:
        return "".join([*lines[:at], *lines[at : at + 1] * (2 * how), *lines[at + 1 :]])
    cells = lines[at].rstrip("\r\n").split(delimiter)
    cells[random.randrange(len(cells))] = random.choice(ODD)
    return "".join([*lines[:at], delimiter.join(cells) + "\n", *lines[at + 1 :]])


def with_odd_line(text: str, random: Random) -> str:
    """Return a transfer with something odd for a value, or without a line."""
    lines = text.splitlines(keepends=True)
    at = random.choice([place for place, line in enumerate(lines) if " = " in line])
    key, _, value = lines[at].partition(" = ")
    said = random.choice(
        [f'"{random.choice(ODD)}"', random.choice(ODD[2:5]), "true", "[]", '["x"]', value.partition("  ")[0]]
    )
    odd = random.choice([f"{key} = {said}\n", f"{key}x = {said}\n", "", lines[at] * 2, f"{key} = {said}\n"])
    return "".join([*lines[:at], odd, *lines[at + 1 :]])


@pytest.mark.parametrize("pair", PAIRS)
def test_what_is_said_where_something_is_odd(tmp_path: Path, skarvin: Skarvin, pair: str) -> None:
    source = {name: (DATA / "pairs" / pair / name).read_bytes() for name in ("export.csv", "form.csv")}
    draft, preview = "draft export.csv form.csv", "preview"
    random = Random(pair)

    def said(file: str, command: str) -> list[str]:
        if command == draft:
            (tmp_path / "transfer.toml").unlink(missing_ok=True)
        run = skarvin(*command.split())
        text = (tmp_path / "transfer.toml").read_text(encoding="utf-8") if command == draft and run.code <= 1 else ""
        return told(f"{text}{run.out}{run.err}({run.code} with {file})", tmp_path).splitlines()

    def lay_out_again() -> None:
        for name, data in source.items():
            (tmp_path / name).write_bytes(data)

    lay_out_again()
    usual = {draft: said("", draft)}
    answer(tmp_path / "transfer.toml")
    transfer = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    usual[preview] = said("", preview)
    parts: list[str] = []
    for file, command in [("export.csv", draft), ("form.csv", draft), ("transfer.toml", preview)] * TIMES_EACH:
        lay_out_again()
        if file == "transfer.toml":
            odd = with_odd_line(transfer, random).encode()
        else:
            odd = with_odd_cell(source[file].decode("utf-8-sig", "surrogateescape"), random).encode(
                errors="surrogateescape"
            )
        (tmp_path / file).write_bytes(odd)
        parts += [*unified_diff(usual[command], said(file, command), n=0, lineterm="")][2:]
    compare(f"odd-{pair}", iter(parts))


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
