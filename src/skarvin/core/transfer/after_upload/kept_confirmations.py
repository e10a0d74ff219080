"""What the history keeps of a confirmation, and its files."""

from array import array
from collections.abc import Mapping
from pathlib import Path

from skarvin.core.grid.file_bytes import fingerprint
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.run_history import CONFIRM, Kept, Run, history_file, keeping, packed, read_runs
from skarvin.core.transfer.after_upload.comparing import Met
from skarvin.core.transfer.after_upload.confirming import Confirmation
from skarvin.core.transfer.after_upload.kept_runs import NOT_SEEN, Record, item_key, seen_from, student_keys


def record_confirmation(found: Confirmation, transfer: str, when: str) -> Record:
    """Return what is kept of a confirmation."""
    kept: dict[Kept, int] = {Kept("", ""): 0, Kept(NOT_SEEN, ""): 1}
    items = [item_key(one.item) for one in found.items]
    there = [one.column is not None for one in found.items]
    seen = [kept.setdefault(_kept(met, is_seen=True), len(kept)) for met in found.met]
    unseen: list[int] = []
    if not all(there) or not all(one.fresh for one in found.people):
        unseen = [kept.setdefault(_kept(met, is_seen=False), len(kept)) for met in found.met]
    rows = []
    for place, (student, fresh) in enumerate(found.people):
        if student:
            tables = [seen if fresh and is_there else unseen for is_there in there]
            codes = [table[code] for table, code in zip(tables, found.codes.row(place), strict=True)]
            rows.append((student, array("I", codes)))
    counts = found.in_words
    files = {"fresh": found.fresh.grid.fingerprint}
    run = Run(CONFIRM, transfer, when, found.filed.digest, files, counts, items, tuple(kept))
    kind = run.kind_of_code
    keys = student_keys([student for student, _ in rows])
    return Record(run, ((key, packed(codes, kind)) for key, (_, codes) in zip(keys, rows, strict=True) if key))


def _kept(met: Met | None, *, is_seen: bool) -> Kept:
    if met is None:
        return Kept("" if is_seen else NOT_SEEN, "")
    return Kept(met.found.arrival.value if is_seen else NOT_SEEN, met.shown.strip(), met.sent.strip())


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
        if not found.counts_as_confirmed:
            delivery.commit()
            return
        proof, content = next(iter(contents.items()))
        run = run._replace(proof=seen_from(history, proof), digest=fingerprint(content))
        with keeping(history, run, marks):
            delivery.commit()
