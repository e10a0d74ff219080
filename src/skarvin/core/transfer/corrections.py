"""What a person corrected in the list of held marks, found in the export again: marks, and who a student is.

At the next write the correction is taken in place of the mark, as long as the export still says that mark.
"""

from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

import msgspec

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Gradebook
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.fates import Corrections
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.ledger.outcomes import Correction
from skarvin.core.students.decision_list import Decision, Decisions
from skarvin.core.students.pairing import Pair
from skarvin.core.texts.names import NameKey
from skarvin.core.transfer.held_list import (
    HEADINGS,
    HeldMark,
    Place,
    Whereabouts,
    held_file,
    in_one_line,
    read_held,
)

_NO_CORRECTIONS: Corrections = MappingProxyType({})


class Corrected(NamedTuple):
    """The corrections that apply, by the export's rows and columns, and what is worth telling of the others."""

    corrections: Corrections = _NO_CORRECTIONS
    notes: tuple[Finding, ...] = ()


class CorrectedGradebook(Gradebook, frozen=True, kw_only=True):
    """A gradebook in which some marks are corrected."""

    corrections: Corrections

    def cells(self, row: Row) -> Sequence[str]:
        """Return the cells of a row, with the corrections in their places."""
        cells = super().cells(row)
        mine = self.corrections.get(row)
        return cells if not mine else [mine[at].text if at in mine else text for at, text in enumerate(cells)]


def with_corrections(book: Gradebook, corrections: Corrections) -> Gradebook:
    """Return a gradebook in which some marks are corrected."""
    if not corrections:
        return book
    parts: dict[str, Any] = {one.name: getattr(book, one.name) for one in msgspec.structs.fields(book)}
    return CorrectedGradebook(**parts, corrections=corrections)


def find_corrections(held: Sequence[HeldMark], book: Gradebook, items: Sequence[MappedItem]) -> Corrected:
    """Return which cells of the export are corrected, and tell of corrections whose mark isn't there any more.

    Raises:
        Unreadable: two rows of the list say different things of one mark.
    """
    wanted = [one for one in held if one.correction and not one.is_of_student]
    if not wanted:
        return Corrected()
    where = Whereabouts(book.students, items)
    found: dict[Row, dict[int, Correction]] = {}
    used: dict[tuple[Row, int], HeldMark] = {}
    notes, faults = [], []
    for one in wanted:
        there = [place for place in where.places(one) if _says(one, book, where, place)]
        meant = where.meant(one, there)
        if meant is None:
            notes.append(_not_used(one, [where.cell(one, place) for place in there]))
            continue
        row, column = book.students[meant[0]].row, _column(where.item(one, meant))
        earlier = used.setdefault((row, column), one)
        if earlier.correction != one.correction:
            faults.append(_contradicting(one, earlier))
        found.setdefault(row, {})[column] = Correction(earlier.correction, earlier.by, earlier.why)
    if faults:
        raise Unreadable(*faults)
    return Corrected(found, tuple(notes))


def _column(item: MappedItem) -> int:
    return item.source.index if isinstance(item.source, Column) else 0


def _says(mark: HeldMark, book: Gradebook, where: Whereabouts, place: Place) -> bool:
    """Tell whether a mark of the export is still what a row of the list says."""
    text = book.text(book.students[place[0]].row, _column(where.item(mark, place)))
    return in_one_line(text) == in_one_line(mark.mark)


def _not_used(mark: HeldMark, cells: Sequence[str]) -> Finding:
    what = f"the export no longer has the mark '{mark.mark}' in '{mark.item}' for this student, so it isn't corrected"
    if cells:
        what = f'this may be about {" or ".join(cells)}, so neither is corrected: say which in the column "Cell"'
    return Finding("correction-not-used", what, mark.place.place() if mark.place else None)


def _contradicting(mark: HeldMark, earlier: HeldMark) -> Finding:
    where = str(earlier.place) if earlier.place else "another row"
    mend = "Leave one of them."
    place = mark.place.place(HEADINGS.index("Correction"), "Correction") if mark.place else None
    what = f"two corrections of one mark: {where} says '{earlier.correction}', and this row '{mark.correction}'"
    return Finding("two-corrections", what, place, mend)


def corrections_of(transfer: Path, book: Gradebook, items: Sequence[MappedItem]) -> Corrected:
    """Return the corrections that a person made in the list beside a transfer.

    Raises:
        Unreadable: what is there is no such list, a correction says neither who made it nor why, or two contradict.
    """
    return find_corrections(read_held(held_file(transfer)), book, items)


def in_all_rows(corrections: Corrections, book: Gradebook, pairs: Sequence[Pair]) -> Corrections:
    """Return corrections with those of the other rows of the same students that say the very same mark."""
    if not corrections:
        return corrections
    rows: dict[Row, list[Row]] = {}
    for pair in pairs:
        rows.setdefault(pair.target.row, []).append(pair.source.row)
    found = {row: dict(mine) for row, mine in corrections.items()}
    for same in rows.values():
        for row in filter(corrections.__contains__, same):
            for column, correction in corrections[row].items():
                mark = book.text(row, column).strip()
                for other in same:
                    if book.text(other, column).strip() == mark:
                        found.setdefault(other, {}).setdefault(column, correction)
    return found


def with_listed_decisions(transfer: Path, decisions: Decisions, book: Gradebook) -> tuple[Decisions, list[Finding]]:
    """Return a person's decisions with those that stand in the list of held marks, and what is worth telling.

    Raises:
        Unreadable: what is there is no such list, or two decisions about one student contradict each other.
    """
    wanted = [one for one in read_held(held_file(transfer)) if one.is_of_student and one.correction]
    if not wanted:
        _check_alike(decisions.rows, book)
        return decisions, []
    where = Whereabouts(book.students, ())
    made, notes = [], []
    for one in wanted:
        places = where.student(one)
        if len(places) != 1:
            what = "this is about nobody in the export" if not places else "this may be about several students"
            notes.append(Finding("decisions-unused", what, one.place.place() if one.place else None))
            continue
        made.append(Decision.of(book.students[places[0]], one.correction, one.place))
    _check_alike([*decisions.rows, *made], book)
    return msgspec.structs.replace(decisions, rows=(*decisions.rows, *made)), notes


def _check_alike(decisions: Sequence[Decision], book: Gradebook) -> None:
    """Refuse two decisions about one student that say different things; rows tell students apart who are alike."""
    made: dict[tuple[str, NameKey, str], list[Decision]] = {}
    for one in decisions:
        if one.is_made:
            made.setdefault(one.key, []).append(one)
    several = {key: same for key, same in made.items() if len(same) > 1}
    alike = Counter(key for student in book.students if (key := Decision.of(student).key) in several) if several else {}
    faults = []
    for key, same in several.items():
        first: dict[str, Decision] = {}
        for one in same:
            earlier = first.setdefault(one.row.strip() if alike.get(key, 0) > 1 else "", one)
            faults += [_two_decisions(earlier, one)] if one.said != earlier.said else []
    if faults:
        raise Unreadable(*faults)


def _two_decisions(first: Decision, other: Decision) -> Finding:
    where = f"{first.place} of {first.place.source.called}" if first.place else "another row"
    what = f"two decisions about one student: {where} says '{first.said}', and this row '{other.said}'"
    return Finding("two-decisions", what, other.place.place() if other.place else None, "Leave one of them.")
