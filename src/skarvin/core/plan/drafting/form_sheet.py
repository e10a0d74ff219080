"""Which sheet of a workbook is the form: that whose students are the export's."""

from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, Unreadable, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.numbered import has_people
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import NOTHING_TOLD, Told
from skarvin.core.plan.drafting.books import Books
from skarvin.core.plan.drafting.identifier_proposals import propose_identifier

_MOST = 30
_AS_GOOD = 0.8
"""A sheet that meets nearly as many of the students is as good as the best."""


class FormSheet(NamedTuple):
    """A form's sheet, and how it is read; the sheet is named where there are others."""

    grid: Grid
    how: ReadAs


def choose_sheet(source: Grid, target: Grid, how: ReadAs, told: Told = NOTHING_TOLD) -> FormSheet:
    """Return the sheet of the form that most students of the export stand in.

    Args:
        source: the export.
        target: the form as it was read without a sheet being named.
        how: how it is read.
        told: what a person says of the export's columns.

    Raises:
        Unreadable: two sheets are as good as each other.
    """
    names = target.shown_sheets
    if how.sheet is not None or len(names) < 2:  # noqa: PLR2004 - nothing to choose from
        return FormSheet(target, how)
    layout = recognise(source, told)
    if not layout.identifiers and not layout.names:
        return FormSheet(target, how)
    found = []
    for name in names[:_MOST]:
        named = replace(how, sheet=name)
        try:
            grid = target if name == target.sheet else read_grid(target.file, named)
        except Unreadable:
            continue  # a sheet without cells is no form
        found.append((_met(source, layout, grid), FormSheet(grid, named)))
    most = max((met for met, _ in found), default=0)
    best = [sheet for met, sheet in found if met and met >= _AS_GOOD * most]
    if len(best) > 1:
        what = (
            f"{len(best)} sheets have the export's students: {listing([repr(sheet.grid.sheet) for sheet in best], 8)}"
        )
        raise Unreadable(Finding("several-sheets", what, target.place(), "Name one of them: --form-sheet."))
    return best[0] if best else FormSheet(target, replace(how, sheet=target.sheet))


def _met(source: Grid, layout: Layout, grid: Grid) -> int:
    theirs = recognise(grid)
    if theirs.faults or not (theirs.identifiers or theirs.names) or not has_people(grid, theirs):
        return 0
    found = propose_identifier((source, layout), (grid, theirs), Books())
    return found.met or found.by_name
