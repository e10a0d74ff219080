"""Changes the program one place at a time and sees whether a test notices: a measure of the tests, by room.

python tests/mutations/run_mutations.py [ROOM ...] [--each 200] [--seed 1]    a sample of each room of the core
python tests/mutations/run_mutations.py --since REVISION [--minutes 2]        the lines that were changed since then

mutmut makes the changes and runs the tests, but for changes that the type checker refuses; which tests reach a line is
told by a run of all tests, made first where there is none for these sources. A run that is cut off goes on where it
was; results stand in build/mutations.
"""

import argparse
import ast
import hashlib
import io
import json
import multiprocessing
import os
import random
import re
import shutil
import subprocess
import sys
import time
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator
from contextlib import redirect_stdout
from dataclasses import asdict, dataclass
from math import ceil
from pathlib import Path
from types import FunctionType
from typing import Any
from xml.etree import ElementTree as ET

import libcst
import pytest
from coverage import CoverageData
from mutmut.configuration import config
from mutmut.mutation import trampoline
from mutmut.mutation.data import LineSpan
from mutmut.mutation.file_mutation import Mutation, combine_mutations_to_source, create_mutations
from mutmut.runners.harness import PytestRunner
from mutmut.state import state
from mutmut.stats import status_by_exit_code
from mutmut.workers.isolation import ForkRunner

ROOT = Path(__file__).parents[2]
CORE = Path("src/skarvin/core")
WORK = ROOT / "build" / "mutations"
FIRST_TESTS, MOST_TESTS, MOST_SECONDS = 6, 150, 15.0
"""Of the tests that reach a line so many run, and those first that reach what few others reach beside it."""
ALONE = ("shared_demo", "subprocess")
"""Tests that say one of these words run the whole demo or processes of their own, which no change can wait for."""
_FEW = 12
"""Where fewer tests reach a line, others of its file run, too."""
OF_THE_WAY = ("no-redef", "has-type")
"""What the type checker says of any attribute where all changes of a method stand in one file."""
_START = 0.1
"""So many seconds any test takes, with what is set up for it."""
WANTED, LEAST, FEW_MISSED = 0.9, 0.6, 3
"""The share that tests should see of a room, and must see of a small change if they miss more than a few."""
MOST_LINES = 1_500
Task = tuple[str, int, int, frozenset[int] | None]
"""A file, how many of its changes are tried, the seed, and the lines that alone are meant."""
_STRICT = re.compile(r",? ?(?:strict=\w+)?(?=\s*\))")
"""That two lists are of one length is said for whoever reads; it is so, and no test can see that it is asked."""
TYPED = "caught by type check"
FOUND = ("killed", "timeout", "segfault", TYPED)


@dataclass(frozen=True)
class Change:
    """One place of the program, changed."""

    name: str
    file: str
    line: int
    was: str
    now: str
    key: str
    span: tuple[int, int]
    """The first and the last line of the changed function, in the file that has all changes."""

    @property
    def room(self) -> str:
        """The folder of the core in which it stands."""
        return room_of(self.file)


class Functions(dict[str, tuple[FunctionType, dict[str, Any]]]):
    """The functions that are changed: each with what mutmut calls its changes, by module and its own name for it.

    mutmut puts a function in front of each that asks every time which change is meant, which takes several times as
    long. Where each change has a process of its own it is enough to give the function the other code once.
    """

    def note(self, changes: dict[str, Any], **_: bool) -> Callable[[FunctionType], FunctionType]:
        """Note a function; it stays as it is."""

        def noted(function: FunctionType) -> FunctionType:
            self[f"{function.__module__}.{mangled(function)}"] = function, changes
            return function

        return noted

    def change(self, name: str) -> None:
        """Give a function the code of one of its changes."""
        function, changes = self[name.partition("__mutmut_")[0]]
        changed = changes[name.rpartition(".")[2]]
        changed = getattr(changed, "__func__", changed)
        function.__code__ = changed.__code__
        function.__defaults__, function.__kwdefaults__ = changed.__defaults__, changed.__kwdefaults__


