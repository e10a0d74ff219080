"""`skarvin write`: the import file, the report, the ledger, and the file that puts everything back."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import click

from skarvin.cli.brief import is_brief, quietly
from skarvin.cli.clock import moment
from skarvin.cli.ending import format_end
from skarvin.cli.output import (
    PATH,
    json_option,
    library,
    mask_option,
    note,
    print_json,
    quiet_option,
    tell_elsewhere,
    tidy,
)
from skarvin.cli.progress_line import progress_line
from skarvin.cli.table import wrap
from skarvin.cli.terminal import echo
from skarvin.cli.transfer_tables import format_items
from skarvin.cli.which_transfer import for_one_run, other_files, transfer_option
from skarvin.core.findings import counted, listing
from skarvin.core.reasons import Fate
from skarvin.core.transfer.carry_out import Written, write_transfer
from skarvin.core.transfer.held_list import held_file
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import Settled, settle_transfer
from skarvin.core.transfer.transfer_state import own_folder
from skarvin.reports.filing import Filing
from skarvin.reports.known_people import masker_of
from skarvin.reports.masking import hidden, hidden_data, masking
from skarvin.reports.since_words import since_sentence
from skarvin.reports.verdict import sent_and_waiting, to_decide, verdict


@click.command()
@transfer_option
@for_one_run
@click.option("-o", "--into", type=PATH, help="The folder for the new files. [default: the form's folder]")
@click.option("--replace", is_flag=True, help="Replace files of the same names.")
@click.option("--plain", is_flag=True, help="Leave the figures out of the report; faster.")
@click.option("--workbook", is_flag=True, help="Write the report as a workbook, too: report.xlsx.")
@quiet_option
@mask_option
@json_option
def command(  # noqa: PLR0913 - the options of a command
    transfer: Path,
    export: Path | None,
    form: Path | None,
    into: Path | None,
    replace: bool,
    plain: bool,
    workbook: bool,
    is_quiet: bool,
    is_masked: bool,
    as_json: bool,
) -> int:
    """Write the import file, read it back, and write the report that proves what was moved.

    Of a folder of transfers each is written beside itself, and a summary page, term-report.html, has a line for each.
    """
    instead = other_files(transfer, export, form)
    if transfer.is_dir():
        how = _How(replace, plain, workbook, is_masked, as_json, is_quiet)
        return _write_term(transfer, how)
    tell_elsewhere(transfer)
    with progress_line():
        settled = settle_transfer(transfer, library(), instead)
    folder = into or own_folder(transfer) or settled.sides.target.grid.file.parent
    outputs = outputs_for(settled, folder, with_workbook=workbook)
    tidy(transfer.parent, outputs.data.parent)
    when = moment()
    filing = Filing(when, is_plain=plain, keeps_lists=as_json)
    with masking(masker_of(settled) if is_masked else None):
        with progress_line():
            written = write_transfer(settled, outputs, filing, replace_existing=replace)
        if as_json:
            print_json(filing.data)
        else:
            if is_masked:
                _tell_what_may_be_shown([path.name for path in (outputs.page, outputs.workbook) if path])
            echo(quietly(to_decide(settled), outputs) if is_quiet else _text(written))
    return int(settled.is_anything_held)


def _tell_what_may_be_shown(files: Sequence[str]) -> None:
    note(f"only {listing(files)} may be shown to others; every other file of this write holds people")


class _How(NamedTuple):
    """How each transfer of a folder is written."""

    replace: bool
    plain: bool
    workbook: bool
    is_masked: bool
    as_json: bool
    is_quiet: bool


def _write_term(folder: Path, how: _How) -> int:
    """Write each transfer of a folder."""
    from skarvin.cli.term import How, run_term  # noqa: PLC0415 - most writes are of one transfer
    from skarvin.core.transfer.classwork import Outcome, shared_students  # noqa: PLC0415

    def write_one(transfer: Path) -> Outcome:
        settled = settle_transfer(transfer, library())
        own = own_folder(transfer) or settled.sides.target.grid.file.parent
        outputs = outputs_for(settled, own, with_workbook=how.workbook)
        tidy(transfer.parent, outputs.data.parent)
        filing = Filing(moment(), is_plain=how.plain, keeps_lists=how.as_json)
        with masking(masker_of(settled) if how.is_masked else None):
            write_transfer(settled, outputs, filing, replace_existing=how.replace)
            data = hidden_data(filing.data) if how.as_json else None
        held = int(settled.is_anything_held)
        said = verdict(settled, is_written=True), to_decide(settled), outputs.page, data
        return Outcome(held, *said, shared=shared_students(settled), counts=sent_and_waiting(settled))

    page = ("term-report.html", "Reconciliation of a term")
    if how.is_masked and not how.as_json:
        _tell_what_may_be_shown([page[0], "the report of each class", *(["its workbook"] if how.workbook else [])])
    return run_term(folder, write_one, "confirm", page, how=How.of(as_json=how.as_json, is_quiet=how.is_quiet))


_SHOWN = 4
_MOST_TYPED = 60
_TO_DO = frozenset({"new-items", "no-section"})
"""Notes that say what is to be done before the upload."""


def _listed(title: str, files: Sequence[Path], note: str = "") -> list[str]:
    """Return a line for each file, cut with a count."""
    if not files:
        return []
    lines = [f"{title if not place else ' ' * len(title)} {file}" for place, file in enumerate(files[:_SHOWN])]
    lines[0] += note
    more = [f"{' ' * len(title)} and {len(files) - _SHOWN} more beside it"] if len(files) > _SHOWN else []
    return [*lines, *more]


def _restored(settled: Settled) -> str:
    """Say what a restore file does."""
    results = settled.sides.results
    if results and results.told.delta:
        return "puts the target back as it was: results that were new are deleted"
    if settled.sides.is_composed:
        return "has the same rows, their marks blank"
    fates, added = settled.ledger.fates, len(settled.sides.added)
    but = [f"{counted(added, 'row that is added stays', 'rows that are added stay')}"] if added else []
    if fates[Fate.SENT]:
        blank = counted(fates[Fate.SENT], "cell that was blank is", "cells that were blank are")
        but.append(f"{blank} emptied only if the target takes blanks")
    known = "as the last write left it" if settled.since.origin else "as it was"
    return f"puts the target back {known}" + (f", but {'; '.join(but)}" if but else "")


def _typed(settled: Settled) -> list[str]:
    """Return the list to type from, where the target takes no import and the class is one."""
    students = len(settled.sides.target.students)
    if not settled.plan.target.typing or students > _MOST_TYPED:
        return []
    from skarvin.reports.typing_list import typing_list, typing_text  # noqa: PLC0415 - most targets take an import

    names = (settled.sides.export_names, settled.sides.target.grid.file.name)
    told = typing_list(settled)
    told = told._replace(rows=tuple(row._replace(who=hidden(row.who)) for row in told.rows))
    return ["", typing_text(told, *names).rstrip()]


def _text(written: Written) -> str:
    settled, outputs = written.settled, written.outputs
    held = held_file(settled.file)
    differing = written.second_look.differing
    seen = f"{counted(written.second_look.rows, 'row')} read again"
    differ = f"{counted(differing, 'cell differs', 'cells differ')} from the form, exactly those in the ledger"
    parts = [
        wrap(verdict(settled, is_written=True)),
        *([wrap(since)] if (since := since_sentence(settled)) else []),
        wrap(f"Read-back check passed: {seen}, {differ}."),
        "",
        *([] if is_brief(show_all=False) else [format_items(settled, outputs.page.name)]),
        *_typed(settled),
        "",
        *_listed("Import file ", outputs.imports),
        *_listed("To type     ", outputs.typed),
        f"Report       {outputs.page}",
        *([f"Workbook     {outputs.workbook}"] if outputs.workbook else []),
        f"Ledger       {outputs.data}" + (f", and each mark in {outputs.marks.name}" if outputs.marks else ""),
        *([f"Held         {held}: fill in By, Why and Correction, and write again"] if held.exists() else []),
        *_listed("Restore     ", outputs.restores),
        *(
            [f"Feedback     {outputs.bundle}; {outputs.bundle_table.name} says what goes to whom"]
            if outputs.bundle and outputs.bundle_table
            else []
        ),
        *(["Feedback     nothing new to hand out"] if settled.plan.feedback and not outputs.bundle else []),
        *([wrap(f"{outputs.restores[0].name} {_restored(settled)}.")] if outputs.restores else []),
        *(wrap(f"Before the upload: {note.what}.") for note in settled.notes if note.slug in _TO_DO),
        *format_end(settled, outputs, is_written=True, is_brief=is_brief(show_all=False)),
    ]
    return "\n".join(part for index, part in enumerate(parts) if part or (index and parts[index - 1]))
