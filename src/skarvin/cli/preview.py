"""`skarvin preview`: what would change."""

from pathlib import Path

import click

from skarvin.cli.at_keyboard import may_ask
from skarvin.cli.brief import also, brief_items, brief_students, brief_totals, is_brief, quietly
from skarvin.cli.check_tables import format_answers, format_rules, format_totals
from skarvin.cli.ending import format_end
from skarvin.cli.mark_tables import format_marks
from skarvin.cli.output import (
    heading,
    json_option,
    library,
    mask_option,
    print_json,
    quiet_option,
    tell_elsewhere,
    tidy,
    warning,
)
from skarvin.cli.progress_line import progress_line
from skarvin.cli.table import wrap
from skarvin.cli.terminal import echo, style
from skarvin.cli.to_decide import format_to_decide
from skarvin.cli.transfer_tables import SHORT, format_items, format_samples, format_students
from skarvin.cli.which_transfer import for_one_run, other_files, transfer_option
from skarvin.core.progress import report_progress
from skarvin.core.transfer.disagreeing import CONFUSED
from skarvin.core.transfer.outputs import Outputs, misfit, outputs_for
from skarvin.core.transfer.settling import Settled, settle_transfer
from skarvin.core.transfer.transfer_state import own_folder
from skarvin.reports.data import settled_data
from skarvin.reports.known_people import masker_of
from skarvin.reports.masking import hidden_data, masking
from skarvin.reports.row_counts import rows_in_words
from skarvin.reports.since_words import since_sentence
from skarvin.reports.verdict import sent_and_waiting, to_decide, verdict


@click.command()
@transfer_option
@for_one_run
@click.option("-a", "--all", "show_all", is_flag=True, help="Show full lists.")
@click.option("--why", metavar="WHAT", help="Show how a student's marks come about, or what becomes of an item.")
@quiet_option
@mask_option
@json_option
def command(  # noqa: PLR0913 - the options of a command
    transfer: Path,
    export: Path | None,
    form: Path | None,
    show_all: bool,
    why: str | None,
    is_quiet: bool,
    is_masked: bool,
    as_json: bool,
) -> int:
    """Show what a write would do, item by item and mark by mark. Writes nothing.

    Of a folder of transfers each has a line.
    """
    instead = other_files(transfer, export, form)
    if transfer.is_dir():
        return _preview_term(transfer, as_json=as_json, is_quiet=is_quiet, is_masked=is_masked)
    tell_elsewhere(transfer)
    if not as_json and transfer.exists() and may_ask():
        from skarvin.cli.asking import ask_open  # noqa: PLC0415 - most previews are asked nothing

        ask_open(transfer)
    with progress_line():
        settled = settle_transfer(transfer, library(), instead)
    outputs = outputs_for(settled, own_folder(transfer) or settled.sides.target.grid.file.parent)
    tidy(transfer.parent, outputs.data.parent)
    if note := misfit(outputs):
        echo(f"{style('note:', fg='yellow')} {note}", err=True)
    with masking(masker_of(settled) if is_masked else None):
        if why:
            return _explain(settled, why, as_json=as_json)
        if as_json:
            print_json(settled_data(settled))
        elif is_quiet:
            echo(quietly(to_decide(settled)))
        else:
            with progress_line():
                report_progress("counting what would change")
                most = None if show_all else SHORT
                text = _brief(settled, outputs) if is_brief(show_all=show_all) else _text(settled, outputs, most)
            echo(text)
    return int(settled.is_anything_held)


