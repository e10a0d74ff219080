"""All that a transfer reads besides its export and form, and all that the program keeps, damaged in many ways.

A folder is made by the program itself, with everything that there is: a ledger, a history, decisions, corrections, a
layout, words, a roster, a crosswalk, a list, an overview, a journal that was cut off. Then one file of it is damaged.
"""

import json
import os
import random
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import Any

from cases import EXPORT, FORM, TRANSFER, Case

EACH = 45
"""So many damages are made to each file."""
TOKEN = "0123456789abcdef"  # noqa: S105 - a delivery's
_LAYOUTS = ".config/skarvin/layouts"
_CONFIRM, _PREVIEW, _WRITE = ("confirm", "overview.csv", "--replace"), ("preview", "--all"), ("write", "--replace")
COMMANDS: dict[str, tuple[tuple[str, ...], ...]] = {
    "ledger.json": (_CONFIRM, _PREVIEW, _WRITE),
    "skarvin-history.db": (("history", "--all"), ("history", "--student", "R-1013"), _PREVIEW, _WRITE, _CONFIRM),
    "pairings.csv": (("students", "--all"), _PREVIEW, _WRITE),
    "held.csv": (_PREVIEW, _WRITE),
    f"{_LAYOUTS}/mine.layout.toml": (("layout", "list"), ("look", "export.csv"), _PREVIEW),
    f"{_LAYOUTS}/ours.words.toml": (("look", "export.csv"), ("layout", "list"), _PREVIEW),
    "roster.csv": (("students",), _WRITE),
    "cross.csv": (("students",), _WRITE),
    "crew.txt": (("students",), _PREVIEW, _WRITE),
    "overview.csv": (_CONFIRM,),
    f".skarvin.{TOKEN}.journal": (_PREVIEW, ()),
    f".state/skarvin/unfinished/{TOKEN}.json": (_PREVIEW, ()),
}
INPUTS = frozenset({"export.csv", "form.csv", "transfer.toml", "roster.csv", "cross.csv", "crew.txt", "overview.csv"})
_MORE = """
[[list]]
file = "crew.txt"
[[crosswalk]]
file = "cross.csv"
from = "Learner"
to = "Registry"
[roster]
file = "roster.csv"
identifier = "Registry no"
"""
_WORDS = """\
[columns]
"student number" = "benkenummer"
item = "prove, *prove"
[marks]
status = "ashore, pa land"
"""
_STRANGE: tuple[Any, ...] = (
    None,
    True,
    -1,
    10**30,
    1e308,
    "",
    "x" * 100_000,
    [],
    {},
    [[[[1]]]],
    {"a": {"b": []}},
    "\\x1b[2J",
    "../x",
)


def kept_cases() -> Iterator[Case]:
    """Yield the cases."""
    for place, (name, commands) in enumerate(COMMANDS.items()):
        rng, files = random.Random(place), _folder()
        for number in range(EACH):
            what, damage = rng.choice(_damages(name))
            yield Case(f"{name} {number}: {what}", commands, {**files, name: damage(files[name], rng)})


