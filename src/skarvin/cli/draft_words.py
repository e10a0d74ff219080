"""What `skarvin draft` says: who meets whom, which item goes where, and what is open."""

from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from skarvin.cli.output import heading, warning
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import Finding, counted, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.plan.drafting.answer_proposals import QuestionProposal
from skarvin.core.plan.drafting.item_proposals import ItemProposal
from skarvin.core.plan.drafting.like import Example
from skarvin.core.plan.drafting.proposal import Draft
from skarvin.core.plan.drafting.understanding import with_examples
from skarvin.core.plan.plan import SAME_MAXIMUM
from skarvin.core.texts.numbers import plain
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.shell_words import quoted

_HEADS = (
    Head("from", most=30, least=18),
    Head("to", most=30, least=14),
    Head("out of", rank=2, is_number=True),
    Head("because", least=24, wraps=True),
)
_OPEN_LINE = pattern(r'^(?!\s*#).*=\s*"\?"')
_MANY = 24
_HARDLY, _MOST_SEEN = 0.2, 500


def summary(proposal: Draft, transfer: Path, example: Example) -> str:
    """Return what was proposed, on what evidence, what is told of it, and how many questions are open."""
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
        parts.append(f'{counted(questions, "question")} to answer, marked "?"{where_open(transfer)}')
    return "\n".join(parts)


def _note(note: Finding) -> str:
    return f"{note.what}. {note.mend}" if note.mend else f"{note.what}."


def _open_lines(transfer: Path) -> list[str]:
    """Return the lines of the transfer that wait for an answer, once it is written."""
    lines = transfer.read_text(encoding="utf-8").splitlines() if transfer.exists() else []
    return [str(number) for number, line in enumerate(lines, 1) if _OPEN_LINE.match(line)]


def where_open(transfer: Path) -> str:
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
    items, missing = proposal.items, proposal.wishes.missing_maximum
    shown = list(items)
    counts: Counter[str] = Counter()
    if len(items) > _MANY:
        shown = [item for item in items if item.is_target_open or not item.proposal.target][:_MANY]
        counts.update(_because(item, missing) for item in items if item not in shown)
    rows = [*(_row(item, missing) for item in shown), *map(_question, proposal.questions)]
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


def _row(item: ItemProposal, missing: str) -> tuple[str, ...]:
    """Return an item's cells; `missing` is what a person says of a maximum that only one side gives."""
    proposal = item.proposal
    maxima = [item.from_out_of, item.to_out_of] if proposal.target else [item.from_out_of]
    known = [plain(number) for number in maxima if number is not None]
    lacking = "?" if not (missing and item.is_maximum_open) else known[0] if missing == SAME_MAXIMUM else missing
    out_of = " -> ".join(dict.fromkeys(lacking if number is None else plain(number) for number in maxima))
    to = proposal.target.called if proposal.target else "?" if proposal.candidates else "(left out)"
    return (proposal.source.called, item.new_heading or to, "" if out_of == "?" else out_of, _because(item, missing))


def _because(item: ItemProposal, missing: str) -> str:
    proposal = item.proposal
    if item.is_maximum_open and not missing:
        return "to answer: one maximum is missing"
    if proposal.candidates and not proposal.target:
        return f"to answer: {proposal.reason}"
    return proposal.reason
