"""Pushes results to the stand-in with one request in ten failing, or killed and resumed, and counts what came of it.

python bench/pushing.py STUDENTS          # four results each
python bench/pushing.py STUDENTS --kill   # killed at up to fifty chance moments
"""

import os
import random
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

from skarvin.demo.faults import FAULTS
from skarvin.demo.service import School, Service, tidewrack

ITEMS = ("Knots", "Lofting", "Planking", "Task 4")
FAILING = tuple(one for one in FAULTS if one not in {"link", "html", "slow"})
KILLS = 50
Marks = dict[tuple[str, str], float]


def lay_out(folder: Path, students: int) -> Marks:
    """Write an export; return what the service must say in the end."""
    chance, rows = random.Random(1), []
    wanted: Marks = {}
    for number in range(1, students + 1):
        marks = [chance.choice([7, 9.5, 12, 20, 0]) for _ in ITEMS]
        rows.append(",".join(map(str, (4700 + number, *marks))))
        wanted |= {(f"i-{at}", f"u-{number:05}"): float(mark) for at, mark in enumerate(marks, 1)}
    heads = ",".join(["No", *(f"{title} (out of 20)" for title in ITEMS)])
    (folder / "marks.csv").write_text("\n".join([heads, *rows, ""]), encoding="utf-8")
    return wanted


def pushed(folder: Path, environment: dict[str, str], school: School, *, is_killed: bool) -> int:
    """Push until it ends by itself; return how often it was killed."""
    kills, chance = 0, random.Random(2)
    while True:
        process = subprocess.Popen(
            [sys.executable, "-m", "skarvin", "push", "--yes"],
            cwd=folder,
            env=environment,
            stdout=subprocess.DEVNULL,
        )
        last = len(school.writes) + chance.randrange(1, 80)
        while process.poll() is None and is_killed and kills < KILLS:
            if len(school.writes) > last:
                process.kill()
                kills += 1
                break
            time.sleep(0.001)
        if process.wait() >= 0:
            return kills


def main() -> None:
    """Print what was counted."""
    students, is_killed = int(sys.argv[1]), "--kill" in sys.argv
    school = tidewrack(students, len(ITEMS))
    school.page = 500  # as many as are asked for
    with tempfile.TemporaryDirectory() as name, Service(school) as service:
        folder = Path(name)
        threading.Thread(target=service.serve_forever, daemon=True).start()
        at = service.address
        known = f'[yard]\naddress = "{at}"\ntoken = "{at}/token"\nclient = "skarvin"\n'
        (folder / "services.toml").write_text(known, encoding="utf-8")
        environment = os.environ | {"SKARVIN_SERVICES": str(folder / "services.toml"), "SKARVIN_SECRET_YARD": "none"}
        wanted = lay_out(folder, students)
        for command in ("pull yard --to yard.zip", "draft marks.csv yard.zip", "write --plain"):
            run = [sys.executable, "-m", "skarvin", *command.split()]
            subprocess.run(run, cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
        service.fail, service.requests, begun = FAILING, 0, time.perf_counter()
        kills = pushed(folder, environment, school, is_killed=is_killed)
        took = time.perf_counter() - begun
        found = {
            (one["lineItem"]["sourcedId"], one["student"]["sourcedId"]): one["score"] for one in school.results.values()
        }
        print(f"{len(wanted):,} results, {len(school.results):,} there, all as they must be: {found == wanted}")
        print(f"{service.requests / len(wanted):.2f} requests a result, killed {kills} times, {took:.0f} s")
        service.shutdown()


if __name__ == "__main__":
    main()
