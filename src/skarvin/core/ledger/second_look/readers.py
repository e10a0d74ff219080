"""Which reader of its own the second look takes, by the kind of file."""

from collections.abc import Container, Iterator, Mapping
from pathlib import Path
from typing import Protocol

from skarvin.core.ledger.second_look.text_rows import Row, TextReading


class Reading(Protocol):
    """How a file is read again."""

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:
        """Yield the rows of a file; of `wanted` ones, if they are given, the cells."""

    @property
    def bulk(self) -> tuple[str, str] | None:
        """The delimiter and the quotation mark, where much can be compared at a time; else None."""


def reading_of(told: Mapping[str, str | None]) -> Reading | None:
    """Return how a file is read again; None if its kind has no second reader.

    Args:
        told: the `kind` of file, and what its reader needs to know.
    """
    if told["kind"] != "delimited text":
        return None
    return TextReading(told["codec"] or "", told["delimiter"] or "", told["quote"] or "", told["escape"])
