"""What a service answered is kept, answer by answer, and goes when its run goes."""

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from skarvin.core.ledger.answers import Answer, answering, confirmation_of
from skarvin.core.ledger.run_history import Run, history_file, prune, read_runs


def test_answers_are_kept_one_by_one_and_a_cut_off_push_goes_on_in_its_run(tmp_path: Path) -> None:
    file = history_file(tmp_path)
    run = Run("push", "t.toml", "2026-11-30T10:00", "l", {"import": "x"}, {}, (), ())
    cut_off = answering(file, run)
    answers = cut_off.__enter__()
    answers.note([Answer("result/1", "sent"), Answer("result/2", "held", "403: no")])
    answers.note([Answer("result/3", "sent")])
    assert [one.counts for one in read_runs(file)] == [{"sent": 2, "held": 1}]
    with answering(file, run._replace(at="2026-11-30T11:00")) as answers:
        assert answers.states == {"result/1": "sent", "result/2": "held", "result/3": "sent"}
        answers.note([Answer("result/2", "sent")])
    assert [one.counts for one in read_runs(file)] == [{"sent": 3}]
    for other in (run._replace(ledger="m"), run._replace(files={"import": "y"}), run._replace(kind="undo"), run):
        with answering(file, other) as answers:
            assert answers.states == {}
            answers.note([])
            answers.note([Answer("result/1", "sent")])
    with answering(file, run._replace(ledger="n")) as answers:
        answers.note([])
    assert len(read_runs(file)) == 5
    assert prune(file, "2999-01-01") == 5
    with closing(sqlite3.connect(file)) as database:
        assert database.execute("SELECT count(*) FROM answer").fetchone() == (0,)


@pytest.mark.parametrize(
    ("kinds", "counts", "is_confirmed"),
    [
        (["write", "push"], {}, False),
        (["write", "push", "confirm"], {}, True),
        (["write", "push", "confirm", "undo"], {"sent": 2, "there already": 1}, False),
        (["write", "push", "confirm", "undo"], {"sent": 2, "held: changed there meanwhile": 1}, True),
        (["write", "push", "confirm", "undo", "push"], {"sent": 2}, False),
        (["write", "push", "confirm", "undo", "push", "confirm"], {"sent": 2}, True),
        (["write", "confirm", "other undo"], {"sent": 2}, True),
    ],
)
def test_a_confirmation_counts_until_all_is_taken_back(
    kinds: list[str], counts: dict[str, int], is_confirmed: bool
) -> None:
    runs = [
        Run(kind.split()[-1], "t", "2026", kind.split()[0] if " " in kind else "l", {}, counts, (), (), at)
        for at, kind in enumerate(kinds)
    ]
    found = confirmation_of(runs, "l")
    assert (found is not None) == is_confirmed
    assert found is None or found.number == max(at for at, kind in enumerate(kinds) if kind == "confirm")


def test_what_a_killed_push_had_begun_is_taken_back_by_whoever_reads_next(tmp_path: Path) -> None:
    file, copy = history_file(tmp_path), history_file(tmp_path / "copy")
    run = Run("push", "t.toml", "2026-11-30T10:00", "l", {"import": "x"}, {}, (), ())
    with answering(file, run) as answers:
        answers.note([Answer("result/1", "sent")])
    copy.parent.mkdir()
    with closing(sqlite3.connect(file, isolation_level=None)) as database:
        database.execute("PRAGMA cache_size = 1")  # what is begun is on the disk, and not yet kept
        database.execute("BEGIN")
        rows = [(1, f"result/{number}", "sent", "", "x" * 200) for number in range(2, 500)]
        database.executemany("INSERT INTO answer VALUES (?, ?, ?, ?, ?)", rows)
        for path in (file, file.with_name(f"{file.name}-journal")):
            shutil.copy(path, copy.with_name(path.name))
        database.execute("ROLLBACK")
    assert [one.counts for one in read_runs(copy)] == [{"sent": 1}]
    with answering(copy, run) as answers:
        assert answers.states == {"result/1": "sent"}
