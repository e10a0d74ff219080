"""How far the work on a transfer is: drafted, what is open, written and when, and what has changed since."""

import os
import re
from collections.abc import Iterator, Mapping, Sequence
from enum import StrEnum
from pathlib import Path

import msgspec

from skarvin.core.findings import Finding, Place, Refused, SkarvinError, Unreadable
from skarvin.core.grid.file_bytes import own_bytes, read_bytes
from skarvin.core.grid.folder import path_fingerprint
from skarvin.core.ledger.answers import confirmation_of
from skarvin.core.ledger.arrival import AS_BEFORE, Arrival
from skarvin.core.ledger.run_history import history_file, read_runs
from skarvin.core.plan.named_files import further_inputs
from skarvin.core.plan.plan import Plan
from skarvin.core.plan.reading import read_plan
from skarvin.core.reasons import Fate
from skarvin.core.students.decision_list import read_decisions
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault, load_toml
from skarvin.core.transfer.after_upload.kept_runs import last_ledger
from skarvin.core.transfer.held_list import held_file, read_held
from skarvin.core.transfer.who_is_who import pairings_file

LEDGER_NAME = "ledger.json"
USUAL_NAME = "transfer.toml"
_SIDES = (re.compile(r"^\s*\[\s*source\s*\]", re.MULTILINE), re.compile(r"^\s*\[\s*target\s*\]", re.MULTILINE))
_MOVED = (Fate.SENT.value, Fate.CHANGED.value)
_BEFORE = frozenset({"sent_before", "target_now"})
"""What a write itself may replace."""
_IMPORTS = pattern(r"import(?:_\d+)?")


class Stage(StrEnum):
    """How far a transfer is."""

    UNREADABLE = "can't be read"
    OPEN = "drafted"
    DRAFTED = "drafted, not written"
    OUTDATED = "written, changed since"
    WRITTEN = "written"


class _File(msgspec.Struct, frozen=True):
    name: str
    sha256: str


class _Filed(msgspec.Struct, frozen=True):
    """What of a ledger says when it was written, from which files, and what it left to a person."""

    schema: str
    when: str
    files: Mapping[str, _File]
    needs_a_person: str = ""
    fates: Mapping[str, int] = msgspec.field(default_factory=dict)


class TransferState(msgspec.Struct, frozen=True):
    """How far one transfer is.

    Attributes:
        file: the transfer.
        exports: its exports, by name.
        form: its form, by name; blank where the transfer can't be read.
        questions: how many are to be answered before anything is done.
        finding: why it can't be read.
        when: when it was written last, in ISO 8601.
        to_decide: what that write left to a person, in a sentence; blank if nothing.
        sent: how many marks it sent.
        held: how many it held.
        imports: the import files of that write, from the transfer's folder; none where the marks are typed.
        changed: the files that aren't as they were then, each with what has become of it.
        confirmed: when that write was confirmed last, in ISO 8601; blank if it wasn't.
        found: how many marks were found how then, for each finding.
    """

    file: Path
    stage: Stage
    exports: tuple[str, ...] = ()
    form: str = ""
    questions: int = 0
    finding: Finding | None = None
    when: str = ""
    to_decide: str = ""
    sent: int = 0
    held: int = 0
    imports: tuple[Path, ...] = ()
    changed: tuple[str, ...] = ()
    confirmed: str = ""
    found: tuple[tuple[str, int], ...] = ()

    @property
    def is_all_there(self) -> bool:
        """Whether the last confirmation found every mark as it was sent, and none besides."""
        return {what for what, count in self.found if count} <= {Arrival.ARRIVED.value, AS_BEFORE}


def transfers_in(folder: Path) -> list[Path]:
    """Return the transfers of a folder, those called otherwise than `transfer.toml` last."""
    found = [file for file in folder.glob("*.toml") if _is_transfer(file)]
    return sorted(found, key=lambda file: (file.name != USUAL_NAME, file.name.casefold()))


def own_folder(transfer: Path) -> Path | None:
    """Return the folder for what a transfer writes, if others lie beside it; `transfer.toml` needs none of its own."""
    is_alone = transfer.name == USUAL_NAME or len(transfers_in(transfer.parent)) <= 1
    return None if is_alone else transfer.with_suffix("")


def ledger_of(transfer: Path, form: Path) -> Path:
    """Return where the ledger of a transfer's last write lies, or would lie."""
    return last_ledger(transfer) or (own_folder(transfer) or form.parent) / LEDGER_NAME


def _is_transfer(file: Path) -> bool:
    """Return whether a file has the two sides of a transfer, be it in order or not; one that is called so is one."""
    if file.name == USUAL_NAME:
        return not file.is_dir()
    try:
        text = read_bytes(file).decode("utf-8-sig", "replace")
    except Unreadable:
        return False
    try:
        return {"source", "target"} <= set(load_toml(text))
    except TomlFault:
        return all(side.search(text) for side in _SIDES)


