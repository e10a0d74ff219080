"""Which transfer a command is about: the one that is named, or the one that is meant."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from skarvin.cli.output import PATH
from skarvin.core.findings import Finding, Misused
from skarvin.core.plan.reading import Instead

_USUAL = Path("transfer.toml")

transfer_option = click.option(
    "-t",
    "--transfer",
    "transfer",
    type=PATH,
    default=lambda: usual_transfer(),  # noqa: PLW0108 - it stands below
    show_default="transfer.toml; without one, all in this folder and below",
    help="The transfer to use. With students, preview, write, confirm: also a folder of several.",
)


def for_one_run(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options that put other files in place of those that the transfer names."""
    for name, what in (("form", "form"), ("export", "export")):
        text = f"Another {what} than the transfer names, for this once."
        command = click.option(f"--{name}", type=PATH, metavar="FILE", help=text)(command)
    return command


def other_files(transfer: Path, export: Path | None, form: Path | None) -> Instead:
    """Return the files of `for_one_run`.

    Raises:
        Misused: they are given for a folder of transfers.
    """
    if transfer.is_dir() and (export or form):
        what = f"{transfer} is a folder of transfers, and each has files of its own"
        raise Misused(Finding("several-transfers", what, None, "Name one with --transfer."))
    return Instead(export, form)


def usual_transfer() -> Path:
    """Return the transfer that is meant where none is named: the folder's own, its only one, or all in and below it."""
    from skarvin.core.transfer.transfer_state import transfers_in  # noqa: PLC0415 - only where it isn't called as usual

    if _USUAL.exists():
        return _USUAL
    below = [path for path in Path().iterdir() if path.is_dir() and not path.name.startswith(".")]
    found = [transfer for folder in (Path(), *below) for transfer in transfers_in(folder)]
    if len(found) == 1:
        return found[0]
    return Path() if found else _USUAL
