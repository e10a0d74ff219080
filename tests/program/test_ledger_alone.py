"""The ledger stands alone: it is what its schema says, and a stranger recomputes every total from it and the files."""

import json
import re
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from conftest import LEDGER_SCHEMA, Skarvin, departures_of, edit, lay_out, shared_demo

DOCS = LEDGER_SCHEMA.parent
RULES = """[[item]]
from = "B"
to = "C"
from_out_of = 10
to_out_of = 10
"""


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = shared_demo(tmp_path_factory)
    script = re.search(
        r"^```python\n(.*?)^```$", (DOCS / "ledger.md").read_text(encoding="utf-8"), re.MULTILINE | re.DOTALL
    )
    assert script
    (folder / "recompute.py").write_text(script[1], encoding="utf-8")
    return folder


def recompute(demo: Path, folder: str) -> list[str]:
    run = subprocess.run([sys.executable, "recompute.py", folder], cwd=demo, capture_output=True, check=False)
    return run.stdout.decode().splitlines() or [run.stderr.decode()]


def test_every_ledger_of_the_demo_is_what_the_schema_says(demo: Path) -> None:
    found = list(demo.rglob("ledger.json"))
    assert len(found) == 11
    assert not [one for ledger in found for one in departures_of(ledger)]


def test_every_field_of_the_schema_is_described_and_no_other_is_allowed() -> None:
    def walk(node: Any, path: str) -> Iterator[str]:  # noqa: ANN401 - whatever JSON can hold
        if isinstance(node, dict):
            if node.get("type") == "object" and node.get("additionalProperties", True) is True:
                yield f"{path} is open"
            for name, one in node.get("properties", {}).items():
                is_told = "description" in one or "const" in one or "$ref" in one
                yield from () if is_told else [f"{path}.{name} isn't described"]
            for name, one in node.items():
                yield from walk(one, f"{path}.{name}")

    assert not list(walk(json.loads(LEDGER_SCHEMA.read_text(encoding="utf-8")), ""))


def test_the_texts_of_each_item_with_their_counts_are_all_its_marks(demo: Path) -> None:
    for file in demo.rglob("ledger.json"):
        for item in json.loads(file.read_bytes())["items"]:
            counts: Counter[str] = Counter()
            for told in item.get("by_text", []):
                counts[told["fate"]] += told["count"]
            assert not item["to"] or counts == Counter(item["fates"]), (file, item["from"])


@pytest.mark.parametrize("folder", [".", "final", "quiz"])
def test_thirty_lines_recompute_every_total_of_the_demo(demo: Path, folder: str) -> None:
    lines = recompute(demo, folder)
    ledger = json.loads((demo / folder / "ledger.json").read_bytes())
    items = [item for item in ledger["items"] if item["to"] and item["from"]["column"]]
    assert len(lines) == 6 * len(items)
    assert all(line.startswith("agrees; ") for line in lines)


def test_a_mark_that_is_changed_afterwards_is_found_by_these_lines(demo: Path) -> None:
    file = demo / "registry-form-import.csv"
    whole = file.read_bytes()
    file.write_bytes(whole.replace(b";11.1;", b";11.2;", 1))
    assert file.read_bytes() != whole
    assert "DIFFERS; Lofting quiz; moved, after" in "".join(recompute(demo, "."))
    file.write_bytes(whole)


def test_a_pair_has_the_identifiers_of_both_sides_and_a_cell_that_nothing_met_its_mark(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(tmp_path, "Id,Knots\n007,8\n", "Id,Name,Knots\n7,Ana,\n9,Bo,6.5\n10,Cy,\n", RULES)
    edit(tmp_path / "transfer.toml", "[[item]]", "[students]\nignore_leading_zeros = true\n[[item]]")
    assert skarvin("write").code == 0
    ledger = json.loads((tmp_path / "ledger.json").read_bytes())
    assert ledger["students"]["pairs"] == [{"row": 2, "identifier": "007", "to_row": 2, "to_identifier": "7"}]
    assert [student["name"] for student in ledger["students"]["in_form"]] == ["Ana", "Bo", "Cy"]
    assert ledger["marks"]["untouched"] == [{"to_row": 3, "to_column": "C", "was": "6.5", "number": "13/2"}]
    assert ledger["transfer"] == (tmp_path / "transfer.toml").read_text(encoding="utf-8")


def test_files_besides_export_and_form_have_their_fingerprints(demo: Path) -> None:
    quiz = json.loads((demo / "quiz" / "ledger.json").read_bytes())
    watch = json.loads((demo / "watch" / "ledger.json").read_bytes())
    assert quiz["files"]["answer_key"]["name"] == "answer-key.csv"
    assert watch["files"]["screen"]["name"] == "watch-screen.txt"
