"""The front door: from the path of a file to its grid."""

from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.dialect import detect
from skarvin.core.grid.encoding import decode
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.records import join_records, split_lines


def read_bytes(file: Path) -> bytes:
    """Return what a file holds.

    Raises:
        Unreadable: there is no such file, it is a folder, it is empty, or it may not be read.
    """
    try:
        data = file.read_bytes()
    except FileNotFoundError:
        raise _unreadable(file, "missing-file", "there is no such file", "Check its name and folder.") from None
    except IsADirectoryError:
        raise _unreadable(file, "folder", "this is a folder", "Name the file inside it.") from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise _unreadable(file, "unreadable-file", f"the file can't be read: {reason.lower()}", "") from None
    if not data.strip():
        raise _unreadable(file, "empty-file", "the file is empty", "Export it again.")
    return data


def read_grid(file: Path) -> Grid:
    """Return the grid of text in `file`.

    Raises:
        Unreadable: the file is missing, empty, no text, or cut off inside a quoted cell.
    """
    text, encoding = decode(read_bytes(file), file)
    lines, ends = split_lines(text)
    dialect = detect(lines)
    records, ends = join_records(lines, ends, dialect, file)
    return Grid(file, encoding, dialect, records, ends)


def _unreadable(file: Path, slug: str, what: str, mend: str) -> Unreadable:
    return Unreadable(Finding(slug, what, Place(file), mend))
