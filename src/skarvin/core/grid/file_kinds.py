"""What kind of file some bytes are, by what they hold and never by the file's name."""

import io
import zipfile
import zlib
from enum import StrEnum
from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.roster_files import bundle_in


class Kind(StrEnum):
    """The kinds of files that hold a grid."""

    TEXT = "delimited text"
    XLSX = "workbook (.xlsx)"
    XLS = "workbook (.xls)"
    ODS = "workbook (.ods)"
    HTML = "table in an HTML page"
    FOLDER = "folder of files"
    ONE_ROSTER = "OneRoster CSV"
    QTI = "QTI results"


RESULTS = b"assessmentResult"
"""What results of QTI begin with, somewhere in a `SAMPLE` of them."""
_OLE = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
_ZIP = b"PK\x03\x04"
_OTHERS = {
    b"%PDF": "a PDF document",
    b"\x89PNG": "a picture (PNG)",
    b"\xff\xd8\xff": "a picture (JPEG)",
    b"GIF8": "a picture (GIF)",
    b"{\\rtf": "a text document (RTF)",
    b"PK\x05\x06": "an empty archive",
    b"SQLite format 3": "a database",
}
_OF_TEXT = bytes({0, *b"\t\n\v\f\r\x1a\x1b", *range(32, 256)})
"""What stands in texts of any encoding; zeros in those of two bytes a letter."""
SAMPLE, _LEAST, _OF_MANY = 4096, 64, 20
_MOST_UNPACKED = 800_000_000
_MOST_TIMES = 300
_SMALL = 20_000_000


def kind_of(data: bytes, file: Path) -> Kind:
    """Return the kind of a file.

    Raises:
        Unreadable: it is something that holds no grid, is damaged, encrypted, or would unpack to too much.
    """
    if file.name.startswith(("~$", ".~lock.")):
        name = file.name.removeprefix("~$").removeprefix(".~lock.").rstrip("#")
        what = "this only says that somebody has a file open in an office program"
        raise _no(file, "lock-file", what, f"Close it there, and name the file itself: ...{name}.")
    for start, title in _OTHERS.items():
        if data.startswith(start):
            raise _no(
                file, "no-grid", f"this is {title}, whatever its name says", "Export the marks as CSV or a workbook."
            )
    if data.startswith(_OLE):
        if "EncryptedPackage".encode("utf-16-le") in data:
            raise _no(file, "encrypted", "this workbook is encrypted", "Save it without a password.")
        return Kind.XLS
    if data.startswith(_ZIP):
        return _archive(data, file)
    head = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if head.startswith(b"<") and RESULTS in data[:SAMPLE]:
        return Kind.QTI
    if head.startswith(b"<") and (
        b"<table" in data[:200_000].lower() or head.startswith((b"<html", b"<!doctype html"))
    ):
        return Kind.HTML
    signs = data[:SAMPLE].translate(None, _OF_TEXT)
    if len(data) >= _LEAST and len(signs) > len(data[:SAMPLE]) // _OF_MANY:
        raise _no(file, "no-text", "this is neither text nor a workbook", "Export the marks as CSV or a workbook.")
    return Kind.TEXT


def is_results_folder(folder: Path) -> bool:
    """Tell whether a folder holds results of QTI: its first file of XML is one."""
    found = sorted(path for path in folder.glob("*.xml") if path.is_file())
    if not found:
        return False
    with found[0].open("rb") as file:
        return RESULTS in file.read(SAMPLE)


def _archive(data: bytes, file: Path) -> Kind:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = set(archive.namelist())
            _check_bounds(archive, file)
            if "xl/workbook.xml" in names:
                return Kind.XLSX
            if bundle_in(names) is not None:
                return Kind.ONE_ROSTER
            texts = sorted(name for name in names if name.lower().endswith(".xml"))
            if texts and "xl/" not in texts[0] and RESULTS in archive.read(texts[0])[:SAMPLE]:
                return Kind.QTI
            if "mimetype" in names and b"opendocument.spreadsheet" in archive.read("mimetype"):
                return _ods(archive, file)
    except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError, OSError) as error:
        if isinstance(error, RuntimeError) and "encrypted" in str(error):
            raise _no(file, "encrypted", "this archive is encrypted", "Save the workbook without a password.") from None
        raise _no(file, "damaged", "this workbook is damaged and can't be unpacked", "Export it again.") from None
    raise _no(file, "no-grid", "this is an archive, and no workbook", "Unpack it and name the file inside.")


def _ods(archive: zipfile.ZipFile, file: Path) -> Kind:
    if "META-INF/manifest.xml" in archive.namelist() and b"encryption-data" in archive.read("META-INF/manifest.xml"):
        raise _no(file, "encrypted", "this workbook is encrypted", "Save it without a password.")
    return Kind.ODS


def _check_bounds(archive: zipfile.ZipFile, file: Path) -> None:
    """Refuse an archive that says it unpacks to too much. One that lies fails its checksum as soon as it is read."""
    total = 0
    for entry in archive.infolist():
        total += entry.file_size
        is_dense = entry.file_size > _SMALL and entry.file_size > _MOST_TIMES * max(1, entry.compress_size)
        if total > _MOST_UNPACKED or is_dense:
            what = f"this workbook would unpack to {total // 1_000_000:,} MB or more"
            raise _no(file, "bomb", what, "Export it again; a real gradebook is far smaller.")


def _no(file: Path, slug: str, what: str, mend: str) -> Unreadable:
    return Unreadable(Finding(slug, what, Place(file), mend))
