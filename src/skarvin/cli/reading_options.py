"""The options by which a person says how a file is to be read."""

import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import click
import msgspec

from skarvin.core.findings import Finding, Misused
from skarvin.core.grid.dialect import Quotes
from skarvin.core.grid.file_bytes import read_bytes, read_stream
from skarvin.core.grid.read import ReadAs
from skarvin.core.layout.columns import Use
from skarvin.core.layout.told import Told

Option = tuple[Sequence[str], Mapping[str, Any]]
"""The names of an option, and what else it is."""
OF_A_FILE: Sequence[Option] = (
    (("--encoding",), {"help": "The text's encoding, if detected wrongly: utf-8, cp1252, mac-roman ..."}),
    (("--delimiter",), {"help": "What stands between cells: comma, semicolon, tab or pipe."}),
    (
        ("--quotes",),
        {
            "type": click.Choice([quotes.value for quotes in Quotes]),
            "help": "Quotation marks stand 'around' cells, or are 'plain' characters; if detected wrongly.",
        },
    ),
    (
        ("--sheet", "--class"),
        {"help": "The workbook's sheet, by name or position; the class of a OneRoster bundle."},
    ),
    (("--skip-hidden",), {"is_flag": True, "help": "Leave out hidden rows and columns of a workbook."}),
)
_OF_EXPORTS: Sequence[Option] = (
    (
        ("--names",),
        {"help": "How a folder's files are named: '{name}_{number}_{mark} of {maximum}', {any} for the rest."},
    ),
    (
        ("--skip-controls",),
        {"is_flag": True, "help": "Leave out NUL and other control characters; they are counted."},
    ),
)
"""What can be said of no form: it is filled as it lies there."""
OF_COLUMNS: Sequence[Option] = (
    (("--use",), {"multiple": True, "metavar": "COLUMN=USE", "help": "What a column holds. Repeatable."}),
    (("--heading-row",), {"type": click.IntRange(0), "help": "The row with the headings; 0: there is none."}),
    (("--layout",), {"help": "A layout of yours by which it is read. [default: one that fits]"}),
)


def with_options(*options: Option) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Return what gives a command options."""

    def give(command: Callable[..., Any]) -> Callable[..., Any]:
        for names, attributes in reversed(options):
            key = names[0].removeprefix("--").replace("-", "_")
            command = click.option(*names, key, **attributes)(command)
        return command

    return give


reading_options = with_options(*OF_A_FILE, *_OF_EXPORTS)
"""Gives a command the options of reading."""


def of_form(*options: Option) -> Sequence[Option]:
    """Return options for an export as they are for a form."""
    return [
        ([name.replace("--", "--form-") for name in names], {**attributes, "help": "The same, for the FORM."})
        for names, attributes in options
    ]


def read_as(options: Mapping[str, Any], kind: type[ReadAs] = ReadAs, prefix: str = "") -> ReadAs:
    """Return how a file is to be read, as the options say whose names begin so."""
    said = {key: value for key in ReadAs.__struct_fields__ if (value := options.get(f"{prefix}{key}")) is not None}
    return msgspec.convert(said, kind)


def told_of(options: Mapping[str, Any], prefix: str = "") -> Told:
    """Return what a person says of a file's columns, by the options whose names begin so.

    Raises:
        Misused: a use is none.
    """
    found: dict[str, Use] = {}
    for text in options[f"{prefix}use"]:
        name, _, use = text.rpartition("=")
        try:
            found[name.strip()] = Use(use.strip().casefold())
        except ValueError:
            what = f"--{prefix.replace('_', '-')}use '{text}': a column can't hold '{use}'"
            mend = f"Write one of: {', '.join(use.value for use in Use)}."
            raise Misused(Finding("no-such-use", what, None, mend)) from None
    return Told(found, options.get(f"{prefix}heading_row"))


def read_input(file: Path) -> bytes | None:
    """Return what is piped in if the file is called `-`, or is a pipe; None for one that can be read again."""
    if str(file) == "-":
        return read_stream(sys.stdin.buffer, file)
    return read_bytes(file, may_be_pipe=True) if file.is_fifo() else None
