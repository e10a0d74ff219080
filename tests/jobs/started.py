"""Runs commands of the built program within this process, which has it loaded: a job takes a tenth of a second."""

import contextlib
import io
import os
import sys
from pathlib import Path
from typing import NamedTuple

import skarvin.cli.main as program


class Said(NamedTuple):
    """What a command did: its exit code, and what it said on both streams."""

    code: int
    out: str
    err: str


def skarvin(folder: Path, *arguments: str | Path) -> Said:
    """Run a command in a folder, at a terminal of 100 columns that nobody sits at."""
    out, err = io.TextIOWrapper(io.BytesIO(), "utf-8"), io.TextIOWrapper(io.BytesIO(), "utf-8")
    before, sys.argv = sys.argv, ["skarvin", *map(str, arguments)]
    keyboard, sys.stdin = sys.stdin, io.StringIO()
    os.environ["COLUMNS"] = "100"
    try:
        with contextlib.chdir(folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = program.run()
    finally:
        sys.argv, sys.stdin = before, keyboard
    texts = []
    for stream in (out, err):
        stream.flush()
        texts.append(stream.buffer.getvalue().decode())
    return Said(code, *texts)
