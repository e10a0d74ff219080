"""The next command, as it can be pasted: with the transfer that was named, and its words quoted where they must be."""

import shlex
from pathlib import Path

from skarvin.cli.output import heading
from skarvin.cli.which_transfer import usual_transfer
from skarvin.core.texts.patterns import pattern

_PLAIN = pattern(r"[\w ./-]+")
FRESH = "FRESH_EXPORT"
"""What stands for a file that only the person can name."""


def command_line(command: str, transfer: Path, *words: str | Path) -> str:
    """Return a command for a transfer; the option is left out where it would be meant anyhow."""
    said = [*map(str, words)]
    named = [word for word in said if not word.startswith("--")] if said[:1] == [FRESH] else []
    is_usual = transfer in {Path("transfer.toml"), Path()} and usual_transfer() == transfer
    where = [] if is_usual else ["--transfer", str(transfer)]
    return " ".join(["skarvin", command, *map(quoted, [*named, *where, *said[len(named) :]])])


def quoted(word: str | Path) -> str:
    """Return a word as a shell takes it for one; double quotation marks are those that every shell knows."""
    word = str(word)
    if not _PLAIN.fullmatch(word):
        return shlex.quote(word)
    return f'"{word}"' if " " in word else word


def next_line(command: str) -> str:
    """Return the line that names the next command; it is never wrapped, so that it can be pasted."""
    return f"{heading('Next')}: {command}"
