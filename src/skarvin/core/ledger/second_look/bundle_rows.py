"""The results of a OneRoster bundle read once more, by the standard library alone: a mark must stand in its line."""

import csv
import io
import zipfile
from collections.abc import Container, Iterator
from pathlib import Path

from skarvin.core.ledger.second_look.text_rows import Row

RESULTS = "results.csv"
_SCORE = "score"


def table_of(bundle: Path, name: str) -> list[list[str]]:
    """Return the records of a file of a bundle, an archive or a folder; none where it isn't there."""
    if bundle.is_dir():
        data = (bundle / name).read_bytes() if (bundle / name).is_file() else b""
    else:
        with zipfile.ZipFile(bundle) as archive:
            known = [path for path in archive.namelist() if path.rpartition("/")[2] == name]
            data = archive.read(min(known, key=len)) if known else b""
    return [*csv.reader(io.StringIO(_text(data), newline=""))]


def _text(data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


class BundleReading:
    """How the results of a bundle are read again."""

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:  # noqa: ARG002 - all are told
        """Yield a row for each result; the cell of its score says the whole line, heading by heading."""
        heads: list[str] = []
        for record in table_of(file, RESULTS):
            heads = heads or record
            line = "\n".join(f"{head}={text.strip()}" for head, text in zip(heads, record, strict=False))
            cells = [line if head == _SCORE else text for head, text in zip(heads, record, strict=False)]
            yield Row(line, "", cells)

    def says(self, cell: str, mark: str) -> bool:
        """Tell whether a cell says a mark: the score, what stands in place of one, or both where they disagree."""
        if cell.strip() == mark.strip():
            return True
        said = dict(one.partition("=")[::2] for one in cell.split("\n"))
        status = " ".join(said.get("scoreStatus", "").casefold().split())
        score = said.get(_SCORE, "")
        in_place = [score, status, "missing" if said.get("missing", "").casefold() in {"true", "1", "yes"} else ""]
        if mark in [*in_place, said.get("textScore", ""), f"{score} ({status})"]:
            return True
        return mark.endswith("(two results)") and f" {score or status} (" in mark
