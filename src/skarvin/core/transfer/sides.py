"""The two gradebooks and the column map that a plan means."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.findings import Finding, Place, Refused, Unreadable
from skarvin.core.gradebook import Gradebook, understand
from skarvin.core.grid.grid import Grid, TextGrid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Column, Use
from skarvin.core.layout.layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.convert import Above, Blank, Existing, MarkRule
from skarvin.core.marks.numbers import Rounding
from skarvin.core.transfer.lines import find_line
from skarvin.core.transfer.plan import ItemPlan, Plan

if TYPE_CHECKING:
    from skarvin.core.layout.stored import Departure


class Sides(NamedTuple):
    """Both gradebooks, the form that the marks are written into, and which source item feeds what."""

    source: Gradebook
    target: Gradebook
    form: TextGrid
    items: tuple[MappedItem, ...]
    departures: "tuple[Departure, ...]" = ()


class _Names:
    """Looks up the columns that a plan names, and remembers which it didn't find."""

    def __init__(self, file: Path, text: str) -> None:
        self.file = file
        self.text = text
        self.findings: list[Finding] = []

    def column(self, layout: Layout, name: str, table: str, key: str, index: int = 0) -> Column | None:
        try:
            return find_column(layout.columns, name)
        except NoSuchColumn as error:
            self.complain("no-such-column", f'{key} = "{name}": {error}', table, key, index)
            return None

    def complain(self, slug: str, what: str, table: str, key: str, index: int = 0) -> None:
        place = Place(self.file, line=find_line(self.text, table, key, index))
        self.findings.append(Finding(slug, what, place, "Correct this line, or delete its block."))


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
    names = _Names(file, text)
    source_id = names.column(layouts["source"], plan.source.identifier, "source", "identifier")
    target_id = names.column(layouts["target"], plan.target.identifier, "target", "identifier")
    items = _items(plan, layouts, (source_id, target_id), names)
    used = [item.target.index for item in items if item.target]
    if names.findings or source_id is None or target_id is None:
        raise Unreadable(*names.findings)
    rest = _not_in_plan(layouts["source"], source_id, items)
    source = understand(
        grids["source"],
        layouts["source"],
        source_id,
        [item.source for item in (*items, *rest)],
        plan.source.not_students,
        mend=plan.source.mend_mangled,
    )
    fed = [column for column in layouts["target"].columns if column.index in used]
    target = understand(grids["target"], layouts["target"], target_id, fed, plan.source.not_students)
    if not target.students:
        place = grids["target"].place()
        raise Unreadable(Finding("no-students", "the template has no students", place, "Export it with its students."))
    form = grids["target"]
    if not isinstance(form, TextGrid):
        mend = "Export the template as delimited text (CSV); the export may be a workbook."
        raise Unreadable(Finding("template-form", f"the template is a {form.form}", form.place(), mend))
    return Sides(source, target, form, (*items, *rest), tuple(departures))


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
    unclear = [one for one in departures if not one.is_certain]
    if unclear:
        mend = f"See: skarvin layout check {grid.file.name} --name {name}"
        raise Refused(*(Finding(one.slug, one.what, one.place, mend) for one in unclear))
    return layout, departures


def _items(
    plan: Plan, layouts: dict[str, Layout], identifiers: tuple[Column | None, Column | None], names: _Names
) -> list[MappedItem]:
    items: list[MappedItem] = []
    used: dict[tuple[str, int], int] = {}
    for index, item in enumerate(plan.item):
        ours = names.column(layouts["source"], item.source, "item", "from", index)
        theirs = names.column(layouts["target"], item.target, "item", "to", index) if item.target else None
        for key, column, identifier in (("from", ours, identifiers[0]), ("to", theirs, identifiers[1])):
            if column is None:
                continue
            if (key, column.index) in used:
                earlier = find_line(names.text, "item", key, used[key, column.index])
                what = f"'{column.heading}' is used twice: also in line {earlier}"
                names.complain("double-use", what, "item", key, index)
            used.setdefault((key, column.index), index)
            if column == identifier or (key == "to" and column.use in IDENTIFIERS | NAMES):
                what = f"'{column.heading}' tells who a student is, and holds no marks"
                names.complain("onto-identifier", what, "item", key, index)
        if ours:
            reason = "" if theirs else "the item is not mapped"
            items.append(MappedItem(ours, theirs, _rule(plan, item), reason))
    return items


def _rule(plan: Plan, item: ItemPlan) -> MarkRule:
    """Return the item's own rules, and those for all items where it has none."""
    marks = plan.marks
    return MarkRule(
        item.from_out_of,
        item.to_out_of,
        marks.decimals if item.decimals is None else item.decimals,
        Rounding(item.rounding or marks.rounding),
        Blank(item.blank or marks.blank),
        Existing(item.existing or marks.existing),
        (item.decimal_sign or marks.decimal_sign) == ",",
        Above(item.above or marks.above),
        marks.blank_code if item.blank_code is None else item.blank_code,
        tuple((" ".join(text.split()).casefold(), str(code)) for text, code in plan.statuses.items()),
    )


def _not_in_plan(layout: Layout, identifier: Column, items: list[MappedItem]) -> list[MappedItem]:
    """Return the items of the export that the plan doesn't name: their marks are left out, but accounted for."""
    named = {item.source.index for item in items} | {identifier.index}
    columns = [column for column in layout.of_use({Use.ITEM, Use.TOTAL}) if column.index not in named]
    return [MappedItem(column, None, MarkRule(), "the item is not in the transfer") for column in columns]
