"""`skarvin draft`: proposes the transfer."""

from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from typing import Any

import click

from skarvin.cli.output import PATH, heading, tidy, transfer_option
from skarvin.cli.reading_options import quotes_of, read_as, reading_options
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import Finding, Misused, counted, listing
from skarvin.core.grid.dialect import Quotes
from skarvin.core.grid.read import ReadAs
from skarvin.core.grid.save import Delivery
from skarvin.core.plan.drafting.answer_proposals import QuestionProposal
from skarvin.core.plan.drafting.proposal import Draft, ItemProposal, Maxima, SampleOptions, draft, is_maximum_open
from skarvin.core.plan.drafting.wording import draft_text
from skarvin.core.texts.numbers import plain, read_number

_HEADS = (
    Head("from", most=30, least=18),
    Head("to", most=30, least=14),
    Head("out of", rank=2, is_number=True),
    Head("because", rank=1, least=24),
)
_OUT_OF_HELP = (
    "The maximum of the {side} items whose headings give none: a number, or 'HEADING=NUMBER' for one. Repeatable."
)


@click.command()
@click.argument("exports", type=PATH, nargs=-1, required=True, metavar="EXPORT...")
@click.argument("template", type=PATH)
@click.option("--from-out-of", multiple=True, metavar="[HEADING=]NUMBER", help=_OUT_OF_HELP.format(side="export's"))
@click.option("--to-out-of", multiple=True, metavar="[HEADING=]NUMBER", help=_OUT_OF_HELP.format(side="template's"))
@click.option("--roster", type=PATH, help="A list that knows more of the target's students than the template does.")
@click.option("--key", type=PATH, help="A table of the answers to questions: question, text, code, right.")
@click.option(
    "--form-quotes",
    type=click.Choice([quotes.value for quotes in Quotes]),
    help="The same as --quotes, for the TEMPLATE.",
)
@click.option("--form-sheet", help="The TEMPLATE's sheet, by name or by position, if it is a workbook.")
@click.option("--no-headings", is_flag=True, help="The target takes no headings: leave the TEMPLATE's out.")
@click.option(
    "--sample", "is_sample", is_flag=True, help="The people in the TEMPLATE are made up: write anew after it."
)
@click.option(
    "--typing", "is_typed", is_flag=True, help="The target takes no import: TEMPLATE lists the students on its screen."
)
@click.option("--new-heading", help="For items that a sample doesn't have: '{title} points ({maximum})'.")
@reading_options
@transfer_option
def command(  # noqa: PLR0913 - the options of a command
    exports: tuple[Path, ...],
    template: Path,
    from_out_of: tuple[str, ...],
    to_out_of: tuple[str, ...],
    roster: Path | None,
    key: Path | None,
    form_quotes: str | None,
    form_sheet: str | None,
    no_headings: bool,
    is_sample: bool,
    is_typed: bool,
    new_heading: str | None,
    transfer: Path,
    **reading: Any,  # noqa: ANN401 - the options of reading
) -> None:
    """Propose how to move the marks of each EXPORT into TEMPLATE, and write the proposal to transfer.toml.

    TEMPLATE is the target system's own blank form, sample or current export. No file is ever written to.
    Of several exports, students and items become one list. The options of reading speak of each EXPORT.
    """
    if "-" in map(str, (*exports, template)):
        mend = "Save them to a file first; a transfer is carried out more than once."
        raise Misused(Finding("piped", "what is piped in can't be drafted from", None, mend))
    tidy(transfer.parent)
    with Delivery(replace=False, inputs=[*exports, template]) as delivery:
        if transfer.exists():
            mend = "Work on it, or name another with --transfer."
            raise Misused(Finding("exists", f"'{transfer}' is there already and is never overwritten", None, mend))
        maxima = {"source": _maxima(from_out_of), "target": _maxima(to_out_of)}
        how = read_as(reading)
        reads = {"source": how, "target": ReadAs(sheet=form_sheet, quotes=quotes_of(form_quotes))}
        sample = SampleOptions(is_sample, new_heading, is_typed)
        proposal = draft(exports, template, maxima, reads, roster, key, sample)
        proposal = replace(proposal, has_headings=not no_headings)
        delivery.stage(transfer, [draft_text(proposal, transfer).encode()])
        delivery.commit()
    click.echo(_text(proposal, transfer))


def _maxima(given: tuple[str, ...]) -> Maxima:
    every: Decimal | None = None
    single: dict[str, Decimal] = {}
    for text in given:
        name, _, number = text.rpartition("=")
        maximum = read_number(number)
        if maximum is None or maximum <= 0:
            raise Misused(Finding("no-maximum", f"'{number}' is no maximum", None, "Write a number above zero."))
        if name:
            single[name] = maximum
        else:
            every = maximum
    return Maxima(every, single)


def _text(proposal: Draft, transfer: Path) -> str:
    found = proposal.identifier
    students = (
        f"  students: '{found.source.heading}' with '{found.target.heading}', {found.words}"
        if found.source and found.target
        else "  students: no identifier of one file meets one of the other"
    )
    parts = [
        heading(f"{_names(proposal)} -> {proposal.target.file.name}"),
        wrap(students.strip(), 2),
        *_about_sample(proposal),
        "",
        format_table(_HEADS, [*map(_row, proposal.items), *map(_question, proposal.questions)]),
        *(["", *totals] if (totals := list(_totals(proposal))) else []),
        "",
        f"Written: {transfer}. Read it through; every proposal has its reason beside it.",
    ]
    if proposal.open_points:
        points = counted(proposal.open_points, "point is", "points are")
        parts.append(f'{points} left open for you, marked "?"')
    return "\n".join([*parts, "Next: skarvin preview"])


def _about_sample(proposal: Draft) -> list[str]:
    """Say what to do where the people of a form may be made up."""
    if not proposal.may_be_sample:
        return []
    name = proposal.target.file.name
    what = f"If the people in {name} are made up, take the transfer away and draft again with --sample"
    return [wrap(f"{what}; or write clear = true under [target], to have their rows emptied and filled.", 2)]


def _names(proposal: Draft) -> str:
    files = [proposal.source.file, *(grid.file for grid, _ in proposal.exports.further)]
    return listing([file.name for file in files])


def _question(question: QuestionProposal) -> tuple[str, ...]:
    target = question.target.title if question.target else "(left out)"
    return (question.source.title, target, "", f"{question.reason}; {question.kind.value}")


def _totals(proposal: Draft) -> Iterator[str]:
    """Yield what was found out about the export's own totals."""
    for total in proposal.totals:
        title = total.column.title
        if total.formula:
            agree = f"agrees for {total.agree} of {counted(total.of, 'student')}"
            yield wrap(f"'{title}' is likely the {total.words}: it {agree}, and each is checked.", 2)
        else:
            yield wrap(f"No simple rule gives '{title}'; write yours in the transfer, and each student is checked.", 2)


def _row(item: ItemProposal) -> tuple[str, ...]:
    proposal = item.proposal
    maxima = [item.from_out_of, item.to_out_of] if proposal.target else [item.from_out_of]
    out_of = " -> ".join("?" if number is None else plain(number) for number in dict.fromkeys(maxima))
    if item.new_heading:
        to, because = item.new_heading, proposal.reason
    elif proposal.target:
        because = "open: one maximum is missing" if is_maximum_open(item) else proposal.reason
        to = proposal.target.title
    elif proposal.candidates:
        to, because = "?", f"open: {proposal.reason}"
    else:
        to, because = "(left out)", proposal.reason
    return (proposal.source.title, to, "" if out_of == "?" else out_of, because)
