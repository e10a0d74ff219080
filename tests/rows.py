"""Rows of files that there aren't, for tests of what only passes rows on."""

from pathlib import Path

from skarvin.core.findings import Row, Source

EXPORT, FORM = Source(Path("export.csv")), Source(Path("form.csv"))


def row(position: int, source: Source = EXPORT) -> Row:
    """Return a row of a file."""
    return Row(source, position)
