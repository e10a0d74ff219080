"""Corrections that come as a list of their own, such as after an appeal: a line a mark, taken over the export's.

A line counts as long as it fits the export: where it names another old mark, or two lines say different things, the
export's mark is held, and a line of nobody is told.
"""

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Gradebook, understand
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import IDENTIFIERS, Column, Use
from skarvin.core.ledger.outcomes import Correction
from skarvin.core.marks.convert import MarkRule
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import CorrectionPlan, Plan
from skarvin.core.students.meant import Named, People
from skarvin.core.students.pairing import Pair
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import read_mark, same_mark
from skarvin.core.texts.names import name_key
from skarvin.core.transfer.corrections import Corrected
from skarvin.core.transfer.sides import Sides, side_layout

UNUSED = "correction-of-nobody"
"""What the notes are called on lines that correct nothing."""


class Line(NamedTuple):
    """One line of a list: whose mark of which item is which from now on, and who says so, and why."""

    row: Row
    whose: Named
    item: str
    old: str
    new: str
    by: str
    why: str


def listed_corrections(plan: Plan, where: tuple[Path, str], sides: Sides, pairs: Sequence[Pair]) -> Corrected:
    """Return what the lists of a plan correct, by the export's rows and columns, and tell of lines that correct none.

    Args:
        plan: the plan.
        where: its file and text.
        sides: the export and the items, as the transfer maps them.
        pairs: who is who: a list may name students as the form does.

    Raises:
        Unreadable: a list can't be read, or has no such column.
    """
    names = Names(*where)
    lines = [
        line
        for index, one in enumerate(plan.correction)
        for line in _read(one, index, where[0].parent / one.file, names, sides.folders)
    ]
    if not lines:
        return Corrected()
    book, whose = sides.source, _Whose(sides, pairs)
    commas = {item.source: item.rule.is_comma for item in sides.items if isinstance(item.rule, MarkRule)}
    columns = _by_title([item.source for item in sides.items if isinstance(item.source, Column)])
    found: dict[Row, dict[int, Correction]] = {}
    first: dict[tuple[Row, int], Line] = {}
    notes = []
    for told in lines:
        line = told
        rows = whose.rows(line.whose)
        meant = columns.get(fold(line.item), [])
        if not rows or len(meant) != 1 or not line.new:
            notes.append(_unused(line, is_known=bool(rows), items=len(meant)))
            continue
        column = meant[0].index
        line = line._replace(new=_as_exported(line.new, is_comma=commas.get(meant[0], False)))
        for row, own in _corrections(line, book, rows, column):
            correction, earlier = own, first.setdefault((row, column), line)
            if earlier is not line and earlier.new != line.new:
                what = f"{earlier.row.in_words} says '{earlier.new}', and {line.row.in_words} '{line.new}'"
                correction = _contested(own, what)
            elif earlier is not line and found[row][column].contested:
                continue
            found.setdefault(row, {})[column] = correction
    return Corrected(found, tuple(notes))


def _read(plan: CorrectionPlan, index: int, path: Path, names: Names, folders: Sequence[Path]) -> Iterator[Line]:
    grid = read_grid(path, plan).numbered(index + 1)
    layout = side_layout(grid, plan, (), folders)[0]
    told = {key: getattr(plan, key) for key in ("item", "new", "old", "reason")}
    columns = {key: names.column(layout, name, "correction", key, index) for key, name in told.items() if name}
    identifier = names.column(layout, plan.identifier, "correction", "identifier", index) if plan.identifier else None
    if names.findings:
        raise Unreadable(*names.findings)
    by = next((column for column in layout.columns if plan.by and fold(column.heading) == fold(plan.by)), None)
    for student in understand(grid, layout, identifier, []).students:
        cells = grid.cells(student.row.position)

        def text(column: Column | None, cells: Sequence[str] = cells) -> str:
            return cells[column.index].strip() if column and column.index < len(cells) else ""

        yield Line(
            student.row,
            Named(student.identifier, student.name),
            text(columns["item"]),
            text(columns.get("old")),
            text(columns["new"]),
            text(by) or (plan.by if by is None else "") or path.name,
            text(columns.get("reason")) or "a correction",
        )


class _Whose:
    """Finds the export's rows of whom a line names: as the export does, as the form does, or by a name alone."""

    def __init__(self, sides: Sides, pairs: Sequence[Pair]) -> None:
        self._students = sides.source.students
        ours = [(student, student.row) for student in self._students]
        theirs = [(pair.target, pair.source.row) for pair in pairs]
        self._known = [(People(Named(one.identifier, one.name) for one, _ in ours), ours)]
        for book, known in ((sides.source, ours), (sides.target, theirs)):
            for column in book.layout.of_use(IDENTIFIERS | {Use.OTHER}):
                people = People(Named(book.text(one.row, column.index), one.name) for one, _ in known)
                self._known.append((people, known))

    def rows(self, named: Named) -> list[Row]:
        """Return the rows of one student; none where nobody is meant, or one of several."""
        for people, known in self._known if named.identifier.strip() else ():
            if places := people.meant(named):
                is_one = len({known[place][0][1:3] for place in places}) == 1
                return [known[place][1] for place in places] if is_one else []
        key = "" if named.identifier.strip() else name_key(named.name)
        alike = [one for one in self._students if key and name_key(one.name) == key]
        return [one.row for one in alike] if len({one.identifier.strip() for one in alike}) == 1 else []


def _by_title(columns: Sequence[Column]) -> dict[str, list[Column]]:
    """Return the columns by each of the names that an item goes by."""
    found: dict[str, list[Column]] = {}
    for column in columns:
        for name in {fold(column.heading), fold(column.title), fold(column.key or "")} - {""}:
            found.setdefault(name, []).append(column)
    return found


def _as_exported(text: str, *, is_comma: bool) -> str:
    """Return a mark of the list with the decimal sign of the export's, where it can only be read with the other."""
    is_other = read_mark(text, is_comma=is_comma) is None and read_mark(text, is_comma=not is_comma) is not None
    signs = (".", ",") if is_comma else (",", ".")
    return text.replace(*signs) if is_other else text


def _unused(line: Line, *, is_known: bool, items: int) -> Finding:
    if not is_known:
        what = "this correction is about nobody in the export"
    elif not line.new:
        what = "this correction has no new mark"
    else:
        what = f"'{line.item}' is {'no item' if not items else 'several items'} of the export, so nothing is corrected"
    return Finding(UNUSED, what, line.row.place(), "Correct the line, or take it away.")


def _corrections(line: Line, book: Gradebook, rows: Sequence[Row], column: int) -> Iterator[tuple[Row, Correction]]:
    """Yield what a line puts in place of the marks of its student; nothing where the export says so already."""
    correction = Correction(line.new, line.by, line.why)
    texts = {row: book.text(row, column).strip() for row in rows}
    filled = [row for row, text in texts.items() if text] or rows[:1]
    if all(same_mark(texts[row], line.new) for row in filled):
        return
    fitting = [row for row in filled if not line.old or same_mark(texts[row], line.old)]
    for row in fitting:
        yield row, correction
    if not fitting:
        what = f"{line.row.in_words} says that it was '{line.old}'"
        for row in filled:
            yield row, _contested(correction, what)


def _contested(correction: Correction, what: str) -> Correction:
    """Return what stands in place of a mark of which nobody can tell what it is: no total can count it either."""
    return correction._replace(text=f"contested: {correction.text}", contested=what)
