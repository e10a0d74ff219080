"""A fresh export of the target, in whatever shape: who is who in it, and which of its columns is which item."""

from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, Refused, Unreadable, counted, listing
from skarvin.core.gradebook import Gradebook, Student, understand, with_days
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.items.matching import Proposal, propose
from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.shape import as_table, seen_as_table
from skarvin.core.layout.told import NOTHING_TOLD, Told
from skarvin.core.ledger.filed import FiledColumn
from skarvin.core.plan.drafting.books import Books
from skarvin.core.plan.drafting.identifier_proposals import IdentifierProposal, propose_identifier
from skarvin.core.plan.drafting.item_proposals import marks_in_common, told_items
from skarvin.core.plan.drafting.line_proposals import find_lines
from skarvin.core.plan.drafting.understanding import understand_beside
from skarvin.core.plan.drafting.wishes import NO_WISHES, Wishes, two_columns
from skarvin.core.progress import report_progress
from skarvin.core.students.by_name import NameUse
from skarvin.core.students.pair_students import PairingRule, pair_students
from skarvin.core.students.pairing import Pairing
from skarvin.core.students.strangers import guesses
from skarvin.core.transfer.after_upload.expected import Expected

_SOME = {Use.HOUSEKEEPING, *STUDENT}
SAME_COLUMN = "the same column"
LEAST_PAIRED = 50
"""The percentage of the known students that must be found in a fresh export, unless a transfer says otherwise."""


class FreshItem(NamedTuple):
    """An item of the ledger, its column in the fresh export, and why; `candidates` where that isn't certain."""

    item: FiledColumn
    column: Column | None
    reason: str
    candidates: tuple[Column, ...] = ()


class Fresh(NamedTuple):
    """A fresh export beside what is known of the target.

    Attributes:
        book: its students and cells.
        identifier: what pairs the students.
        pairing: who is who, the fresh export's students first; the rows of the others are those of the known table.
        items: where each known item stands in it.
    """

    book: Gradebook
    identifier: IdentifierProposal
    pairing: Pairing
    items: tuple[FreshItem, ...]


def read_fresh(known: Expected, file: Path, wishes: Wishes = NO_WISHES, least: int = LEAST_PAIRED) -> Fresh:
    """Return a fresh export of the target.

    Args:
        known: what is known of the target.
        file: the export, in whatever shape.
        wishes: what a person says: how it is read, which columns pair the students, which item is which.
        least: the percentage of the known students that must be found in it.

    Raises:
        Unreadable: the file can't be read or understood, or has none of the items.
        Misused: a person names a column that isn't there.
        Refused: too few of the students are in it.
    """
    grid, seen = seen_as_table(read_grid(file, wishes.how("source")), wishes.of("source"))
    if seen == NOTHING_TOLD and (lines := find_lines(grid, [(known.grid, known.layout)])):
        seen = Told({lines.student: Use.NUMBER, lines.item: Use.ITEM_TITLE, lines.mark: Use.MARK})
        grid = as_table(grid, seen)
    wishes = replace(wishes, told={**wishes.told, "source": seen})
    layout = understand_beside(grid, known.grid, wishes)
    report_progress(f"pairing the students of {file.name}")
    sides = (grid, layout), (known.grid, known.layout)
    told = two_columns(wishes.pair, layout, known.layout, "--pair") if wishes.pair else None
    identifier = propose_identifier(*sides, Books(), told)
    book = understand(grid, layout, identifier.source, [], NOT_STUDENTS)
    students = _students(known, identifier.target)
    pairing = _pair(book.students, students, identifier)
    theirs = replace(understand(*sides[1], identifier.target, []), students=students)
    _check(known, book, theirs, pairing, least)
    return Fresh(book, identifier, pairing, tuple(_match(known, (grid, layout), identifier, wishes)))


def _students(known: Expected, identifier: Column | None) -> tuple[Student, ...]:
    """Return the known students, whoever they are: none of them is taken for a sum or a line of text."""
    grid = known.grid
    return with_days(
        Student(
            grid.row(position),
            grid.cells(position)[identifier.index] if identifier else "",
            one.name,
            one.section,
            one.birth,
        )
        for position, one in enumerate(known.students, 1)
    )


def _pair(fresh: Sequence[Student], known: Sequence[Student], identifier: IdentifierProposal) -> Pairing:
    names = NameUse.PAIR if identifier.by_name else NameUse.BACKED
    return pair_students(fresh, known, PairingRule(identifiers=identifier.rule, names=names))