@cache
def _folder() -> dict[str, bytes]:
    """Return the files of a folder in which a transfer was written, as the program makes them."""
    learners = ("T-1007", "T-1012", "T-1013", "T-1020", "T-1040")
    own = {
        "export.csv": f'{EXPORT}T-1040,"Haugen, Ola",4,40\n',
        "form.csv": FORM.replace("T-", "R-") + 'R-1041,"Haugen, Olav",,,\n',
        "transfer.toml": TRANSFER.replace("[target]", 'layout = "mine"\n[target]') + _MORE,
        "crew.txt": "\n".join(learners) + "\n",
        "cross.csv": "Learner,Registry\n" + "".join(f"{one},R{one[1:]}\n" for one in learners),
        "roster.csv": "Registry no,Full name\n" + "".join(f"R{one[1:]},Nobody {one[-1]}\n" for one in learners),
        f"{_LAYOUTS}/ours.words.toml": _WORDS,
        f".skarvin.{TOKEN}.journal": "",
    }
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for file, text in own.items():
            (folder / file).parent.mkdir(parents=True, exist_ok=True)
            (folder / file).write_text(text, encoding="utf-8")
        env = os.environ | {"XDG_CONFIG_HOME": f"{name}/.config", "XDG_STATE_HOME": f"{name}/.state"}

        def run(*command: str) -> None:
            done = subprocess.run(
                [sys.executable, "-m", "skarvin", *command],
                cwd=folder,
                env=env,
                capture_output=True,
                text=True,
                check=False,
            )
            assert done.returncode in {0, 1}, (command, done.stderr)

        run("layout", "learn", "export.csv", "--name", "mine")
        run("write")
        (folder / "overview.csv").write_bytes((folder / "form-import.csv").read_bytes() + b"R-9999,Somebody,1,2,\r\n")
        run("confirm", "overview.csv")
        run("students")
        record = folder / f".state/skarvin/unfinished/{TOKEN}.json"
        record.parent.mkdir(parents=True, exist_ok=True)
        record.write_text(json.dumps([{"name": "form-import.csv", "inode": 1, "replaced": 2}]))
        kept = {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*") if path.is_file()}
    for file, blank, said in (
        ("pairings.csv", b",,,,\r\n", b",,,1,\r\n"),
        ("held.csv", b"10),,,\r\n", b"10),me,seen,10\r\n"),
    ):
        assert blank in kept[file], file
        kept[file] = kept[file].replace(blank, said)
    lacking = [name for name in COMMANDS if name not in kept]
    assert not lacking, lacking
    return kept


Damage = Callable[[bytes, random.Random], bytes]


def _damages(name: str) -> list[tuple[str, Damage]]:
    """Return what may be done to a file."""
    found: list[tuple[str, Damage]] = [
        ("cut off", lambda data, rng: data[: rng.randrange(len(data) + 1)]),
        ("random", lambda data, rng: rng.randbytes(len(data) + 7)),
        ("some bytes changed", _flipped),
        ("a piece twice", _doubled),
        ("a piece gone", _without_piece),
        (
            "a NUL, a bell, half a sign",
            lambda data, rng: _put(data, rng, rng.choice((b"\0", b"\x1b]0;a\x07", b"\xc3"))),
        ),
        ("brackets", lambda data, rng: _put(data, rng, rng.choice((b"[", b"{", b'{"a":')) * 20_000)),
        ("a large number", _large_number),
        ("a piece many times", lambda data, rng: _put(data, rng, data[-60:] * 20_000)),
        ("a long line", lambda data, rng: _put(data, rng, b"x" * 2_000_000)),
    ]
    if name.endswith(".json"):
        found += [("another value", _other_value)] * 12
    if name.endswith(".db"):
        found += [("another value", _other_cell)] * 12
    return found


def _put(data: bytes, rng: random.Random, what: bytes) -> bytes:
    at = rng.randrange(len(data) + 1)
    return data[:at] + what + data[at:]


def _flipped(data: bytes, rng: random.Random) -> bytes:
    changed = bytearray(data)
    for _ in range(min(len(changed), rng.choice((1, 3, 20)))):
        changed[rng.randrange(len(changed))] = rng.randrange(256)
    return bytes(changed)


def _piece(data: bytes, rng: random.Random) -> tuple[int, int]:
    one, other = rng.randrange(len(data) + 1), rng.randrange(len(data) + 1)
    return min(one, other), max(one, other)


def _doubled(data: bytes, rng: random.Random) -> bytes:
    start, end = _piece(data, rng)
    return data[:end] + data[start:]


def _without_piece(data: bytes, rng: random.Random) -> bytes:
    start, end = _piece(data, rng)
    return data[:start] + data[end:]


def _large_number(data: bytes, rng: random.Random) -> bytes:
    places = [at for at, sign in enumerate(data) if 48 <= sign <= 57] or [0]
    at = rng.choice(places)
    number = rng.choice(
        (b"9" * 5_000, b"1e999999999", b"-9223372036854775809", b"99999999999999999999", b"0x1f", b"-0")
    )
    return data[:at] + number + data[at + 1 :]


def _other_value(data: bytes, rng: random.Random) -> bytes:
    """Put a value of another kind into JSON, or take a key out of it."""
    whole = json.loads(data)
    places: list[tuple[Any, Any]] = []
    waiting = [whole]
    while waiting:
        one = waiting.pop()
        keys = list(one) if isinstance(one, dict) else list(range(len(one)))
        places += [(one, key) for key in keys]
        waiting += [one[key] for key in keys if isinstance(one[key], dict | list)]
    for _ in range(rng.choice((1, 1, 2, 5))):
        inside, key = rng.choice(places)
        if rng.random() < 0.2 and isinstance(inside, dict):
            inside.pop(key, None)
        else:
            inside[key] = rng.choice(_STRANGE)
    return json.dumps(whole).encode()


def _other_cell(data: bytes, rng: random.Random) -> bytes:
    """Put a value of another kind into a database, or take a table or rows out of it."""
    with tempfile.TemporaryDirectory() as name:
        file = Path(name) / "history.db"
        file.write_bytes(data)
        with closing(sqlite3.connect(file)) as database:
            tables = [row[0] for row in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            table = rng.choice([one for one in tables if not one.startswith("sqlite_")])
            columns = [row[1] for row in database.execute(f"PRAGMA table_info({table})")]
            value = rng.choice(
                (None, -1, 2**63 - 1, 1.5, "", "x", "[" * 5_000, "{}", '["a"]', b"\x00\xff", b"x" * 50_000, "9" * 4_000)
            )
            chance = rng.random()
            try:
                if chance < 0.1:
                    database.execute(f"DROP TABLE {table}")
                elif chance < 0.2:
                    database.execute(f"DELETE FROM {table}")  # noqa: S608
                elif chance < 0.3:
                    database.execute(f"PRAGMA user_version = {rng.randrange(-5, 99)}")
                else:
                    database.execute(f"UPDATE {table} SET {rng.choice(columns)} = ?", (value,))  # noqa: S608
                database.commit()
            except sqlite3.Error:
                return data[:-100]
        return file.read_bytes()
