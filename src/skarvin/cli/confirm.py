"""`skarvin confirm`: after the upload, did each mark arrive."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from skarvin.cli.brief import quietly
from skarvin.cli.clock import moment
from skarvin.cli.draft_missing import check_draft, draft_missing, next_commands
from skarvin.cli.next_command import command_line, next_line
from skarvin.cli.output import (
    PATH,
    heading,
    json_option,
    library,
    mask_option,
    more,
    print_json,
    quiet_option,
    tidy,
    warning,
)
from skarvin.cli.progress_line import progress_line
from skarvin.cli.reading_options import OF_COLUMNS, read_as, reading_options, told_of, with_options
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.term import How, run_term
from skarvin.cli.terminal import echo
from skarvin.cli.which_transfer import transfer_option
from skarvin.core.findings import listing
from skarvin.core.ledger.arrival import Arrival, ArrivalCause
from skarvin.core.ledger.filed import Filed, read_filed
from skarvin.core.plan.drafting.wishes import Wishes
from skarvin.core.plan.plan import Plan
from skarvin.core.plan.reading import read_plan
from skarvin.core.transfer.after_upload.confirming import ArrivalLine, Confirmation, confirm
from skarvin.core.transfer.after_upload.kept_confirmations import file_confirmation
from skarvin.core.transfer.transfer_state import LEDGER_NAME, ledger_of
from skarvin.reports.arrival_data import arrival_data, arrival_list
from skarvin.reports.arrival_words import arrival_groups, arrival_steps, arrival_title, arrival_verdict
from skarvin.reports.masker import Masker, mark_alone
from skarvin.reports.masking import hidden_data, identity, masking

_SHORT = 8
_ITEM_HEADS = (
    Head("item", most=26),
    Head("fresh export", rank=3, most=24),
    Head("sent", is_number=True),
    *(Head(one.value, is_number=True) for one in Arrival),
    Head("as before", rank=1, is_number=True),
)
_MARK_HEADS = (
    Head("student", most=26),
    Head("item", most=22),
    Head("place"),
    Head("sent", is_number=True, most=14),
    Head("found", is_number=True, most=14),
)


@click.command()
@click.argument("fresh", type=PATH, metavar="FRESH_EXPORT")
@transfer_option
@click.option("--ledger", type=PATH, help="The ledger of the write. [default: that of the last write]")
@click.option("--item", multiple=True, metavar="COLUMN=ITEM", help="Which column is which item. Repeatable.")
@click.option("--pair", default="", metavar="COLUMN=COLUMN", help="The columns that pair the students.")
@with_options(*OF_COLUMNS)
@reading_options
@click.option(
    "--identical", is_flag=True, help="Take it for the target's, though it is another file of the job byte for byte."
)
@click.option("-o", "--into", type=PATH, help="The folder for the new files. [default: the ledger's folder]")
@click.option("--replace", is_flag=True, help="Replace files of the same names.")
@click.option(
    "--draft-missing",
    "again",
    type=PATH,
    metavar="FILE",
    help="Draft the transfer that sends again what is missing; never overwrites one.",
)
@click.option("-a", "--all", "show_all", is_flag=True, help="Show full lists.")
@quiet_option
@mask_option
@json_option
def command(  # noqa: PLR0913 - the options of a command
    fresh: Path,
    transfer: Path,
    ledger: Path | None,
    identical: bool,
    into: Path | None,
    replace: bool,
    again: Path | None,
    show_all: bool,
    is_quiet: bool,
    is_masked: bool,
    as_json: bool,
    **options: Any,  # noqa: ANN401 - what a person says, and the options of reading
) -> int:
    """Compare FRESH_EXPORT, exported from the target after the upload, with what was sent.

    Each mark has arrived, is missing, is different or is extra. FRESH_EXPORT may have another shape, order or
    encoding than the form, and its identifiers may be written otherwise. With a folder of transfers, FRESH_EXPORT is
    one file for all of them, or a folder in which each class has one of its name.
    """
    if transfer.is_dir():
        how = How.of(as_json=as_json, is_quiet=is_quiet)
        return _confirm_term(transfer, fresh, options, replace=replace, is_masked=is_masked, how=how)
    plan = read_plan(transfer).plan if ledger is None or transfer.exists() else None
    file = ledger or _ledger(transfer, plan)
    folder = into or file.parent
    if again:
        check_draft(transfer, again)
    tidy(transfer.parent, folder)
    least = plan.students.minimum_paired_percent if plan else 50
    with progress_line():
        filed = read_filed(file)
        found = confirm(filed, fresh, _wishes(options, transfer), least, is_identical_meant=identical)
    when = moment()
    with masking(_masker(found) if is_masked else None):
        shown = found.with_texts(mark_alone) if is_masked else found
        data = hidden_data(arrival_data(shown, when))
        outputs = _write(found, shown, data, transfer, folder, replace=replace)
        if again:
            draft_missing(found, transfer, again, (options["pair"], options["item"]))
        if as_json:
            print_json(data)
        elif is_quiet:
            echo(quietly("" if found.is_all_there else arrival_verdict(shown), outputs))
        else:
            echo(_text(shown, outputs, None if show_all else _SHORT, transfer))
            if again:
                echo(f"\nDrafted  {again}\n{next_commands(again, transfer)}")
    return int(not found.is_all_there)


def _masker(found: Confirmation) -> Masker:
    titles = (item.title or item.heading for item in found.filed.items)
    return Masker(found.identities, titles=titles)


def _confirm_term(  # noqa: PLR0913 - what is asked for
    folder: Path, fresh: Path, options: dict[str, Any], *, replace: bool, is_masked: bool, how: How
) -> int:
    """Confirm each transfer of a folder."""
    from skarvin.core.transfer.classwork import Outcome, fresh_export_of  # noqa: PLC0415

    def confirm_one(transfer: Path) -> Outcome:
        plan = read_plan(transfer).plan
        file = _ledger(transfer, plan)
        tidy(transfer.parent, file.parent)
        found = confirm(
            read_filed(file),
            fresh_export_of(transfer, fresh),
            _wishes(options, transfer),
            plan.students.minimum_paired_percent,
        )
        when = moment()
        with masking(_masker(found) if is_masked else None):
            shown = found.with_texts(mark_alone) if is_masked else found
            data = hidden_data(arrival_data(shown, when))
            outputs = _write(found, shown, data, transfer, file.parent, replace=replace)
        counts = {one.value: found.counts[one] for one in Arrival if found.counts[one] or one is Arrival.ARRIVED}
        code, said = int(not found.is_all_there), arrival_verdict(shown)
        return Outcome(code, said, said if code else "", outputs[0], data, counts=counts)

    return run_term(folder, confirm_one, "", ("term-confirm.html", "Confirmation of a term"), how=how)


def _ledger(transfer: Path, plan: Plan | None) -> Path:
    """Return where the ledger of a write lies."""
    return ledger_of(transfer, transfer.parent / plan.target.file) if plan else Path(LEDGER_NAME)


def _wishes(options: dict[str, Any], transfer: Path) -> Wishes:
    """Return what a person says."""
    return Wishes(
        reading={"source": read_as(options)},
        told={"source": told_of(options)},
        layouts={"source": options["layout"]} if options["layout"] else {},
        folders=(transfer.parent, library()),
        pair=options["pair"],
        items=options["item"],
    )


def _write(  # noqa: PLR0913 - what was found, as it is kept and as it is shown
    found: Confirmation, shown: Confirmation, data: dict[str, Any], transfer: Path, folder: Path, *, replace: bool
) -> list[Path]:
    """Write the page, the data and the list, keep it in the history, and return where the files lie."""
    from skarvin.reports.arrival_page import arrival_page  # noqa: PLC0415 - a refused run does without
    from skarvin.reports.data import ledger_json  # noqa: PLC0415

    stem = folder / f"{found.fresh.grid.file.stem}-confirm"
    contents = {
        stem.with_name(f"{stem.name}.html"): arrival_page(shown, data).encode(),
        stem.with_name(f"{stem.name}.json"): ledger_json(data),
        stem.with_name(f"{stem.name}.csv"): arrival_list(shown),
    }
    file_confirmation(found, contents, transfer, data["when"], replace_existing=replace)
    return list(contents)


def _text(found: Confirmation, outputs: Sequence[Path], most: int | None, transfer: Path) -> str:
    filed = found.filed
    groups = [part for cause, lines in arrival_groups(found) for part in _group(cause, lines, most)]
    steps = [wrap(str(step), 2) for step in arrival_steps(found)]
    kinds = ("Report", "Data", "List")
    parts = [
        heading(f"{found.fresh.grid.file.name}, beside the write of {_at(filed)} into {filed.form}"),
        _verdict(found),
        "",
        heading("Items"),
        format_table(_ITEM_HEADS, [*(_item_row(found, one) for one in found.items), _total_row(found)]),
        *_unclear_items(found),
        "",
        *_students(found, most),
        *groups,
        "",
        *(f"{kind:<8} {path}" for kind, path in zip(kinds, outputs, strict=True)),
        "",
    ]
    if found.origin and found.origin.mend:
        steps.append(wrap(found.origin.mend, 2))
    if steps:
        parts += [heading("To do"), *steps]
    elif filed.to_decide and found.is_all_there:
        parts += [warning(wrap(filed.to_decide)), next_line(command_line("preview", transfer))]
    elif found.is_all_there:
        parts.append("File the report; nothing is left to do.")
    return "\n".join(part for index, part in enumerate(parts) if part or (index and parts[index - 1]))


def _verdict(found: Confirmation) -> str:
    said = wrap(arrival_verdict(found))
    return said if found.is_all_there else warning(said)


def _at(filed: Filed) -> str:
    return filed.when[:16].replace("T", " ")


def _item_row(found: Confirmation, item: Any) -> tuple[str, ...]:  # noqa: ANN401
    sent, others = found.counts_of(item.item)
    counts = sent + others
    expected = sum(sent[kind] for kind in Arrival if kind is not Arrival.EXTRA)
    there = (item.column.heading or f"column {item.column.letter}") if item.column else "(not there)"
    arrived = (f"{sent[Arrival.ARRIVED]:,}", *(f"{counts[kind]:,}" for kind in list(Arrival)[1:]))
    return (item.item.title or item.item.heading, there, f"{expected:,}", *arrived, f"{others[Arrival.ARRIVED]:,}")


def _total_row(found: Confirmation) -> tuple[str, ...]:
    expected = sum(count for kind, count in found.sent.items() if kind is not Arrival.EXTRA)
    rest = (f"{found.counts[kind]:,}" for kind in list(Arrival)[1:])
    arrived = (f"{found.sent[Arrival.ARRIVED]:,}", *rest, f"{found.others[Arrival.ARRIVED]:,}")
    return ("all items", "", f"{expected:,}", *arrived)


def _unclear_items(found: Confirmation) -> list[str]:
    lines = []
    for one in found.items:
        if one.candidates:
            title = one.item.title or one.item.heading
            names = [candidate.heading or candidate.letter for candidate in one.candidates]
            say = f"--item '{names[0]}={one.item.heading}'"
            quoted = listing([f"'{name}'" for name in names])
            lines.append(wrap(f"'{title}' may be {quoted}: say so with {say}", 2))
    return lines


def _students(found: Confirmation, most: int | None) -> list[str]:
    pairing = found.pairing
    parts = [heading("Students"), wrap(f"{len(pairing.pairs):,} paired: {found.identifier.words}", 2)]
    groups = (
        ("not in the fresh export (left?)", [(one.in_words, identity(one.identifier), one.name) for one in found.left]),
        ("only in the fresh export (came?)", [_who(one.row.in_words, one) for one in found.came]),
        ("to confirm", [(*_who(one.student.row.in_words, one.student), f"{one.why}") for one in pairing.held]),
    )
    for title, people in groups:
        if people:
            parts.append(f"  {len(people):,} {title}:")
            parts += [wrap("  ".join(filter(None, one)), 4) for one in people[:most]]
            parts += filter(None, [more(len(people[:most]), len(people), "--all")])
    return [*parts, ""]


def _who(where: str, student: Any) -> tuple[str, str, str]:  # noqa: ANN401
    return (where, identity(student.identifier.strip()), student.name)


def _group(cause: ArrivalCause, lines: Sequence[ArrivalLine], most: int | None) -> list[str]:
    """Return the marks of one cause; those that wait for an item or a student are counted alone."""
    title = heading(arrival_title(cause, len(lines)))
    rows = [
        (
            (who.name or identity(who.identifier.strip())) if (who := line.student or line.fresh) else "",
            line.item.title or line.item.heading,
            line.cell or (line.student.in_words if line.student else ""),
            line.sent.strip() or "-",
            line.shown.strip() or "-",
        )
        for line in lines[:most]
    ]
    return [title, format_table(_MARK_HEADS, rows), *filter(None, [more(len(rows), len(lines), "--all")]), ""]
