"""The options by which a person says how a file is to be read."""

import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import click
import msgspec

from skarvin.core.grid.dialect import Quotes
from skarvin.core.grid.file_bytes import read_bytes, read_stream
from skarvin.core.grid.read import ReadAs

_OPTIONS = (
    click.option("--encoding", help="The text's encoding, if detected wrongly: utf-8, cp1252, mac-roman ..."),
    click.option("--delimiter", help="What stands between cells: comma, semicolon, tab or pipe."),
    click.option(
        "--quotes",
        type=click.Choice([quotes.value for quotes in Quotes]),
        help="Quotation marks stand 'around' cells, or are 'plain' characters; if detected wrongly.",
    ),
    click.option(
        "--sheet",
        "--class",
        "sheet",
        help="The workbook's sheet, by name or position; the class of a OneRoster bundle.",
    ),
    click.option(
        "--names", help="How a folder's files are named: '{name}_{number}_{mark} of {maximum}', {any} for the rest."
    ),
    click.option("--skip-hidden", is_flag=True, help="Leave out hidden rows and columns of a workbook."),
    click.option("--skip-controls", is_flag=True, help="Leave out NUL and other control characters; they are counted."),
)


def reading_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options of reading."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def read_as(options: Mapping[str, Any]) -> ReadAs:
    """Return what the options say."""
    said = {key: value for key in ReadAs.__struct_fields__ if (value := options.get(key)) is not None}
    return msgspec.convert(said, ReadAs)


def read_input(file: Path) -> bytes | None:
    """Return what is piped in if the file is called `-`, or is a pipe; None for one that can be read again."""
    if str(file) == "-":
        return read_stream(sys.stdin.buffer, file)
    return read_bytes(file, may_be_pipe=True) if file.is_fifo() else None
