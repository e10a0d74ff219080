"""Kills, full disks, failing renames and two writers at once: what is left is whole, and the next run tidies up."""

import contextlib
import hashlib
import json
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from cases import EXPORT, FORM, TRANSFER

PROGRAM = Path(sys.executable).with_name("skarvin")
WRITE = ("write", "--plain", "--replace")
INPUTS = ("export.csv", "form.csv", "transfer.toml")
LEFT_OVER = (".part", ".old", ".new", ".journal")
STUDENTS = 400
FAILING = """\
import itertools, os, pathlib, sys
calls, fail_at = itertools.count(1), int(sys.argv.pop(1))
def failing(real):
    def call(*arguments, **named):
        if next(calls) == fail_at:
            raise OSError(5, os.strerror(5), str(arguments[0]))
        return real(*arguments, **named)
    return call
for name in ("rename", "replace", "link", "unlink"):
    setattr(os, name, failing(getattr(os, name)))
from skarvin.entry import main
main()
"""


class Broken(Exception):
    """Something is left that may not be."""


@contextlib.contextmanager
def folder_of_a_class() -> Iterator[Path]:
    """Lay out a class in a folder of its own."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        more = "".join(
            f"T-{number},Person {number},{number % 10},{number % 100}\n" for number in range(5_000, 5_000 + STUDENTS)
        )
        blank = "".join(f"T-{number},Person {number},,,\n" for number in range(5_000, 5_000 + STUDENTS))
        for file, text in zip(INPUTS, (EXPORT + more, FORM + blank, TRANSFER), strict=True):
            (folder / file).write_text(text, encoding="utf-8")
        yield folder


def run(folder: Path, *command: str, **how: object) -> subprocess.CompletedProcess[str]:
    """Run a command in a folder."""
    return subprocess.run([PROGRAM, *command], cwd=folder, capture_output=True, text=True, check=False, **how)  # type: ignore[call-overload, no-any-return]


def inputs(folder: Path) -> list[bytes]:
    """Return what the inputs hold."""
    return [(folder / name).read_bytes() for name in INPUTS]


def check_whole(folder: Path, before: list[bytes]) -> str:
    """Return whether the outputs are there, having found that they are whole, belong together, and nothing else is left.

    Raises:
        Broken: that isn't so.
    """
    if inputs(folder) != before:
        raise Broken("an input was changed")
    run(folder, "preview")  # the next run tidies up
    if left := [path.name for path in folder.iterdir() if path.name.endswith(LEFT_OVER)]:
        raise Broken(f"left over: {left}")
    outputs = [folder / name for name in ("form-import.csv", "ledger.json", "report.html", "form-restore.csv")]
    there = [path.exists() for path in outputs]
    if not any(there):
        return "before"
    if not all(there):
        raise Broken(f"some are there: {there}")
    ledger = json.loads(outputs[1].read_bytes())
    files = {one["name"]: one["sha256"] for one in ledger["files"].values() if "name" in one}
    digest = hashlib.sha256(outputs[0].read_bytes()).hexdigest()
    if files.get("form-import.csv", digest) != digest:
        raise Broken("the ledger is of another import file")
    if not outputs[2].read_text(encoding="utf-8").rstrip().endswith("</html>"):
        raise Broken("the report is torn")
    return "after"


def forget_outputs(folder: Path) -> None:
    """Take away all but the inputs."""
    for path in folder.iterdir():
        if path.name not in INPUTS:
            shutil.rmtree(path) if path.is_dir() else path.unlink()


def killed(count: int, start: float, stop: float, sign: signal.Signals) -> Counter[str]:
    """Kill writes between two shares of the time that one takes; return how they were found."""
    chance, found = random.Random(11), Counter[str]()
    with folder_of_a_class() as folder:
        before = inputs(folder)
        whole = min(_timed(folder) for _ in range(5))
        kept = {path: path.read_bytes() for path in folder.iterdir()}
        for number in range(count):
            forget_outputs(folder)
            if number % 2:
                for path, data in kept.items():
                    path.write_bytes(data)
            wait = whole * (start + (stop - start) * chance.random())
            process = subprocess.Popen([PROGRAM, *WRITE], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(wait)
            process.send_signal(sign)
            _, said = process.communicate()
            if b"Traceback" in said and b"entry.py" in said:  # before that nobody but Python itself runs
                raise Broken(f"a traceback after {wait:.3f} s: {said.decode()[-600:]}")
            found[check_whole(folder, before)] += 1
    return found


def _timed(folder: Path) -> float:
    start = time.monotonic()
    if (done := run(folder, *WRITE)).returncode not in {0, 1}:
        raise Broken(done.stderr)
    return time.monotonic() - start


def full_disks(count: int) -> Counter[str]:
    """Write where the disk is full after so and so many bytes."""
    found = Counter[str]()
    with folder_of_a_class() as folder:
        before = inputs(folder)
        for number in range(count):
            forget_outputs(folder)
            most = 400 * (number + 1) ** 2

            def limit(most: int = most) -> None:
                signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
                resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

            done = run(folder, *WRITE, preexec_fn=limit)
            if done.returncode not in {0, 1, 4} or "Traceback" in done.stderr:
                raise Broken(f"{done.returncode} at {most} bytes: {done.stderr[-600:]}")
            found[f"exit code {done.returncode}, {check_whole(folder, before)}"] += 1
    return found


@contextlib.contextmanager
def small_disk(room: int) -> Iterator[Path]:
    """Yield the folder of a class on a disk of its own with so much room left; only the administrator can make one."""
    with folder_of_a_class() as folder, tempfile.TemporaryDirectory() as name:
        used = sum((len(data) + 4_095) // 4_096 * 4_096 for data in inputs(folder))
        mount = ["mount", "-t", "tmpfs", "-o", f"size={used + room}", "tmpfs", name]
        subprocess.run(mount, check=True, capture_output=True)
        try:
            for file in INPUTS:
                shutil.copy(folder / file, name)
            yield Path(name)
        finally:
            subprocess.run(["umount", name], check=True)


def full_disks_of_their_own(count: int) -> Counter[str]:
    """Write onto disks that are too small, each with a little more room than the one before."""
    found = Counter[str]()
    for number in range(count):
        room = 4_096 * (1 + number * 5)
        with small_disk(room) as folder:
            before = inputs(folder)
            done = run(folder, *WRITE)
            if done.returncode not in {0, 1, 4} or "Traceback" in done.stderr:
                raise Broken(f"{done.returncode} with {room} bytes: {done.stderr[-600:]}")
            found[f"exit code {done.returncode}, {check_whole(folder, before)}"] += 1
    return found


def failing_renames(count: int) -> Counter[str]:
    """Write where one call that puts a file in place fails."""
    found = Counter[str]()
    with folder_of_a_class() as folder:
        before = inputs(folder)
        for number in range(1, count + 1):
            forget_outputs(folder)
            if number % 2:
                run(folder, *WRITE)
            command = [sys.executable, "-c", FAILING, str((number + 1) // 2), *WRITE]
            done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
            if done.returncode not in {0, 1, 4} or "Traceback" in done.stderr:
                raise Broken(f"{done.returncode} at call {number}: {done.stderr[-600:]}")
            found[f"exit code {done.returncode}, {check_whole(folder, before)}"] += 1
    return found


def two_writers(count: int) -> Counter[str]:
    """Write twice at once."""
    found = Counter[str]()
    with folder_of_a_class() as folder:
        before = inputs(folder)
        for _ in range(count):
            forget_outputs(folder)
            both = [
                subprocess.Popen([PROGRAM, *WRITE], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
                for _ in range(2)
            ]
            said = [process.communicate()[1] for process in both]
            codes = sorted(process.returncode for process in both)
            if not set(codes) <= {0, 1, 4} or any(b"Traceback" in one for one in said):
                raise Broken(f"{codes}: {said}")
            found[f"exit codes {codes}, {check_whole(folder, before)}"] += 1
    return found


def full_output(count: int) -> Counter[str]:
    """Show where what is shown has no room."""
    found = Counter[str]()
    commands: Sequence[tuple[str, ...]] = (
        ("look", "export.csv"),
        ("preview",),
        WRITE,
        ("--help",),
        ("look", "export.csv", "--json"),
    )
    with folder_of_a_class() as folder:
        for number in range(count):
            with Path("/dev/full").open("wb") as full:
                command = commands[number % len(commands)]
                done = subprocess.run(
                    [PROGRAM, *command], cwd=folder, stdout=full, stderr=subprocess.PIPE, text=True, check=False
                )
            if done.returncode != 5 or "Traceback" in done.stderr:
                raise Broken(f"{done.returncode}: {done.stderr[-600:]}")
            found["exit code 5"] += 1
    return found


TRIALS: dict[str, Callable[[int], Counter[str]]] = {
    "kills spread over a write": lambda share: killed(200 * share // 100, 0.0, 1.05, signal.SIGKILL),
    "kills in the last tenth of a write": lambda share: killed(100 * share // 100, 0.9, 1.02, signal.SIGKILL),
    "interrupts (Ctrl-C) spread over a write": lambda share: killed(100 * share // 100, 0.0, 1.05, signal.SIGINT),
    "terminations spread over a write": lambda share: killed(50 * share // 100, 0.0, 1.05, signal.SIGTERM),
    "files that may not grow": lambda share: full_disks(40 * share // 100),
    "disks of their own that are full": lambda share: full_disks_of_their_own(40 * share // 100),
    "failing renames": lambda share: failing_renames(40 * share // 100),
    "two writers at once": lambda share: two_writers(60 * share // 100),
    "full standard outputs": lambda share: full_output(20 * share // 100),
}


def main(share: int) -> int:
    """Run so many hundredths of the trials; say how each ended."""
    wrong = 0
    for name, trial in TRIALS.items():
        try:
            found = trial(share)
        except subprocess.CalledProcessError:
            print(f"{name}: not tried: only the administrator can make a disk", flush=True)
        except Broken as broken:
            wrong += 1
            print(f"{name}: BROKEN: {broken}", flush=True)
        else:
            print(
                f"{name}: {found.total()}: {', '.join(f'{count} {how}' for how, count in sorted(found.items()))}",
                flush=True,
            )
    return 1 if wrong else 0


if __name__ == "__main__":
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    raise SystemExit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 100))
