"""`skarvin demo`: the whole job on made-up data."""

import sys
from pathlib import Path

import click

from skarvin.cli.output import PATH
from skarvin.cli.terminal import echo
from skarvin.demo.walk import lay_out, walk


@click.command()
@click.argument("folder", type=PATH, default=Path("tidewrack"), metavar="[FOLDER]")
def command(folder: Path) -> int:
    """Lay out made-up data in a new FOLDER [default: tidewrack] and do the whole job on it."""
    lay_out(folder)

    def say(text: str) -> None:
        echo(text)
        sys.stdout.flush()

    code = walk(folder, say)
    if not code:
        say(
            "\n---\n\n"
            f"All of it lies in {folder}:\n"
            "  transfer.toml              the transfer: change it, then preview again\n"
            '  pairings.csv               the students to confirm: decide in the column "decision"\n'
            "  held.csv                   the held marks: correct them there, with who and why\n"
            "  registry-form-import.csv   what the registry takes\n"
            "  report.html                the report: open it in a browser, print it, file it\n"
            "  ledger.json                every mark and its fate, for machines\n"
            "  registry-form-restore.csv  the form as it was, to take the marks back\n"
            "  skarvin-history.db         what was sent when: skarvin history\n"
            "  final/, quiz/, harbour/, insurer/, essays/, watch/, bench/, launching/, weeks/\n"
            "                             nine more transfers, each with files of its own\n\n"
            "Two stranger files to look at: yard-tests.csv and tool-store.xlsx\n"
            "A form for new students, for skarvin roster: roster-form.csv\n\n"
            "Students to confirm: skarvin students --decide. Marks that are held need a person, too:\n"
            "correct them where they were made and export again, or in held.csv; or decide in transfer.toml.\n"
            f"Now it is yours: cd {folder}"
        )
    return code
