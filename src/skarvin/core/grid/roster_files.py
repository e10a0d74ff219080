"""The files of a bundle of OneRoster CSV: an archive or a folder with `manifest.csv`, read within bounds.

Names of files are fixed; an archive may have them in one folder. Nothing is unpacked to the disk.
"""

import csv
import io
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import UTC, date, datetime
from itertools import repeat
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Unreadable, listing
from skarvin.core.grid.controls import set_aside_controls
from skarvin.core.grid.encoding import decode
from skarvin.core.grid.file_bytes import fingerprint, read_bytes

MANIFEST = "manifest"
_TABLES = ("users", "enrollments", "classes", "lineItems", "results", "categories", "academicSessions")
"""Those that are read; a bundle may have more."""
_EPOCH = 1980
_MOST_ROWS = 2_000_000


class Table(NamedTuple):
    """A file of a bundle: where each heading stands, and its records, the headings first; each is as wide as these."""

    file: Path
    heads: Mapping[str, int]
    rows: list[list[str]]

    def of(self, row: int, name: str) -> str:
        """Return what a record says under a heading; blank where there is none."""
        at = self.heads.get(name)
        return "" if at is None else self.rows[row][at].strip()

    def records(self) -> Iterator[int]:
        """Yield the positions of the records that say anything."""
        return (at for at, row in enumerate(self.rows) if at and (row[0] or any(row)))

    def texts(self, name: str, rows: Sequence[int]) -> Iterable[str]:
        """Return what some records say under a heading, one by one; blanks where there is none."""
        at = self.heads.get(name)
        if at is None:
            return repeat("", len(rows))
        records = self.rows
        return [records[row][at].strip() for row in rows]


class BundleFiles(NamedTuple):
    """What a bundle holds.

    Attributes:
        file: the archive or folder.
        version: of the standard, as the manifest says.
        tables: those that are there, by their names.
        modes: for each table what the manifest says: absent, bulk or delta.
        manifest: what the manifest says, as it stands there.
        day: when it was made, as far as can be told.
        fingerprint: the SHA-256 of the archive, or of what the files of a folder hold.
        notes: what departs from the standard.
    """

    file: Path
    version: str
    tables: Mapping[str, Table]
    modes: Mapping[str, str]
    manifest: Mapping[str, str]
    day: date | None
    fingerprint: str
    notes: tuple[Finding, ...]

    def table(self, name: str) -> Table | None:
        """Return a table; None if it isn't there."""
        return self.tables.get(name)

    @property
    def title(self) -> str:
        """What it is, in a person's words."""
        deltas = [f"{name}.csv" for name, mode in self.modes.items() if mode == "delta" and name in self.tables]
        return f"OneRoster {self.version} CSV" + (f", a delta in {listing(deltas)}" if deltas else "")


def is_bundle_folder(folder: Path) -> bool:
    """Tell whether a folder is a bundle."""
    return (folder / f"{MANIFEST}.csv").is_file()


def bundle_in(names: set[str]) -> str | None:
    """Return what stands before the names of a bundle's files in an archive; None if it is no bundle."""
    found = [name.removesuffix("manifest.csv") for name in names if name.rpartition("/")[2] == "manifest.csv"]
    return min((prefix for prefix in found if prefix.count("/") <= 1), key=len, default=None)


def bundle_fingerprint(folder: Path) -> str:
    """Return the SHA-256 by which a folder that is a bundle is known: of what its files hold."""
    held = [
        f"{name} {fingerprint(read_bytes(path))}"
        for name in (MANIFEST, *_TABLES)
        if (path := folder / f"{name}.csv").is_file()
    ]
    return fingerprint("\n".join(held).encode())


