"""Makes the man pages anew, from the help that the commands show."""

from pathlib import Path

import click
from click_man.core import write_man_pages

from skarvin import __version__
from skarvin.cli.main import commands

MAN = Path(__file__).with_name("man")
_NO_DATE = " "


def make_pages(folder: Path) -> None:
    """Write a page for `skarvin` and one for each of its commands into a folder."""
    folder.mkdir(exist_ok=True)
    write_man_pages("skarvin", _loaded(commands), version=__version__, target_dir=str(folder), date=_NO_DATE)


def _loaded(group: click.Group) -> click.Group:
    """Return a group with all its commands, which else are loaded when they are asked for."""
    context = click.Context(group)
    found = {name: group.get_command(context, name) for name in group.list_commands(context)}
    known = {name: one for name, one in found.items() if one}
    return click.Group("skarvin", known, params=group.params, help=group.help, short_help=group.short_help)


if __name__ == "__main__":
    for page in MAN.glob("*.1"):
        page.unlink()
    make_pages(MAN)
