"""What the commands share: their common options, and printing a result as text or as JSON."""

from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import click
import msgspec
from platformdirs import user_config_path

from skarvin.cli.terminal import echo, escaped_json, style
from skarvin.core.findings import Place, listing
from skarvin.core.grid.journal import recover
from skarvin.reports.masking import hidden, hidden_data

Command = TypeVar("Command", bound=Callable[..., Any])
PATH = click.Path(path_type=Path, readable=False)
"""A path that isn't looked at yet: whoever reads it says what is wrong with it, wherever it was named."""

mask_option = click.option(
    "--mask", "is_masked", is_flag=True, help="Replace names and identifiers with codes, the same each run."
)
quiet_option = click.option(
    "-q", "--quiet", "is_quiet", is_flag=True, help="Print only what needs a person, and the files that are made."
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print the same as JSON.")


def tidy(*folders: Path) -> None:
    """Undo what an earlier run that was cut off had begun to write in these folders, and say so."""
    for folder in dict.fromkeys(folders):
        found = recover(folder)
        if found.put_back:
            note(f"an earlier write was cut off; as they were before it: {', '.join(found.put_back)}")
        for name in found.strange:
            _tell_strange(folder.resolve() / name)


@cache
def _tell_strange(journal: Path) -> None:
    """Say once of a journal that it is left alone."""
    note(f"{journal.name} in {journal.parent} was not begun by you here, and is left alone; delete it if nobody writes")


def tell_elsewhere(transfer: Path) -> None:
    """Say which files a transfer names outside its own folder, before any of them is read."""
    from skarvin.core.plan.named_files import files_elsewhere  # noqa: PLC0415 - for transfers alone

    if names := files_elsewhere(transfer):
        note(f"{transfer.name} names files far from its own folder: {listing(names, 6)}")


def note(what: str) -> None:
    """Say something beside what a command prints."""
    echo(f"{style('note:', fg='yellow')} {hidden(what)}", err=True)


def library() -> Path:
    """Return the folder where a user's layouts are kept."""
    return user_config_path("skarvin", appauthor=False) / "layouts"


def print_json(data: Any) -> None:  # noqa: ANN401 - whatever JSON can hold
    """Print data as JSON."""
    echo(escaped_json(msgspec.json.format(msgspec.json.encode(hidden_data(data)), indent=2).decode()))


def heading(text: str, colour: str | None = None) -> str:
    """Return a heading for a part of a command's output; a colour is only ever a second signal."""
    return style(hidden(text), fg=colour, bold=True)


def warning(text: str) -> str:
    """Return a sentence that a person must not overlook."""
    return style(text, fg="red", bold=True) if text else ""


def more(shown: int, total: int, flag: str) -> str:
    """Return the line that says what a cut list leaves out, or nothing."""
    return f"  ... {total - shown} more; {flag} shows them" if total > shown else ""


def place_in(place: Place | None) -> str:
    """Return a place without its file, for lists about one file."""
    return str(Place(Path(), place.row, place.column, place.heading, place.line)).lstrip(", ") if place else ""