def _check(expected: Expected, fresh: Gradebook, known: Gradebook, pairing: Pairing, least: int) -> None:
    """Refuse a fresh export of somebody else's class."""
    of = len(known.students)
    if pairing.pairs and len(pairing.pairs) * 100 >= least * of:
        return
    why = "".join(f"; {guess}" for guess in guesses(fresh, known))
    columns = [column for column in fresh.layout.columns if column.use is not Use.ITEM]
    theirs = [column.heading for column in known.layout.identifiers + known.layout.names]
    what = (
        f"{len(pairing.pairs)} of the {counted(of, 'student')} of {expected.name} are in this file, and at least "
        f"{least}% must be{why}"
    )
    mend = (
        "Is this the right class's export? Say which columns identify students with --pair 'COLUMN=COLUMN' (of this "
        f"file: {'; '.join(map(_named, columns))}; of the form: {listing(theirs)}); or "
        "export all students."
    )
    raise Refused(Finding("too-few-pairs", what, fresh.grid.place(), mend))


def _match(
    expected: Expected, fresh: tuple[Grid, Layout], identifier: IdentifierProposal, wishes: Wishes
) -> Iterator[FreshItem]:
    """Yield where each item stands in the fresh export.

    Raises:
        Misused: a person names a column that isn't there.
        Unreadable: no item is found.
    """
    grid, layout = fresh
    told = {one.target.index: one for one in told_items((layout, expected.layout), wishes).values() if one.target}
    taken = {one.source.index for one in told.values()} | {
        column.index for column in (identifier.source, *layout.identifiers, *layout.names) if column
    }
    ours = [
        column
        for column in layout.columns
        if column.index not in taken and any(text.strip() for text in _texts(grid, column, layout.first_row))
    ]
    theirs = [column for column in expected.items if column.index not in told]
    same = _in_same_shape(expected, layout) if not told else None
    if same is None:
        held = {column.index: Counter(_texts(expected.grid, column, 1)) for column in expected.items}
        agreed = marks_in_common(_as_items(fresh), (expected.grid, expected.layout), identifier, held)
        found = propose([column for column in ours if column.use not in _SOME], theirs, agreed)
    else:
        found = same
    by_target = {one.target.index: one for one in (*found, *told.values()) if one.target}
    maybe: dict[int, list[Column]] = {}
    for one in found:
        for candidate in one.candidates if not one.target else ():
            maybe.setdefault(candidate.index, []).append(one.source)
    if not by_target:
        raise Unreadable(_no_items(expected, grid, layout, ours))
    for item, column in zip(expected.told, expected.items, strict=True):
        match = by_target.get(column.index)
        if match:
            yield FreshItem(item, match.source, match.reason.replace("marks that the form has agree", "marks agree"))
        else:
            candidates = tuple(maybe.get(column.index, ()))
            yield FreshItem(item, None, "not certain" if candidates else "not in the fresh export", candidates)


def _named(column: Column) -> str:
    """Return a column's letter and heading; its cells may name somebody."""
    return f"{column.letter} '{column.heading}'" if column.heading else column.letter


def _no_items(expected: Expected, grid: Grid, layout: Layout, ours: Sequence[Column]) -> Finding:
    items = listing([f"'{item.title or item.heading}'" for item in expected.told], 6)
    what = f"none of the items that were sent is in this file: {items}"
    columns = "; ".join(map(_named, ours))
    mend = f"Export them too, or say which column is which: --item 'COLUMN=ITEM'. Its other columns: {columns}."
    return Finding("no-items", what, grid.place(layout.heading_row), mend)


def _in_same_shape(expected: Expected, layout: Layout) -> list[Proposal] | None:
    """Return which item is which in a file of the form's own shape: each stands in its column under its heading."""
    by_index = {column.index: column for column in layout.columns}
    columns = [by_index.get(item.index) for item in expected.told]
    is_same = all(
        column is not None and column.heading.strip() == item.heading.strip()
        for item, column in zip(expected.told, columns, strict=True)
    )
    is_bare = not any(item.heading.strip() for item in expected.told)
    if not is_same or (is_bare and layout.heading_row is not None):
        return None
    pairs = zip(columns, expected.items, strict=True)
    return [Proposal(mine, other, SAME_COLUMN) for mine, other in pairs if mine]


def _as_items(fresh: tuple[Grid, Layout]) -> tuple[Grid, Layout]:
    """Return a fresh export of which every column that may hold marks is compared."""
    grid, layout = fresh
    columns = tuple(
        Column(one.index, one.heading, Use.ITEM, one.evidence, one.title, out_of=one.out_of)
        if one.use not in _SOME
        else one
        for one in layout.columns
    )
    return grid, Layout(layout.top, columns, stores_numbers=layout.stores_numbers)


def _texts(grid: Grid, column: Column, first: int) -> Iterator[str]:
    for row in range(first, len(grid)):
        cells = grid.first_cells(row, column.index + 1)
        if column.index < len(cells):
            yield cells[column.index]
