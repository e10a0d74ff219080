"""A folder of marked files as a grid: a row for each file, with what its name says."""

import re
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Unreadable, counted, listing
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.file_kinds import Kind, is_results_folder
from skarvin.core.grid.file_names import Said, Told, tell_names
from skarvin.core.grid.grid import CellGrid, Grid
from skarvin.core.grid.roster_files import bundle_fingerprint, is_bundle_folder
from skarvin.core.texts.patterns import pattern

MOST_FILES = 5_000
_TABLES = (".xlsx", ".xls", ".ods", ".html", ".htm")
_FEWEST_FORMS = 3
_TEMPORARY = pattern(r"~\$.*|.*~|.*\.(?:tmp|part|crdownload|lock)|thumbs\.db|desktop\.ini", re.IGNORECASE)
_NUMBER_HEADING, _NAME_HEADING = "Student number", "Name"


def list_files(folder: Path) -> tuple[list[Path], int, list[Path]]:
    """Return the marked files of a folder in order, how many are hidden or temporary, and its subfolders.

    Raises:
        Unreadable: it has more files than can be meant, or may not be read.
    """
    try:
        found = sorted(folder.iterdir(), key=lambda path: path.name.casefold())
    except OSError as error:
        what = f"the folder can't be read: {(error.strerror or str(error)).lower()}"
        raise Unreadable(Finding("unreadable-file", what, Place(folder))) from None
    if len(found) > MOST_FILES:
        what = f"the folder has {len(found):,} files, and more than {MOST_FILES:,} can't be one class's"
        raise Unreadable(
            Finding("many-files", what, Place(folder), "Name the folder that holds the marked files alone.")
        )
    passed = [path for path in found if path.name.startswith(".") or _TEMPORARY.fullmatch(path.name)]
    folders = [path for path in found if path.is_dir() and path not in passed]
    files = [path for path in found if path.is_file() and path not in passed]
    return files, len(passed), folders


def folder_fingerprint(folder: Path) -> str:
    """Return the SHA-256 by which a folder's grid is known: of the names of its files, and of forms what they hold."""
    if is_bundle_folder(folder):
        return bundle_fingerprint(folder)
    if is_results_folder(folder):
        return results_fingerprint(folder)
    names = _names_in(folder).names
    return _fingerprint_of(folder, names, _may_be_forms(names))


def path_fingerprint(path: Path) -> str:
    """Return the SHA-256 by which a file or a folder is known.

    Raises:
        Unreadable: it can't be read.
    """
    return folder_fingerprint(path) if path.is_dir() else fingerprint(read_bytes(path))


def results_fingerprint(folder: Path) -> str:
    """Return the SHA-256 by which a folder of results is known: of what its files hold."""
    held = (f"{path.name} {fingerprint(read_bytes(path))}" for path in sorted(folder.glob("*.xml")))
    return fingerprint("\n".join(held).encode("utf-8", "surrogateescape"))


class _Names(NamedTuple):
    """A folder's files, by their paths in it; how many were passed over; and folders that weren't entered."""

    names: list[str]
    passed: int
    folders: list[Path]


def _names_in(folder: Path) -> _Names:
    files, passed, folders = list_files(folder)
    if not files and folders:
        files = [file for one in folders for file in list_files(one)[0]]
        folders = []
    return _Names([file.relative_to(folder).as_posix() for file in files], passed, folders)


def _fingerprint_of(folder: Path, names: Sequence[str], are_forms: bool) -> str:
    held = [f"{name} {fingerprint(read_bytes(folder / name))}" if are_forms else name for name in names]
    return fingerprint("\n".join(held).encode("utf-8", "surrogateescape"))


def _may_be_forms(names: Sequence[str]) -> bool:
    """Tell whether files may be filled forms, one a student: workbooks or pages whose names tell no marks."""
    are_tables = len(names) >= _FEWEST_FORMS and all(name.lower().endswith(_TABLES) for name in names)
    return are_tables and sum(bool(said.mark) for said in _tell(names, None).said) * 2 < len(names)


def _form(folder: Path, name: str, read: Callable[[Path], Grid]) -> list[list[str]]:
    """Return the cells of a file that may be a form; nothing of one that can't be read."""
    try:
        grid = read(folder / name)
    except Unreadable:
        return []
    return [list(grid.cells(row)) for row in range(len(grid))]


