"""Runs the hostile cases against the built program: each command on a terminal, with a limit of time and memory."""

import contextlib
import os
import pty
import re
import resource
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from cases import Case
from kept_cases import kept_cases
from text_cases import text_cases
from transfer_cases import transfer_cases
from workbook_cases import workbook_cases

SECONDS, BYTES = 10, 1 << 30
EXPECTED = frozenset(range(6))
OBEYED = re.compile(
    r"\x1b(?!\[[0-9;]*m|\[2?K|\[\d*[A-G]|\[\?25[lh])|[\x07\x80-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069]"
)
"""What a terminal may not be told: all but the colours and the line of progress that are the program's own."""
PROGRAM = Path(sys.executable).with_name("skarvin")


@dataclass(frozen=True)
class Outcome:
    """What a command of a case came to."""

    case: str
    command: tuple[str, ...]
    code: int
    seconds: float
    bytes: int
    text: str

    @property
    def faults(self) -> list[str]:
        """What may not be."""
        found = []
        if self.seconds >= SECONDS:
            found.append("the clock")
        elif self.code < 0:
            found.append(f"signal {-self.code}")
        elif self.code not in EXPECTED:
            found.append(f"exit code {self.code}")
        if "Traceback (most recent" in self.text or "panicked at" in self.text:
            found.append("a traceback")
        if self.bytes > BYTES:
            found.append(f"{self.bytes >> 20} MiB")
        if obeyed := OBEYED.search(self.text):
            found.append(f"a control sign {obeyed[0]!r}")
        return found


def _limited() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (BYTES, BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _read(terminal: int, into: list[bytes]) -> None:
    with contextlib.suppress(OSError):
        while data := os.read(terminal, 65_536):
            into.append(data)


def run_command(case: str, command: Sequence[str], folder: Path, pipe: tuple[Path, bytes] | None = None) -> Outcome:
    """Run one command in a folder, on a terminal of its own, with its limits."""
    ours, theirs = pty.openpty()
    start = time.monotonic()
    process = subprocess.Popen(
        [PROGRAM, *command],
        cwd=folder,
        stdin=subprocess.DEVNULL,
        stdout=theirs,
        stderr=theirs,
        preexec_fn=_limited,  # noqa: PLW1509 - nothing here holds a lock that the child needs
        start_new_session=True,
        env=os.environ
        | {"XDG_CONFIG_HOME": str(folder / ".config"), "XDG_STATE_HOME": str(folder / ".state")}
        | {"TERM": "xterm-256color", "COLUMNS": "100"},
    )
    os.close(theirs)
    said: list[bytes] = []
    reader = threading.Thread(target=_read, args=(ours, said), daemon=True)
    reader.start()
    if pipe:
        threading.Thread(target=_feed, args=pipe, daemon=True).start()
    timer = threading.Timer(SECONDS, lambda: os.killpg(process.pid, signal.SIGKILL))
    timer.start()
    _, status, usage = os.wait4(process.pid, 0)
    seconds = time.monotonic() - start
    timer.cancel()
    process.returncode = os.waitstatus_to_exitcode(status)
    reader.join(2)
    os.close(ours)
    text = b"".join(said).decode("utf-8", "replace")
    return Outcome(case, tuple(command), process.returncode, seconds, usage.ru_maxrss * 1024, text)


def _feed(pipe: Path, data: bytes) -> None:
    """Write into a pipe: something, or without end where that is nothing."""
    with contextlib.suppress(OSError), pipe.open("wb") as stream:
        stream.write(data)
        until = time.monotonic() + SECONDS
        while not data and time.monotonic() < until:
            stream.write(b"T-1007,A B,5\n" * 10_000)


def run_case(case: Case) -> list[Outcome]:
    """Run the commands of a case in a folder of its own; its inputs are still what they were."""
    found = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        case.lay_out(folder)
        for command in case.commands:
            for name_of in case.pipes:
                with contextlib.suppress(FileExistsError):
                    os.mkfifo(folder / name_of)
            pipe = next(((folder / pipe, data) for pipe, data in case.pipes.items()), None)
            found.append(run_command(case.name, command, folder, pipe))
        for path, data in case.files.items():
            held = data.encode() if isinstance(data, str) else data
            if (
                path not in {"pairings.csv", "held.csv", "skarvin-history.db"}
                and not path.startswith((".skarvin", ".state", "form-", "ledger", "overview-", "report"))
                and (folder / path).read_bytes() != held
            ):
                raise AssertionError(f"{case.name}: {path} was changed")
    return found


def every_case() -> Iterator[Case]:
    """Yield all cases."""
    yield from kept_cases()
    yield from transfer_cases()
    yield from workbook_cases()
    yield from text_cases()


def main(words: Sequence[str]) -> int:
    """Run the cases in whose names one of the words stands, or all; say what may not be."""
    cases = [case for case in every_case() if not words or any(word in case.name for word in words)]
    codes: Counter[int] = Counter()
    slowest: list[tuple[float, str]] = []
    largest: list[tuple[int, str]] = []
    wrong = count = 0
    with ThreadPoolExecutor(os.cpu_count() or 2) as pool:
        for outcomes in pool.map(run_case, cases):
            for outcome in outcomes:
                count += 1
                codes[outcome.code] += 1
                slowest = sorted([*slowest, (outcome.seconds, outcome.case)], reverse=True)[:5]
                largest = sorted([*largest, (outcome.bytes >> 20, outcome.case)], reverse=True)[:5]
                if outcome.faults:
                    wrong += 1
                    print(
                        f"{', '.join(outcome.faults)}: {outcome.case}: {outcome.command[0]} ({outcome.seconds:.1f} s)",
                        flush=True,
                    )
                    if len(words) == 1:
                        print(outcome.text[-1500:])
    print(f"{len(cases)} cases, {count} commands, {wrong} that may not be; exit codes {dict(sorted(codes.items()))}")
    print("slowest:", "; ".join(f"{seconds:.1f} s {name}" for seconds, name in slowest))
    print("largest:", "; ".join(f"{size} MiB {name}" for size, name in largest))
    return 1 if wrong else 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
