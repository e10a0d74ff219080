"""TOML that a person wrote, read with bounds: no file of a few lines may take minutes, or end in a trace."""

import re
import tomllib
from decimal import Decimal
from typing import Any

from skarvin.core.texts.patterns import pattern

MOST_CHARACTERS = 2_000_000
"""A transfer with 2,000 items has 300,000; one that names 50,000 students one by one, a million."""
_MOST_DOTS = 40
_DOTTED = pattern(rf"(?<![\w-])(?:[\w-]++\s*+\.\s*+){{{_MOST_DOTS}}}")
_DIGITS = pattern(r"(?<!\w)[-+]?[\d_]{4000}")
_AT = pattern(r"\s*\(at (?:line (\d+), column \d+|end of document)\)")


class TomlFault(ValueError):
    """A text that is no TOML, or more than is read; `line` says where, from 1, `around` what stands there, if known."""

    def __init__(self, what: str, line: int | None = None, around: str = "") -> None:
        super().__init__(what)
        self.line, self.around = line, around


def load_toml(text: str) -> dict[str, Any]:
    """Return what a text in TOML (version 1.0) holds; numbers with decimals are decimals.

    Raises:
        TomlFault: it is none, it is too long, too deeply nested, or has a number with thousands of digits.
    """
    if len(text) > MOST_CHARACTERS:
        raise TomlFault(f"it has {len(text):,} characters; more than {MOST_CHARACTERS:,} aren't read")
    if dotted := _DOTTED.search(text):
        raise TomlFault(f"more than {_MOST_DOTS} names with dots between them", _line(text, dotted))
    try:
        return tomllib.loads(text, parse_float=Decimal)
    except tomllib.TOMLDecodeError as error:
        found = _AT.search(str(error))
        line = int(found[1]) if found and found[1] else None
        lines = text.split("\n")
        around = lines[line - 1].partition("#")[0] if line and line <= len(lines) else ""
        raise TomlFault(_AT.sub("", str(error)), line, around) from None
    except RecursionError:
        raise TomlFault("lists or tables are nested too deeply") from None
    except ValueError:
        raise TomlFault("a number has thousands of digits", _line(text, _DIGITS.search(text))) from None


def _line(text: str, match: re.Match[str] | None) -> int | None:
    return None if match is None else text.count("\n", 0, match.start()) + 1
