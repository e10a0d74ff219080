"""Which transfer a command is about: the one that is named, or the one that is meant."""

from pathlib import Path

import click

from skarvin.cli.output import PATH

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
