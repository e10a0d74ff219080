"""Runs the built program in a process of its own for each command, forked from one that has it loaded."""

import gc
import os
import pkgutil
import sys
import tempfile
from importlib import import_module
from pathlib import Path
from typing import NamedTuple

import skarvin.cli.main as program

_LATE = (
    "scipy.optimize",
    "rapidfuzz.process",
    "python_calamine",
    "matplotlib.figure",
    "matplotlib.backends.backend_svg",
)
"""What the program imports only where a step needs it."""


class Said(NamedTuple):
    """What a command did: its exit code, and what it said on both streams."""

    code: int
    out: str
    err: str


def load() -> None:
    """Load every module once, and leave them out of what is collected."""
    os.environ["COLUMNS"] = "100"
    for module in pkgutil.walk_packages(import_module("skarvin").__path__, "skarvin."):
        if not module.name.endswith("__main__"):
            import_module(module.name)
    for name in _LATE:
        import_module(name)
    gc.freeze()


def skarvin(folder: Path, *arguments: str | Path) -> Said:
    """Run a command in a folder."""
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        child = os.fork()
        if not child:
            code = 70
            try:
                code = _run(folder, [str(one) for one in arguments], out.fileno(), err.fileno())
            finally:
                os._exit(code)
        _, status = os.waitpid(child, 0)
        out.seek(0)
        err.seek(0)
        return Said(os.waitstatus_to_exitcode(status), out.read().decode(), err.read().decode())


def _run(folder: Path, arguments: list[str], out: int, err: int) -> int:
    os.chdir(folder)
    nothing = os.open(os.devnull, os.O_RDONLY)
    for own, stream in ((nothing, 0), (out, 1), (err, 2)):
        os.dup2(own, stream)
    sys.stdin, sys.stdout, sys.stderr = open(0), open(1, "w", encoding="utf-8"), open(2, "w", encoding="utf-8")  # noqa: SIM115 - the streams of this process
    sys.argv = ["skarvin", *arguments]
    code = program.run()
    sys.stdout.flush()
    sys.stderr.flush()
    return code
