"""Which columns of a list of corrections say whose mark of which item is which: told by the export itself."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.gradebook import Gradebook
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import STUDENT, WHO, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.meeting import Side, recognise_both
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import same_mark
from skarvin.core.texts.mark_kinds import may_be_mark
from skarvin.core.texts.moments import read_moment
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.words import phrase_set

_NEW = phrase_set(
    "new, corrected, correct, final, now, neu, neue, korrigiert, nouveau, nouvelle, nuevo, nueva, novo, nova, nuovo, "
    "nuova, nieuw, ny, nytt, nye, nowa, nowy, novy, nova, uj, nou, noua, yeni, baru, новая, нова"
)
_HALF = 0.5


class CorrectionProposal(NamedTuple):
    """A list, and the columns that say what is corrected."""

    file: Path
    identifier: Column | None
    item: Column
    new: Column
    old: Column | None
    reason: Column | None


def propose_corrections(
    list_: Grid, sides: Sequence[Grid], book: Gradebook, items: Sequence[Column]
) -> CorrectionProposal:
    """Return which columns of a list say what.

    The items are in the column that has their titles, the old marks in the one that says what the export says.

    Args:
        list_: the list.
        sides: the export and the form: either may tell who is who.
        book: the export.
        items: its items.

    Raises:
        Unreadable: whose marks they are, of which items, or which the new marks are can't be told.
    """
    seen = [recognise_both(Side(list_), Side(side)).source for side in sides]
    layout = next((one for one in seen if one.of_use(WHO) and not one.faults), None)
    if layout is None:
        raise _unclear(list_, "no column of this list says whose marks it corrects")
    rows = [list_.cells(row) for row in range(layout.first_row, len(list_)) if not list_.is_blank(row)]
    others = [column for column in layout.columns if column.use not in STUDENT]
    texts = {column: [_cell(cells, column) for cells in rows] for column in others}
    titles = _titles(items)
    found = {column: sum(fold(text) in titles for text in own) for column, own in texts.items()}
    item = max(found, key=lambda column: found[column], default=None)
    if item is None or not found[item]:
        raise _unclear(list_, "no column of this list has titles of the export's items")
    identifier = next(iter(layout.identifiers), None)
    there = _marks(book, titles, texts[item], [_key(cells, identifier, layout) for cells in rows])
    marks = [
        column
        for column, own in texts.items()
        if column is not item and any(own) and sum(map(may_be_mark, filter(None, own))) >= _HALF * sum(map(bool, own))
    ]
    agreeing = {
        column: sum(
            any(same_mark(text, mark) for mark in known) for text, known in zip(texts[column], there, strict=True)
        )
        for column in marks
    }
    old = max(marks, key=lambda column: agreeing[column], default=None)
    if old is None or not agreeing[old] or len(marks) == 1:
        old = None
    said = [column for column in marks if _says_new(column)]
    new = said or [column for column in marks if column is not old]
    if len(new) != 1:
        raise _unclear(list_, "which column of this list has the new marks can't be told")
    chosen = new[0]
    if len(marks) == 2:  # noqa: PLR2004 - the other one says what it was
        old = next(column for column in marks if column is not chosen)
    left = [column for column in others if column not in {item, chosen, old}]
    words = [column for column in left if column.use is Use.COMMENT or _may_be_reasons(texts[column])]
    reason = words[-1] if words else None
    return CorrectionProposal(list_.file, identifier, item, chosen, old, reason)


def _titles(items: Sequence[Column]) -> Mapping[str, Column]:
    return {fold(name): item for item in items for name in (item.heading, item.title, item.key or "") if fold(name)}


def _key(cells: Sequence[str], identifier: Column | None, layout: Layout) -> str:
    columns = [identifier] if identifier else layout.names
    return " ".join(_cell(cells, column) for column in columns)


def _marks(
    book: Gradebook, titles: Mapping[str, Column], items: Sequence[str], whose: Sequence[str]
) -> list[list[str]]:
    """Return for each line the marks that the export has for its student and item."""
    rows: dict[str, list[list[str]]] = {}
    for student in book.students:
        cells = list(book.cells(student.row))
        for name in {student.identifier.strip(), student.name.strip()} - {""}:
            rows.setdefault(name.lstrip("0"), []).append(cells)
    return [
        [cells[titles[fold(item)].index] for cells in rows.get(who.lstrip("0"), [])] if fold(item) in titles else []
        for item, who in zip(items, whose, strict=True)
    ]


def _cell(cells: Sequence[str], column: Column) -> str:
    return cells[column.index].strip() if column.index < len(cells) else ""


def _says_new(column: Column) -> bool:
    return not _NEW.isdisjoint(fold(column.heading).split())


def _may_be_reasons(texts: Sequence[str]) -> bool:
    return any(texts) and not any(is_number(text) or read_moment(text) for text in texts)


def _unclear(list_: Grid, what: str) -> Unreadable:
    mend = "Leave --corrections out, and name the columns in the transfer: [[correction]] file, identifier, item, new"
    return Unreadable(Finding("unclear-corrections", what, list_.place(), mend))
