"""The history in words, as data, and as a list that opens in a spreadsheet."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from skarvin.core.ledger.answers import PUSH, UNDO
from skarvin.core.ledger.arrival import AS_BEFORE, NOT_AS_BEFORE, Arrival
from skarvin.core.ledger.run_history import CONFIRM, Kept, Run
from skarvin.core.reasons import Fate
from skarvin.core.texts.lists import list_file, list_text
from skarvin.reports.masker import mark_alone
from skarvin.reports.masking import identity

_HEADINGS = ("When", "What", "Transfer", "Identifier", "Item", "Finding", "Mark", "Before", "Ledger")


class KeptMark(NamedTuple):
    """One mark of one run: whose, of which item, and what was kept of it."""

    run: Run
    student: str
    item: str
    kept: Kept

    @property
    def fate(self) -> str:
        """Its fate, or what was found of it, as people call it."""
        return label_of(self.kept.fate)


def without_texts(mark: KeptMark) -> KeptMark:
    """Return a mark without what may be a comment that names somebody."""
    return mark._replace(kept=mark.kept._replace(text=mark_alone(mark.kept.text), before=mark_alone(mark.kept.before)))


def label_of(fate: str) -> str:
    """Return what a fate of the history is called for people."""
    return Fate(fate).label if fate in set(Fate) else fate


def counts_in_words(run: Run) -> str:
    """Return how many marks have each fate, or were found how."""
    if run.kind in {PUSH, UNDO}:
        return ", ".join(f"{count:,} {state}" for state, count in run.counts.items()) or "nothing"
    names = [*map(str, Arrival), AS_BEFORE, NOT_AS_BEFORE] if run.kind == CONFIRM else [one.value for one in Fate]
    return ", ".join(f"{run.counts[name]:,} {label_of(name)}" for name in names if run.counts.get(name)) or "nothing"


def time_in_words(run: Run) -> str:
    """Return when a run was."""
    return run.at[:16].replace("T", " ")


def kept_marks(run: Run, marks: Mapping[str, Sequence[Kept]]) -> Iterator[KeptMark]:
    """Yield the marks of a run of which something is kept."""
    for student, kept in marks.items():
        for item, one in zip(run.items, kept, strict=True):
            if one.fate or one.text:
                yield KeptMark(run, student, item.heading or item.column, one)


def history_list(marks: Iterable[KeptMark]) -> Iterator[bytes]:
    """Yield marks as delimited text; no cell of it runs as a formula."""
    yield list_file([_HEADINGS])
    for one in marks:
        run, kept = one.run, one.kept
        cells = (
            run.at,
            run.kind,
            run.transfer,
            identity(one.student),
            one.item,
            one.fate,
            kept.text,
            kept.before,
            run.ledger,
        )
        yield list_text([cells]).encode()


def run_data(run: Run) -> dict[str, Any]:
    """Return a run as data."""
    return {
        "number": run.number,
        "kind": run.kind,
        "transfer": run.transfer,
        "when": run.at,
        "ledger": run.ledger,
        "files": dict(run.files),
        "counts": dict(run.counts),
        "items": [item.heading or item.column for item in run.items],
    }


def mark_data(mark: KeptMark) -> dict[str, Any]:
    """Return a mark as data."""
    return {
        "run": mark.run.number,
        "when": mark.run.at,
        "kind": mark.run.kind,
        "identifier": mark.student,
        "item": mark.item,
        "finding": mark.kept.fate,
        "mark": mark.kept.text,
        "before": mark.kept.before,
    }
