"""What a file holds, read with a bound; what only looks like a file is refused."""

import errno
import gzip
import hashlib
import io
import os
import select
import stat
import zlib
from pathlib import Path
from typing import BinaryIO

from skarvin.core.findings import Finding, Place, Unreadable

MOST_BYTES = 1_000_000_000
"""A larger file can't be one of marks: 50,000 students with 200 marks take 50 MB, 200,000 with 1,000 take 800 MB."""
MOST_PIPED = 250_000_000
"""So much is read out of a pipe, and unpacked from compressed text."""
_GZIP = b"\x1f\x8b"
_BLOCK = 1 << 20
_OF_SYSTEM = ("/dev/", "/proc/")
_PATIENCE = 5
"""So many seconds is waited for somebody to write into a pipe that lies in a folder."""


def is_folder(file: Path) -> bool:
    """Tell whether a path is that of a folder, whatever characters stand in it."""
    return os.path.isdir(file)  # noqa: PTH112 - Path.is_dir raises for names that are too long


def read_bytes(file: Path, *, may_be_pipe: bool = False) -> bytes:
    """Return what a file holds.

    Args:
        file: where it lies.
        may_be_pipe: whether nobody reads it a second time, so that it may be a pipe.

    Raises:
        Unreadable: there is no such file, it is a folder or a device, it is larger than `MOST_BYTES`, or it may not be
            read.
    """
    try:
        kind = file.stat()
        if stat.S_ISDIR(kind.st_mode):
            raise _unreadable(file, "folder", "this is a folder", "Name the file inside it.")
        if stat.S_ISFIFO(kind.st_mode):
            return _read_pipe(file, may_be_pipe=may_be_pipe)
        if not stat.S_ISREG(kind.st_mode):
            raise _unreadable(file, "no-file", "this is a device and no file", "Name a file.")
        if kind.st_size > MOST_BYTES:
            raise _too_large(file, kind.st_size)
        with file.open("rb") as stream:
            # what the system makes up while it is read says that it is empty, and may have no end
            return stream.read(kind.st_size + 1) if kind.st_size else b""
    except FileNotFoundError:
        raise _unreadable(file, "missing-file", "there is no such file", "Check its name and folder.") from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise _unreadable(file, "unreadable-file", f"the file can't be read: {reason.lower()}", "") from None


def _read_pipe(file: Path, *, may_be_pipe: bool) -> bytes:
    if not may_be_pipe:
        mend = "Save what comes out of it as a file, and name that."
        raise _unreadable(file, "pipe", "this is a pipe, which can be read only once", mend)
    handle = os.open(file, os.O_RDONLY | (0 if str(file).startswith(_OF_SYSTEM) else os.O_NONBLOCK))
    with os.fdopen(handle, "rb") as stream:
        if not select.select([handle], [], [], _PATIENCE)[0] and not str(file).startswith(_OF_SYSTEM):
            raise _unreadable(file, "pipe", "this is a pipe, and nobody writes into it", "Name a file.")
        os.set_blocking(handle, True)
        return read_stream(stream, file)


def is_bare_name(name: str) -> bool:
    """Tell whether a name is one of a file in a folder that is known, and leads nowhere else."""
    return name not in {"", ".", ".."} and not any(sign in name for sign in "/\\\0")


def own_bytes(file: Path) -> bytes:
    """Return what a file of the program's own holds; whatever else has its name is as good as none.

    Raises:
        OSError: it isn't there, or is no file.
    """
    if not stat.S_ISREG(file.stat().st_mode):
        raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), str(file))
    return file.read_bytes()


def read_stream(stream: BinaryIO, file: Path) -> bytes:
    """Return what comes out of a stream until it ends.

    Raises:
        Unreadable: more than `MOST_PIPED` comes.
    """
    data = stream.read(MOST_PIPED + 1)
    if len(data) > MOST_PIPED:
        raise _too_large(file, None)
    return data


def unpacked(data: bytes, file: Path) -> bytes:
    """Return what compressed text (gzip, RFC 1952) holds; anything else as it is.

    Raises:
        Unreadable: it is damaged, unpacks to more than `MOST_PIPED`, or holds something compressed again.
    """
    if not data.startswith(_GZIP):
        return data
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(data)) as stream:
            blocks, size = [], 0
            while block := stream.read(_BLOCK):
                blocks.append(block)
                size += len(block)
                if size > MOST_PIPED:
                    raise _unreadable(
                        file,
                        "bomb",
                        f"this compressed text would unpack to more than {MOST_PIPED // 1_000_000:,} MB",
                        "Unpack it and see what it is.",
                    )
    except (OSError, EOFError, zlib.error):
        what = "this compressed text is damaged and can't be unpacked"
        raise _unreadable(file, "damaged", what, "Export it again.") from None
    text = b"".join(blocks)
    if text.startswith(_GZIP):
        raise _unreadable(file, "no-grid", "this is compressed twice", "Unpack it once, and name that file.")
    return text


def _too_large(file: Path, size: int | None) -> Unreadable:
    most = MOST_PIPED if size is None else MOST_BYTES
    has = f"this has {size // 1_000_000:,} MB" if size is not None else "more comes out of it"
    what = f"{has}; more than {most // 1_000_000:,} MB can't be marks"
    return _unreadable(file, "too-large", what, "Export the classes apart.")


def _unreadable(file: Path, slug: str, what: str, mend: str) -> Unreadable:
    return Unreadable(Finding(slug, what, Place(file), mend))


def fingerprint(data: bytes) -> str:
    """Return the SHA-256 of what a file holds, in hexadecimal digits."""
    return hashlib.sha256(data).hexdigest()
