"""What both files mean, for drafting: by stored layouts, by what a person says, by each other's values."""

from collections.abc import Mapping, Sequence

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Refused, Unreadable, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.address import NoSuchColumn, find_column, name_of
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.fitting import Fitting, find_fitting, named_layout
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.meeting import Side, recognise_both
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import Members, StudentSheets, Told
from skarvin.core.plan.drafting.wishes import Wishes

_MOST, _SHORT, _TWO = 14, 24, 2


class Understood(msgspec.Struct, frozen=True):
    """What a file means, and what a transfer must say so that it is understood like that again.

    Attributes:
        layout: what its columns hold.
        name: the stored layout by which it is read.
        uses: the uses that the file doesn't give away by itself, by the columns' names.
        heading_row: the row with the headings from 1, 0 for none, where that must be said.
        nearly: a stored layout that it nearly fits.
        sheet: the sheet, if the person didn't name it.
        item: the item that all its marks are of, by the sheet's name.
        section: the section that all its students are of, by the sheet's name.
        members: who is in which group, if its marks are of groups.
        student_sheets: where things stand in each sheet, if it has one for each student.
    """

    layout: Layout
    name: str = ""
    uses: Mapping[str, Use] = msgspec.field(default_factory=dict)
    heading_row: int | None = None
    nearly: Fitting | None = None
    sheet: str = ""
    item: str = ""
    section: str = ""
    student_sheets: StudentSheets | None = None
    members: Members | None = None


def understand_both(source: Grid, target: Grid, wishes: Wishes) -> tuple[Understood, Understood]:
    """Return what an export and a form mean.

    Raises:
        Refused: a layout that a person names doesn't fit.
        Unreadable: a file can't be understood.
    """
    grids = {"source": source, "target": target}
    fitting = {side: _fitting(grid, side, wishes) for side, grid in grids.items()}
    both = recognise_both(*(Side(grid, wishes.of(side)) for side, grid in grids.items()))
    found = []
    for (side, grid), layout, alone in zip(grids.items(), both[:2], both.alone, strict=True):
        fits = fitting[side]
        if fits and fits.fits:
            found.append(Understood(fits.layout, fits.name, wishes.of(side).uses, wishes.of(side).heading_row))
        else:
            told = wishes.of(side)
            found.append(
                replace(_understood(grid, layout, alone, told, fits), student_sheets=told.sheets, members=told.members)
            )
    return found[0], found[1]


def understand_beside(grid: Grid, other: Grid, wishes: Wishes) -> Layout:
    """Return what a file means, seen beside another of which that is known: by a stored layout, or by its cells.

    Raises:
        Refused: a layout that a person names doesn't fit.
        Unreadable: the file can't be understood, or nothing in it tells students apart.
    """
    fits = _fitting(grid, "source", wishes)
    if fits and fits.fits:
        return fits.layout
    layout = recognise_both(Side(grid, wishes.of("source")), Side(other)).source
    check_layout(grid, layout, "source")
    return layout


def _fitting(grid: Grid, side: str, wishes: Wishes) -> Fitting | None:
    name, told = wishes.layouts.get(side), wishes.of(side)
    if not name:
        return find_fitting(grid, wishes.folders, told)
    fits = named_layout(grid, name, wishes.folders, told)
    unclear = [departure for departure in fits.departures if not departure.is_certain]
    if unclear:
        mend = f"See: skarvin layout check {grid.file.name} --name {name}"
        raise Refused(*(Finding(departure.slug, departure.what, departure.place, mend) for departure in unclear))
    return fits


def _understood(grid: Grid, layout: Layout, told_alone: Layout, told: Told, fits: Fitting | None) -> Understood:
    alone = recognise(grid, Told()) if told.uses else told_alone
    uses = dict(told.uses)
    if len(alone.columns) == len(layout.columns):
        for here, there in zip(alone.columns, layout.columns, strict=True):
            if here.use is not there.use and not _is_told(layout, there, told):
                uses[name_of(layout.columns, there)] = there.use
    is_said = told.heading_row is not None or not layout.top.heading_rows
    row = (0 if layout.heading_row is None else grid.row(layout.heading_row).number) if is_said else None
    return Understood(layout, uses=uses, heading_row=row, nearly=fits)


def _is_told(layout: Layout, column: Column, told: Told) -> bool:
    for name in told.uses:
        try:
            if find_column(layout.columns, name).index == column.index:
                return True
        except NoSuchColumn:
            continue
    return False


def check_layout(grid: Grid, layout: Layout, side: str) -> None:
    """Refuse a file whose cells don't stand under its headings, or in which nothing tells students apart.

    Raises:
        Unreadable: it is one; the message names the option that solves it, and shows the columns.
    """
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    if layout.identifiers or layout.names:
        return
    title, option = ("export", "--") if side == "source" else ("form", "--form-")
    what = f"no column of the {title} identifies its students. Columns: {'; '.join(with_examples(grid, layout))}"
    mend = (
        f"""Say which one does: {option}use 'A=student number' (or 'A=full name'); """
        f"if the headings stand elsewhere: {option}heading-row 3, or 0 if there are none."
    )
    raise Unreadable(Finding("no-identifier", what, grid.place(layout.heading_row), mend))


def with_examples(grid: Grid, layout: Layout, columns: Sequence[Column] | None = None) -> list[str]:
    """Return columns in words, with two examples each: A 'Berth' (x-1, x-2)."""
    shown = list(layout.columns if columns is None else columns)
    words = [_with_examples(grid, layout, column) for column in shown[:_MOST]]
    return [*words, f"and {len(shown) - _MOST} more"] if len(shown) > _MOST else words


def _with_examples(grid: Grid, layout: Layout, column: Column) -> str:
    found: list[str] = []
    for row in range(layout.first_row, len(grid)):
        cells = grid.cells(row)
        text = cells[column.index].strip() if column.index < len(cells) else ""
        if text and text not in found:
            found.append(text if len(text) <= _SHORT else f"{text[:_SHORT]}...")
        if len(found) == _TWO:
            break
    heading = f"{column.letter} '{column.heading}'" if column.heading else column.letter
    return f"{heading} ({listing(found) if found else 'blank'})"
