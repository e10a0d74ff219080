"""The feedback bundle: each marked file under the name that the target wants, and a table of which goes to whom."""

import hashlib
import io
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.grid.read import read_grid
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.lists import list_text
from skarvin.core.texts.patterns import pattern

TABLE, ARCHIVE = "feedback.csv", "feedback"
_HEADINGS = ("File", "Goes to", "Name", "Called", "SHA-256")
_FIELDS = ("identifier", "name", "section", "file")
_FIELD = pattern(r"\{(\w+)\}")
_UNSAFE = pattern(r'[\\/:*?"<>|\x00-\x1f]')
_LONGEST = 180


class Handed(NamedTuple):
    """One file that goes to somebody: where it lies, as what, and its SHA-256."""

    path: Path
    file: str
    student: Student
    called: str
    digest: str


class Bundle(NamedTuple):
    """What goes into the archive, what was handed out before, and the rows of the table so far."""

    archive: str
    new: tuple[Handed, ...]
    before: tuple[tuple[str, ...], ...]


def make_bundle(names: str, parts: Sequence[Gradebook], pairing: Pairing, folder: Path) -> Bundle:
    """Return the bundle of the marked files.

    Args:
        names: what files are called: a pattern with `{identifier}`, `{name}`, `{section}` and `{file}`, or the name
            that one of the students' files would have.
        parts: the exports.
        pairing: who is who.
        folder: where the bundle goes; a table of an earlier one there says what was handed out.

    Raises:
        Unreadable: none of the exports is a folder, or the pattern isn't one.
    """
    grids = {book.grid.source: book.grid for book in parts if book.grid.files}
    if not grids:
        mend = "Take [feedback] away, or name a folder of marked files as the export."
        raise Unreadable(Finding("no-files", "the export has no marked files to hand out", parts[0].grid.place(), mend))
    targets = [pair.target for pair in pairing.pairs]
    pattern = _pattern(names, targets)
    before = _read_table(folder / TABLE)
    known = {(row[1], row[4]) for row in before}
    taken = {row[3] for row in before}
    new: list[Handed] = []
    for pair in pairing.pairs:
        grid = grids.get(pair.source.row.source)
        if grid is None:
            continue
        file = grid.files[pair.source.row.distance(grid.row(1))]
        path = grid.file / file
        digest = _digest(path)
        if (pair.target.identifier.strip(), digest) in known:
            continue
        called = _free(_called(pattern, pair.target, pair.source, path), path.suffix, taken)
        taken.add(called)
        new.append(Handed(path, file, pair.target, called, digest))
    return Bundle(_archive_name(folder), tuple(new), before)


def archive_bytes(bundle: Bundle) -> Iterator[bytes]:
    """Yield the archive, file by file.

    Raises:
        Unreadable: a file changed or went while this ran.
    """
    stream = _Stream()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for handed in bundle.new:
            data = _read(handed.path)
            if hashlib.sha256(data).hexdigest() != handed.digest:
                raise _gone(handed.path)
            archive.writestr(zipfile.ZipInfo(handed.called), data, zipfile.ZIP_DEFLATED)
            yield stream.taken()
    yield stream.taken()


def table_bytes(bundle: Bundle) -> bytes:
    """Return the table of which file goes to whom, those of earlier bundles first."""
    new = [(one.file, one.student.identifier.strip(), one.student.name, one.called, one.digest) for one in bundle.new]
    return list_text([_HEADINGS, *bundle.before, *new], end="\n").encode()


class _Stream(io.RawIOBase):
    """Takes what is written, so that it can be handed on piece by piece."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: bytes) -> int:  # type: ignore[override]
        self._parts.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        """Return what was written since this was last asked for."""
        parts, self._parts = self._parts, []
        return b"".join(parts)


def _pattern(names: str, students: Sequence[Student]) -> str:
    """Return the pattern that a person gives, or that lies in the name that a student's file would have."""
    fields = _FIELD.findall(names)
    if fields:
        unknown = [field for field in fields if field not in _FIELDS]
        if unknown or not {"identifier", "name", "file"} & set(fields):
            raise _no_pattern(names)
        return names
    stem = names.rpartition(".")[0] or names
    found: Mapping[str, str]
    for student in students:
        found = {"identifier": student.identifier.strip(), "name": student.name, "section": student.section}
        if found["identifier"] and found["identifier"] in stem:
            for field, text in found.items():
                stem = stem.replace(text, f"{{{field}}}") if text else stem
            return stem
    raise _no_pattern(names)


def _no_pattern(names: str) -> Unreadable:
    what = f"'{names}' doesn't say what a file is called: it has no field, and no identifier of the form"
    mend = f"Write it with {', '.join(f'{{{field}}}' for field in _FIELDS)}: '{{identifier}} feedback'."
    return Unreadable(Finding("no-pattern", what, None, mend))


def _called(pattern: str, target: Student, source: Student, path: Path) -> str:
    told = {
        "identifier": target.identifier.strip(),
        "name": target.name or source.name,
        "section": target.section or source.section,
        "file": path.stem,
    }
    text = _FIELD.sub(lambda match: told[match[1]], pattern)
    return _UNSAFE.sub("-", text).strip(" .")[:_LONGEST] or "file"


def _free(called: str, suffix: str, taken: set[str]) -> str:
    """Return a name that no other file has: several files of one student are numbered."""
    number = 1
    while (name := f"{called}{'' if number == 1 else f'-{number}'}{suffix}") in taken:
        number += 1
    return name


def _archive_name(folder: Path) -> str:
    number = 1
    while (folder / (name := f"{ARCHIVE}{'' if number == 1 else f'-{number}'}.zip")).exists():
        number += 1
    return name


def _read_table(file: Path) -> tuple[tuple[str, ...], ...]:
    """Return the rows of an earlier bundle's table.

    Raises:
        Unreadable: it isn't one.
    """
    if not file.exists():
        return ()
    grid = read_grid(file)
    if tuple(grid.cells(0)) != _HEADINGS:
        mend = "Move it away: what was handed out can't be told from it."
        raise Unreadable(
            Finding("no-table", f"this isn't the table of an earlier bundle, {TABLE}", grid.place(0), mend)
        )
    return tuple(tuple(grid.cells(row)) for row in range(1, len(grid)) if not grid.is_blank(row))


def _digest(path: Path) -> str:
    return hashlib.sha256(_read(path)).hexdigest()


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError:
        raise _gone(path) from None


def _gone(path: Path) -> Unreadable:
    what = "a marked file changed or went while this ran"
    return Unreadable(Finding("changed-meanwhile", what, None, f"See the folder {path.parent.name}, and run it again."))
