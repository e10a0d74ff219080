"""Help that shows first what most need, and the rest when it is asked for."""

import sys

import click

COMMON = ("--transfer", "--like", "--each", "--item", "--pair", "--use", "--status", "--help")
"""The options of `draft` that most need."""
_HELP = frozenset({"--help", "-h"})
whole_help = click.option(
    "--all", is_flag=True, expose_value=False, hidden=True, help="With --help: show every option."
)
"""Lets `--help --all` be said."""


class GroupedCommand(click.Command):
    """A command with many options: the commonest are shown, and all of them with `--help --all`."""

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the options."""
        options = [one for one in self.get_params(ctx) if isinstance(one, click.Option)]
        records = {one.opts[-1]: record for one in options if (record := one.get_help_record(ctx))}
        is_whole = "--all" in sys.argv and _HELP & set(sys.argv)
        shown = [record for name, record in records.items() if is_whole or name in COMMON]
        with formatter.section("Options"):
            formatter.write_dl(shown)
        if len(shown) < len(records):
            page = ctx.command_path.replace(" ", "-")
            formatter.write_text(f"{len(records) - len(shown)} more: {ctx.command_path} --help --all, or man {page}")
