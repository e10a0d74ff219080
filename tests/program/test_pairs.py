"""Files of other schools: what is drafted from each pair is what stands beside it. Adding a pair is adding a folder."""

import shlex
import shutil
import tomllib
from pathlib import Path

import pytest

from conftest import Skarvin

PAIRS = sorted((Path(__file__).parents[1] / "data" / "pairs").iterdir())


def test_there_are_pairs_of_many_schools() -> None:
    assert len(PAIRS) >= 25


@pytest.mark.parametrize("pair", PAIRS, ids=[pair.name for pair in PAIRS])
def test_a_pair_is_drafted_as_a_person_found_it_right(tmp_path: Path, skarvin: Skarvin, pair: Path) -> None:
    for name in ("export.csv", "form.csv"):
        shutil.copy(pair / name, tmp_path)
    options = pair / "options.txt"
    said = shlex.split(options.read_text(encoding="utf-8")) if options.exists() else []
    assert skarvin("draft", "export.csv", "form.csv", *said).code == 0
    expected = tomllib.loads((pair / "transfer.toml").read_text(encoding="utf-8"))
    assert tomllib.loads((tmp_path / "transfer.toml").read_text(encoding="utf-8")) == expected
