"""Measures speed and memory, always as ratios of processes run in turn within this one run.

    python bench/run.py [class] [figures] [help] [district] [again] [few] [mixed] [look] [workbook] [form]
        [draft] [pairing] [growth]

It makes its data itself. Each figure is the median over the rounds of the ratio of two neighbouring runs.
"""

import os
import shlex
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from data import make, make_log, make_rosters, make_workbook

HERE = Path(__file__).parent
SKARVIN = [sys.executable, "-m", "skarvin"]
ENVIRONMENT = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
"""Every process runs from compiled files, as it does where pip has put it."""
GROWTH = (5_000, 50_000, 200_000)


class Cost(NamedTuple):
    """What a process took: seconds of processor time, seconds by the clock, and its peak memory in MiB."""

    cpu: float
    wall: float
    peak: float


def cost_of(command: Sequence[str], folder: Path) -> Cost:
    """Run a command and return what it took."""
    start = time.perf_counter()
    process = subprocess.Popen(command, cwd=folder, stdout=subprocess.DEVNULL, env=ENVIRONMENT)
    _, status, usage = os.wait4(process.pid, 0)
    wall = time.perf_counter() - start
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode > (command[: len(SKARVIN)] == SKARVIN):  # ours says with 1 that something is held
        raise SystemExit(f"{command} failed with {process.returncode}")
    return Cost(usage.ru_utime + usage.ru_stime, wall, usage.ru_maxrss / 1024)


def compare(name: str, ours: Sequence[str], theirs: Mapping[str, Sequence[str]], folder: Path, rounds: int) -> None:
    """Run ours and the others in turn, and print the ratios."""
    seen: dict[str, list[tuple[Cost, Cost]]] = {title: [] for title in theirs}
    cost_of(ours, folder)
    for _ in range(rounds):
        for title, command in theirs.items():
            seen[title].append((cost_of(ours, folder), cost_of(command, folder)))
    for title, pairs in seen.items():
        cpu, wall, peak = (statistics.median(cost[i] / other[i] for cost, other in pairs) for i in range(3))
        own = Cost(*(statistics.median(cost[i] for cost, _ in pairs) for i in range(3)))
        print(f"{name:10} / {title:28} {cpu:6.2f} processor {wall:6.2f} clock {peak:6.2f} peak memory", end="")
        print(f"   (ours: {own.cpu:.2f} s, {own.peak:.0f} MiB)", flush=True)


