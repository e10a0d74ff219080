"""Which reader of its own the second look takes, by the kind of file."""

from collections.abc import Collection, Container, Iterator, Mapping
from pathlib import Path
from typing import Protocol

from skarvin.core.ledger.second_look.text_rows import Row, TextReading


class Reading(Protocol):
    """How a file is read again."""

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:
        """Yield the rows of a file; of `wanted` ones, if they are given, the cells."""

    def around(self, file: Path) -> Mapping[str, str]:
        """Return a fingerprint of whatever the file holds besides rows, by what it is called."""

    def carries_on(self, above: Row, row: Row, by: int) -> bool:
        """Tell whether a row that was added has the formats and formulas of one that stands so many rows above."""

    @property
    def pads(self) -> bool:
        """Whether rows may end before their last cells, since blank ones need not stand there."""

    @property
    def bulk(self) -> tuple[str, str] | None:
        """The delimiter and the quotation mark, where much can be compared at a time; else None."""


class ExportReading(Protocol):
    """How an export is read again, to look marks up."""

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:
        """Yield the rows of a file; of `wanted` ones, if they are given, the cells."""

    def says(self, cell: str, mark: str) -> bool:
        """Tell whether a cell says a mark."""


def export_reading_of(told: Mapping[str, str | None]) -> ExportReading | None:
    """Return how an export is read again; None if its kind has no second reader.

    Args:
        told: the `kind` of file, and what its reader needs to know.
    """
    if told["kind"] == "folder of files":
        from skarvin.core.ledger.second_look.folder_rows import FolderReading  # noqa: PLC0415 - few exports are

        return FolderReading(tuple((told["names"] or "").split("\n")))
    if told["kind"] == "OneRoster CSV":
        from skarvin.core.ledger.second_look.bundle_rows import BundleReading  # noqa: PLC0415

        return BundleReading()
    if told["kind"] == "QTI results":
        from skarvin.core.ledger.second_look.attempt_rows import AttemptReading  # noqa: PLC0415

        return AttemptReading()
    return _text_reading(told)


def reading_of(told: Mapping[str, str | None], columns: Collection[int] = ()) -> Reading | None:
    """Return how a file is read again; None if its kind has no second reader.

    Args:
        told: the `kind` of file, and what its reader needs to know.
        columns: the columns that marks go to.
    """
    if told["kind"] == "workbook (.xlsx)" and columns:
        from skarvin.core.ledger.second_look.sheet_rows import SheetReading  # noqa: PLC0415 - for this kind alone

        return SheetReading(told["sheet"] or "", frozenset(columns))
    return _text_reading(told)


def _text_reading(told: Mapping[str, str | None]) -> TextReading | None:
    if told["kind"] != "delimited text":
        return None
    parts = (told["codec"] or "", told["delimiter"] or "", told["quote"] or "", told["escape"])
    numbers = [list(map(int, one.split())) for one in (told["cuts"] or "").split(";")]
    cuts = {line: cut for line, *cut in filter(None, numbers)}
    return TextReading(
        *parts, skips=told["controls"] == "skipped", cuts=cuts, others=(told.get("others") or "").split()
    )