def mangled(function: FunctionType) -> str:
    """Return what mutmut calls a function or a method."""
    *classes, name = function.__qualname__.split(".")
    return f"xǁ{classes[-1]}ǁ{name}" if classes else f"x_{name}"


class Runner(PytestRunner):
    """Runs the first tests by themselves: most changes are found by them."""

    def __init__(self, functions: Functions) -> None:
        super().__init__()
        self._functions = functions
        self.at_import: set[str] = set()

    def run_tests(self, *, mutant_name: str | None, tests: Iterable[str]) -> int:
        """Return what pytest says of the tests."""
        every = list(tests)
        if mutant_name in self.at_import:  # its work was done before there were changes
            command = [sys.executable, "-m", "pytest", "-x", "-q", *config().pytest_add_cli_args, *every]
            done = subprocess.run(command, cwd="mutants", env=os.environ, check=False, capture_output=True)
            return 1 if done.returncode else 0  # what breaks the loading itself has codes of its own
        if mutant_name:
            self._functions.change(mutant_name)
        code = super().run_tests(mutant_name=mutant_name, tests=every[:FIRST_TESTS])
        rest = every[FIRST_TESTS:]
        return super().run_tests(mutant_name=mutant_name, tests=rest) if not code and rest else code


def room_of(file: str) -> str:
    """Return the folder of the core in which a file stands."""
    if not file.startswith(f"{CORE}/"):
        return "outside"
    parts = Path(file).relative_to(CORE).parts
    return parts[0] if len(parts) > 1 else "core"


def is_of_words(mutation: Mutation) -> bool:
    """Whether a text is changed: nobody errs so, and most are words for people."""
    return isinstance(mutation.original_node, libcst.SimpleString)


def lines_of(text: str) -> list[str]:
    """Return a function's lines from its def on, under one name."""
    lines = text.splitlines()
    start = next(place for place, line in enumerate(lines) if line.lstrip().startswith(("def ", "async def ")))
    return [re.sub(r"x[_ǁ]\S*?__mutmut_\w+\(", "(", line) for line in lines[start:]]


def places_of(source: str) -> dict[str, int]:
    """Return the line of each function and method that is changed under mutmut's own name."""
    places: dict[str, int] = {}
    for node in ast.parse(source).body:
        if isinstance(node, ast.FunctionDef):
            places[f"x_{node.name}"] = node.lineno
        elif isinstance(node, ast.ClassDef):
            places |= {f"xǁ{node.name}ǁ{one.name}": one.lineno for one in node.body if isinstance(one, ast.FunctionDef)}
    return places


def change_file(task: Task) -> list[Change]:
    """Write a file with a sample of changes, each of which is chosen by its name when it runs; return them."""
    file, most, seed, only = task
    source = (ROOT / file).read_text(encoding="utf-8")
    module, found, classes, functions = create_mutations(file, source, set(only) if only is not None else None)
    inside = [one for one in found if isinstance(one.contained_by_top_level_function, libcst.FunctionDef)]
    fit = [one for one in inside if not is_of_words(one)]
    chosen = sorted(random.Random(f"{seed} {file}").sample(range(len(fit)), min(most, len(fit))))
    changed = combine_mutations_to_source(module, [fit[one] for one in chosen], classes, functions)
    (WORK / "mutants" / file).write_text(changed.code, encoding="utf-8")
    made = changes_in(file, source, changed.code, changed.mutant_names, dict(changed.line_span_by_function_name))
    return [one for one in made if _STRICT.sub("", one.was) != _STRICT.sub("", one.now)]


