"""What the history keeps of a write and of a confirmation."""

import hashlib
import os
from array import array
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.gradebook import Student
from skarvin.core.grid.file_bytes import fingerprint, own_bytes
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.filed import FiledColumn, FiledStudent
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.ledger.run_history import WRITE, Codes, ItemKey, Kept, Run, history_file, packed, read_runs
from skarvin.core.reasons import Fate
from skarvin.core.texts.names import name_key

NOT_SEEN = "not seen"
"""What a confirmation says of a mark whose student or item isn't in the fresh export."""
_NAMED = "name:"
_SENT = (Fate.SENT, Fate.CHANGED)
_COUNT = (*_SENT, Fate.SAME)


class Record(NamedTuple):
    """A run, and each student's marks."""

    run: Run
    marks: Iterable[Codes]


def student_keys(students: Sequence[Student | FiledStudent]) -> list[str]:
    """Return what students of the target go by: the identifier, or where there is none a fingerprint of who they are.

    Whom that doesn't tell apart has none: what was sent of one of two namesakes is nobody's.
    """
    told = list(map(_key, students))
    counts = Counter(told)
    return ["" if counts[key] > 1 and key.startswith(_NAMED) else key for key in told]


def _key(student: Student | FiledStudent) -> str:
    identifier = student.identifier.strip()
    if identifier:
        return identifier
    told = f"{name_key(student.name)}|{student.section.strip().casefold()}"
    told += f"|{birth}" if (birth := student.birth.strip()) else ""
    return _NAMED + hashlib.sha256(told.encode()).hexdigest()[:20]


def item_key(item: Column | FiledColumn) -> ItemKey:
    """Return what an item of the target goes by."""
    letters = item.letter if isinstance(item, Column) else item.column or ""
    return ItemKey(item.heading.strip(), letters)


def record_write(ledger: Ledger, transfer: str, when: str, files: Mapping[str, str], digest: str) -> Record:
    """Return what is kept of a write.

    Args:
        ledger: all fates.
        transfer: the name of the transfer.
        when: the time in ISO 8601.
        files: the SHA-256 of each file, by what it is.
        digest: the SHA-256 of the ledger as it was filed.
    """
    kept: dict[Kept, int] = {}
    places = [kept.setdefault(_kept(outcome), len(kept)) for outcome in ledger.outcomes]
    items = [item_key(item.target) for item in ledger.fed if item.target]
    counts = {fate.value: ledger.fates[fate] for fate in Fate}
    run = Run(WRITE, transfer, when, digest, files, counts, items, tuple(kept), digest=digest)
    return Record(run, _marks(ledger, places, run))


def _kept(outcome: Outcome) -> Kept:
    if outcome.fate is None:
        return Kept("", "")
    text = {Fate.SAME: outcome.last or outcome.in_target}.get(outcome.fate, outcome.last)
    return Kept(outcome.fate.value, (outcome.written or "") if outcome.fate in _SENT else text, outcome.in_target)


def _marks(ledger: Ledger, places: Sequence[int], run: Run) -> Iterator[Codes]:
    """Yield the marks of each student of the form; of several rows for one student, those that count."""
    counts = [outcome.fate in _COUNT for outcome in ledger.outcomes]
    everyone = (entry.target for entry in (*ledger.entries, *ledger.target_only) if entry.target)
    people = {student.row.position: student for student in everyone}
    keys = dict(zip(people, student_keys([*people.values()]), strict=True))
    found: dict[str, list[int]] = {}
    for entry in ledger.entries:
        if entry.target and (key := keys[entry.target.row.position]):
            found.setdefault(key, []).append(entry.position)
    lines = ledger.codes.mapped([row for rows in found.values() for row in rows], places, run.kind_of_code)
    for key, rows in found.items():
        codes = next(lines)
        for row in rows[1:]:
            later = zip(codes, next(lines), ledger.codes.row(row), strict=True)
            codes = array(codes.typecode, [new if counts[code] else old for old, new, code in later])
        yield key, packed(codes[: len(run.items)], run.kind_of_code)


def seen_from(history: Path, file: Path) -> str:
    """Return a file's path as the history keeps it: seen from its own folder."""
    return Path(os.path.relpath(file.resolve(), history.resolve().parent)).as_posix()


def last_ledger(transfer: Path) -> Path | None:
    """Return the ledger of a transfer's last write, if it still is where it was written; None if that isn't known.

    Raises:
        Refused: the history can't be read.
    """
    history = history_file(transfer.parent)
    writes = [run for run in read_runs(history, transfer.name) if run.kind == WRITE]
    if not writes:
        return None
    ledger = history.parent / writes[-1].proof
    try:
        return ledger if fingerprint(own_bytes(ledger)) == writes[-1].ledger else None
    except OSError:
        return None
