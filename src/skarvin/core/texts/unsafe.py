"""Text that is no mere text where it arrives: what a spreadsheet would run, and control characters.

A file of delimited text that is opened in a spreadsheet runs each cell that begins with a sign of a formula (OWASP: CSV
Injection). Numbers with a sign are numbers, and '- well done' is a remark: neither is taken for a formula.
"""

import re
from enum import StrEnum

from skarvin.core.texts.patterns import pattern

_FORMULA = pattern(r"[\s\x00-\x1f\ufeff\u200b]*[=@＝＠]")
_SIGNED = pattern(r"[\s\x00-\x1f\ufeff\u200b]*[-+－＋]")
_CALLS = pattern(r"[(!|]")
_OPERAND = r"(?:\d{1,30}(?:[.,]\d{1,30})?%?|\$?[A-Za-z]{1,3}\$?\d{1,7})"
_REFERENCE = pattern(r"\s*[-+－＋]\s*\$?[A-Za-z]{1,3}\$?\d{1,7}\s*")
_SUM = pattern(rf"\s*(?:[-+－＋]\s*{_OPERAND}\s*)(?:[-+*/^&－＋]\s*{_OPERAND}\s*)++(?:[-+*/^&].*)?", re.DOTALL)
_CONTROL = pattern(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f]")


class UnsafeText(StrEnum):
    """What becomes of a text that a spreadsheet would run."""

    HOLD = "hold"
    APOSTROPHE = "apostrophe"


def would_run(text: str) -> bool:
    """Tell whether a spreadsheet takes a text for a formula."""
    if _FORMULA.match(text):
        return True
    if not _SIGNED.match(text):
        return False
    return bool(_CALLS.search(text) or _REFERENCE.fullmatch(text) or _SUM.fullmatch(text))


def control_in(text: str) -> str:
    """Return what the first control character in a text is called; nothing where there is none."""
    found = _CONTROL.search(text) if not text.isprintable() else None
    return "" if found is None else f"U+{ord(found[0]):04X}"


def without_apostrophe(text: str) -> str:
    """Return what a text says whose apostrophe in front keeps it from being run; any other as it is."""
    return text[1:] if text.startswith("'") and would_run(text[1:]) else text


def as_text(text: str) -> str:
    """Return a text as every spreadsheet takes it for one: with an apostrophe in front of what it would run."""
    return f"'{text}" if would_run(text) else text