def read_bundle_files(file: Path, data: bytes | None) -> BundleFiles:
    """Return what a bundle holds.

    Args:
        file: the archive or the folder.
        data: the archive's bytes; None of a folder.

    Raises:
        Unreadable: it is damaged or a file of it can't be read.
    """
    held, day = _in_folder(file) if data is None else _in_archive(file, data)
    notes: list[Finding] = []
    tables = {name: table for name, content in held.items() if (table := _table(file / f"{name}.csv", content, notes))}
    said = tables.pop(MANIFEST, None)
    manifest = {row[0].strip(): row[1].strip() for row in said.rows[1:] if len(row) > 1} if said else {}
    modes = {name: manifest.get(f"file.{name}", "").casefold() for name in _TABLES}
    for name, mode in modes.items():
        if mode in {"bulk", "delta"} and name not in held:
            notes.append(Finding("manifest", f"manifest.csv says that {name}.csv is there, and it isn't", Place(file)))
        elif mode == "absent" and name in held:
            notes.append(
                Finding("manifest", f"manifest.csv says that {name}.csv is absent, and it is there", Place(file))
            )
    version = manifest.get("oneroster.version", "")
    if version not in {"1.1", "1.2"}:
        told, version = version, "1.2" if "file.roles" in manifest else "1.1"
        what = f"manifest.csv says version '{told}'; it is read as {version}"
        notes.append(Finding("manifest", what, Place(file / "manifest.csv")))
    mark = bundle_fingerprint(file) if data is None else fingerprint(data)
    return BundleFiles(file, version, tables, modes, manifest, day, mark, tuple(notes))


def _in_folder(folder: Path) -> tuple[dict[str, bytes], date | None]:
    paths = {name: folder / f"{name}.csv" for name in (MANIFEST, *_TABLES)}
    held = {name: read_bytes(path) for name, path in paths.items() if path.is_file()}
    made = datetime.fromtimestamp(paths[MANIFEST].stat().st_mtime, tz=UTC).date()
    return held, made


def _in_archive(file: Path, data: bytes) -> tuple[dict[str, bytes], date | None]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            before = bundle_in(set(archive.namelist())) or ""
            names = {name: f"{before}{name}.csv" for name in (MANIFEST, *_TABLES)}
            there = set(archive.namelist())
            held = {name: archive.read(path) for name, path in names.items() if path in there}
            made = archive.getinfo(names[MANIFEST]).date_time
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError, OSError, KeyError):
        mend = "Export it again, or ask for it once more."
        raise Unreadable(
            Finding("damaged", "this bundle is damaged and can't be unpacked", Place(file), mend)
        ) from None
    return held, date(*made[:3]) if made[0] > _EPOCH else None


def _table(file: Path, data: bytes, notes: list[Finding]) -> Table | None:
    """Return the records of a file; None of one that says nothing."""
    text, encoding = decode(data, file)
    if encoding.codec != "utf-8":
        notes.append(Finding("encoding", f"this is {encoding.title}, and the standard asks for UTF-8", Place(file)))
    notes.extend(encoding.notes(file))
    text, skipped = set_aside_controls(text, file, skip=False)
    notes.extend(skipped)
    if not text.strip():
        notes.append(Finding("empty-file", "the file is empty", Place(file)))
        return None
    lines = csv.reader(io.StringIO(text, newline=""), strict=True)
    try:
        rows = list(lines)
    except csv.Error as error:
        mend = "The file may have been cut off: export it again."
        raise Unreadable(
            Finding("not-csv", f"this is no CSV: {error}", Place(file, line=lines.line_num), mend)
        ) from None
    if len(rows) > _MOST_ROWS:
        what = f"there are {len(rows):,} rows; more than {_MOST_ROWS:,} can't be meant"
        raise Unreadable(Finding("too-long", what, Place(file), "Export the classes apart."))
    width = max(map(len, rows))
    ragged = [number for number, row in enumerate(rows) if row and len(row) != len(rows[0])]
    if ragged:
        numbers = listing([f"{number + 1:,}" for number in ragged], 6)
        what = f"{len(ragged)} rows aren't as long as the headings (rows {numbers}): they may have been cut off"
        notes.append(Finding("ragged-row", what, Place(file, ragged[0])))
        rows = [[*row, *[""] * (width - len(row))] for row in rows]
    elif [] in rows:
        rows = [row or [""] * width for row in rows]
    heads: dict[str, int] = {}
    for at, head in enumerate(rows[0]):
        heads.setdefault(head.strip(), at)
    return Table(file, heads, rows)
