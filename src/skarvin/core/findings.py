"""What can be said about an input: findings, where they stand, and the errors that carry them.

The tree of errors; `skarvin.cli.main` catches it in one place and turns each branch into its exit code:

    SkarvinError        something the user can mend
        Misused         the command was given something that it can't work with (2)
        Unreadable      an input can't be read or understood (3)
        Refused         all was understood, and nothing was written (4)
"""

from dataclasses import dataclass
from functools import cache
from pathlib import Path


@cache
def column_letter(index: int) -> str:
    """Return the letter that spreadsheets give the column at `index` (0 is A, 26 is AA)."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(ord("A") + rest) + letters
    return letters


@dataclass(frozen=True, slots=True)
class Place:
    """Where something stands: a file, and in it a line (of text) or a row and column (of cells).

    `row` counts from 1 as a spreadsheet shows it; `column` is an index from 0 and is shown as its letter.
    """

    file: Path
    row: int | None = None
    column: int | None = None
    heading: str | None = None
    line: int | None = None
    sheet: str | None = None

    def __str__(self) -> str:
        parts = [self.file.name]
        if self.sheet is not None:
            parts.append(f"sheet '{self.sheet}'")
        if self.line is not None:
            parts.append(f"line {self.line}")
        if self.row is not None:
            parts.append(f"row {self.row}")
        if self.column is not None:
            heading = f" '{self.heading}'" if self.heading else ""
            parts.append(f"column {column_letter(self.column)}{heading}")
        return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that was found: `slug` for machines, `what` and `mend` for people, `place` for both."""

    slug: str
    what: str
    place: Place | None = None
    mend: str = ""

    def __str__(self) -> str:
        where = f"{self.place}: " if self.place else ""
        mend = f" {self.mend}" if self.mend else ""
        stop = "" if self.what.endswith(("?", ".")) else "."
        return f"{where}{self.what}{stop}{mend}"


class SkarvinError(Exception):
    """Something that the user can mend; carries one finding or several."""

    def __init__(self, *findings: Finding) -> None:
        super().__init__("\n".join(str(finding) for finding in findings))
        self.findings = findings


class Misused(SkarvinError):
    """The command was given something that it can't work with."""


class Unreadable(SkarvinError):
    """An input can't be read or understood."""


class Refused(SkarvinError):
    """All was understood, but nothing was written."""


def listing(words: list[str], most: int = 4) -> str:
    """Return `words` as a list in a sentence, cut with a count after `most`."""
    if len(words) > most:
        return f"{', '.join(words[:most])} and {len(words) - most} more"
    return " and ".join(filter(None, [", ".join(words[:-1]), *words[-1:]]))


def counted(number: int, one: str, many: str = "") -> str:
    """Return the number with its noun: `1 mark`, `2 marks`."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"
