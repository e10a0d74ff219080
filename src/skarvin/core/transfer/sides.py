"""The two gradebooks and the column map that a plan means."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.findings import Finding, Refused, Row, Unreadable, listing
from skarvin.core.gradebook import Gradebook, join, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column, ItemSource, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.joining import Joined, join_layouts
from skarvin.core.layout.recognise import recognise
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.rule import Rule
from skarvin.core.plan.column_map import NO_ITEM_MEND, ColumnMap, not_in_plan, read_column_map
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import Plan
from skarvin.core.targets.opening import open_target
from skarvin.core.targets.target import Target
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_kinds import Kind, kind_of_mark

if TYPE_CHECKING:
    from skarvin.core.layout.stored import Departure


_SHORT_CODE = 3
_MARKS = frozenset({Kind.POINTS, Kind.PERCENT, Kind.LETTER, Kind.STATUS, Kind.DASH})


class Sides(NamedTuple):
    """Both gradebooks, the form that the marks are written into, and what feeds what.

    `added` has the rows that the form didn't have, where it had headings and no students; `markless` the rows of the
    export's students who got none, since there is nothing to send for
    them; `parts` the gradebooks of the exports, one by one.
    """

    source: Gradebook
    target: Gradebook
    form: Target
    column_map: ColumnMap
    items: tuple[MappedItem, ...]
    departures: "tuple[Departure, ...]" = ()
    added: Mapping[Row, Sequence[str]] = MappingProxyType({})
    markless: frozenset[Row] = frozenset()
    parts: tuple[Gradebook, ...] = ()

    @property
    def export_names(self) -> str:
        """The names of the exports, for a heading."""
        return listing([book.grid.file.name for book in self.parts])


def read_sides(plan: Plan, text: str, file: Path, folders: Sequence[Path]) -> Sides:
    """Return what the plan in `file` (with this `text`) means; its layouts lie in one of the folders.

    Raises:
        Unreadable: a file can't be read, or the plan names columns that aren't there or can't be meant.
    """
    grids: dict[str, Grid] = {}
    layouts: dict[str, Layout] = {}
    departures: list[Departure] = []
    for side, one in (("source", plan.source), ("target", plan.target)):
        grids[side] = read_grid(file.parent / one.file, one.read_as)
        layouts[side], departed = _layout(grids[side], one.layout, folders)
        departures += departed
        if layouts[side].faults:
            raise Unreadable(*layouts[side].faults[:5])
    names = Names(file, text)
    source_id = names.column(layouts["source"], plan.source.identifier, "source", "identifier")
    further = _read_further(plan, file, folders, names)
    own = layouts["source"]
    joined = join_layouts([own, *(export.layout for export in further)]) if further else Joined(own)
    layouts["source"] = joined.layout
    target_id = names.column(layouts["target"], plan.target.identifier, "target", "identifier")
    column_map = read_column_map(plan, layouts, (source_id, target_id), names)
    items = column_map.items
    used = [item.target.index for item in items if item.target]
    if names.findings or source_id is None or target_id is None:
        raise Unreadable(*names.findings)
    rest = not_in_plan(layouts["source"], source_id, column_map)
    moving = [item.source for item in (*items, *rest) if isinstance(item.source, Column)]
    books = [
        understand(
            one.grid, one.layout, one.identifier, moving, plan.source.not_students, mend=plan.source.mend_mangled
        )
        for one in (_Export(grids["source"], own, source_id), *further)
    ]
    source = join(books, joined.layout, joined.orders, moving) if further else books[0]
    fed = [column for column in layouts["target"].columns if column.index in used]
    target = understand(grids["target"], layouts["target"], target_id, fed, plan.source.not_students)
    form = open_target(grids["target"])
    _check_unknown_columns(target, column_map)
    return Sides(
        source=source,
        target=target,
        form=form,
        column_map=column_map,
        items=(*items, *rest),
        departures=tuple(departures),
        parts=tuple(books),
    )


class _Export(NamedTuple):
    """One export: its cells, what they mean, and what tells its students apart."""

    grid: Grid
    layout: Layout
    identifier: Column


def _read_further(plan: Plan, file: Path, folders: Sequence[Path], names: Names) -> list[_Export]:
    """Return the exports besides the first, in their order; complain of identifiers that aren't there."""
    found = []
    for index, one in enumerate(plan.export):
        grid = read_grid(file.parent / one.file, one.read_as).numbered(index + 1)
        layout = _layout(grid, one.layout, folders)[0]
        if layout.faults:
            raise Unreadable(*layout.faults[:5])
        identifier = names.column(layout, one.identifier, "export", "identifier", index)
        if identifier:
            found.append(_Export(grid, layout, identifier))
    return found


def _check_unknown_columns(target: Gradebook, column_map: ColumnMap) -> None:
    """Refuse marks for a column of no known use in which nothing looks like a mark: labels aren't written over unasked.

    Raises:
        Unreadable: there is one, and the transfer doesn't say that it is meant.
    """
    findings = []
    stated: dict[ItemSource, str] = {
        constant.column: fold_word(constant.plan.mark) for constant in column_map.constants
    }
    for item in column_map.items:
        column, own = item.target, stated.get(item.source)
        if column and column.use is Use.OTHER and column not in column_map.any_columns and not item.rule.travels:
            cells = ((student.row, target.cells(student.row)[column.index]) for student in target.students)
            filled = [(row, text) for row, text in cells if text.strip()]
            if filled and not any(fold_word(text) == own or _may_be_mark(text, item.rule) for _, text in filled):
                what = f"nothing in this column looks like a mark of '{item.source.title}'"
                place = filled[0][0].place(column.index, column.heading)
                findings.append(Finding("onto-no-item", what, place, NO_ITEM_MEND))
    if findings:
        raise Unreadable(*findings)


def _may_be_mark(text: str, rule: Rule) -> bool:
    """Tell whether a text of the form may be a mark, a code, or one of the words that the rule itself writes."""
    return len(text.strip()) <= _SHORT_CODE or kind_of_mark(text) in _MARKS or rule.target_words(fold_word(text))


def _layout(grid: Grid, name: str | None, folders: Sequence[Path]) -> "tuple[Layout, list[Departure]]":
    """Return the layout of a grid: by its content, or by the stored layout of that name as long as it is certain.

    Raises:
        Refused: the grid departs from the layout in a way that a person must look at.
    """
    if name is None:
        return recognise(grid), []
    from skarvin.core.layout.stored import SUFFIX, apply_layout, read_layout  # noqa: PLC0415 - most plans name none

    files = [folder / f"{name}{SUFFIX}" for folder in folders]
    stored = read_layout(next((file for file in files if file.exists()), files[0]))
    layout, departures = apply_layout(grid, stored)
    unclear = [departure for departure in departures if not departure.is_certain]
    if unclear:
        mend = f"See: skarvin layout check {grid.file.name} --name {name}"
        raise Refused(*(Finding(departure.slug, departure.what, departure.place, mend) for departure in unclear))
    return layout, departures
