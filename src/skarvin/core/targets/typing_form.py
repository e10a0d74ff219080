"""A target that takes no import: the students on its screen, as a table into which marks are put to be typed from."""

from collections.abc import Sequence
from pathlib import Path

from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import OF_OURS, ReadAs, read_grid
from skarvin.core.students.people_list import read_people
from skarvin.core.texts.lists import MARK, list_text

LINE, IDENTIFIER, NAME = "Line", "Student number", "Name"


def typing_form(file: Path, how: ReadAs, items: Sequence[str]) -> Grid:
    """Return the students on the target's screen as a table with columns for marks.

    Args:
        file: the list of them, in the order of the screen: a table or lines of text.
        how: how it is read.
        items: the headings of the items.

    Raises:
        Unreadable: the list can't be read, or has nobody.
    """
    people = read_people(file, how)
    rows = [[str(number), one.identifier, one.name, *[""] * len(items)] for number, one in enumerate(people, 1)]
    data = MARK + list_text([[LINE, IDENTIFIER, NAME, *items], *rows], end="\n")
    return read_grid(file, OF_OURS, data.encode(), is_rfc_4180=True)
