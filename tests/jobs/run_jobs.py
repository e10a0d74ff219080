"""Runs whole jobs against the four laws: python tests/jobs/run_jobs.py [JOBS] [FIRST SEED]. On all cores."""

import multiprocessing
import os
import sys
import tempfile
import time
import traceback
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from features import Job, all_pairs, covering, pairs_of
from laws import Broken, run_job
from making import make_world


def one(task: tuple[Job, int]) -> tuple[Job, int, str]:
    """Run a job; return what was broken, or nothing."""
    job, seed = task
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "job"
        folder.mkdir()
        try:
            run_job(make_world(job, seed), folder)
        except Broken as broken:
            return job, seed, str(broken)
        except Exception:  # noqa: BLE001 - a fault of the laws themselves is told, too
            return job, seed, "fault: " + traceback.format_exc()[-600:]
    return job, seed, ""


def jobs(count: int, first: int) -> list[tuple[Job, int]]:
    """Return so many jobs, in whole coverings one after another."""
    found: list[tuple[Job, int]] = []
    seed = first
    while len(found) < count:
        found += [(job, seed * 1000 + place) for place, job in enumerate(covering(seed))]
        seed += 1
    return found[:count]


def main() -> None:
    """Run them and say what was broken."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_CACHE_HOME"] = tempfile.mkdtemp()
    tasks, start = jobs(count, first), time.monotonic()
    met = {pair for job, _ in tasks for pair in pairs_of(job)}
    print(f"{len(tasks):,} jobs; {len(met & all_pairs()):,} of {len(all_pairs()):,} pairs of features meet", flush=True)
    broken: Counter[str] = Counter()
    with multiprocessing.get_context("fork").Pool() as pool:
        for done, (job, seed, what) in enumerate(pool.imap_unordered(one, tasks, chunksize=8), 1):
            if what:
                law = what.partition(" | ")[0]
                broken[law] += 1
                if broken[law] <= 6:
                    print(f"--- {seed} {' '.join(job.values())}\n{what[:1500]}", flush=True)
            if done % 500 == 0:
                print(f"{done:,} jobs, {sum(broken.values())} broken, {time.monotonic() - start:.0f} s", flush=True)
    print(f"{sum(broken.values()):,} broken in {time.monotonic() - start:.0f} s: {dict(broken)}")
    sys.exit(bool(broken))


if __name__ == "__main__":
    main()