def _preview_term(folder: Path, *, as_json: bool, is_quiet: bool, is_masked: bool) -> int:
    """Show a line for each transfer of a folder."""
    from skarvin.cli.term import How, run_term  # noqa: PLC0415 - most previews are of one transfer
    from skarvin.core.transfer.classwork import Outcome, shared_students  # noqa: PLC0415

    def preview_one(transfer: Path) -> Outcome:
        settled = settle_transfer(transfer, library())
        tidy(transfer.parent)
        with masking(masker_of(settled) if is_masked else None):
            data = hidden_data(settled_data(settled)) if as_json else None
        held = int(settled.is_anything_held)
        said = verdict(settled, is_written=False), to_decide(settled)
        return Outcome(held, *said, data=data, shared=shared_students(settled), counts=sent_and_waiting(settled))

    return run_term(folder, preview_one, "write", how=How.of(as_json=as_json, is_quiet=is_quiet))


def _explain(settled: Settled, asked: str, *, as_json: bool) -> int:
    """Show how one student's marks come about, or what became of one item's."""
    from skarvin.cli.one_item import format_item, items_called  # noqa: PLC0415
    from skarvin.cli.one_student import accounts_data, format_accounts  # noqa: PLC0415 - most previews explain nobody
    from skarvin.core.transfer.student_account import account_for  # noqa: PLC0415

    if items := items_called(settled, asked):
        if as_json:
            print_json([settled_data(settled)["items"][settled.totals.index(books)] for books in items])
        else:
            echo("\n".join(format_item(books) for books in items))
        return int(settled.is_anything_held)
    accounts = account_for(settled, asked)
    if as_json:
        print_json(accounts_data(accounts))
    else:
        echo(format_accounts(accounts))
    return int(settled.is_anything_held)


def _brief(settled: Settled, outputs: Outputs) -> str:
    """Return what fits a screen."""
    marks = format_marks(settled, SHORT).split("\n\n")
    rest = ["rules and rows", brief_students(settled), *marks, brief_totals(settled), "sample rows of the form"]
    answers = ["answers"] if format_answers(settled, SHORT) else []
    parts = [
        *_top(settled),
        "",
        brief_items(settled),
        *format_end(settled, outputs, is_written=False, is_brief=True),
    ]
    parts.insert(-1, also([*rest, *answers]))
    return "\n".join(part for index, part in enumerate(parts) if part or (index and parts[index - 1]))


def _top(settled: Settled) -> list[str]:
    """Return the verdict, and what must not be overlooked."""
    sides = settled.sides
    return [
        heading(f"{sides.export_names} -> {sides.target.grid.file.name}"),
        wrap(verdict(settled, is_written=False)),
        wrap(since_sentence(settled)) if since_sentence(settled) else "",
        warning(wrap(f"{settled.pairing.shift}") if settled.pairing.shift else ""),
        *(warning(wrap(f"Look at this: {note.what}.")) for note in settled.told if note.slug == CONFUSED),
        *(wrap(f"Layout: {departure.place}: {departure.what}.") for departure in sides.departures),
    ]


def _text(settled: Settled, outputs: Outputs, most: int | None) -> str:
    sides = settled.sides
    decide = [
        warning(wrap(to_decide(settled))),
        warning(wrap(f"{settled.pairing.shift}") if settled.pairing.shift else ""),
    ]
    parts = [
        heading(f"{sides.export_names} -> {sides.target.grid.file.name}"),
        wrap(verdict(settled, is_written=False)),
        wrap(since_sentence(settled)) if since_sentence(settled) else "",
        *decide,
        *(warning(wrap(f"Look at this: {note.what}.")) for note in settled.told if note.slug == CONFUSED),
        *(wrap(f"{count.file}: {rows_in_words(count)}.") for count in settled.rows),
        *(wrap(f"Layout: {departure.place}: {departure.what}.") for departure in sides.departures),
        "",
        format_items(settled, "--all", is_whole=most is None),
        format_rules(settled),
        "",
        format_students(settled, most),
        *filter(None, [format_marks(settled, most), format_totals(settled, most), format_answers(settled, most)]),
        *filter(None, [format_samples(settled), format_to_decide(settled, most)]),
        *format_end(settled, outputs, is_written=False),
    ]
    return "\n".join(part for index, part in enumerate(parts) if part or (index and parts[index - 1]))
