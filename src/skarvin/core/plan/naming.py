"""Looks up the columns that a plan names, and remembers what it didn't find."""

from pathlib import Path

from skarvin.core.findings import Finding, Place
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.plan.lines import find_below, find_line


class Names:
    """The names in one plan."""

    def __init__(self, file: Path, text: str) -> None:
        self.file = file
        self.text = text
        self.findings: list[Finding] = []

    def column(self, layout: Layout, name: str, table: str, key: str, index: int = 0) -> Column | None:
        """Return the column of that name; complain where there is none."""
        try:
            return find_column(layout.columns, name)
        except NoSuchColumn as error:
            self.complain("no-such-column", f'{key} = "{name}": {error}', table, key, index)
            return None

    def identifier(self, layout: Layout, name: str, table: str, index: int = 0) -> Column | None:
        """Return the column that tells students apart; None where a blank says that names do."""
        if name:
            return self.column(layout, name, table, "identifier", index)
        if not layout.names:
            what = "identifier is blank, and no column of the file holds names"
            self.complain("no-identifier", what, table, "identifier", index, "Name the column that tells them apart.")
        return None

    def complain(  # noqa: PLR0913 - what, where and how to mend it
        self, slug: str, what: str, table: str, key: str | None, index: int = 0, mend: str = ""
    ) -> None:
        """Remember what is wrong at a key of a table."""
        line = find_line(self.text, table, key, index)
        if line is None:
            line = find_below(self.text, table, key)
        place = Place(self.file, line=line)
        self.findings.append(Finding(slug, what, place, mend or "Correct this line, or delete its block."))

    def line(self, table: str, key: str, index: int) -> int | None:
        """Return the line of a key."""
        return find_line(self.text, table, key, index)
