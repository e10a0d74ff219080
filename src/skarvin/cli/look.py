"""`skarvin look`: what is in a file, or in two side by side."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from skarvin.cli.brief import is_brief
from skarvin.cli.look_data import comparison_data, look_data
from skarvin.cli.look_tables import format_brief, format_comparison, format_look, format_why
from skarvin.cli.next_command import next_line
from skarvin.cli.output import PATH, json_option, library, print_json
from skarvin.cli.progress_line import progress_line
from skarvin.cli.reading_options import read_as, read_input, reading_options
from skarvin.cli.terminal import echo
from skarvin.core.layout.address import has_column
from skarvin.core.layout.columns import MAY_BE_PERSONAL
from skarvin.core.plan.looking import Asked, Look, compare, look_at
from skarvin.core.texts.shell_words import quoted
from skarvin.reports.mask import masker
from skarvin.reports.masker import Masker
from skarvin.reports.masking import hidden_data, masking

_SHORT, _TWO = 12, 2


@click.command()
@click.argument("files", nargs=-1, required=True, type=PATH, metavar="FILE...")
@reading_options
@click.option("--mask", "is_masked", is_flag=True, help="Replace names and identifiers with codes, the same each run.")
@click.option("-a", "--all", "show_all", is_flag=True, help="Show full lists.")
@click.option("--why", metavar="COLUMN", help="Show why one column is read as it is.")
@json_option
def command(
    files: tuple[Path, ...],
    is_masked: bool,
    show_all: bool,
    why: str | None,
    as_json: bool,
    **reading: Any,  # noqa: ANN401 - the options of reading
) -> int:
    """Show what is in a FILE: its shape, what each column is read as and why, students, items, data issues.

    Two FILES are also compared: which headings, items and students both have. `-` reads what is piped in.
    """
    how = read_as(reading)
    with progress_line():
        looks = look_at([Asked(file, how, read_input(file)) for file in files], (Path(), library()))
        comparison = compare(*looks) if len(looks) == _TWO else None
    hide = masker(is_masked)
    with masking(Masker(one for look in looks for one in _identities(look)) if is_masked else None):
        if why:
            having = [look for look in looks if has_column(look.layout.columns, why)] or looks[:1]
            echo("\n".join(format_why(look, why, hide) for look in having))
            return 0
        if as_json:
            data = [*(look_data(look, hide) for look in looks), *([comparison_data(comparison)] if comparison else [])]
            print_json(hidden_data(data[0] if len(data) == 1 else data))
            return 0
        most = None if show_all else _SHORT
        for place, look in enumerate(looks):
            how_much = format_brief if is_brief(show_all=show_all) else format_look
            text = how_much(look, hide, most, is_masked=is_masked)
            echo(f"\n{text}" if place else text)
        if comparison:
            echo(f"\n{format_comparison(comparison, looks)}")
        named = " ".join(map(quoted, files)) if len(files) == _TWO else "EXPORT FORM"
        echo(f"\n{next_line(f'skarvin draft {named}')}")
    return 0


def _identities(look: Look) -> Iterator[str]:
    """Yield what a file's rows say of who somebody is."""
    columns = [column.index for column in look.layout.columns if column.use in MAY_BE_PERSONAL]
    for row in range(look.layout.first_row, len(look.grid)):
        cells = look.grid.cells(row)
        yield from (cells[column] for column in columns if column < len(cells))
