"""Words as a shell takes them, so that a command that is shown can be pasted."""

import shlex
from pathlib import Path

from skarvin.core.texts.patterns import pattern

_PLAIN = pattern(r"[\w ./-]+")
_OTHERS = pattern(r"[^\w-]+")


def quoted(word: str | Path) -> str:
    """Return a word as a shell takes it for one; double quotation marks are those that every shell knows."""
    word = str(word)
    if not _PLAIN.fullmatch(word):
        return shlex.quote(word)
    return f'"{word}"' if " " in word else word


def plain_name(text: str) -> str:
    """Return a text as a part of a file's name: its letters and digits, other signs as one dash."""
    return _OTHERS.sub("-", text).strip("-") or "_"
