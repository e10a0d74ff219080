"""Which kind of target a file is."""

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.grid.grid import Grid, TextGrid
from skarvin.core.targets.delimited import DelimitedTarget
from skarvin.core.targets.target import Target


def as_target(grid: Grid) -> Target | None:
    """Return a grid's file as a target; None if its kind can't be written."""
    return DelimitedTarget(grid) if isinstance(grid, TextGrid) else None


def open_target(grid: Grid) -> Target:
    """Return a grid's file as a target.

    Raises:
        Unreadable: its kind can't be written.
    """
    target = as_target(grid)
    if target is None:
        mend = "Export the template as delimited text (CSV); the export may be a workbook."
        raise Unreadable(Finding("template-form", f"the template is a {grid.title}", grid.place(), mend))
    return target
