"""A term: a folder with the transfers of several classes, each carried out by itself, none stopped by another."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from skarvin.core.findings import Finding, Misused, Place, Refused, SkarvinError, Unreadable, counted, listing
from skarvin.core.transfer.settling import Settled
from skarvin.core.transfer.transfer_state import transfers_in

CODES: dict[type[SkarvinError], int] = {Misused: 2, Unreadable: 3, Refused: 4}
"""The exit code of each kind of error."""
_MOST_TOLD = 8
FAULT = 70
"""The exit code of a fault of Skarvin itself."""


class State(StrEnum):
    """What became in one transfer of a student of an export for several forms."""

    PAIRED = "paired"
    WAITS = "waits"
    ELSEWHERE = "elsewhere"


class Outcome(NamedTuple):
    """What became of one transfer of a term.

    Attributes:
        code: its exit code.
        verdict: the verdict in one sentence, or what was wrong.
        to_decide: what needs a person, in one sentence; blank if nothing.
        report: its report, if it has one.
        data: the same as data.
        counts: what is shown of it in a table, by headings.
        shared: of an export for several forms, the export and which of its rows is paired here, waits, or is in
            another form.
    """

    code: int
    verdict: str
    to_decide: str = ""
    report: Path | None = None
    data: Any = None
    counts: Mapping[str, int] = MappingProxyType({})
    shared: tuple[Path, Mapping[str, State]] | None = None


class TermLine(NamedTuple):
    """One transfer of a term, and what became of it."""

    transfer: Path
    name: str
    outcome: Outcome


def classes_of(folder: Path) -> list[Path]:
    """Return the transfers of a term: those in its folder, and in the folders below it.

    Raises:
        Unreadable: there are none.
    """
    below = sorted(path for path in folder.iterdir() if path.is_dir() and not path.name.startswith("."))
    found = [transfer for one in (folder, *below) for transfer in transfers_in(one)]
    if not found:
        mend = (
            "Make one for each class, in a folder of its own: skarvin draft EXPORT FORM --transfer CLASS/transfer.toml"
        )
        raise Unreadable(
            Finding("no-transfers", "there is no transfer in this folder, nor below it", Place(folder), mend)
        )
    return found


def fresh_export_of(transfer: Path, fresh: Path) -> Path:
    """Return the fresh export of one class: the one for all, or the one in a folder that is named after the class.

    Raises:
        Unreadable: the folder has none, or several.
    """
    if not fresh.is_dir():
        return fresh
    name = transfer.parent.resolve().name
    names = {transfer.stem.casefold(), name.casefold()} - {"transfer"}
    found = [path for path in sorted(fresh.iterdir()) if path.is_file() and path.stem.casefold() in names]
    if len(found) == 1:
        return found[0]
    what = f"{'several files' if found else 'no file'} in {fresh.name} for {name}"
    mend = f"Name one {name}, with whatever ending."
    raise Unreadable(Finding("no-fresh-export", what, Place(fresh), mend))


def carry_out_term(
    folder: Path, do: Callable[[Path], Outcome], tell: Callable[[str, int, int], None]
) -> list[TermLine]:
    """Do something with each transfer of a term; one that fails stops none of the others.

    Args:
        folder: the term.
        do: what is done with one transfer.
        tell: is told what is done next, how many are done, and of how many.

    Raises:
        Unreadable: there are none.
    """
    classes = classes_of(folder)
    lines = []
    for done, transfer in enumerate(classes):
        name = transfer.relative_to(folder).as_posix()
        tell(name, done, len(classes))
        try:
            outcome = do(transfer)
        except SkarvinError as error:
            outcome = Outcome(CODES[type(error)], f"{error.findings[0]}")
        except Exception as error:  # noqa: BLE001 - a fault in one class must not lose the others
            outcome = Outcome(FAULT, f"Skarvin itself failed ({type(error).__name__}): run this transfer alone.")
        lines.append(TermLine(transfer, name, outcome))
    tell("", len(classes), len(classes))
    return lines


def shared_students(settled: Settled) -> tuple[Path, Mapping[str, State]] | None:
    """Return what became of each row of an export that is for several forms; None of any other."""
    if not settled.plan.source.shared:
        return None
    pairing = settled.pairing
    found = {str(one.row.place()): State.ELSEWHERE for one in pairing.left_out if one.row in pairing.elsewhere}
    found |= {str(pair.source.row.place()): State.PAIRED for pair in pairing.pairs}
    found |= {str(one.student.row.place()): State.WAITS for one in pairing.held}
    return settled.sides.source.grid.file.resolve(), found


def term_notes(lines: Sequence[TermLine]) -> list[str]:
    """Return who of an export for several forms is in none of them, and who in several: told once for all."""
    exports: dict[Path, list[tuple[str, Mapping[str, State]]]] = {}
    for line in lines:
        if line.outcome.shared:
            exports.setdefault(line.outcome.shared[0], []).append((line.name, line.outcome.shared[1]))
    notes = []
    for forms in exports.values():
        states: dict[str, list[State]] = {}
        for _, rows in forms:
            for row, state in rows.items():
                states.setdefault(row, []).append(state)
        several = [row for row, said in states.items() if said.count(State.PAIRED) > 1]
        nowhere = [row for row, said in states.items() if set(said) == {State.ELSEWHERE}]
        if nowhere:
            notes.append(f"{counted(len(nowhere), 'row is', 'rows are')} in no form: {listing(nowhere, 8)}.")
        for row in several[:_MOST_TOLD]:
            where = [name for name, rows in forms if rows.get(row) is State.PAIRED]
            notes.append(f"{row} is in {len(where)} forms, and goes to each: {listing(where)}.")
    return notes


def term_verdict(lines: list[TermLine]) -> str:
    """Return what became of a term, in one sentence."""
    codes = Counter(min(line.outcome.code, 2) for line in lines)
    parts = [(codes[0], "with nothing to decide"), (codes[1], "with something to decide"), (codes[2], "failed")]
    return f"{counted(len(lines), 'transfer')}: {', '.join(f'{count:,} {what}' for count, what in parts if count)}."


def worst_code(lines: list[TermLine]) -> int:
    """Return the exit code of a term: the worst of its transfers."""
    return max(*(line.outcome.code for line in lines), int(bool(term_notes(lines))))
