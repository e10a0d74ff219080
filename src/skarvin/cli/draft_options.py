"""The options by which a person tells `draft` what no file says."""

from collections.abc import Callable, Sequence
from typing import Any

import click

from skarvin.cli.output import PATH
from skarvin.core.findings import Finding, Misused
from skarvin.core.grid.dialect import Quotes
from skarvin.core.layout.columns import Use
from skarvin.core.layout.told import Told

_OUT_OF_HELP = (
    "The maximum of the {side} items whose headings give none: a number, or 'HEADING=NUMBER' for one. Repeatable."
)
_USES = ", ".join(use.value for use in Use)
_OPTIONS = (
    click.option("--use", multiple=True, metavar="COLUMN=USE", help="What a column of an EXPORT holds. Repeatable."),
    click.option("--form-use", multiple=True, metavar="COLUMN=USE", help="The same, for the FORM. Repeatable."),
    click.option("--heading-row", type=click.IntRange(0), help="The EXPORT's row with the headings; 0: there is none."),
    click.option("--form-heading-row", type=click.IntRange(0), help="The same, for the FORM."),
    click.option("--layout", help="A layout of yours by which the EXPORT is read. [default: one that fits]"),
    click.option("--form-layout", help="The same, for the FORM."),
    click.option("--pair", default="", metavar="COLUMN=COLUMN", help="The two columns that pair the students."),
    click.option("--item", multiple=True, metavar="FROM=TO", help="Which item feeds which; 'FROM=' none. Repeatable."),
    click.option(
        "--status", multiple=True, metavar="WORD=CODE", help="What is sent for a word: a code, 0, hold. Repeatable."
    ),
    click.option("--from-out-of", multiple=True, metavar="[HEADING=]NUMBER", help=_OUT_OF_HELP.format(side="export's")),
    click.option("--to-out-of", multiple=True, metavar="[HEADING=]NUMBER", help=_OUT_OF_HELP.format(side="form's")),
    click.option(
        "--missing-maximum", default="", metavar="NUMBER", help="A maximum that only one side gives: same, or a number."
    ),
    click.option("--roster", type=PATH, help="Class list with identifiers or names missing from the form."),
    click.option(
        "--key", type=PATH, help="Answer key: a line for each question with the right answer, or one for each answer."
    ),
    click.option("--members", type=PATH, help="Who is in which group, where the EXPORT has marks of groups."),
    click.option("--item-list", type=PATH, help="List of items, with codes and titles, where a file has codes alone."),
    click.option(
        "--corrections",
        type=PATH,
        multiple=True,
        help="List of corrections, such as after an appeal: student, item, new mark. Repeatable.",
    ),
    click.option(
        "--form-quotes",
        type=click.Choice([quotes.value for quotes in Quotes]),
        help="The same as --quotes, for the FORM.",
    ),
    click.option(
        "--form-sheet",
        "--form-class",
        "form_sheet",
        help="The FORM's sheet, or its class, if it is a OneRoster bundle.",
    ),
    click.option("--no-headings", is_flag=True, help="Leave the FORM's headings out: the target takes none."),
    click.option(
        "--sample", "is_sample", is_flag=True, help="The people in the FORM are made up: compose the file after it."
    ),
    click.option(
        "--typing",
        "is_typed",
        is_flag=True,
        help="The target takes no import: FORM lists the students on its screen.",
    ),
    click.option(
        "--each", is_flag=True, help="EXPORT is a folder with an export for each class: a transfer for each of them."
    ),
    click.option("--like", type=PATH, metavar="TRANSFER", help="Another transfer whose rules hold here, too."),
    click.option("--new-heading", help="For items that a sample doesn't have: '{title} points ({maximum})'."),
)


def draft_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give the command its options."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def told_of(uses: Sequence[str], heading_row: int | None, option: str) -> Told:
    """Return what a person says of a file's columns.

    Raises:
        Misused: a use is none.
    """
    found: dict[str, Use] = {}
    for text in uses:
        name, _, use = text.rpartition("=")
        try:
            found[name.strip()] = Use(use.strip().casefold())
        except ValueError:
            mend = f"Write one of: {_USES}."
            raise Misused(
                Finding("no-such-use", f"{option} '{text}': a column can't hold '{use}'", None, mend)
            ) from None
    return Told(found, heading_row)
