"""One way of asking at the keyboard: numbers choose, `=` is in front of a text of one's own, letters are commands."""

from collections.abc import Collection, Mapping
from types import MappingProxyType
from typing import NamedTuple

from skarvin.cli.table import wrap
from skarvin.cli.terminal import ask, echo
from skarvin.core.texts.patterns import pattern

LATER, STOP, BACK, SHOW, ALL, HELP, SEARCH = "l", "q", "b", "s", "a", "?", "/"
_WORDS: Mapping[str, str] = MappingProxyType(
    {"later": LATER, "stop": STOP, "quit": STOP, "exit": STOP, "back": BACK, "show": SHOW, "help": HELP, "": LATER}
)
_MENU: Mapping[str, str] = MappingProxyType(
    {
        BACK: "b back",
        SHOW: "s show rows",
        ALL: "a all like this",
        SEARCH: "/ search",
        LATER: "l later",
        STOP: "q stop",
        HELP: "? help",
    }
)
_HELP: Mapping[str, str] = MappingProxyType(
    {
        BACK: "b goes back to the question before, and takes its answer back",
        SHOW: "s shows the rows that this is about",
        ALL: "a in front of an answer takes it for all questions like this one: a 1, a =TEXT",
        SEARCH: "/ and a part of a name or number looks for it in the form: /mei",
        LATER: "l, or Enter alone, leaves this for later",
        STOP: "q stops; what is answered is kept",
    }
)


_NUMBER = pattern(r"-?\d+(?:[.,]\d+)?")


class Said(NamedTuple):
    """What a person typed: a command, the number of a choice from 1 on, or a text; maybe for all questions like it."""

    command: str = ""
    choice: int = 0
    text: str | None = None
    for_all: bool = False


def hear(choices: int, free: str, commands: Collection[str]) -> Said:
    """Ask until what is typed can be meant.

    Args:
        choices: how many are numbered.
        free: what a text of one's own is: 'CODE'; blank where none is taken.
        commands: which of the commands there are, besides later, stop and help.
    """
    known = {*commands, LATER, STOP}
    numbers = [] if not choices else ["1"] if choices == 1 else [f"1-{choices}"]
    menu = [*numbers, *([f"={free}"] if free else []), *(_MENU[one] for one in _MENU if one in known or one == HELP)]
    while True:
        typed = ask(wrap(f"[{', '.join(menu)}]", 2), default=LATER, show_default=False)
        said = understood(typed, choices, free, known)
        if said is not None:
            return said
        if _WORDS.get(typed.strip().casefold(), typed.strip()) != HELP:
            echo("  That can't be meant here.")
        own = [f"={free} takes a text of your own"] if free else []
        number = ["a number chooses"] if choices else []
        for line in (*number, *own, *(text for one, text in _HELP.items() if one in known)):
            echo(wrap(line, 4))


def understood(typed: str, choices: int, free: str, commands: Collection[str]) -> Said | None:
    """Return what is meant by what was typed; None if nothing can be, or help is asked for.

    Case and blanks around don't matter; a text of one's own begins with `=`, so that it can't be a command. Where
    nothing is numbered, a number is one's own.
    """
    bare = typed.strip()
    command = _WORDS.get(bare.casefold(), bare.casefold())
    if command in commands and command != ALL:
        return Said(command)
    if not choices and free and _NUMBER.fullmatch(bare):
        return Said(text=bare)
    if bare.isdecimal() and bare.isascii():
        return Said(choice=int(bare)) if 0 < int(bare) <= choices else None
    first, rest = bare[:1].casefold(), bare[1:].strip()
    if first == ALL and ALL in commands:
        said = understood(rest, choices, free, ())
        return said._replace(for_all=True) if said else None
    if (first, bool(free)) == ("=", True) or (first == SEARCH and SEARCH in commands):
        return Said("" if first == "=" else SEARCH, text=rest)
    return None
