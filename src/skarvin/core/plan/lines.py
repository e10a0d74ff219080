"""Finds the line of `transfer.toml` at which something stands, so that a message can point to it."""

import re

_HEADER = re.compile(r"""\s*\[(\[?)\s*([\w."' -]+?)\s*\]\]?\s*(?:#.*)?$""")
_KEY = re.compile(r"""\s*(?:"([^"]*)"|'([^']*)'|([\w-]+))\s*=""")


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
            name = re.sub(r"""["']""", "", header[2])
            seen[name] = seen.get(name, -1) + 1
            at = (name, seen[name])
            if at == (table, index):
                first = number
        elif key and at == (table, index) and (found := _KEY.match(line)) and key in found.groups():
            return number
    return first


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