def changes_in(file: str, source: str, code: str, names: Iterable[str], spans: dict[str, LineSpan]) -> Iterator[Change]:
    """Yield what each changed function of a file changes, and where in the source."""
    lines, places = code.splitlines(), places_of(source)
    module = file.removeprefix("src/").removesuffix(".py").replace("/", ".").removesuffix(".__init__")

    def text(name: str) -> list[str]:
        return lines_of("\n".join(lines[spans[name].start - 1 : spans[name].end]))

    for name in names:
        function = name.partition("__mutmut_")[0]
        was, now = text(f"{function}__mutmut_orig"), text(name)
        first = next((n for n, pair in enumerate(zip(was, now, strict=False)) if pair[0] != pair[1]), len(was) - 1)
        last = next((n for n, pair in enumerate(zip(was[::-1], now[::-1], strict=False)) if pair[0] != pair[1]), 0)
        span = spans[name]
        yield Change(
            f"{module}.{name}",
            file,
            places[function] + first,
            " ".join(line.strip() for line in was[first : max(len(was) - last, first + 1)]),
            " ".join(line.strip() for line in now[first : max(len(now) - last, first + 1)]),
            hashlib.sha256("\n".join([file, *was, *now]).encode()).hexdigest()[:16],
            (span.start, span.end),
        )


def sampled(rooms: list[str], each: int, seed: int) -> list[Task]:
    """Return how many changes of each file are tried: as many as its share of the room's lines."""
    by_room: dict[str, dict[str, int]] = defaultdict(dict)
    for path in sorted((ROOT / CORE).rglob("*.py")):
        file = path.relative_to(ROOT).as_posix()
        if not rooms or room_of(file) in rooms:
            by_room[room_of(file)][file] = len(path.read_text(encoding="utf-8").splitlines())
    return [
        (file, ceil(1.15 * each * count / sum(files.values())), seed, None)
        for files in by_room.values()
        for file, count in files.items()
    ]


def touched(since: str) -> dict[str, frozenset[int]]:
    """Return the lines of the program that were changed since a revision, by file."""
    git = ["git", "diff", "--unified=0", "--no-color", "--diff-filter=AM", since, "--", "src/*.py"]
    said = subprocess.run(git, cwd=ROOT, check=True, capture_output=True, text=True).stdout
    found: dict[str, set[int]] = defaultdict(set)
    file = ""
    for line in said.splitlines():
        if line.startswith("+++ b/"):
            file = line[6:]
        elif hunk := re.match(r"@@ -\S+ \+(\d+)(?:,(\d+))? @@", line):
            start, count = int(hunk[1]), int(hunk[2] or 1)
            found[file].update(range(start, start + count))
    many = sum(map(len, found.values())) > MOST_LINES  # such a change is measured room by room
    return {} if many else {file: frozenset(lines) for file, lines in found.items() if lines}


def options_for(files: Iterable[str]) -> str:
    """Return the options by which a run of all tests keeps which test reaches which line of some files."""
    WORK.mkdir(parents=True, exist_ok=True)
    settings = WORK / ".coveragerc"
    included = "\n".join(f"    {ROOT / file}" for file in files)
    settings.write_text(f"[run]\ndata_file = {WORK / 'coverage'}\ninclude =\n{included}\n", encoding="utf-8")
    return f"--cov --cov-config={settings} --cov-context=test --cov-report= --junitxml={WORK / 'tests.xml'}"


def run_all_tests(files: Iterable[str]) -> None:
    """Run every test once."""
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "PYTEST_ADDOPTS": options_for(files)}
    subprocess.run([sys.executable, "-m", "pytest"], cwd=ROOT, check=False, env=environment)


def durations() -> dict[str, float]:
    """Return how long each test took; one that fails before anything is changed finds nothing."""
    every = ET.parse(WORK / "tests.xml").iter("testcase")  # noqa: S314 - written by pytest a moment ago
    cases = [one for one in every if one.find("failure") is None and one.find("error") is None]
    return {
        f"{one.get('classname', '').replace('.', '/')}.py::{one.get('name')}": float(one.get("time", 0))
        for one in cases
    }


