"""`skarvin draft`: proposes the transfer."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from decimal import Decimal
from pathlib import Path
from typing import Any

import click
from msgspec.structs import replace

from skarvin.cli.at_keyboard import may_ask
from skarvin.cli.clock import day
from skarvin.cli.draft_classes import ClassFiles, find_classes, is_folder_of_files
from skarvin.cli.draft_options import draft_options
from skarvin.cli.draft_words import summary, where_open
from skarvin.cli.grouped_help import GroupedCommand, whole_help
from skarvin.cli.next_command import command_line, next_line
from skarvin.cli.output import PATH, library, tidy
from skarvin.cli.progress_line import progress_line
from skarvin.cli.reading_options import read_as, reading_options, told_of
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, SkarvinError
from skarvin.core.grid.read import FormAs, ReadAs
from skarvin.core.grid.save import Delivery
from skarvin.core.layout.address import name_of
from skarvin.core.plan.drafting.like import NO_EXAMPLE, Example, read_example
from skarvin.core.plan.drafting.proposal import Draft, draft
from skarvin.core.plan.drafting.wishes import Maxima, Wishes
from skarvin.core.plan.drafting.wording import draft_text
from skarvin.core.plan.editor_schema import SCHEMA_NAME, schema_bytes
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.texts.shell_words import quoted
from skarvin.core.transfer.who_is_who import pairings_file

_USUAL = Path("transfer.toml")
_OF_READING = ("layout", "sheet", "names", "skip_hidden", "skip_controls")
"""What another transfer says of how its files are read, and holds for the next ones, too."""
_SIDES = {"source": ("", ReadAs), "target": ("form_", FormAs)}
"""How the names of a side's options begin, and what they say."""
_AS_SAID = ("key", "corrections", "members", "item_list", "pair")


@click.command(cls=GroupedCommand)
@click.argument("exports", type=PATH, nargs=-1, metavar="EXPORT...")
@click.argument("form", type=PATH)
@draft_options
@whole_help
@reading_options
@click.option(
    "-t",
    "--transfer",
    "transfer",
    type=PATH,
    default=_USUAL,
    show_default=True,
    help="Where the transfer is written.",
)
def command(
    exports: tuple[Path, ...],
    form: Path,
    transfer: Path,
    no_headings: bool,
    **options: Any,  # noqa: ANN401 - what a person says, and the options of reading
) -> None:
    """Propose how to move the marks of each EXPORT into FORM, and write the proposal to transfer.toml.

    FORM is the target system's own blank form, sample or current export. No file is ever written to.
    Of several exports, students and items become one list. Options such as --encoding and --use apply to each EXPORT;
    those that begin with --form- are the same for the FORM. At the keyboard, open questions are asked.
    """
    if not exports:
        mend = f"Name both, the form last: skarvin draft EXPORT {quoted(form)}, or skarvin draft {quoted(form)} FORM"
        raise Misused(Finding("one-file", "a draft needs an export and the form that it is to fill", None, mend))
    if form.exists() and any(one.exists() and one.samefile(form) for one in exports):
        mend = "Name the form last: the blank form, sample or current export of the system that takes the marks."
        raise Misused(Finding("same-file", f"{form} is named as export and as form", None, mend))
    if "-" in map(str, (*exports, form)):
        mend = "Save them to a file first; a transfer is carried out more than once."
        raise Misused(Finding("piped", "what is piped in can't be drafted from", None, mend))
    example = read_example(options["like"]) if options["like"] else NO_EXAMPLE
    if is_folder_of_files(form) or options["each"]:
        classes = find_classes(exports, form, _wishes(options, form, example), is_each=options["each"])
        _draft_each(classes, options, example, has_headings=not no_headings)
        return
    transfer = _place(transfer, form) if example.tables else transfer
    wishes = _wishes(options, transfer, example)
    proposal = _keep_draft(exports, form, transfer, wishes, example, has_headings=not no_headings)
    echo(summary(proposal, transfer, example))
    if proposal.open_points and may_ask():
        from skarvin.cli.asking import ask_open  # noqa: PLC0415 - most drafts are asked nothing

        ask_open(transfer, _candidates(proposal))
    where = where_open(transfer) if proposal.open_points else ""
    if where:
        echo(f"Answer what is open{where}.")
    echo(next_line(command_line("preview", transfer)))


def _place(transfer: Path, form: Path) -> Path:
    """Return where a transfer like another lies: beside its form, or in a folder of the day where one lies there."""
    if transfer != _USUAL:
        return transfer
    beside = form.with_name(transfer.name)
    return beside if not beside.exists() else form.parent / day() / transfer.name


@contextmanager
def _folder(folder: Path) -> Iterator[None]:
    """Make a folder where there is none; where nothing is written into it after all, none stays."""
    is_new = not folder.exists()
    folder.mkdir(exist_ok=True)
    try:
        yield
    except BaseException:
        if is_new:
            with suppress(OSError):
                folder.rmdir()
        raise


