"""`skarvin layout`: layouts learned from files, kept, shown, and checked against later files."""

from pathlib import Path
from typing import Any

import click

from skarvin.cli.output import PATH, heading, json_option, library, print_json
from skarvin.cli.reading_options import read_as, read_input, reading_options
from skarvin.cli.table import Head, format_table
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, counted
from skarvin.core.grid.read import read_grid
from skarvin.core.grid.save import Delivery
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Use
from skarvin.core.layout.fitting import SUFFIX
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.stored import (
    Departure,
    StoredLayout,
    apply_layout,
    is_layout_name,
    layout_text,
    read_layout,
)
from skarvin.reports.data import place_data

_COLUMN_HEADS = (
    Head("", is_number=True),
    Head("heading", most=48, least=20),
    Head("read as"),
    Head("key", rank=1),
    Head("out of", is_number=True),
)
_DEPARTURE_HEADS = (Head("where", most=50, least=20), Head("what", least=30, wraps=True))


@click.group()
def command() -> None:
    """Learn what a file's columns mean, keep it, and hold later files against it."""


@command.command(short_help="Keep how a file is read, with your corrections.")
@click.argument("file", type=PATH)
@click.option("--name", required=True, help="The layout's name.")
@click.option(
    "--use", "uses", multiple=True, metavar="COLUMN=USE", help="Correct what a column is read as. Repeatable."
)
@click.option("--here", is_flag=True, help="Keep it in this folder, beside the transfer, instead of your library.")
@click.option("--replace", is_flag=True, help="Replace a layout of this name.")
@reading_options
def learn(file: Path, name: str, uses: tuple[str, ...], here: bool, replace: bool, **reading: Any) -> None:  # noqa: ANN401
    """Keep what was recognised in FILE, with your corrections, as a readable file."""
    grid = read_grid(file, read_as(reading), read_input(file))
    layout = recognise(grid)
    target = _file_for(name, Path() if here else library())
    text = layout_text(layout, file.name, NOT_STUDENTS, _corrections(layout, uses))
    target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    with Delivery(replace=replace, inputs=[file]) as delivery:
        delivery.stage(target, [text.encode()])
        delivery.commit()
    echo(f"Kept: {target}\n{counted(len(layout.columns), 'column')}. To correct one, change its `use` there.")
    echo(f'To work by it, write layout = "{name}" under [source] or [target] in transfer.toml.')


@command.command("list", short_help="List the layouts in this folder and in your library.")
@json_option
def list_layouts(as_json: bool) -> None:
    """List the layouts in this folder and in your library."""
    found = [(file, where) for folder, where in _folders() for file in sorted(folder.glob(f"*{SUFFIX}"))]
    if as_json:
        print_json([{"name": _name_of(file), "where": where, "file": str(file)} for file, where in found])
    elif found:
        heads = (Head("name"), Head("where"), Head("made from", rank=1), Head("columns", is_number=True))
        stored = [(file, where, read_layout(file)) for file, where in found]
        rows = [(_name_of(file), where, row.made_from, str(len(row.column))) for file, where, row in stored]
        echo(format_table(heads, rows))
    else:
        echo("No layouts yet. Learn one with: skarvin layout learn FILE --name NAME")
    if not as_json:
        echo(f"Your library, also for words of your own (NAME.words.toml): {library()}")


@command.command(short_help="Show what a layout says of each column.")
@click.argument("name")
@json_option
def show(name: str, as_json: bool) -> None:
    """Show what the layout NAME says of each column."""
    file, stored = _find(name)
    if as_json:
        print_json(
            {
                "name": name,
                "file": str(file),
                "columns": [_column_data(stored, index) for index in range(len(stored.column))],
            }
        )
        return
    rows = [(known.column, known.heading, known.use, known.key or "", known.out_of or "") for known in stored.column]
    echo(f"{heading(name)}\n  {file}\n  made from {stored.made_from}\n\n{format_table(_COLUMN_HEADS, rows)}")


@command.command(short_help="Tell whether a file still fits a layout.")
@click.argument("file", type=PATH)
@click.option("--name", required=True, help="The layout's name.")
@reading_options
@json_option
def check(file: Path, name: str, as_json: bool, **reading: Any) -> int:  # noqa: ANN401
    """Tell whether FILE still fits the layout, and if not, exactly where it departs."""
    _, stored = _find(name)
    grid = read_grid(file, read_as(reading), read_input(file))
    _, departures = apply_layout(grid, stored)
    unclear = [departure for departure in departures if not departure.is_certain]
    if as_json:
        print_json(
            {
                "fits": not departures,
                "certain": not unclear,
                "departures": [_departure_data(departure) for departure in departures],
            }
        )
    elif not departures:
        echo(f"{file.name} fits the layout '{name}'.")
    else:
        rows = [
            (str(departure.place), departure.what + ("" if departure.is_certain else " (unclear)"))
            for departure in departures
        ]
        echo(f"{file.name} departs from the layout '{name}':\n{format_table(_DEPARTURE_HEADS, rows)}")
        echo(
            f"{counted(len(unclear), 'departure is', 'departures are')} unclear: correct the layout, or learn it anew."
            if unclear
            else "The meaning is certain all the same."
        )
    return int(bool(unclear))


def _folders() -> list[tuple[Path, str]]:
    return [(Path(), "here"), (library(), "library")]


def _name_of(file: Path) -> str:
    return file.name.removesuffix(SUFFIX)


def _file_for(name: str, folder: Path) -> Path:
    if not is_layout_name(name):
        mend = "Use letters, digits, spaces, dots and dashes."
        raise Misused(Finding("bad-name", f"'{name}' can't be a layout's name", None, mend))
    return folder / f"{name}{SUFFIX}"


def _find(name: str) -> tuple[Path, StoredLayout]:
    files = [_file_for(name, folder) for folder, _ in _folders()]
    file = next((file for file in files if file.exists()), files[0])
    return file, read_layout(file)


def _corrections(layout: Layout, uses: tuple[str, ...]) -> dict[int, Use]:
    """Return what a person says columns are to be taken for."""
    corrections = {}
    for text in uses:
        name, _, use = text.rpartition("=")
        if use not in {use.value for use in Use}:
            mend = f"Write one of: {', '.join(use.value for use in Use)}."
            raise Misused(Finding("unknown-use", f"'{use}' is nothing a column can be read as", None, mend))
        try:
            corrections[find_column(layout.columns, name).index] = Use(use)
        except NoSuchColumn as error:
            raise Misused(Finding("no-such-column", str(error))) from None
    return corrections


def _column_data(stored: StoredLayout, index: int) -> dict[str, Any]:
    known = stored.column[index]
    return {
        "column": known.column,
        "heading": known.heading,
        "use": known.use,
        "key": known.key,
        "out_of": known.out_of,
        "counts": known.counts,
    }


def _departure_data(departure: Departure) -> dict[str, Any]:
    return {
        "slug": departure.slug,
        "what": departure.what,
        "certain": departure.is_certain,
        "place": place_data(departure.place),
    }