class Reaching:
    """Which tests reach a line."""

    def __init__(self) -> None:
        self.took = durations()
        alone = [
            path.relative_to(ROOT).as_posix()
            for path in (ROOT / "tests").rglob("test_*.py")
            if any(word in path.read_text(encoding="utf-8") for word in ALONE)
        ]
        data = CoverageData(str(WORK / "coverage"))
        data.read()
        self._lines: dict[str, dict[int, set[str]]] = {}
        self._worth: dict[str, dict[str, float]] = {}
        for file in data.measured_files():
            lines = {
                line: {test for test in (one.partition("|")[0] for one in contexts) if test in self.took}
                for line, contexts in data.contexts_by_lineno(file).items()
            }
            inside = file[file.index("/src/skarvin/") + 1 :]
            self._lines[inside] = {
                line: {test for test in tests if test.partition("::")[0] not in alone} for line, tests in lines.items()
            }
            worth = self._worth[inside] = defaultdict[str, float](float)
            for tests in self._lines[inside].values():
                for test in tests:
                    worth[test] += 1 / len(tests)

    def is_at_import(self, change: Change) -> bool:
        """Whether a line runs when the program is loaded, and in no test."""
        return self._lines.get(change.file, {}).get(change.line) == set()

    def tests(self, change: Change) -> list[str]:
        """Return the tests to run, in order; those of the file, too, where what is cached hides who reaches a line."""
        lines, worth = self._lines.get(change.file, {}), self._worth.get(change.file, {})
        reaching = lines.get(change.line, set())
        if len(reaching) < _FEW:
            reaching = reaching | {test for tests in lines.values() for test in tests}
        chosen: list[str] = []
        seconds = 0.0
        quick = {test for test in reaching if self.took[test] < MOST_SECONDS / 3} or reaching
        for test in sorted(quick, key=lambda test: (-worth[test] / (self.took[test] + _START), test)):
            if len(chosen) == MOST_TESTS:
                break
            if not chosen or seconds + self.took[test] <= MOST_SECONDS:
                chosen.append(test)
                seconds += self.took[test]
        return chosen


def results() -> dict[str, str]:
    """Return what became of each change so far, by its key."""
    file = WORK / "results.jsonl"
    rows = map(json.loads, file.read_text(encoding="utf-8").splitlines()) if file.exists() else ()
    return {row["key"]: row["status"] for row in rows}


def check_types(changes: list[Change]) -> None:
    """Note each change that the type checker refuses: it is in the gate as the tests are, and no test need see it."""
    command = ["mypy", "--output", "json", "--no-warn-unused-ignores", "src"]
    environment = os.environ | {"MYPYPATH": "src"}
    run = subprocess.run(command, cwd=WORK / "mutants", env=environment, check=False, capture_output=True, text=True)
    if run.returncode > 1:
        sys.exit(run.stdout + run.stderr)
    refused: dict[str, set[int]] = defaultdict(set)
    for told in map(json.loads, filter(str.strip, run.stdout.splitlines())):
        if told["severity"] == "error" and told["code"] not in OF_THE_WAY:
            refused[told["file"]].add(told["line"])
    done = results()
    with (WORK / "results.jsonl").open("a", encoding="utf-8") as kept:
        for change in changes:
            first, last = change.span
            is_refused = any(line in refused[change.file] for line in range(first, last + 1))
            if is_refused and done.get(change.key) not in FOUND:
                kept.write(json.dumps(asdict(change) | {"status": TYPED, "seconds": 0}) + "\n")