def read_folder(folder: Path, pattern: str | None, read: Callable[[Path], Grid]) -> CellGrid:
    """Return the grid of a folder: number, name, mark; with the cells of its files, if they may be filled forms.

    Args:
        folder: the folder; where it has subfolders alone, the files in these.
        pattern: how the names are made, if a person says so.
        read: what reads a file.

    Raises:
        Unreadable: it has no files, or their names say of nobody who it is.
    """
    names, passed, folders = _names_in(folder)
    if not names:
        raise Unreadable(
            Finding("no-files", "there are no files in this folder", Place(folder), "Name another folder.")
        )
    told = _tell(names, pattern)
    are_forms = pattern is None and _may_be_forms(names)
    if not are_forms and not any(said.name or said.number for said in told.said):
        mend = "Say how they are made: --names '{name}_{mark}', with {number}, {maximum} or {any} where they have it."
        raise Unreadable(
            Finding("names-say-nothing", "the files' names don't tell whose they are", Place(folder), mend)
        )
    table = list(_table(told.said, told.title or folder.name))
    return CellGrid(
        file=folder,
        title=f"folder of {counted(len(names), 'file')}, whose names are made as '{told.pattern}'",
        kind=Kind.FOLDER,
        table=table,
        notes=(*_notes(folder, passed, folders), *_of_nobody(folder, names, told)),
        fingerprint=_fingerprint_of(folder, names, are_forms),
        files=tuple(names),
        others=tuple((name, _form(folder, name, read)) for name in names) if are_forms else (),
    )


def _tell(names: Sequence[str], pattern: str | None) -> Told:
    """Return what names say; in subfolders, the folder's name says who it is, and the file's the mark."""
    stems = [name.rpartition(".")[0] or name for name in names]
    if pattern is not None or not any("/" in stem for stem in stems):
        return tell_names([stem.replace("/", "_") for stem in stems], pattern)
    folders = tell_names([stem.rpartition("/")[0] for stem in stems])
    files = tell_names([stem.rpartition("/")[2] for stem in stems])
    said = [
        Said(one.name or other.name, one.number or other.number, other.mark or one.mark)
        for one, other in zip(folders.said, files.said, strict=True)
    ]
    return Told(said, files.title or folders.title, f"{folders.pattern}/{files.pattern}")


def _table(said: Sequence[Said], title: str) -> Iterator[list[str]]:
    """Yield the headings and a row for each file; a maximum that all state goes into the heading."""
    maxima = {one.mark.partition("/")[2] for one in said if one.mark and " " not in one.mark}
    (out_of,) = maxima if len(maxima) == 1 else ("",)
    yield [_NUMBER_HEADING, _NAME_HEADING, f"{title} (out of {out_of})" if out_of else title]
    for one in said:
        mark = one.mark.removesuffix(f"/{out_of}") if out_of else one.mark
        yield [one.number, one.name, mark]


def _of_nobody(folder: Path, names: Sequence[str], told: Told) -> Iterator[Finding]:
    """Yield which files are nobody's: their names don't fit the pattern, or tell neither a name nor a number."""
    unfit = [name for place, name in enumerate(names) if place in told.unfit]
    silent = [name for name, said in zip(names, told.said, strict=True) if not (said.name or said.number)]
    for some, why in (
        (unfit, f"don't fit '{told.pattern}'"),
        ([name for name in silent if name not in unfit], "tell neither a name nor a number"),
    ):
        if some:
            are = counted(len(some), "file is", "files are")
            what = f"{are} nobody's, since their names {why}: {listing(some, 12)}"
            yield Finding("files-of-nobody", what, Place(folder), "Rename them, or say how names are made: --names.")


def _notes(folder: Path, passed: int, folders: Sequence[Path]) -> Iterator[Finding]:
    if passed:
        what = f"{counted(passed, 'hidden or temporary file is', 'hidden or temporary files are')} left out"
        yield Finding("files-left-out", what, Place(folder))
    if folders:
        what = f"{counted(len(folders), 'subfolder is', 'subfolders are')} left out, with what is in them"
        yield Finding(
            "folders-left-out", what, Place(folder), "Name one as a further export, if it holds marked files."
        )
