"""What the history keeps of a confirmation, and its files."""

from array import array
from collections import Counter
from collections.abc import Mapping
from pathlib import Path

from skarvin.core.grid.read import fingerprint
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.run_history import CONFIRM, Kept, Run, history_file, keeping, packed, read_runs
from skarvin.core.transfer.after_upload.confirming import Confirmation
from skarvin.core.transfer.after_upload.kept_runs import NOT_SEEN, Record, item_key, seen_from, student_key


def record_confirmation(found: Confirmation, transfer: str, when: str) -> Record:
    """Return what is kept of a confirmation."""
    kept: dict[Kept, int] = {Kept("", ""): 0, Kept(NOT_SEEN, ""): 1}
    items = [item_key(one.item) for one in found.items]
    at = {one.item.column: place for place, one in enumerate(found.items)}
    seen = {position for pair in found.pairing.pairs for position in [pair.target.row.position]}
    by_row: dict[int, array[int]] = {
        student.row: array("I", [int(position not in seen or one.column is None) for one in found.items])
        for position, student in enumerate(found.filed.students, 1)
    }
    for line in found.lines:
        if line.student:
            is_known = line.fresh is not None and line.column is not None
            fate = line.found.arrival.value if is_known else NOT_SEEN
            code = kept.setdefault(Kept(fate, line.shown.strip(), line.sent.strip()), len(kept))
            by_row[line.student.row][at[line.item.column]] = code
    counts = Counter(line.found.arrival.value for line in found.lines)
    files = {"fresh": found.fresh.grid.fingerprint}
    run = Run(CONFIRM, transfer, when, found.filed.digest, files, counts, items, tuple(kept))
    kind = run.kind_of_code
    return Record(run, ((student_key(student), packed(by_row[student.row], kind)) for student in found.filed.students))


def file_confirmation(
    found: Confirmation, contents: Mapping[Path, bytes], transfer: Path, when: str, *, replace_existing: bool
) -> None:
    """Put the files of a confirmation in place, and keep it in the history of the transfer's folder.

    Raises:
        Refused: a file is there already or can't be written, or the history can't be kept; nothing is left then.
    """
    filed, history = found.filed, history_file(transfer.parent)
    inputs = [found.fresh.grid.file, filed.file, *(filed.file.with_name(one.name) for one in filed.files.values())]
    names = [run.transfer for run in read_runs(history) if run.ledger == filed.digest]
    run, marks = record_confirmation(found, (names or [transfer.name])[0], when)
    with Delivery(replace=replace_existing, inputs=inputs) as delivery:
        for path, content in contents.items():
            delivery.stage(path, [content])
        proof, content = next(iter(contents.items()))
        run = run._replace(proof=seen_from(history, proof), digest=fingerprint(content))
        with keeping(history, run, marks):
            delivery.commit()
