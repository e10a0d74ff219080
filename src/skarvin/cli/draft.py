"""`skarvin draft`: proposes the transfer."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import click
from msgspec.structs import replace

from skarvin.cli.at_keyboard import may_ask
from skarvin.cli.clock import day
from skarvin.cli.draft_classes import ClassFiles, find_classes
from skarvin.cli.draft_options import draft_options, told_of
from skarvin.cli.grouped_help import GroupedCommand, whole_help
from skarvin.cli.next_command import command_line, next_line
from skarvin.cli.output import PATH, heading, library, tidy, warning
from skarvin.cli.progress_line import progress_line
from skarvin.cli.reading_options import quotes_of, read_as, reading_options
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, SkarvinError, counted, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs
from skarvin.core.grid.save import Delivery
from skarvin.core.layout.address import name_of
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.plan.drafting.answer_proposals import QuestionProposal
from skarvin.core.plan.drafting.item_proposals import ItemProposal
from skarvin.core.plan.drafting.like import NO_EXAMPLE, Example, read_example
from skarvin.core.plan.drafting.proposal import Draft, draft
from skarvin.core.plan.drafting.understanding import with_examples
from skarvin.core.plan.drafting.wishes import Maxima, Wishes
from skarvin.core.plan.drafting.wording import draft_text
from skarvin.core.plan.editor_schema import SCHEMA_NAME, schema_bytes
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.shell_words import quoted
from skarvin.core.transfer.who_is_who import pairings_file

_USUAL = Path("transfer.toml")
_OF_READING = ("layout", "sheet", "names", "skip_hidden", "skip_controls")
"""What another transfer says of how its export is read, and holds for the next one, too."""
_HEADS = (
    Head("from", most=30, least=18),
    Head("to", most=30, least=14),
    Head("out of", rank=2, is_number=True),
    Head("because", least=24, wraps=True),
)
_OPEN_LINE = pattern(r'^(?!\s*#).*=\s*"\?"')
_MANY = 24
_HARDLY, _MOST_SEEN = 0.2, 500


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
    Of several exports, students and items become one list. --encoding, --delimiter, --sheet, --quotes, --names and
    --skip-hidden apply to each EXPORT. At the keyboard, open questions are asked.
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
    if form.is_dir() or options["each"]:
        classes = find_classes(exports, form, _wishes(options, form, example), is_each=options["each"])
        _draft_each(classes, options, example, has_headings=not no_headings)
        return
    transfer = _place(transfer, form) if example.tables else transfer
    wishes = _wishes(options, transfer, example)
    proposal = _keep_draft(exports, form, transfer, wishes, example, has_headings=not no_headings)
    echo(_text(proposal, transfer, example))
    if proposal.open_points and may_ask():
        from skarvin.cli.asking import ask_open  # noqa: PLC0415 - most drafts are asked nothing

        ask_open(transfer, _candidates(proposal))
    where = _where_open(transfer) if proposal.open_points else ""
    if where:
        echo(f"Answer what is open{where}.")
    echo(next_line(command_line("preview", transfer)))


def _place(transfer: Path, form: Path) -> Path:
    """Return where a transfer like another lies: beside its form, or in a folder of the day where one lies there."""
    if transfer != _USUAL:
        return transfer
    beside = form.with_name(transfer.name)
    return beside if not beside.exists() else form.parent / day() / transfer.name


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
    transfer.parent.mkdir(exist_ok=True)
    tidy(transfer.parent)
    schema = transfer.with_name(SCHEMA_NAME)
    with progress_line(), Delivery(replace=False, inputs=[*exports, form], always=[schema]) as delivery:
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
    for exports, form, transfer, is_shared in classes:
        if transfer.exists():
            echo(f"{transfer} is there already, and stays as it is.\n")
            continue
        wishes = replace(_wishes(options, transfer, example), is_shared=is_shared)
        try:
            proposal = _keep_draft(exports, form, transfer, wishes, example, has_headings=has_headings)
        except SkarvinError as error:
            failed.append(error)
            continue
        where = _where_open(transfer) if proposal.open_points else ""
        echo(_text(proposal, transfer, example) + (f"\nAnswer what is open{where}." if where else "") + "\n")
    if failed:
        raise type(failed[0])(*(finding for error in failed for finding in error.findings))
    for folder in dict.fromkeys(one.transfer.parent for one in classes):
        echo(next_line(command_line("preview", folder)))


def _wishes(options: Mapping[str, Any], transfer: Path, example: Example) -> Wishes:
    """Return what a person says, and what an example says of how files are read, of the target and of a roster."""
    mine, theirs = example.side("source"), example.side("target")
    options = {**options, **{name: options[name] or mine.get(name) for name in _OF_READING}}
    layouts = {"source": options["layout"], "target": options["form_layout"] or theirs.get("layout")}
    return Wishes(
        reading={
            "source": read_as(options),
            "target": ReadAs(
                sheet=options["form_sheet"] or theirs.get("sheet"), quotes=quotes_of(options["form_quotes"])
            ),
        },
        told={
            "source": told_of(options["use"], options["heading_row"], "--use"),
            "target": told_of(options["form_use"], options["form_heading_row"], "--form-use"),
        },
        layouts={side: name for side, name in layouts.items() if name},
        folders=(transfer.parent, library()),
        maxima={"source": _maxima(options["from_out_of"]), "target": _maxima(options["to_out_of"])},
        roster=options["roster"] or example.roster,
        key=options["key"],
        corrections=options["corrections"],
        members=options["members"],
        item_list=options["item_list"],
        pair=options["pair"],
        items=options["item"],
        statuses=_with_sign(options["status"], "--status", "WORD=CODE"),
        missing_maximum=_missing(options["missing_maximum"]),
        is_sample=options["is_sample"] or theirs.get("sample", False),
        heading=options["new_heading"],
        is_typed=options["is_typed"] or theirs.get("typing", False),
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


def _text(proposal: Draft, transfer: Path, example: Example) -> str:
    parts = [
        heading(f"{_names(proposal)} -> {proposal.target.file.name}"),
        wrap(_students(proposal), 2),
        *_about_swapped(proposal),
        *_about_strangers(proposal),
        *_about_layouts(proposal),
        *_about_sample(proposal),
        *(_about_example(proposal, example) if example.tables else ()),
        *(["", *table] if (table := _table(proposal)) else []),
        *(["", *totals] if (totals := list(_totals(proposal))) else []),
        *_unused(proposal),
        *(["", *notes] if (notes := [wrap(_note(note), 2) for note in proposal.notes]) else []),
        "",
        f"Written: {transfer}. Read it through; every proposal has its reason beside it.",
    ]
    questions = len(_open_lines(transfer)) if example.tables else proposal.open_points
    if questions:
        parts.append(f'{counted(questions, "question")} to answer, marked "?"{_where_open(transfer)}')
    return "\n".join(parts)


def _note(note: Finding) -> str:
    return f"{note.what}. {note.mend}" if note.mend else f"{note.what}."


def _open_lines(transfer: Path) -> list[str]:
    """Return the lines of the transfer that wait for an answer, once it is written."""
    lines = transfer.read_text(encoding="utf-8").splitlines() if transfer.exists() else []
    return [str(number) for number, line in enumerate(lines, 1) if _OPEN_LINE.match(line)]


def _where_open(transfer: Path) -> str:
    """Return these lines in words."""
    open_lines = _open_lines(transfer)
    some = listing(open_lines, 6)
    return f" ({transfer.name}, {'line' if len(open_lines) == 1 else 'lines'} {some})" if open_lines else ""


def _students(proposal: Draft) -> str:
    found = proposal.identifier
    if found.source and found.target and not found.is_open:
        return f"students: '{_title(found.source)}' with '{_title(found.target)}', {found.words}"
    mend = ""
    if found.is_open:
        mend = ". Say which columns do: --pair 'COLUMN=COLUMN'; or name a list that knows both: --roster FILE"
    return f"students: {found.words}{mend}"


def _about_swapped(proposal: Draft) -> Iterator[str]:
    """Say where the form has marks and the export has hardly any, as if one had been taken for the other."""
    pairs = [(item.proposal.source, item.proposal.target) for item in proposal.items if item.proposal.target]
    mine = _filled(proposal.source, proposal.source_layout, [ours for ours, _ in pairs])
    theirs = _filled(proposal.target, proposal.target_layout, [there for _, there in pairs if there])
    if pairs and mine < _HARDLY and theirs > 1 - _HARDLY:
        names = (proposal.source.file.name, proposal.target.file.name)
        other = f"skarvin draft {quoted(proposal.target.file)} {quoted(proposal.source.file)}"
        text = f"{names[0]} has hardly any marks, and {names[1]} has"
        yield warning(wrap(f"{text}: if they are the other way round, take the transfer away, and:", 2))
        yield f"    {other}"


def _filled(grid: Grid, layout: Layout, columns: Sequence[Column]) -> float:
    """Return which part of the cells of some columns is filled."""
    rows = range(layout.first_row, min(len(grid), layout.first_row + _MOST_SEEN))
    cells = [row[column.index] for row in map(grid.cells, rows) for column in columns if column.index < len(row)]
    return sum(1 for text in cells if text.strip()) / max(len(cells), 1)


def _about_strangers(proposal: Draft) -> Iterator[str]:
    """Say why nobody was found, and which columns there are to choose from."""
    if proposal.identifier.is_open:
        yield from (wrap(f"perhaps: {guess}", 4) for guess in proposal.guesses)
        sides = (("export", proposal.source, proposal.source_layout), ("form", proposal.target, proposal.target_layout))
        for title, grid, layout in sides:
            columns = [column for column in layout.columns if column.use is not Use.ITEM]
            yield wrap(f"columns of the {title}: {'; '.join(with_examples(grid, layout, columns))}", 4)


def _title(column: Any) -> str:  # noqa: ANN401 - a column of either side
    return str(column.heading or f"column {column.letter}")


def _about_layouts(proposal: Draft) -> Iterator[str]:
    """Say which of the person's layouts was used, and which one a file nearly fits."""
    grids = {"source": proposal.source, "target": proposal.target}
    for side, understood in proposal.understood.items():
        name = grids[side].file.name
        if understood.name:
            yield wrap(f"{name} is read by your layout '{understood.name}'.", 2)
        elif understood.nearly:
            departures = listing(
                [f"{one.place.heading or one.place}: {one.what}" for one in understood.nearly.departures]
            )
            yield wrap(f"{name} nearly fits your layout '{understood.nearly.name}', but for {departures}.", 2)


