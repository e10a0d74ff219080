"""What a delivery has begun, written down so that it can be undone: by itself, or by the next run if it was killed.

Files are staged as `.NAME.TOKEN.part`, what they replace lies as `.NAME.TOKEN.old`, and `.skarvin.TOKEN.journal` says
which files are being put in place. Its owner holds a lock on it; a journal without an owner is one that was cut off.
When the journal is gone, the delivery is done.
"""

import contextlib
import os
import re
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec

from skarvin.core.texts.patterns import pattern

_OURS = pattern(r"\.(?P<name>.+)\.(?P<token>[0-9a-f]{16})\.(?P<kind>part|old|journal|new)")
_NAME = "skarvin"


class Step(msgspec.Struct, frozen=True):
    """A file that is put in place: its name, the inode of its new content, and whether it replaces another."""

    name: str
    inode: int
    replaces: bool


class Journal:
    """The journal of one delivery into a folder; its lock is held until it is closed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.token = os.urandom(8).hex()
        self._file = folder / f".{_NAME}.{self.token}.journal"
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
        """Write down what will be put in place, down to the disk."""
        os.write(self._handle, msgspec.json.encode(steps))
        os.fsync(self._handle)

    def end(self) -> None:
        """Say that all is in place: from here on nothing is undone."""
        self._file.unlink()
        self.close()
        with contextlib.suppress(OSError):
            _tidy(self.folder, self.token)

    def undo(self, steps: Sequence[Step]) -> list[Path]:
        """Put everything back; return the files that couldn't be. Their journal stays for the next run."""
        stuck = _undo(self.folder, self.token, steps)
        with contextlib.suppress(OSError):  # a journal that stays is undone by the next run, which changes nothing more
            if not stuck:
                self._file.unlink(missing_ok=True)
                _tidy(self.folder, self.token)
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


def recover(folder: Path) -> list[str]:
    """Undo what runs that were cut off had begun in a folder, and take away what they left; return the names put back.

    What belongs to a run that goes on is left alone.
    """
    put_back: list[str] = []
    with contextlib.suppress(OSError):
        for token in {match["token"] for match in _ours(folder)}:
            put_back += _recover(folder, token)
    return put_back


def _recover(folder: Path, token: str) -> Iterator[str]:
    journal = folder / f".{_NAME}.{token}.journal"
    try:
        handle = os.open(journal, os.O_RDWR)
    except FileNotFoundError:  # all was in place when it ended, or nothing was begun
        if not _is_owned(folder / f".{_NAME}.{token}.new"):
            _tidy(folder, token)
        return
    try:
        if not _lock(handle):
            return
        text = os.read(handle, os.fstat(handle).st_size)
        steps = _read(text)
        if not _undo(folder, token, steps):
            journal.unlink(missing_ok=True)
            _tidy(folder, token)
            yield from (step.name for step in steps)
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


def _read(text: bytes) -> list[Step]:
    """Return the steps of a journal; none if it was cut off before it was whole, when nothing was put in place yet."""
    try:
        return msgspec.json.decode(text, type=list[Step])
    except (msgspec.DecodeError, RecursionError):
        return []


def _undo(folder: Path, token: str, steps: Sequence[Step]) -> list[Path]:
    """Put back what was replaced, and take away what is new; what somebody else has put there since stays."""
    stuck = []
    for step in steps:
        path, old = folder / step.name, _old(folder, step.name, token)
        try:
            is_there = os.path.lexists(path)
            is_ours = is_there and path.lstat().st_ino == step.inode
            if step.replaces and old.exists() and (is_ours or not is_there):
                old.replace(path)
            elif is_ours and not step.replaces:
                path.unlink()
        except OSError:
            stuck.append(path)
    return stuck


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
