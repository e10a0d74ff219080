"""What reaches the terminal: text that it only shows and never obeys, and the program's own colours."""

import re
from typing import Any

import click

from skarvin.core.texts.patterns import pattern

_OBEYED = pattern(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2060-\u206f\ufdd8-\ufdef\ufeff\ufff9-\ufffb\U000e0000-\U000e007f]"
)
"""Control characters, those that turn the direction of writing, and those that nobody sees."""
_PICTURES = 0x2400
"""Where the pictures of control characters begin (Unicode, Control Pictures)."""
_DELETE, _DELETE_PICTURE = "\x7f", "\u2421"
_STYLES = {
    "\ufdd0": "\x1b[0m",
    "\ufdd1": "\x1b[1m",
    "\ufdd2": "\x1b[31m",
    "\ufdd3": "\x1b[32m",
    "\ufdd4": "\x1b[33m",
}
"""Stand-ins for the program's own colours until the last step; text from a file can't get more than these."""
_RESET, _BOLD = "\ufdd0", "\ufdd1"
_COLOURS = {"red": "\ufdd2", "green": "\ufdd3", "yellow": "\ufdd4"}
_STYLE = pattern(f"[{''.join(_STYLES)}]")


def shown(text: str) -> str:
    """Return a text with a picture or the number of each character that a terminal obeys or hides."""
    return _OBEYED.sub(_picture, text)


def _picture(match: re.Match[str]) -> str:
    sign = match[0]
    if sign == _DELETE:
        return _DELETE_PICTURE
    return chr(_PICTURES + ord(sign)) if sign < " " else f"<U+{ord(sign):04X}>"


def style(text: str, *, fg: str | None = None, bold: bool = False) -> str:
    """Return a text with a colour, or in bold; `echo` puts it on the screen."""
    return f"{_COLOURS[fg] if fg else ''}{_BOLD if bold else ''}{text}{_RESET}"


def unstyled(text: str) -> str:
    """Return a text without the program's own colours."""
    return _STYLE.sub("", text)


def echo(text: str = "", *, err: bool = False, nl: bool = True) -> None:
    """Print a text: nothing in it is obeyed but the program's own colours, and these where there is a terminal."""
    click.echo(_coloured(text), err=err, nl=nl)


def ask(text: str, **how: Any) -> str:  # noqa: ANN401 - Click's own options
    """Ask at the keyboard, with a text in which nothing is obeyed."""
    said: str = click.prompt(_coloured(text), **how)
    return said


def agree(text: str, *, default: bool) -> bool:
    """Ask for yes or no, with a text in which nothing is obeyed."""
    return click.confirm(_coloured(text), default=default)


def one_line(text: str) -> str:
    """Return a text in one line."""
    return " ".join(text.splitlines())


def _coloured(text: str) -> str:
    return _STYLE.sub(lambda match: _STYLES[match[0]], shown(text))


def escaped_json(text: str) -> str:
    """Return JSON with such characters written as their numbers, which means the same."""
    return _OBEYED.sub(lambda match: _escaped(ord(match[0])), text) if not text.isascii() or "\x7f" in text else text


def _escaped(code: int) -> str:
    units = chr(code).encode("utf-16-be")
    return "".join(f"\\u{units[at] << 8 | units[at + 1]:04x}" for at in range(0, len(units), 2))
