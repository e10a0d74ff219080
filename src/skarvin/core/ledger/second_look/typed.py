"""A list to type from, read again: each line says what the whole says, and the sums are right."""

import re
from decimal import Decimal
from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.ledger.second_look.claims import Claims
from skarvin.core.ledger.second_look.readers import Reading

_NUMBER = re.compile(r"-?\d+(?:[.,]\d+)?")
_NONE, _WAITS = "-", "?"
_BEFORE_MARKS = 3


def look_at_typed(text: bytes, final: Path, whole: Path, reading: Reading, claims: Claims) -> int:
    """Return how many lines the list has, having found that it says what the whole says.

    Args:
        text: the list.
        final: what it will be called.
        whole: the filled table of the students on the target's screen.
        reading: how that is read.
        claims: what the ledger says.

    Raises:
        Refused: a line is missing or says something else, or a sum is wrong.
    """
    rows = [row.cells for row in reading.rows(whole)][1:]
    columns, held = sorted(claims.item_columns), claims.held_cells
    lines = [[cell.strip() for cell in line.split("|")] for line in text.decode().splitlines() if "[ ]" in line]
    faults: list[Finding] = []
    if len(lines) != len(rows):
        faults.append(Finding("second-look", f"it has {len(lines)} lines, and {len(rows)} students", Place(final)))
    for number, (line, row) in enumerate(zip(lines, rows, strict=False), 1):
        wanted = [row[column] or (_WAITS if (number, column) in held else _NONE) for column in columns]
        who = row[2].replace("|", "/") or row[1]
        is_unsure = number not in claims.paired_rows and line[_BEFORE_MARKS:] == [_WAITS] * len(columns)
        if line[0] != str(number) or line[2] != who or (line[_BEFORE_MARKS:] != wanted and not is_unsure):
            what = f"line {number} isn't what the ledger says"
            faults.append(Finding("second-look", what, Place(final)))
    sums = next(
        ([cell.strip() for cell in line.split("|")] for line in text.decode().splitlines() if "| sum" in line), []
    )
    for place, column in enumerate(columns, _BEFORE_MARKS):
        numbers = [Decimal(row[column].replace(",", ".")) for row in rows if _NUMBER.fullmatch(row[column])]
        if place >= len(sums) or Decimal(sums[place] or 0) != sum(numbers, Decimal(0)):
            faults.append(Finding("second-look", "a sum isn't that of its column", Place(final)))
    if faults:
        raise Refused(
            *faults, Finding("withdrawn", "the list to type from isn't what the ledger says and was withdrawn")
        )
    return len(lines)
