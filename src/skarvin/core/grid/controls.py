"""Characters of a text file that no keyboard types, NUL and its like: told, and set aside if a person says so."""

from collections.abc import Sequence
from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable, counted
from skarvin.core.texts.patterns import pattern

_CONTROLS = pattern(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")
_MANY = 50
"""So many NUL bytes for each line, and the file is none of text."""


def set_aside_controls(text: str, file: Path, *, skip: bool) -> tuple[str, Sequence[Finding]]:
    """Return a text, and what is to be said of control characters in it; without them if they are to be skipped.

    Raises:
        Unreadable: it holds NUL, which no text does, and nobody said to skip it.
    """
    if "\0" not in text and not skip:
        return text, ()
    if not skip:
        raise Unreadable(_nul(text, file))
    found = _CONTROLS.findall(text)
    if not found:
        return text, ()
    first = _CONTROLS.search(text)
    line = text.count("\n", 0, first.start() if first else 0) + 1
    what = f"{counted(len(found), 'control character')} set aside, first here: {named(found[0])}"
    return _CONTROLS.sub("", text), (Finding("controls-skipped", what, Place(file, line=line)),)


def named(sign: str) -> str:
    """Return what a character is called that can't be shown."""
    return "NUL" if sign == "\0" else f"U+{ord(sign):04X}"


def _nul(text: str, file: Path) -> Finding:
    count, line = text.count("\0"), text.count("\n", 0, text.index("\0")) + 1
    if count > _MANY * (text.count("\n") + 1):
        what = f"this is not a text file ({count:,} of its {len(text):,} characters are NUL)"
        return Finding("not-text", what, Place(file), "Export the marks as delimited text or a workbook.")
    what = f"{counted(count, 'NUL character')} in this text, the first in this line"
    mend = "Export it again; an export is read without them by --skip-controls, or skip_controls = true."
    return Finding("nul", what, Place(file, line=line), mend)
