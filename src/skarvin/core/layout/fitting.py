"""Which of a person's stored layouts a file fits, or nearly fits."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.told import NOTHING_TOLD, Told

if TYPE_CHECKING:
    from skarvin.core.layout.stored import Departure

SUFFIX = ".layout.toml"
_NEARLY = 0.7
"""From this share of its headings on, a file nearly fits a layout."""


class Fitting(NamedTuple):
    """A stored layout that a file fits: its name, what it makes of the file, and where the file departs from it."""

    name: str
    layout: Layout
    departures: "tuple[Departure, ...]"

    @property
    def fits(self) -> bool:
        """Whether every meaning is certain."""
        return all(departure.is_certain for departure in self.departures)


def find_fitting(grid: Grid, folders: Sequence[Path], told: Told = NOTHING_TOLD) -> Fitting | None:
    """Return the stored layout that a file fits best, or nearly fits; None if it is like none of them.

    Args:
        grid: the file's cells.
        folders: where layouts lie; the first one counts if two have a name.
        told: what a person says of the columns.
    """
    files = _files(folders)
    if not files:
        return None
    from skarvin.core.layout.stored import apply_layout, read_layout  # noqa: PLC0415 - most people keep none

    headings = {text.strip() for row in range(min(len(grid), _SEARCHED)) for text in grid.cells(row) if text.strip()}
    found = []
    for name, file in files.items():
        stored = read_layout(file)
        known = [column.heading for column in stored.column if column.heading]
        share = sum(heading in headings for heading in known) / len(known) if known else 0
        if share >= _NEARLY:
            layout, departures = apply_layout(grid, stored, told)
            found.append((share, Fitting(name, layout, tuple(departures))))
    return max(found, key=lambda pair: (pair[1].fits, pair[0]))[1] if found else None


_SEARCHED = 12


def layout_for(grid: Grid, folders: Sequence[Path], told: Told = NOTHING_TOLD) -> tuple[Layout, str]:
    """Return the layout of a file, by a stored one if it fits, and the name of that; blank if none does."""
    fitting = find_fitting(grid, folders, told)
    return (fitting.layout, fitting.name) if fitting and fitting.fits else (recognise(grid, told), "")


def _files(folders: Sequence[Path]) -> dict[str, Path]:
    """Return the files of layouts by their names."""
    found: dict[str, Path] = {}
    for folder in folders:
        for file in sorted(folder.glob(f"*{SUFFIX}")):
            found.setdefault(file.name.removesuffix(SUFFIX), file)
    return found


def named_layout(grid: Grid, name: str, folders: Sequence[Path], told: Told = NOTHING_TOLD) -> Fitting:
    """Return what the layout of a name makes of a file.

    Raises:
        Unreadable: there is no such layout.
    """
    from skarvin.core.layout.stored import apply_layout, read_layout  # noqa: PLC0415 - most people keep none

    files = [folder / f"{name}{SUFFIX}" for folder in folders]
    stored = read_layout(next((file for file in files if file.exists()), files[0]))
    layout, departures = apply_layout(grid, stored, told)
    return Fitting(name, layout, tuple(departures))
