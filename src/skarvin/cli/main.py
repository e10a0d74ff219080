"""The entry point: the commands in the order of work, and the one place where errors become exit codes.

Exit codes (docs/exit-codes.md):

    0   all accounted for and nothing held
    1   done, but something is held
    2   wrong usage
    3   an input cannot be read or understood
    4   refused, nothing written
    5   done, but what was to be shown couldn't be: a full disk, a closed pipe
    70  a fault of Skarvin itself
"""

import contextlib
import os
import sys
from collections.abc import Mapping
from difflib import get_close_matches
from importlib import import_module
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

import click

from skarvin import __version__
from skarvin.cli.terminal import echo, one_line, style
from skarvin.core.findings import Finding, Misused, Place, Refused, SkarvinError, Unreadable
from skarvin.core.texts.own_words import OWN_WORDS

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

_EXIT_CODES: dict[type[SkarvinError], int] = {Misused: 2, Unreadable: 3, Refused: 4}
_MOST_FINDINGS = 12
_FAULT, _UNSHOWN = 70, 5
_LEFT_OVER = (".part", ".old", ".new", ".journal")

ORDER_OF_WORK = """\
Skarvin moves marks from one system's export into another's import file,
and accounts for every one of them.

  1  skarvin look FILE               what is in a file
  2  skarvin draft EXPORT FORM   proposes the transfer: transfer.toml
  3  skarvin students                who is who; the ones in doubt are yours to decide
  4  skarvin preview                 what would change; writes nothing
  5  skarvin write                   the import file and the report
  6  skarvin confirm FRESH_EXPORT    after the upload: did each mark arrive

  also        skarvin history        what was written and confirmed, and when
              skarvin layout         learn, list, show and check layouts
              skarvin roster         class lists into a roster import
              skarvin pull, push     a class from a service, results to it
  new here?   skarvin demo           the whole job on made-up data
  more        skarvin COMMAND --help
"""
_COMMANDS: Mapping[str, str] = MappingProxyType(
    {
        "look": "Show what is in a file, and how it is read.",
        "draft": "Propose the transfer: writes transfer.toml.",
        "students": "Show who is paired with whom; decide who is in doubt.",
        "preview": "Show what a write would do; writes nothing.",
        "write": "Write the import file and the report.",
        "confirm": "After the upload: did each mark arrive?",
        "pull": "Get a class from a service.",
        "push": "Send what a write made to a service.",
        "history": "What was written and confirmed, and when.",
        "layout": "Learn, list, show and check layouts.",
        "roster": "Turn class lists into a roster import.",
        "demo": "Run the whole job on made-up data.",
    }
)
"""Each command in a line: they are listed, and completed, without being loaded."""


