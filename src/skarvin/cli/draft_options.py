"""The options by which a person tells `draft` what no file says."""

from skarvin.cli.output import PATH
from skarvin.cli.reading_options import OF_A_FILE, OF_COLUMNS, Option, of_form, with_options

_MANY = {"multiple": True}


def _out_of(side: str) -> dict[str, object]:
    told = f"The maximum of the {side} items whose headings give none: a number, or 'HEADING=NUMBER'. Repeatable."
    return {**_MANY, "metavar": "[HEADING=]NUMBER", "help": told}


def _file(told: str) -> dict[str, object]:
    return {"type": PATH, "help": told}


def _sign(told: str) -> dict[str, object]:
    return {"is_flag": True, "help": told}


_OWN: tuple[Option, ...] = (
    (("--pair",), {"default": "", "metavar": "COLUMN=COLUMN", "help": "The two columns that pair the students."}),
    (("--item",), {**_MANY, "metavar": "FROM=TO", "help": "Which item feeds which; 'FROM=' none. Repeatable."}),
    (("--status",), {**_MANY, "metavar": "WORD=CODE", "help": "What is sent for a word: a code, 0, hold. Repeatable."}),
    (("--from-out-of",), _out_of("export's")),
    (("--to-out-of",), _out_of("form's")),
    (
        ("--missing-maximum",),
        {"default": "", "metavar": "NUMBER", "help": "A maximum that only one side gives: same, or a number."},
    ),
    (("--roster",), _file("Class list with identifiers or names missing from the form.")),
    (("--key",), _file("Answer key: a line for each question with the right answer, or one for each answer.")),
    (("--members",), _file("Who is in which group, where the EXPORT has marks of groups.")),
    (("--item-list",), _file("List of items, with codes and titles, where a file has codes alone.")),
    (
        ("--corrections",),
        {**_MANY, **_file("List of corrections, such as after an appeal: student, item, new mark. Repeatable.")},
    ),
    (("--no-headings",), _sign("Leave the FORM's headings out: the target takes none.")),
    (("--sample",), _sign("The people in the FORM are made up: compose the file after it.")),
    (("--typing",), _sign("The target takes no import: FORM lists the students on its screen.")),
    (("--each",), _sign("EXPORT is a folder with an export for each class: a transfer for each of them.")),
    (("--like",), {**_file("Another transfer whose rules hold here, too."), "metavar": "TRANSFER"}),
    (("--new-heading",), {"help": "For items that a sample doesn't have: '{title} points ({maximum})'."}),
)
draft_options = with_options(*OF_COLUMNS, *of_form(*OF_COLUMNS, *OF_A_FILE), *_OWN)
"""Gives the command its options but those by which each EXPORT is read."""
