"""Stable codes in place of names and identifiers, so that an output can be shown to others.

A code is a keyed hash; the key is made once for each user and kept in the platform's config folder, readable by the
owner alone. The same text has the same code in every output, and nobody else can compute it.
"""

import base64
import hashlib
import os
import secrets
from collections.abc import Callable
from functools import cache
from pathlib import Path

from platformdirs import user_config_path

_LENGTH = 5


def mask(text: str) -> str:
    """Return the code for a text; a blank stays blank."""
    if not text.strip():
        return text
    digest = hashlib.blake2b(text.strip().encode(), key=_key(), digest_size=_LENGTH).digest()
    return f"~{base64.b32encode(digest).decode().lower()}"


def masker(is_asked: bool) -> Callable[[str], str]:
    """Return what masks a text if that is asked for, and else leaves it."""
    return mask if is_asked else str


@cache
def _key() -> bytes:
    """Return this user's key; one for this run alone where it can't be kept."""
    file: Path = user_config_path("skarvin", appauthor=False) / "mask-key"
    try:
        file.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "wb") as new:
            new.write(secrets.token_bytes(32))
    except OSError:
        pass
    try:
        return file.read_bytes()[:64] or secrets.token_bytes(32)
    except OSError:
        return secrets.token_bytes(32)
