"""What a person says of a file's columns: which is what, and where the headings stand."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple

import msgspec

from skarvin.core.layout.columns import Use

TOLD = "as you said"
"""The reason for whatever a person says, which no evidence overrules."""
NO_USES: Mapping[str, Use] = MappingProxyType({})


class StudentSheets(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where things stand in each sheet of a workbook that has one for each student, by the cells of one of them.

    Attributes:
        name: the cell with the student's name; "sheet" if the sheet itself is called so.
        number: the cell with the identifier.
        section: the cell with the section.
        items: the cells with the titles, below each other: "A6:A14".
        marks: the column with the marks, "C"; or columns of which one is crossed, "C:G".
        maxima: the column with the maxima.
    """

    items: str
    marks: str
    name: str = ""
    number: str = ""
    section: str = ""
    maxima: str = ""


class Members(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Who is in which group, where the file has marks of groups.

    Attributes:
        file: the list of members.
        group: its column with the group.
        in_export: the column of the export that names the group, if it has another heading.
        adjustments: for items, the column of the list that says what is added to the member's mark.
    """

    file: str
    group: str
    in_export: str = ""
    adjustments: dict[str, str] = msgspec.field(default_factory=dict)


class Told(NamedTuple):
    """What a person says of a file's columns.

    Attributes:
        uses: what columns are, by their names.
        heading_row: the row with the headings, from 1; 0 where there are none; None if nothing is said.
        sheets: where things stand in each sheet, if there is one for each student.
        members: who is in which group, if the marks are of groups.
        marked: columns that marks come from or go to: whatever they look like, they tell nobody.
    """

    uses: Mapping[str, Use] = NO_USES
    heading_row: int | None = None
    marked: tuple[str, ...] = ()
    sheets: StudentSheets | None = None
    members: Members | None = None


NOTHING_TOLD = Told()
