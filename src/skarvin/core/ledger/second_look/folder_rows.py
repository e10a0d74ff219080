"""A folder of marked files listed once more: a mark must stand in the name of its file."""

from collections.abc import Container, Iterator
from pathlib import Path
from typing import NamedTuple

from skarvin.core.ledger.second_look.text_rows import Row

_HEADINGS = 1


class FolderReading(NamedTuple):
    """How a folder is read again: the names of its files, in their order."""

    names: tuple[str, ...]

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:  # noqa: ARG002 - all are told
        """Yield a row for each file, all of whose cells are its name; one that is gone says nothing."""
        yield from (Row("", "", []) for _ in range(_HEADINGS))
        for name in self.names:
            is_there = (file / name).is_file()
            yield Row(name, "", [name] * 3 if is_there else [])

    def says(self, cell: str, mark: str) -> bool:
        """Tell whether a name says a mark: each number or word of it."""
        parts = mark.replace("/", " ").replace("%", " % ").replace(" and ", " ").split()
        return all(part in cell for part in parts)
