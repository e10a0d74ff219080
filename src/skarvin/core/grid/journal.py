"""What a delivery has begun, written down so that it can be undone: by itself, or by the next run if it was killed.

Files are staged as `.NAME.TOKEN.part`, what they replace lies as `.NAME.TOKEN.old`, and `.skarvin.TOKEN.journal` says
that files are being put in place. Its owner holds a lock on it; a journal without an owner is one that was cut off.
When the journal is gone, the delivery is done.

Which files these are stands in the user's own folder, and not in one that others may write to: a journal of which
nothing is known there is somebody else's, and is left alone.
"""

import contextlib
import os
import re
import stat
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.grid.file_bytes import is_bare_name
from skarvin.core.texts.patterns import pattern

_OURS = pattern(r"\.(?P<name>.+)\.(?P<token>[0-9a-f]{16})\.(?P<kind>part|old|journal|new)")
_NO_LINK = getattr(os, "O_NOFOLLOW", 0)
_NAME = "skarvin"


def _record(token: str) -> Path:
    """Return where the user's own folder keeps the steps of a delivery that isn't done."""
    from platformdirs import user_state_path  # noqa: PLC0415 - reading needs none

    return user_state_path("skarvin", appauthor=False) / "unfinished" / f"{token}.json"


class Step(msgspec.Struct, frozen=True):
    """A file that is put in place: its name, and the inodes of its new content and of what it replaces, if it does."""

    name: str
    inode: int
    replaced: int | None = None


class Journal:
    """The journal of one delivery into a folder; its lock is held until it is closed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._is_done = False
        self.token = os.urandom(8).hex()
        self._file = folder / f".{_NAME}.{self.token}.journal"
        _keep(self.token, [])
        self._handle = self._open()

    def _open(self) -> int:
        """Return the journal, locked before anybody sees it under its name."""
        while True:
            new = self.folder / f".{_NAME}.{self.token}.new"
            handle = os.open(new, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
            try:
                _lock(handle)
                new.rename(self._file)
            except FileNotFoundError:  # another run took it for one that was cut off
                os.close(handle)
            else:
                return handle

    def part(self, path: Path) -> Path:
        """Return where a file is staged."""
        return self.folder / f".{path.name}.{self.token}.part"

    def begin(self, steps: Sequence[Step]) -> None:
        """Write down what will be put in place, down to the disk; where the user has no folder, nothing is kept."""
        _keep(self.token, steps)

    def end(self) -> None:
        """Say that all is in place: from here on nothing is undone."""
        self._file.unlink()
        self._is_done = True
        self.close()
        with contextlib.suppress(OSError):
            _tidy(self.folder, self.token)
            _forget(self.token)

    def undo(self, steps: Sequence[Step]) -> list[Path]:
        """Put everything back; return the files that couldn't be. Their journal stays for the next run.

        Once all is in place, nothing is undone.
        """
        if self._is_done:
            return []
        _, stuck = _undo(self.folder, self.token, steps)
        with contextlib.suppress(OSError):  # a journal that stays is undone by the next run, which changes nothing more
            if not stuck:
                self._file.unlink(missing_ok=True)
                _tidy(self.folder, self.token)
                _forget(self.token)
        self.close()
        return stuck

    def close(self) -> None:
        """Let go of the lock."""
        with contextlib.suppress(OSError):
            os.close(self._handle)


def keep_old(path: Path, token: str) -> None:
    """Let what a file holds lie beside it, too."""
    old = _old(path.parent, path.name, token)
    try:
        os.link(path, old, follow_symlinks=False)
    except OSError:  # a file system without links
        path.rename(old)


class Recovered(NamedTuple):
    """The names of the files that were put back, and the journals that nobody knows of, which are left alone."""

    put_back: tuple[str, ...] = ()
    strange: tuple[str, ...] = ()


def recover(folder: Path) -> Recovered:
    """Undo what runs of this user that were cut off had begun in a folder, and take away what they left.

    What belongs to a run that goes on is left alone, and what another user began.
    """
    put_back: list[str] = []
    strange: list[str] = []
    with contextlib.suppress(OSError):
        for token in sorted({match["token"] for match in _ours(folder)}):
            try:
                put_back += _recover(folder, token)
            except _StrangerError:
                strange.append(f".{_NAME}.{token}.journal")
    return Recovered(tuple(put_back), tuple(strange))


class _StrangerError(Exception):
    """A journal of which the user's own folder knows nothing."""