def state_of(file: Path) -> TransferState:
    """Return how far a transfer is, by its file, its ledger beside the form, and the files that the ledger names.

    Nothing is settled for it: marks are neither read nor converted.
    """
    try:
        plan = read_plan(file).plan
    except Refused as refused:
        return TransferState(file, Stage.OPEN, questions=sum(1 for one in refused.findings if one.place))
    except Unreadable as error:
        return TransferState(file, Stage.UNREADABLE, finding=error.findings[0])
    exports = tuple(Path(one.file).name for one in (plan.source, *plan.export))
    drafted = TransferState(file, Stage.DRAFTED, exports, Path(plan.target.file).name)
    if missing := _missing(file, plan):
        return TransferState(file, Stage.UNREADABLE, exports, drafted.form, finding=missing)
    try:
        ledger = ledger_of(file, file.parent / plan.target.file)
        runs = read_runs(history_file(file.parent))
    except Refused as refused:
        return TransferState(file, Stage.UNREADABLE, exports, drafted.form, finding=refused.findings[0])
    filed = _filed(ledger, file.name)
    if filed is None:
        return drafted
    changed = tuple(_changed(file, plan, ledger.parent, filed.files))
    confirmed = confirmation_of(runs, _fingerprint(ledger))
    return TransferState(
        file,
        Stage.OUTDATED if changed else Stage.WRITTEN,
        (*(filed.files[what].name for what in ("export",) if what in filed.files), *exports[1:]) or exports,
        filed.files["form"].name if "form" in filed.files else drafted.form,
        when=filed.when,
        to_decide=filed.needs_a_person,
        sent=sum(filed.fates.get(fate, 0) for fate in _MOVED),
        held=filed.fates.get(Fate.HELD.value, 0),
        imports=tuple(_from(file, ledger, one.name) for name, one in filed.files.items() if _IMPORTS.fullmatch(name)),
        changed=changed,
        confirmed=confirmed.at if confirmed else "",
        found=tuple(confirmed.counts.items()) if confirmed else (),
    )


def _from(transfer: Path, ledger: Path, name: str) -> Path:
    """Return a file beside a ledger as it is seen from the transfer's folder."""
    return Path(os.path.relpath(ledger.parent / name, transfer.parent))


def _missing(file: Path, plan: Plan) -> Finding | None:
    """Return what is said of the first export or form that isn't there."""
    for side in (plan.source, *plan.export, plan.target):
        path = file.parent / side.file
        if not path.exists():
            mend = f"Put it there, or name another file in {file.name}."
            return Finding("missing-file", "there is no such file", Place(path), mend)
    return None


def _filed(ledger: Path, transfer: str) -> _Filed | None:
    """Return what a ledger says of the last write of a transfer; None if it is another's, or can't be read."""
    try:
        filed = msgspec.json.decode(own_bytes(ledger), type=_Filed)
    except (OSError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None
    known = filed.files.get("transfer")
    return filed if filed.schema.startswith("skarvin-ledger/") and known and known.name == transfer else None


def _changed(file: Path, plan: Plan, folder: Path, files: Mapping[str, _File]) -> Iterator[str]:
    """Yield the files that aren't as a ledger says they were, each with what has become of it."""
    exports: Sequence[str] = [one.file for one in (plan.source, *plan.export)]
    paths = {"transfer": file, "form": file.parent / plan.target.file, "pairings": pairings_file(file)}
    if plan.target.file_as:
        del paths["form"]  # its ledger has the fingerprint of the table that was made of it, and the file by itself
    further = further_inputs(plan, file.parent)
    paths |= {what: path for what, path in further.items() if what not in _BEFORE}
    paths |= {f"export_{at}" if at > 1 else "export": file.parent / name for at, name in enumerate(exports, 1)}
    paths |= {
        what: next(filter(Path.exists, (path.with_name(files[what].name), folder / files[what].name)), path)
        for what, path in paths.items()
        if what in files and files[what].name != path.name
    }
    for what, path in paths.items():
        if what == "pairings" and what not in files:
            if _has_decisions(path):
                yield f"{path.name} (decisions made)"
        elif what not in files or _fingerprint(path) != files[what].sha256:
            yield path.name
    held = held_file(file)
    if _fingerprint(held) != (files["held"].sha256 if "held" in files else "") and _has_corrections(held):
        yield f"{held.name} (corrections to apply)"
    for what, known in files.items():
        if _IMPORTS.fullmatch(what):
            found = _fingerprint(folder / known.name)
            if found != known.sha256:
                yield f"{known.name} ({'changed by hand' if found else 'not there any more'})"


def _has_decisions(file: Path) -> bool:
    try:
        return any(one.is_made for one in read_decisions(file).rows)
    except SkarvinError:
        return True


def _has_corrections(file: Path) -> bool:
    try:
        return any(one.is_edited for one in read_held(file))
    except SkarvinError:
        return True


def _fingerprint(path: Path) -> str:
    """Return the SHA-256 of a file, or of the names in a folder; blank if it can't be read."""
    try:
        return path_fingerprint(path)
    except SkarvinError:
        return ""
