"""The files that transfers name: none of them is written over, and those elsewhere are told before they are read."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from skarvin.core.findings import Finding, SkarvinError, Unreadable
from skarvin.core.grid.file_bytes import read_bytes
from skarvin.core.ledger.since import HISTORY
from skarvin.core.plan.plan import Plan
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault, load_toml

_OWN = ("pairings.csv", "held.csv", "ledger.json", "ledger-marks.jsonl", HISTORY)
_MOST = 200
_PARTED = pattern(r"[/\\]")


def named_files(transfer: Path) -> frozenset[Path]:
    """Return the files that a transfer names, and those that it keeps beside itself, as far as they are there."""
    own = {transfer, *(transfer.with_name(name) for name in _OWN)}
    own |= {transfer.with_name(f"{transfer.stem}-{name}") for name in ("pairings.csv", "held.csv")}
    named = {transfer.parent / text for text in _texts(transfer)}
    return frozenset(path.resolve() for path in own | named if _is_file(path))


def files_of_transfers(*folders: Path) -> frozenset[Path]:
    """Return the files that the transfers of some folders name."""
    transfers = {path for folder in folders for path in sorted(folder.glob("*.toml"))[:_MOST]}
    return frozenset(path for transfer in transfers for path in named_files(transfer))


def files_elsewhere(transfer: Path) -> list[str]:
    """Return the files that a transfer names far from its own folder, as it names them.

    Near is what lies in the folder above, too, as exports of a term do; but a form, beside which files are written,
    only where the transfer is.
    """
    home = transfer.parent.resolve()
    raw = _raw(transfer)
    target = raw.get("target")
    form = target.get("file") if isinstance(target, dict) else None
    leading = (text for text in _texts(transfer) if _PARTED.search(text))
    found = (text for text in leading if _is_file(transfer.parent / text))
    return [
        text
        for text in dict.fromkeys(found)
        if not (transfer.parent / text).resolve().is_relative_to(home if text == form else home.parent)
    ]


@contextmanager
def named_in(transfer: Path) -> Iterator[None]:
    """Say of a file that isn't there where the transfer names it, and of a path of another system how it is written."""
    try:
        yield
    except Unreadable as error:
        raise Unreadable(*(_named_in(transfer, finding) for finding in error.findings)) from None


def _named_in(transfer: Path, finding: Finding) -> Finding:
    if finding.slug != "missing-file" or not finding.place or finding.place.file == transfer:
        return finding
    path = finding.place.file
    texts = [text for text in _texts(transfer) if transfer.parent / text == path or Path(text) == path]
    lines = read_bytes(transfer).decode("utf-8-sig").split("\n")
    at = next((number for number, line in enumerate(lines, 1) if any(text in line for text in texts)), None)
    if at is None:
        return finding
    where = f"{transfer.name}, line {at}"
    mend = f"Put it there, or write its name and folder in {where}; the path counts from the folder of {transfer.name}."
    if "\\" in texts[0] and not path.exists():
        mend = f"Write / in place of \\ in {where}: every system knows that."
    return Finding(finding.slug, finding.what, finding.place, mend)


def further_inputs(plan: Plan, folder: Path) -> dict[str, Path]:
    """Return the files besides exports and form that a plan names, by what they are."""
    found = {"rules": plan.rules} if plan.rules else {}
    found |= {"roster": plan.roster.file} if plan.roster else {}
    found |= {"answer_key": plan.answers.key} if plan.answers.key else {}
    several = {name: [one.file for one in getattr(plan, name)] for name in ("crosswalk", "list", "correction")}
    for what, files in several.items():
        found |= {what if number == 1 else f"{what}_{number}": name for number, name in enumerate(files, 1)}
    lists = [one.members.file for one in (plan.source, *plan.export) if one.members]
    found |= {"members" if number == 1 else f"members_{number}": name for number, name in enumerate(lists, 1)}
    found |= {plan.target.file_as: plan.target.file} if plan.target.file_as else {}
    found |= dict(zip(("sent_before",), plan.since.sent.values(), strict=False))
    found |= {"target_now": plan.since.target_now} if plan.since.target_now else {}
    return {what: folder / name for what, name in found.items()}


def _is_file(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):  # a text that can't be a path
        return False


def _raw(transfer: Path) -> Mapping[str, object]:
    """Return what stands in a transfer; nothing where it can't be read: whoever reads it next says why."""
    try:
        return load_toml(read_bytes(transfer).decode("utf-8-sig"))
    except (SkarvinError, TomlFault, UnicodeDecodeError):
        return {}


def _texts(transfer: Path) -> Iterator[str]:
    """Yield the texts of a transfer: whatever names a file is among them."""
    waiting: list[object] = [_raw(transfer)]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting += reversed(value.values())
        elif isinstance(value, list):
            waiting += reversed(value)
        elif isinstance(value, str) and value.strip():
            yield value
