"""The next command, as it can be pasted: with the transfer that was named, and its words quoted where they must be."""

from pathlib import Path

import click

from skarvin.cli.output import heading
from skarvin.cli.which_transfer import usual_transfer
from skarvin.core.texts.shell_words import quoted

FRESH = "FRESH_EXPORT"
"""What stands for a file that only the person can name."""


def command_line(command: str, transfer: Path, *words: str | Path) -> str:
    """Return a command for a transfer; the option is left out where it would be meant anyhow."""
    said = [*map(str, words)]
    named = [word for word in said if not word.startswith("--")] if said[:1] == [FRESH] else []
    is_usual = transfer in {Path("transfer.toml"), Path()} and usual_transfer() == transfer
    where = [] if is_usual else ["--transfer", str(transfer)]
    other = _for_this_once() if command in {"students", "preview", "write"} else []
    return " ".join(["skarvin", command, *map(quoted, [*named, *where, *other, *said[len(named) :]])])


def _for_this_once() -> list[str]:
    """Return the files that were named in place of the transfer's own: they hold for what comes next, too."""
    context = click.get_current_context(silent=True)
    given = context.params if context else {}
    if "export" not in given:
        return []
    return [word for name in ("export", "form") if given[name] for word in (f"--{name}", str(given[name]))]


def next_line(command: str) -> str:
    """Return the line that names the next command; it is never wrapped, so that it can be pasted."""
    return f"{heading('Next')}: {command}"