def _keep(token: str, steps: Sequence[Step]) -> None:
    """Keep the steps of a delivery in the user's own folder; where that can't be written, nothing is kept."""
    record = _record(token)
    with contextlib.suppress(OSError):
        record.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        with os.fdopen(os.open(record, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | _NO_LINK, 0o600), "wb") as file:
            file.write(msgspec.json.encode(steps))
            file.flush()
            if steps:
                os.fsync(file.fileno())


def _forget(token: str) -> None:
    with contextlib.suppress(OSError):
        _record(token).unlink(missing_ok=True)


def _recover(folder: Path, token: str) -> Iterator[str]:
    journal = folder / f".{_NAME}.{token}.journal"
    try:
        handle = os.open(journal, os.O_RDWR | _NO_LINK)
    except FileNotFoundError:  # all was in place when it ended, or nothing was begun
        if _record(token).exists() and not _is_owned(folder / f".{_NAME}.{token}.new"):
            _tidy(folder, token)
            _forget(token)
        return
    try:
        if not _lock(handle):
            return
        as_before, stuck = _undo(folder, token, _known(token, os.fstat(handle)))
        if not stuck:
            journal.unlink(missing_ok=True)
            _tidy(folder, token)
            _forget(token)
            yield from as_before
    finally:
        os.close(handle)


def _is_owned(new: Path) -> bool:
    """Tell whether a journal that is only being made belongs to a run that goes on."""
    try:
        handle = os.open(new, os.O_RDWR)
    except FileNotFoundError:
        return False
    try:
        return not _lock(handle)
    finally:
        os.close(handle)


def _known(token: str, journal: os.stat_result) -> list[Step]:
    """Return the steps of a journal; none if it was cut off before they were whole, when nothing was in place yet.

    Raises:
        _StrangerError: it isn't this user's, or the user's own folder knows nothing of it.
    """
    is_own = not hasattr(os, "geteuid") or journal.st_uid == os.geteuid()
    if not is_own or not stat.S_ISREG(journal.st_mode):
        raise _StrangerError
    try:
        steps = msgspec.json.decode(_record(token).read_bytes(), type=list[Step])
    except FileNotFoundError:
        raise _StrangerError from None
    except (msgspec.MsgspecError, RecursionError):
        return []
    return [step for step in steps if is_bare_name(step.name)]


def _undo(folder: Path, token: str, steps: Sequence[Step]) -> tuple[list[str], list[Path]]:
    """Put back what was replaced, and take away what is new; what somebody else has put there since stays.

    Return the names of what is as it was before, and what could not be undone.
    """
    as_before, stuck = [], []
    for step in steps:
        path, old = folder / step.name, _old(folder, step.name, token)
        try:
            there, before = _inode(path), _inode(old)
            is_ours = there == step.inode
            if step.replaced is not None and before == step.replaced and (is_ours or there is None):
                old.replace(path)
            elif is_ours and step.replaced is None:
                path.unlink()
            elif there != step.replaced:
                continue
            as_before.append(step.name)
        except OSError:
            stuck.append(path)
    return as_before, stuck


def _inode(path: Path) -> int | None:
    """Return which file lies under a name; nothing where none does, and for what is no file."""
    try:
        found = path.lstat()
    except OSError:
        return None
    return found.st_ino if stat.S_ISREG(found.st_mode) else -1


def _tidy(folder: Path, token: str) -> None:
    for match in _ours(folder):
        if match["token"] == token and match["kind"] != "journal":
            with contextlib.suppress(OSError):
                (folder / match[0]).unlink()


def _ours(folder: Path) -> list[re.Match[str]]:
    return [match for path in folder.iterdir() if (match := _OURS.fullmatch(path.name))]


def _old(folder: Path, name: str, token: str) -> Path:
    return folder / f".{name}.{token}.old"


def _lock(handle: int) -> bool:
    """Take the lock on an open file; return whether it was free. Where there are no locks, nobody's is taken."""
    if sys.platform == "win32":
        import msvcrt  # noqa: PLC0415 - there alone

        try:
            msvcrt.locking(handle, msvcrt.LK_NBLCK, 1)
        except OSError:
            return False
        return True
    import fcntl  # noqa: PLC0415 - not on every system

    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
