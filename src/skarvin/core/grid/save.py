"""Files that appear whole or not at all, readable by their owner alone."""

import contextlib
import errno
import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from types import TracebackType
from typing import Self

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.grid.journal import Journal, Step, keep_old


class Delivery:
    """Several new files of one folder that appear together, or not at all.

    Each is written under a temporary name beside its own and put in place by `commit`; left without a commit, the
    temporary files are gone. If one can't be put in place, those before it are put back; if the run is killed, the next
    one does that. Raises `Refused` for whatever the disk doesn't let it do.
    """

    def __init__(self, *, replace: bool, inputs: Iterable[Path], always: Iterable[Path] = ()) -> None:
        """Begin with nothing; files of `always` are replaced whatever `replace` says."""
        self._replace = replace
        self._always = frozenset(always)
        self._inputs = [_real(path) for path in inputs]
        self._staged: dict[Path, Path] = {}
        self._journal: Journal | None = None
        self._made: list[Path] = []

    def __enter__(self) -> Self:
        return self

    def __exit__(self, _type: type[BaseException] | None, _: BaseException | None, __: TracebackType | None) -> None:
        if self._journal:
            self._journal.undo([])
            self._journal = None
        self._staged.clear()
        for folder in self._made:
            with contextlib.suppress(OSError):
                folder.rmdir()  # nothing came of it
        self._made.clear()

    def check(self, *paths: Path) -> None:
        """Refuse now what `stage` and `commit` would refuse later."""
        for path in paths:
            if _real(path) in self._inputs:
                raise _refused(
                    path,
                    "onto-input",
                    "this file is an input and is never written to",
                    "Choose another name.",
                )
            if path.is_dir():
                raise _refused(path, "folder", "a folder has this name", "Choose another name.")
            if path.exists() and not self._may_replace(path):
                raise _refused(
                    path,
                    "exists",
                    "the file is there already",
                    "Give --replace to replace it, or name another folder or file.",
                )

    def _may_replace(self, path: Path) -> bool:
        return self._replace or path in self._always

    def stage(self, path: Path, chunks: Iterable[bytes]) -> Path:
        """Write the chunks to a temporary file beside `path`, down to the disk, and return where it lies."""
        self.check(path)
        try:
            self._make(path.parent)
            self._journal = self._journal or Journal(path.parent)
            if path.parent != self._journal.folder:
                raise ValueError(path)  # files that appear together lie together
            self._staged[path] = temporary = self._journal.part(path)
            handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(handle, "wb") as file:
                file.writelines(chunks)
                file.flush()
                os.fsync(file.fileno())
        except OSError as error:
            raise _from_os(path, error) from None
        return temporary

    def scratch(self, path: Path, chunks: Iterable[bytes]) -> Path:
        """Write the chunks to a file that is gone with the delivery, and return where it lies; `path` is no file."""
        lies_at = self.stage(path, chunks)
        del self._staged[path]
        return lies_at

    def _make(self, folder: Path) -> None:
        """Make a folder that isn't there, for its owner alone; if nothing comes of the delivery, it goes again."""
        missing = [one for one in (folder, *folder.parents) if not one.exists()]
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        self._made += missing

    def commit(self) -> None:
        """Put every staged file in its place; if one can't be, put back those before it."""
        if not self._journal:
            return
        journal, self._journal = self._journal, None
        steps: list[Step] = []
        path = next(iter(self._staged))
        try:
            steps = [Step(path.name, part.stat().st_ino, _inode(path)) for path, part in self._staged.items()]
            journal.begin(steps)
            for path, temporary in self._staged.items():
                if self._may_replace(path) and path.exists():
                    keep_old(path, journal.token)
                    temporary.replace(path)
                else:
                    _place_new(temporary, path)
            _sync_folder(journal.folder)
            journal.end()
        except OSError as error:
            stuck = journal.undo(steps)
            raise _from_os(path, error, stuck) from None
        except BaseException:  # stopped at the keyboard: all of it stands, or nothing
            journal.undo(steps)
            raise
        self._made.clear()


def _real(path: Path) -> Path:
    """Return where a path leads; a loop of links leads nowhere, and is its own."""
    return Path(os.path.realpath(path))


def _inode(path: Path) -> int | None:
    return path.lstat().st_ino if path.exists() else None


def _place_new(temporary: Path, path: Path) -> None:
    """Give the file its name unless the name is taken: a link fails where a rename would overwrite."""
    try:
        os.link(temporary, path)
    except FileExistsError:
        raise
    except OSError:  # a file system without links
        if path.exists():
            raise FileExistsError(17, os.strerror(17), str(path)) from None
        temporary.rename(path)
    else:
        temporary.unlink()


def _sync_folder(folder: Path) -> None:
    """Make the new name itself last through a power cut, where the system can."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _from_os(path: Path, error: OSError, stuck: Sequence[Path] = ()) -> Refused:
    reason = (error.strerror or str(error)).lower()
    told = "Nothing was written."
    if stuck:
        names = ", ".join(path.name for path in stuck)
        told = f"These files couldn't be put back as they were, which the next run tries again: {names}."
    how = {
        errno.ENOSPC: "Make room on the disk.",
        errno.EDQUOT: "Make room on the disk.",
        errno.ENOENT: "The folder doesn't exist: make it, or name another with --into.",
        errno.ENOTDIR: "A part of its path is a file and not a folder: name another with --into.",
        errno.ENAMETOOLONG: "Its name is too long for this disk: name another folder, or a shorter file.",
    }.get(error.errno or 0, "Choose a folder that you may write to.")
    mend = f"{told} {how}"
    return _refused(path, "cannot-write", f"the file can't be written: {reason}", mend)


def _refused(path: Path, slug: str, what: str, mend: str) -> Refused:
    return Refused(Finding(slug, what, Place(path), mend))