def try_changes(changes: list[Change], until: float) -> None:
    """Run the tests of each change that has no result yet, as far as time goes."""
    os.chdir(WORK)
    sys.path.insert(0, str(WORK / "mutants" / "src"))
    os.environ["PYTHONPATH"] = sys.path[0]
    reaching, done = Reaching(), results()
    left = [change for change in changes if change.key not in done]
    os.chdir("mutants")
    os.environ["SHRINK"] = "no"
    functions = Functions()
    trampoline.wrap_in_trampoline = functions.note  # type: ignore[assignment]
    with redirect_stdout(io.StringIO()):
        pytest.main(["--collect-only", "-qqq", "-n0", *sorted({test.partition("::")[0] for test in reaching.took})])
    os.chdir(WORK)
    tester = Runner(functions)
    runner = ForkRunner(os.cpu_count() or 2, tester)
    running: dict[str, Change] = {}
    runner.startup()
    with (WORK / "results.jsonl").open("a", encoding="utf-8") as kept:

        def keep_one() -> None:
            result = runner.wait_for_result()
            change = running.pop(result.mutant_name)
            status = status_by_exit_code[result.exit_code]
            kept.write(json.dumps(asdict(change) | {"status": status, "seconds": round(result.duration, 2)}) + "\n")
            kept.flush()

        for change in left:
            if time.monotonic() > until:
                break
            while not runner.has_capacity():
                keep_one()
            tests = reaching.tests(change)
            state().duration_by_test.update({test: place for place, test in enumerate(tests)})
            running[change.name] = change
            if reaching.is_at_import(change):
                tester.at_import.add(change.name)
            runner.submit(change.name, tests, 300, sum(reaching.took[test] for test in tests))
        while runner.pending_count():
            keep_one()


def report(changes: list[Change], wanted: float) -> int:
    """Print what was found in each room, and what was not; return 1 where fewer are found than are wanted."""
    done = results()
    tried = [(change, done[change.key]) for change in changes if change.key in done]
    counted: dict[str, Counter[bool]] = defaultdict(Counter)
    for change, status in tried:
        counted[change.room][status in FOUND] += 1
    for change, status in sorted(tried, key=lambda pair: (pair[0].file, pair[0].line)):
        if status not in FOUND:
            print(f"{change.file}:{change.line}: {status}\n    {change.was}\n    {change.now}")
    for room, count in sorted(counted.items()):
        print(f"{room:24} {count.total():5} tried {count[True]:5} found {100 * count[True] / count.total():6.1f} %")
    found = sum(status in FOUND for _, status in tried)
    print(f"{len(tried)} of {len(changes)} changes tried, {found} found")
    return int(found < wanted * len(tried) and len(tried) - found > FEW_MISSED)


def main() -> int:
    """Try a sample of changes by room, or those of the lines that were changed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("rooms", nargs="*", metavar="ROOM")
    parser.add_argument("--each", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--since")
    parser.add_argument("--minutes", type=float, default=1000)
    parser.add_argument("--prepare", action="store_true", help="only say how the tests are to be run for it")
    parser.add_argument("--again", action="store_true", help="run all tests again, to see which reach which line")
    given = parser.parse_args()
    lines = touched(given.since).items() if given.since else ()
    tasks: list[Task] = [(file, 10**6, given.seed, only) for file, only in lines]
    tasks = tasks if given.since else sampled(given.rooms, given.each, given.seed)
    files = sorted(file for file, *_ in tasks) if given.since else [f"{CORE}/*"]
    if given.prepare:
        print(options_for(files) if tasks else "")
        return 0
    if not tasks:
        print("no line of the program was changed")
        return 0
    if given.again or not (WORK / "coverage").exists():
        run_all_tests(files)
    shutil.rmtree(WORK / "mutants", ignore_errors=True)
    left_out = shutil.ignore_patterns(".git", "build", ".venv", "__pycache__", ".*_cache", ".hypothesis")
    shutil.copytree(ROOT, WORK / "mutants", ignore=left_out)
    os.chdir(ROOT)
    with multiprocessing.get_context("fork").Pool() as pool:
        changes = [change for found in pool.imap(change_file, tasks, chunksize=1) for change in found]
    random.Random(given.seed).shuffle(changes)
    print(f"{len(changes)} changes in {len(tasks)} files", flush=True)
    if not changes:
        return 0
    check_types(changes)
    try_changes(changes, time.monotonic() + 60 * given.minutes)
    return report(changes, LEAST if given.since else WANTED)


if __name__ == "__main__":
    sys.exit(main())
