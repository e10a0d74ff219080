"""What is filed of a write: the ledger, a line for each student of a large one, and the page."""

import hashlib
from collections.abc import Iterator, Sequence
from pathlib import Path

from skarvin.core.transfer.carry_out import Written
from skarvin.core.transfer.settling import Settled
from skarvin.reports.data import END, Data, ledger_json, written_data


class Filing:
    """Makes the ledger and the page of one write.

    Attributes:
        when: the time in ISO 8601.
        data: the ledger so far.
        is_plain: whether the page has no figures.

    Args:
        keeps_lists: whether `data` has the lists of all students and marks, too, which are long.
    """

    def __init__(self, when: str, *, is_plain: bool = True, keeps_lists: bool = True) -> None:
        self.is_plain = is_plain
        self._keeps_lists = keeps_lists
        self.when = when
        self.data: Data = {}
        self._ledger = b""
        self._begun = 0
        self._marks = ""

    def ledger(self, settled: Settled) -> bytes:
        """Return the ledger as it is known before the import file is written."""
        self.data = written_data(settled, self.when, list if self._keeps_lists else iter)
        files = {"files": self.data.pop("files")}
        begun = ledger_json(self.data)
        self.data |= files
        self._ledger, self._begun = ledger_json(files, begun), len(begun) - len(END)
        return self._ledger

    def marks(self, settled: Settled) -> Iterator[bytes]:
        """Yield the lines with each student's marks."""
        from skarvin.reports.mark_lines import mark_lines  # noqa: PLC0415 - most transfers list each mark

        digest = hashlib.sha256()
        for lines in mark_lines(settled):
            digest.update(lines)
            yield lines
        self._marks = digest.hexdigest()

    def rest(self, written: Written, staged: Sequence[Path]) -> Iterator[tuple[Path, bytes]]:
        """Yield the ledger with what the second look found, and the page."""
        from skarvin.reports.page import page  # noqa: PLC0415 - a refused run does without

        found = written.second_look
        for number, (path, lies_at) in enumerate(zip(written.outputs.imports, staged, strict=True), 1):
            with lies_at.open("rb") as file:
                digest = hashlib.file_digest(file, "sha256").hexdigest()
            name = "import" if number == 1 else f"import_{number}"
            self.data["files"] |= {name: {"name": path.name, "sha256": digest}}
        if written.outputs.marks:
            self.data["files"] |= {"marks": {"name": written.outputs.marks.name, "sha256": self._marks}}
        self.data["second_look"] = {
            "rows": found.rows,
            "cells_that_differ": found.differing,
            "marks_looked_up": found.looked_up,
        }
        rest = {key: self.data[key] for key in ("files", "second_look")}
        yield written.outputs.data, ledger_json(rest, self._ledger[: self._begun])
        if written.outputs.workbook:
            from skarvin.reports.workbook_report import workbook_report  # noqa: PLC0415 - most writes make none

            yield written.outputs.workbook, workbook_report(written.settled, self.data)
        yield written.outputs.page, page(written, self.data, is_plain=self.is_plain).encode()
        if written.outputs.typed:
            from skarvin.reports.typing_list import typing_list, typing_page, typing_text  # noqa: PLC0415

            told = typing_list(written.settled)
            names = (written.settled.sides.export_names, written.settled.sides.target.grid.file.name)
            text, sheet = written.outputs.typed
            yield text, typing_text(told, *names).encode()
            yield sheet, typing_page(told, *names).encode()