def _keep_draft(  # noqa: PLR0913 - the files, and what a person says
    exports: Sequence[Path],
    form: Path,
    transfer: Path,
    wishes: Wishes,
    example: Example,
    *,
    has_headings: bool,
) -> Draft:
    """Propose a transfer and write it down."""
    tidy(transfer.parent)
    schema = transfer.with_name(SCHEMA_NAME)
    with (
        _folder(transfer.parent),
        progress_line(),
        Delivery(replace=False, inputs=[*exports, form], always=[schema]) as delivery,
    ):
        if transfer.exists():
            mend = "Work on it, or name another with --transfer."
            raise Misused(Finding("exists", f"'{transfer}' is there already and is never overwritten", None, mend))
        proposal = replace(draft(exports, form, wishes, example), has_headings=has_headings)
        text = draft_text(proposal, transfer)
        if example.tables:
            decided = pairings_file(example.file)
            words = [word.rpartition("=")[0].strip() for word in wishes.statuses]
            said = (proposal.identifiers, words)
            text = example.over(text, transfer, said, decided if decided.exists() else None)
        delivery.stage(transfer, [text.encode()])
        delivery.stage(schema, [schema_bytes()])
        delivery.commit()
    return proposal


def _draft_each(
    classes: Sequence[ClassFiles], options: Mapping[str, Any], example: Example, *, has_headings: bool
) -> None:
    """Propose a transfer for each class."""
    failed: list[SkarvinError] = []
    for exports, form, transfer, is_shared, named in classes:
        if transfer.exists():
            echo(f"{transfer} is there already, and stays as it is.\n")
            continue
        wishes = replace(_wishes({**options, **named}, transfer, example), is_shared=is_shared)
        try:
            proposal = _keep_draft(exports, form, transfer, wishes, example, has_headings=has_headings)
        except SkarvinError as error:
            failed.append(error)
            continue
        where = where_open(transfer) if proposal.open_points else ""
        echo(summary(proposal, transfer, example) + (f"\nAnswer what is open{where}." if where else "") + "\n")
    if failed:
        raise type(failed[0])(*(finding for error in failed for finding in error.findings))
    for folder in dict.fromkeys(one.transfer.parent for one in classes):
        echo(next_line(command_line("preview", folder)))


def _wishes(options: Mapping[str, Any], transfer: Path, example: Example) -> Wishes:
    """Return what a person says, and what an example says of how files are read, of the target and of a roster."""
    said, theirs = dict(options), example.side("target")
    for side, (prefix, _) in _SIDES.items():
        for name in _OF_READING:
            said[prefix + name] = options.get(prefix + name) or example.side(side).get(name)
    return Wishes(
        **{name: options[name] for name in _AS_SAID},
        reading={side: read_as(said, kind, prefix) for side, (prefix, kind) in _SIDES.items()},
        told={side: told_of(said, prefix) for side, (prefix, _) in _SIDES.items()},
        layouts={side: name for side, (prefix, _) in _SIDES.items() if (name := said[f"{prefix}layout"])},
        folders=(transfer.parent, library()),
        maxima={"source": _maxima(options["from_out_of"]), "target": _maxima(options["to_out_of"])},
        roster=options["roster"] or example.roster,
        items=options["item"],
        statuses=_with_sign(options["status"], "--status", "WORD=CODE"),
        missing_maximum=_missing(options["missing_maximum"]),
        is_sample=options["sample"] or theirs.get("sample", False),
        heading=options["new_heading"],
        is_typed=options["typing"] or theirs.get("typing", False),
    )


def _with_sign(given: tuple[str, ...], option: str, form: str) -> tuple[str, ...]:
    """Return what was given to an option.

    Raises:
        Misused: one lacks its sign, or has nothing in front of it.
    """
    for text in given:
        if not text.rpartition("=")[0].strip():
            raise Misused(Finding("no-sign", f"{option} '{text}' isn't {form}", None, f"Write {option} '{form}'."))
    return given


def _missing(text: str) -> str:
    if text in {"", "same"}:
        return text
    return plain(_maximum(text))


def _maxima(given: tuple[str, ...]) -> Maxima:
    every: Decimal | None = None
    single: dict[str, Decimal] = {}
    for text in given:
        name, _, number = text.rpartition("=")
        maximum = _maximum(number)
        if name.strip():
            single[name] = maximum
        elif "=" in text:
            raise Misused(
                Finding("no-name", f"'{text}' names no item in front of its =", None, "Write HEADING=NUMBER.")
            )
        else:
            every = maximum
    return Maxima(every, single)


def _maximum(text: str) -> Decimal:
    maximum = read_number(text)
    if maximum is None or maximum <= 0:
        raise Misused(Finding("no-maximum", f"'{text}' can't be a maximum", None, "Write a number above zero."))
    return maximum


def _candidates(proposal: Draft) -> dict[str, Sequence[tuple[str, str]]]:
    """Return the columns that open items may go to, with what speaks for each."""
    ours, theirs = proposal.source_layout.columns, proposal.target_layout.columns
    return {
        name_of(ours, item.proposal.source): [
            (name_of(theirs, column), ground)
            for column, ground in zip(item.proposal.candidates, item.proposal.grounds, strict=True)
        ]
        for item in proposal.items
        if item.proposal.candidates
    }
