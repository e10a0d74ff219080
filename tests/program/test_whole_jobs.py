"""Whole jobs, in which every two features meet, against a second opinion that shares no line with the program."""

from pathlib import Path

import laws
import pytest
from features import all_pairs, covering, pairs_of
from making import make_world
from started import Said

from conftest import Skarvin

SEED, SHARE = 5, 8


def test_every_two_features_that_can_be_together_meet_in_some_job() -> None:
    met = {pair for job in covering(SEED) for pair in pairs_of(job)}
    told = (Path(__file__).parents[2] / "docs" / "decisions.md").read_text(encoding="utf-8")
    assert all_pairs() <= met
    assert f"{len(all_pairs()):,} pairs of features" in told


@pytest.mark.parametrize("place", range(SHARE))
def test_the_four_laws_hold_over_whole_jobs(
    place: int, tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    def start(folder: Path, *arguments: str | Path) -> Said:
        monkeypatch.chdir(folder)
        run = skarvin(*arguments)
        return Said(run.code, run.out, run.err)

    monkeypatch.setattr(laws, "skarvin", start)
    folder = tmp_path / "job"
    folder.mkdir()
    laws.run_job(make_world(covering(SEED)[place], SEED * 1000 + place), folder)
