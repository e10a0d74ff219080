"""Finds the line of `transfer.toml` at which something stands, so that a message can point to it."""

import re
from functools import lru_cache

from skarvin.core.texts.patterns import pattern

_HEADER = pattern(r"""\s*\[(\[?)[ \t]*([\w."'-](?:[\w."' -]{0,200}[\w."'-])?)[ \t]*\]\]?\s*(?:#.*)?$""")
_KEY = pattern(r"""\s*(?:"([^"]*)"|'([^']*)'|([\w-]+))\s*=""")


def find_line(text: str, table: str | None, key: str | None = None, index: int = 0) -> int | None:
    """Return the line, from 1, of a table or of a key in it.

    Args:
        text: the whole file.
        table: the table's name; None for keys above every table.
        key: the key in the table; None for the table's own line.
        index: which of several tables of this name is meant, from 0.
    """
    lines = _lines(text)
    return lines.get((table, index, key)) or lines.get((table, index, None))


@lru_cache(maxsize=4)
def _lines(text: str) -> dict[tuple[str | None, int, str | None], int]:
    """Return the line of each table, and of each key in it, by its name, which of several it is, and the key."""
    found: dict[tuple[str | None, int, str | None], int] = {}
    table, index = None, 0
    seen: dict[str, int] = {}
    for number, line in enumerate(text.splitlines(), 1):
        if header := _HEADER.match(line):
            table = re.sub(r"""["']""", "", header[2])
            seen[table] = index = seen.get(table, -1) + 1
            found[table, index, None] = number
        elif key := _KEY.match(line):
            found.setdefault((table, index, next(filter(None, key.groups()), "")), number)
    return found


def find_below(text: str, above: str, key: str | None = None) -> int | None:
    """Return the line of a key in the first table whose name begins with `above`; the table's own line without a key.

    `[scale.craft]` and `[scale.craft.bands]` are tables below `scale`.
    """
    is_below, first = False, None
    for number, line in enumerate(text.splitlines(), 1):
        if header := _HEADER.match(line):
            name = re.sub(r"""["']""", "", header[2])
            is_below = f"{name}.".startswith(f"{above}.")
            first = first or (number if is_below else None)
        elif is_below and key and (found := _KEY.match(line)) and _folded(key) in map(_folded, found.groups()):
            return number
    return first


def _folded(text: str | None) -> str:
    return " ".join((text or "").split()).casefold()