def draft(folder: Path, students: int, items: int) -> tuple[str, str]:
    """Make data and a transfer for it; return the names of its files."""
    export, form = make(folder, students, items)
    subprocess.run([*SKARVIN, "draft", export.name, form.name], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    return export.name, form.name


def one_class(folder: Path) -> None:
    draft(folder, 30, 12)
    click = [sys.executable, "-c", "import click"]
    compare("class", [*SKARVIN, "write", "--replace", "--plain"], {"import click": click}, folder, 11)


def figures(folder: Path) -> None:
    """Hold a report with figures against one without, and the import of what draws them."""
    draft(folder, 30, 12)
    drawn = "from matplotlib.figure import Figure; from matplotlib.backends.backend_svg import FigureCanvasSVG"
    others = {
        "import matplotlib": [sys.executable, "-c", drawn],
        "write --plain": [*SKARVIN, "write", "--replace", "--plain"],
    }
    compare("figures", [*SKARVIN, "write", "--replace"], others, folder, 9)


def district(folder: Path) -> None:
    files = draft(folder, 50_000, 200)
    others = {
        "bare csv pass": [sys.executable, str(HERE / "bare_pass.py"), *files],
        "pandas script": [sys.executable, str(HERE / "pandas_script.py"), *files],
    }
    compare("district", [*SKARVIN, "write", "--replace"], others, folder, 3)


def again(folder: Path) -> None:
    """Hold a second write, after all was confirmed, against the first; each begins with the same history."""
    draft(folder / "second", 50_000, 200)
    first = shutil.copytree(folder / "second", folder / "first")
    write, history = [*SKARVIN, "write", "--replace"], folder / "second" / "skarvin-history.db"
    cost_of(write, folder / "second")
    shutil.copy(folder / "second" / "form-import.csv", folder / "second" / "fresh.csv")
    cost_of([*SKARVIN, "confirm", "fresh.csv", "--identical"], folder / "second")
    known, pairs = history.read_bytes(), []
    for _ in range(4):
        for file in (*first.glob("*.db"), *first.glob("ledger*")):
            file.unlink()
        history.write_bytes(known)
        pairs.append((cost_of(write, folder / "second"), cost_of(write, first)))
    ratios = [statistics.median(cost[i] / other[i] for cost, other in pairs[1:]) for i in range(3)]
    print(f"again      / first {ratios[0]:.2f} processor {ratios[1]:.2f} clock {ratios[2]:.2f} peak memory", flush=True)


def few_items(folder: Path) -> None:
    """Hold a write of a district's students with two items against a bare pass over the files with all items."""
    draft(folder, 50_000, 2)
    files = [str(file) for file in make(folder / "all", 50_000, 200)]
    bare = [sys.executable, str(HERE / "bare_pass.py"), *files]
    compare("50,000 x 2", [*SKARVIN, "write", "--replace"], {"bare csv pass of x 200": bare}, folder, 3)


def help_page(folder: Path) -> None:
    folder.mkdir()
    compare("help", [*SKARVIN, "--help"], {"import click": [sys.executable, "-c", "import click"]}, folder, 11)


def mixed(folder: Path) -> None:
    """Hold a district with mixed marks against one with plain ones."""
    plain, odd = folder / "plain", folder / "odd"
    draft(plain, 50_000, 200)
    export, form = make(odd, 50_000, 200, mixed=True)
    subprocess.run([*SKARVIN, "draft", export.name, form.name], cwd=odd, check=True, stdout=subprocess.DEVNULL)
    plan = odd / "transfer.toml"
    text = plan.read_text(encoding="utf-8")
    for status, code in (("absent", '"ABS"'), ("exempt", '""'), ('"not handed in"', "0")):
        text = text.replace(f'{status} = "?"', f"{status} = {code}", 1)
    plan.write_text(text, encoding="utf-8")
    write = [*SKARVIN, "write", "--replace"]
    pairs = [(cost_of(write, odd), cost_of(write, plain)) for _ in range(4)][1:]
    ratios = [statistics.median(cost[i] / other[i] for cost, other in pairs) for i in range(3)]
    print(f"mixed      / plain {ratios[0]:.2f} processor {ratios[1]:.2f} clock {ratios[2]:.2f} peak memory", flush=True)


def look(folder: Path) -> None:
    export, _ = make(folder, 50_000, 200)
    bare = [sys.executable, str(HERE / "bare_pass.py"), export.name]
    compare("look", [*SKARVIN, "look", export.name], {"bare csv pass": bare}, folder, 3)


def workbook(folder: Path) -> None:
    export, _ = make(folder, 50_000, 200)
    file = make_workbook(export)
    bare = [sys.executable, str(HERE / "bare_sheet.py"), file.name]
    compare("workbook", [*SKARVIN, "look", file.name], {"bare read": bare}, folder, 3)


def log(folder: Path) -> None:
    """Move a million marks that have a line each."""
    export, form = make(folder, 50_000, 20)
    make_log(export)
    files = [export.name, form.name]
    subprocess.run([*SKARVIN, "draft", *files], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    bare = {"bare csv pass": [sys.executable, str(HERE / "bare_pass.py"), *files]}
    compare("log", [*SKARVIN, "write", "--replace"], bare, folder, 3)


def form(folder: Path) -> None:
    """Fill a workbook form: a whole `write`, and the filling by itself."""
    export, form = make(folder, 50_000, 4)
    file = make_workbook(form, delimiter=";")
    subprocess.run([*SKARVIN, "draft", export.name, file.name], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    bare = {"bare streaming read": [sys.executable, str(HERE / "stream_sheet.py"), file.name]}
    compare("form", [*SKARVIN, "write", "--replace"], bare, folder, 3)
    compare("filling", [sys.executable, str(HERE / "fill_sheet.py"), file.name, "3,4,5,6"], bare, folder, 3)


def drafting(folder: Path) -> None:
    """Propose a transfer for a district; each run writes it anew."""
    export, form = make(folder, 50_000, 200)
    bare = {"bare pass": [sys.executable, str(HERE / "bare_pass.py"), export.name, form.name]}
    command = shlex.join([*SKARVIN, "draft", export.name, form.name])
    compare("draft", ["sh", "-c", f"rm -f transfer.toml; exec {command}"], bare, folder, 5)


def pairing(folder: Path) -> None:
    for students in (12_500, 50_000):
        inside = folder / str(students)
        files = make_rosters(inside, students)
        bare = [sys.executable, str(HERE / "bare_pass.py"), *files]
        compare(f"pairing {students:,}", [*SKARVIN, "students", "--json"], {"bare csv pass": bare}, inside, 1)


def growth(folder: Path) -> None:
    costs = []
    for students in GROWTH:
        inside = folder / str(students)
        draft(inside, students, 200)
        costs.append(cost_of([*SKARVIN, "write", "--replace"], inside))
    for (small, less), (large, more) in zip(
        zip(GROWTH, costs, strict=True), list(zip(GROWTH, costs, strict=True))[1:], strict=False
    ):
        ratio = f"{more.cpu / less.cpu:.2f} processor, {more.peak / less.peak:.2f} peak memory"
        print(f"growth     {small:,} -> {large:,} students ({large / small:.0f} times the data): {ratio}", flush=True)


def main() -> None:
    cases = {
        "class": one_class,
        "figures": figures,
        "help": help_page,
        "district": district,
        "again": again,
        "few": few_items,
        "mixed": mixed,
        "look": look,
        "workbook": workbook,
        "log": log,
        "form": form,
        "draft": drafting,
        "pairing": pairing,
        "growth": growth,
    }
    for name in sys.argv[1:] or cases:
        with tempfile.TemporaryDirectory() as folder:
            cases[name](Path(folder) / name)


if __name__ == "__main__":
    main()
