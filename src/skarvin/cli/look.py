"""`skarvin look`: what is in a file."""

from pathlib import Path
from typing import Any

import click

from skarvin.cli.output import PATH, heading, json_option, place_in, print_json
from skarvin.cli.table import Head, format_table
from skarvin.core.findings import Finding, counted
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Use
from skarvin.core.layout.layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.survey import ColumnSurvey, survey
from skarvin.core.marks.numbers import plain
from skarvin.reports.data import finding_data, form_data

_HEADS = (
    Head("", is_number=True),
    Head("heading", most=40, least=18),
    Head("taken for"),
    Head("because", rank=1, most=40, least=16),
    Head("filled", is_number=True),
    Head("out of", rank=3, is_number=True),
    Head("examples", rank=2, most=60, least=12),
)


@click.command()
@click.argument("files", nargs=-1, required=True, type=PATH, metavar="FILE...")
@json_option
def command(files: tuple[Path, ...], as_json: bool) -> int:
    """Show what is in a FILE: its shape, what each column is taken for and why, and oddities."""
    looks = [_look(file) for file in files]
    if as_json:
        data = [_data(*look) for look in looks]
        print_json(data[0] if len(data) == 1 else data)
    else:
        click.echo("\n\n".join(_text(*look) for look in looks))
        click.echo("\nNext: skarvin draft EXPORT TEMPLATE")
    return 0


def _look(file: Path) -> tuple[Grid, Layout, list[ColumnSurvey]]:
    grid = read_grid(file)
    layout = recognise(grid)
    return grid, layout, survey(grid, layout)


def _data(grid: Grid, layout: Layout, surveys: list[ColumnSurvey]) -> dict[str, Any]:
    return {
        "file": grid.file.name,
        **form_data(grid),
        "rows": _row_count(grid, layout),
        "columns": [
            {
                "column": one.column.letter,
                "heading": one.column.heading,
                "taken_for": one.column.use.value,
                "because": one.column.grounds,
                "out_of": None if one.column.out_of is None else plain(one.column.out_of),
                "filled": one.filled,
                "distinct": one.distinct,
                "examples": list(one.examples),
            }
            for one in surveys
        ],
        "faults": [finding_data(finding) for finding in layout.faults],
        "oddities": [finding_data(finding) for finding in layout.oddities],
    }


def _row_count(grid: Grid, layout: Layout) -> int:
    return sum(1 for row in range(layout.first_row, len(grid)) if not grid.is_blank(row))


def _text(grid: Grid, layout: Layout, surveys: list[ColumnSurvey]) -> str:
    items = len(layout.of_use(Use.ITEM))
    shape = f"{counted(_row_count(grid, layout), 'row')} and {counted(len(layout.columns), 'column')}"
    rows = [
        (
            one.column.letter,
            one.column.heading,
            one.column.use.value,
            one.column.grounds,
            str(one.filled),
            "" if one.column.out_of is None else plain(one.column.out_of),
            ", ".join(text.strip() for text in one.examples),
        )
        for one in surveys
    ]
    parts = [
        heading(grid.file.name),
        f"  {grid.form}",
        f"  {shape}, {counted(items, 'of them an item', 'of them items')}; headings in row {layout.heading_row + 1}",
        "",
        format_table(_HEADS, rows),
    ]
    for title, findings in (("Must be mended before marks can move", layout.faults), ("Oddities", layout.oddities)):
        if findings:
            parts += ["", heading(title), *(_finding(finding) for finding in findings)]
    return "\n".join(parts)


def _finding(finding: Finding) -> str:
    where = place_in(finding.place)
    return f"  {where + ': ' if where else ''}{finding.what}. {finding.mend}".rstrip()
