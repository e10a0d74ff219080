"""Identifiers as they were before a spreadsheet had them, where that is certain."""

import re

from skarvin.core.texts.folding import UNSEEN

SPACES = re.compile("[\u00a0\u2000-\u200a\u202f\u205f\u3000]")
POINT_ZERO = re.compile(r"\s*(\d+)\.0+\s*")


def restore(text: str) -> tuple[str, tuple[str, ...]]:
    """Return an identifier as it was before a spreadsheet had it, and what was set right. Only what is certain is."""
    if text.isascii() and not text.rstrip().endswith("0"):
        return text, ()
    done = []
    if not text.isascii():
        plain = SPACES.sub(" ", UNSEEN.sub("", text))
        if plain.strip() != text.strip() or UNSEEN.search(text):
            done.append("unseen characters taken out")
        text = plain
    if match := POINT_ZERO.fullmatch(text):
        text = match[1]
        done.append("a trailing .0 taken off")
    return text, tuple(done)