def _about_sample(proposal: Draft) -> list[str]:
    """Say what to do where the people of a form may be made up."""
    if not proposal.may_be_sample:
        return []
    name = proposal.target.file.name
    what = f"If the people in {name} are made up, take the transfer away and draft again with --sample"
    return [wrap(f"{what}; or write clear = true under [target], to have their rows emptied and filled.", 2)]


def _about_example(proposal: Draft, example: Example) -> Iterator[str]:
    """Say what was taken over, what is new here, and what is gone."""
    yield wrap(f"like {example.file}: its rules hold here, but for what this transfer says itself.", 2)
    moved = [item.proposal.source for item in proposal.items if item.proposal.source.counts]
    layouts = (proposal.source_layout, proposal.target_layout)
    yield from (wrap(f"{text}.", 2) for text in example.new(layouts, moved, proposal.identifiers))


def _names(proposal: Draft) -> str:
    files = [proposal.source.file, *(grid.file for grid, _ in proposal.exports.further)]
    return listing(
        [
            file if count == 1 else f"{count} sheets of {file}"
            for file, count in Counter(file.name for file in files).items()
        ]
    )


def _table(proposal: Draft) -> list[str]:
    """Return the items; of a long list what a person should look at, and the others counted."""
    items = proposal.items
    shown = list(items)
    counts: Counter[str] = Counter()
    if len(items) > _MANY:
        shown = [item for item in items if item.is_target_open or not item.proposal.target][:_MANY]
        counts.update(_because(item) for item in items if item not in shown)
    rows = [*map(_row, shown), *map(_question, proposal.questions)]
    parts = [format_table(_HEADS, rows)] if rows else []
    if counts:
        words = listing([f"{count:,}: {reason}" for reason, count in counts.most_common()], 6)
        rest = counted(sum(counts.values()), "item")
        parts += [wrap(f"{f'and {rest} more' if rows else rest} ({words}); all stand in the transfer", 2)]
    return parts