class _Commands(click.Group):
    """Loads a command's module only when the command is asked for."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002 - Click's signature
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            close = get_close_matches(cmd_name, _COMMANDS, 1, 0.5)
            hint = f" Did you mean: skarvin {close[0]}?" if close else ""
            ctx.fail(f"No such command '{cmd_name}'.{hint}")
        from skarvin.cli.output import library  # noqa: PLC0415 - --version and the order of work do without

        OWN_WORDS.lie_in(sorted(library().glob("*.words.toml")))
        command: click.Command = import_module(f"skarvin.cli.{cmd_name}").command
        command.short_help = _COMMANDS[cmd_name]
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002
        with formatter.section("Commands"):
            formatter.write_dl(list(_COMMANDS.items()))

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list["CompletionItem"]:
        from click.shell_completion import CompletionItem  # noqa: PLC0415 - only where something is completed

        found = [CompletionItem(name, help=told) for name, told in _COMMANDS.items() if name.startswith(incomplete)]
        return [*found, *click.Command.shell_complete(self, ctx, incomplete)]


@click.group(
    cls=_Commands,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"]},
    short_help="Move marks between learning systems.",
)
@click.version_option(__version__, message="skarvin %(version)s")
@click.pass_context
def commands(context: click.Context) -> None:
    """Move marks between learning systems, with every mark accounted for."""
    _tidy_here()
    if context.invoked_subcommand is None:
        from skarvin.cli.folder_state import format_folder  # noqa: PLC0415 - commands and --version do without

        echo(format_folder(Path.cwd()) or ORDER_OF_WORK, nl=False)


def _tidy_here() -> None:
    """Take away, in the folder where a command is run, what an earlier run left that was cut off."""
    with contextlib.suppress(OSError):
        if any(name.startswith(".") and name.endswith(_LEFT_OVER) for name in os.listdir()):  # noqa: PTH208 - names alone
            from skarvin.cli.output import tidy  # noqa: PLC0415 - hardly ever

            tidy(Path.cwd())


def main() -> None:  # pragma: no cover - it ends its process, so that only those that the tests start reach it
    """Run the command line and leave with its exit code."""
    for stream in filter(None, (sys.stdout, sys.stderr)):
        stream.reconfigure(errors="replace")
    code = run()
    try:
        for stream in filter(None, (sys.stdout, sys.stderr)):
            stream.flush()
    except (OSError, ValueError) as error:
        code = _say_unshown(error)
    os._exit(code)  # freeing what is left one by one takes a twentieth of a run, and the system does it at once


def run() -> int:  # noqa: PLR0911 - a way out for each kind of end
    """Run the command line; return its exit code."""
    try:
        result = commands(standalone_mode=False)
    except SkarvinError as error:
        return _say(error)
    except click.exceptions.Exit as leaving:
        return leaving.exit_code
    except click.ClickException as error:
        return _say_usage(error)
    except (click.Abort, KeyboardInterrupt):
        echo("Stopped; what wasn't finished is as it was before.", err=True)
        return _EXIT_CODES[Refused]
    except MemoryError:
        what = "this takes more memory than there is here"
        return _say(Refused(Finding("memory", what, mend="No file was left half written. Move the classes apart.")))
    except SystemExit:  # Click's way out when nobody reads any more
        return _UNSHOWN
    except OSError as error:
        return _say_system(error)
    except Exception as error:  # noqa: BLE001 - the last stop: no student's data may reach a trace
        return _say_fault(error)
    return result if isinstance(result, int) else 0


def _say_usage(error: click.ClickException) -> int:
    """Say what is wrong with the words that were typed, and where help is."""
    echo(f"{style('error:', fg='red')} {one_line(error.format_message())}", err=True)
    if isinstance(error, click.UsageError) and error.ctx:
        echo(f"{error.ctx.get_usage()}\nTry: {error.ctx.command_path} --help", err=True)
    return error.exit_code


def _say_system(error: OSError) -> int:
    """Say what the system doesn't let be done: with a file, or with what is to be shown."""
    if error.filename is None:
        return _say_unshown(error)
    what = f"the file can't be used: {(error.strerror or str(error)).lower()}"
    return _say(Unreadable(Finding("system", what, Place(Path(str(error.filename))))))


def _say_unshown(error: Exception) -> int:
    """Say, where that still can be said, that what was to be shown couldn't be."""
    reason = (getattr(error, "strerror", None) or str(error)).lower()
    text = f"error: what was to be shown can't be: {reason}. The files are as the command leaves them.\n"
    with contextlib.suppress(OSError, ValueError, AttributeError):
        os.write(sys.stderr.fileno(), text.encode())
    return _UNSHOWN


def _say_fault(error: Exception) -> int:
    """Say that Skarvin itself is at fault, and where, without any value from the data."""
    import traceback  # noqa: PLC0415 - a run without a fault does without

    echo(f"{style('fault:', fg='red')} Skarvin itself failed ({type(error).__name__}).", err=True)
    for frame in traceback.extract_tb(error.__traceback__)[-4:]:
        echo(f"  {Path(frame.filename).name}, line {frame.lineno}, in {frame.name}", err=True)
    echo("No input was changed. Please report these lines; they hold nothing of your data.", err=True)
    return _FAULT


def _say(error: SkarvinError) -> int:
    for finding in error.findings[:_MOST_FINDINGS]:
        echo(f"{style('error:', fg='red')} {one_line(str(finding))}", err=True)
    if len(error.findings) > _MOST_FINDINGS:
        echo(f"... and {len(error.findings) - _MOST_FINDINGS} more of this kind", err=True)
    return _EXIT_CODES[type(error)]
