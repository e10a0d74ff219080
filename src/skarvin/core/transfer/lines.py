"""Finds the line of `transfer.toml` at which something stands, so that a message can point to it."""

import re

_HEADER = re.compile(r"\s*\[(\[?)\s*([\w-]+)\s*\]\]?\s*(?:#.*)?$")
_KEY = re.compile(r"""\s*["']?([\w-]+)["']?\s*=""")


def find_line(text: str, table: str | None, key: str | None = None, index: int = 0) -> int | None:
    """Return the line, from 1, of a table or of a key in it.

    Args:
        text: the whole file.
        table: the table's name; None for keys above every table.
        key: the key in the table; None for the table's own line.
        index: which of several tables of this name is meant, from 0.
    """
    at: tuple[str | None, int] = (None, 0)
    seen: dict[str, int] = {}
    first = None
    for number, line in enumerate(text.splitlines(), 1):
        if header := _HEADER.match(line):
            name = header[2]
            seen[name] = seen.get(name, -1) + 1
            at = (name, seen[name])
            if at == (table, index):
                first = number
        elif key and at == (table, index) and (found := _KEY.match(line)) and found[1] == key:
            return number
    return first