def _question(question: QuestionProposal) -> tuple[str, ...]:
    target = question.target.called if question.target else "(left out)"
    return (question.source.called, target, "", f"{question.reason}; {question.kind.value}")


def _totals(proposal: Draft) -> Iterator[str]:
    """Yield what was found out about the export's own totals."""
    for total in proposal.totals:
        title = total.column.title
        if total.formula:
            agree = f"agrees for {total.agree} of {counted(total.of, 'student')}"
            yield wrap(f"'{title}' is likely the {total.words}: it {agree}, and each is checked.", 2)
        else:
            yield wrap(f"No simple rule gives '{title}'; write yours in the transfer, and each student is checked.", 2)


def _unused(proposal: Draft) -> Iterator[str]:
    """Say which columns of the export go nowhere: nothing is known of them, or nothing takes their comments."""
    named = [(column, f"{column.letter} '{column.heading}'") for column in proposal.unused]
    comments = listing([name for column, name in named if column.use is Use.COMMENT], 6)
    others = listing([name for column, name in named if column.use is not Use.COMMENT], 6)
    yield from [""] if named else []
    if comments:
        yield wrap(f"Comments that the target has no place for: {comments}.", 2)
    if others:
        yield wrap(f"Not known, and left out: {others}. If one holds marks: --use 'COLUMN=item'", 2)


def _row(item: ItemProposal) -> tuple[str, ...]:
    proposal = item.proposal
    maxima = [item.from_out_of, item.to_out_of] if proposal.target else [item.from_out_of]
    out_of = " -> ".join("?" if number is None else plain(number) for number in dict.fromkeys(maxima))
    to = proposal.target.called if proposal.target else "?" if proposal.candidates else "(left out)"
    return (proposal.source.called, item.new_heading or to, "" if out_of == "?" else out_of, _because(item))


def _because(item: ItemProposal) -> str:
    proposal = item.proposal
    if item.is_maximum_open:
        return "to answer: one maximum is missing"
    if proposal.candidates and not proposal.target:
        return f"to answer: {proposal.reason}"
    return proposal.reason
