"""A target that takes no import: the students on its screen, as a table into which marks are put to be typed from."""

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.students.people_list import read_people
from skarvin.core.texts.unsafe import as_text

LINE, IDENTIFIER, NAME = "Line", "Student number", "Name"
_MARK = "\ufeff"


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
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([LINE, IDENTIFIER, NAME, *items])
    for number, student in enumerate(people, 1):
        writer.writerow([number, as_text(student.identifier), as_text(student.name), *[""] * len(items)])
    data = f"{_MARK}{text.getvalue()}".encode()
    return read_grid(file, ReadAs("utf-8", "comma", is_rfc_4180=True), data)
