"""Import files in parts: read by another library, they hold every mark that is sent exactly once, and nothing else."""

import csv
import json
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st

from conftest import NOW
from skarvin.core.findings import Unreadable
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing

PLAN = """\
version = 1
[source]
file = "export.csv"
identifier = "No"
[target]
file = "form.csv"
identifier = "Learner id"
headings = {headings}
rows = "{rows}"
order = "{order}"
files = "{files}"
add = "{add}"
columns = {columns}
[students]
minimum_paired_percent = 0
[[item]]
from = "C"
to = "Knots"
[[item]]
from = "D"
to = "Lofting"
"""
marks = st.sampled_from(["", "7", "8.50", "0"])
people = st.lists(st.tuples(marks, marks, st.sampled_from("KR")), min_size=2, max_size=6)
shapes = st.fixed_dictionaries(
    {
        "headings": st.sampled_from(["true", "false"]),
        "rows": st.sampled_from(["all", "sent"]),
        "order": st.sampled_from(["form", "export", "identifier", "family name"]),
        "files": st.sampled_from(["one", "one an item", "one a section"]),
        "add": st.sampled_from(["nobody", "below"]),
        "columns": st.sampled_from(["[]", '["Learner id", "Lofting", "Knots"]', '["E", "Learner id", "D", "Crew"]']),
    }
)


@given(people, st.permutations(range(6)), st.integers(1, 6), shapes)
def test_every_mark_stands_in_one_file(
    rows: list[tuple[str, str, str]], order: list[int], standing: int, shape: dict[str, str]
) -> None:
    export = ["No,Name,Knots,Lofting,Crew"]
    export += [f"w{place},Person {place},{one},{two},{crew}" for place, (one, two, crew) in enumerate(rows)]
    form = ["Learner id,Learner,Crew,Knots,Lofting"]
    form += [f"w{place},Person {place},{rows[place][2]},," for place in order if place < min(len(rows), standing)]
    wanted = {}
    with TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "export.csv").write_text("\n".join(export), encoding="utf-8")
        (folder / "form.csv").write_text("\n".join(form) + "\n", encoding="utf-8")
        (folder / "transfer.toml").write_text(PLAN.format(**shape), encoding="utf-8")
        try:
            settled = settle_transfer(folder / "transfer.toml")
        except Unreadable as error:
            if {finding.slug for finding in error.findings} <= {"no-rows", "no-students"}:
                return
            raise
        outputs = outputs_for(settled, folder)
        write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
        ledger = json.loads(outputs.data.read_bytes())
        for mark in ledger["marks"]["list"]:
            if mark["fate"] == "sent":
                wanted[f"w{mark['row'] - 2}", mark["to_column"]] = mark["now"]
        found = {}
        for file, part in zip(outputs.imports, ledger["target"].get("import_files", [{}]), strict=True):
            letters = part.get("columns") or list("ABCDE")
            lines = list(csv.reader(file.read_text(encoding="utf-8").splitlines()))
            for line in lines[shape["headings"] == "true" :]:
                cells = dict(zip(letters, line, strict=True))
                for letter in "DE":
                    if cells.get(letter):
                        assert (cells["A"], letter) not in found
                        found[cells["A"], letter] = cells[letter]
        assert found == wanted
