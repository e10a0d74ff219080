"""Lines of a `transfer.toml`: a key, its value, and a note beside it."""

import msgspec

from skarvin.core.texts.patterns import pattern

_UNSEEN = pattern("[\x7f-\x9f\u200e\u200f\u2028-\u202e\u2066-\u2069]")
"""Signs that steer a screen, and are seen nowhere."""
_BARE = pattern(r"[A-Za-z0-9_-]+")


def quoted(text: str) -> str:
    """Return a text as a TOML string: one with double quotes in it alone as a literal string, which needs no escapes.

    JSON's escapes are those of TOML's basic string, too, but for DEL (TOML 1.0, section String).
    """
    if '"' in text and "'" not in text and text.isprintable():
        return f"'{text}'"
    encoded = msgspec.json.encode(text).decode()
    return _UNSEEN.sub(lambda match: f"\\u{ord(match[0]):04x}", encoded)


def key_of(text: str) -> str:
    """Return a text as a TOML key."""
    return text if _BARE.fullmatch(text) else quoted(text)


def line(key: str, value: str, note: str = "", width: int = 42) -> str:
    """Return a line with a note beside it."""
    text = f"{key} = {value}"
    return f"{text.ljust(width)} # {note}" if note else text


def listed(texts: list[str]) -> str:
    """Return texts as a TOML list, one a line if they are many."""
    flat = f"[{', '.join(map(quoted, texts))}]"
    if len(flat) <= 80:  # noqa: PLR2004 - as wide as a narrow screen
        return flat
    return "[\n" + "".join(f"  {quoted(text)},\n" for text in texts) + "]"
