"""`skarvin history`: what was written and confirmed in this folder, and for one student what was sent when."""

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import click

from skarvin.cli.output import PATH, heading, json_option, mask_option, more, print_json
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, Place, Unreadable, counted
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.answers import confirmation_of
from skarvin.core.ledger.run_history import WRITE, Run, history_file, prune, read_marks, read_runs
from skarvin.core.ledger.since import HISTORY
from skarvin.core.plan.named_files import files_of_transfers
from skarvin.core.texts.patterns import pattern
from skarvin.reports.history_words import (
    KeptMark,
    counts_in_words,
    history_list,
    kept_marks,
    mark_data,
    run_data,
    time_in_words,
    without_texts,
)
from skarvin.reports.masker import Masker
from skarvin.reports.masking import identity, masking

_DAY = pattern(r"\d{4}-\d{2}-\d{2}")
_SHORT_DIGEST, _SHOWN = 10, 20
_RUN_HEADS = (
    Head("when"),
    Head("what"),
    Head("transfer", rank=1, most=24),
    Head("ledger", rank=2),
    Head("marks", least=30, wraps=True),
)
_MARK_HEADS = (
    Head("when"),
    Head("what"),
    Head("item", most=30),
    Head("finding"),
    Head("mark", is_number=True, most=20),
    Head("before", rank=1, is_number=True, most=20),
)


@click.command()
@click.option("--transfer", type=PATH, help="Only this transfer. [default: all of the folder]")
@click.option("--student", metavar="IDENTIFIER", help="What was sent for one student, and when.")
@click.option("--export", "export", type=PATH, metavar="FILE", help="Write every mark of it as delimited text.")
@click.option("--prune", "before", metavar="DAY", help="Forget what was before a day (2026-09-01); last writes stay.")
@click.option("--replace", is_flag=True, help="Replace the file of --export.")
@click.option("--all", "show_all", is_flag=True, help="Show full lists.")
@mask_option
@json_option
def command(  # noqa: PLR0913 - the options of a command
    transfer: Path | None,
    student: str | None,
    export: Path | None,
    before: str | None,
    replace: bool,
    show_all: bool,
    is_masked: bool,
    as_json: bool,
) -> None:
    """Show what was written and confirmed in this folder, for one student what was sent when, or export or prune it.

    It is kept in skarvin-history.db: identifiers, marks, fates and fingerprints, no names. You alone can read it.
    """
    file = history_file(transfer.parent if transfer else Path())
    name = transfer.name if transfer else ""
    if before is not None:
        _prune(file, before, name)
    runs = read_runs(file, name)
    if not runs:
        raise Unreadable(_nothing(file))
    marks = [one for run in runs for one in kept_marks(run, read_marks(file, run, student))] if student else []
    marks = [*map(without_texts, marks)] if is_masked else marks
    if student and not marks:
        what = f"no mark of a student with the identifier '{student}' is in the history"
        raise Misused(Finding("no-such-student", what, Place(file), "Write it as the target does; names aren't kept."))
    with masking(Masker([], titles=()) if is_masked else None):
        _show(file, runs, marks, _Asked(student, export, show_all, as_json, replace))


class _Asked(NamedTuple):
    """What is asked for: a student, a file to export into, full lists, data; whether a file is replaced."""

    student: str | None
    export: Path | None
    show_all: bool
    as_json: bool
    replace: bool


def _show(file: Path, runs: Sequence[Run], marks: Sequence[KeptMark], asked: _Asked) -> None:
    student, export = asked.student, asked.export
    if export:
        with Delivery(
            replace=asked.replace, inputs=[file, *files_of_transfers(file.parent, export.parent)]
        ) as delivery:
            delivery.stage(export, history_list(map(without_texts, _all_marks(file, runs, student))))
            delivery.commit()
    if asked.as_json:
        print_json({"runs": list(map(run_data, runs)), **({"marks": list(map(mark_data, marks))} if student else {})})
        return
    most = None if asked.show_all else _SHOWN
    echo(_marks_text(marks, most) if student else _runs_text(file, runs, most))
    if export:
        echo(f"\nExported  {export}")


def _nothing(file: Path) -> Finding:
    mend = "It begins with the first write or confirmation: skarvin write"
    return Finding("no-history", "nothing was written or confirmed here yet", Place(file), mend)


def _prune(file: Path, before: str, name: str) -> None:
    if not _DAY.fullmatch(before):
        raise Misused(Finding("no-day", f"'{before}' isn't a day", None, "Write it as in 2026-09-01."))
    gone = prune(file, before, name)
    echo(f"Forgotten: {counted(gone, 'run')} before {before}; each transfer's last write stays.\n", err=True)


def _all_marks(file: Path, runs: Sequence[Run], student: str | None) -> Iterator[KeptMark]:
    for run in runs:
        yield from kept_marks(run, read_marks(file, run, student))


def _runs_text(file: Path, runs: Sequence[Run], most: int | None) -> str:
    open_ledgers = {run.ledger for run in runs if confirmation_of(runs, run.ledger) is None}
    shown = runs if most is None else runs[-most:]
    rows = [
        (
            time_in_words(run),
            run.kind,
            run.transfer,
            run.ledger[:_SHORT_DIGEST],
            counts_in_words(run) + ("; not confirmed" if run.kind == WRITE and run.ledger in open_ledgers else ""),
        )
        for run in shown
    ]
    parts = [
        heading(f"History of {file.resolve().parent.name}: {counted(len(runs), 'run')}"),
        format_table(_RUN_HEADS, rows),
        *filter(None, [more(len(shown), len(runs), "--all")]),
        "",
        wrap(f"Kept in {HISTORY}. One student: --student IDENTIFIER; all marks: --export FILE.csv."),
    ]
    return "\n".join(parts)


def _marks_text(marks: Sequence[KeptMark], most: int | None) -> str:
    shown = marks if most is None else marks[-most:]
    rows = [
        (time_in_words(one.run), one.run.kind, one.item, one.fate, one.kept.text or "-", one.kept.before or "-")
        for one in shown
    ]
    parts = [
        heading(f"{identity(marks[0].student)}: {counted(len(marks), 'entry', 'entries')}"),
        format_table(_MARK_HEADS, rows),
    ]
    return "\n".join([*parts, *filter(None, [more(len(shown), len(marks), "--all")])])
