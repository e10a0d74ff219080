"""Measures pairing on generated classes with known truth, as the table in docs/pairing.md.

python bench/pairing.py [CLASSES]
"""

import random
import sys
from typing import Any

from classes import make_classes
from skarvin.core.students.pair_students import PairingRule, pair_students

CASES: dict[str, dict[str, Any]] = {
    "identifiers everywhere": {"without_id": 0.0, "slips": 0.1},
    "one in five without an identifier": {"without_id": 0.2, "slips": 0.1},
    "no identifiers at all": {"without_id": 1.0, "slips": 0.1},
    "no identifiers, every second name slipped": {"without_id": 1.0, "slips": 0.5},
    "names shifted by a row from the middle on": {"without_id": 0.0, "slips": 0.1, "shifted": True},
}


def measure(name: str, options: dict[str, Any], classes: int) -> str:
    """Return one row of the table."""
    chance = random.Random(name)
    students = made = wrong = in_doubt = offered = first = 0
    for _ in range(classes):
        source, target, truth = make_classes(30, chance, **options)
        found = pair_students(source, target, PairingRule())
        students += len(truth)
        made += len(found.pairs)
        wrong += sum(1 for pair in found.pairs if truth.get(pair.source.row) != pair.target.row)
        paired = {pair.source.row for pair in found.pairs}
        suggestions = {
            waiting.student.row: [found.target.row for found in waiting.suggestions] for waiting in found.held
        }
        for row, right in truth.items():
            if row not in paired:
                in_doubt += 1
                offered += right in suggestions.get(row, [])
                first += suggestions.get(row, [])[:1] == [right]
    share = f"{offered / in_doubt:.1%} ({first / in_doubt:.1%} first)" if in_doubt else "none in doubt"
    return f"| {name} | {students:,} | {made / students:.1%} | {wrong} | {in_doubt:,} | {share} |"


def main() -> None:
    classes = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    print("| classes of 30 | on both sides | paired without asking | wrongly | in doubt | right one suggested |")
    print("| --- | --- | --- | --- | --- | --- |")
    for name, options in CASES.items():
        print(measure(name, options, classes), flush=True)


if __name__ == "__main__":
    main()
