"""How a transfer names a file."""

import os
from pathlib import Path


def relative(path: Path, file: Path) -> str:
    """Return the path from the transfer's folder, so that the folder can be moved as a whole."""
    try:
        return Path(os.path.relpath(path, file.parent)).as_posix()
    except ValueError:  # another drive
        return path.resolve().as_posix()
