"""Proposes a transfer: which identifier pairs the students, what feeds what, and every rule with its default."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from skarvin.core.findings import Finding, Misused, Unreadable
from skarvin.core.gradebook import understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.items.matching import Proposal, propose
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.numbered import has_people
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.survey import survey
from skarvin.core.marks.answers.key import read_key
from skarvin.core.plan.drafting.answer_proposals import QuestionProposal, propose_questions
from skarvin.core.plan.drafting.exports import Exports, read_exports
from skarvin.core.plan.drafting.form_sheet import choose_sheet
from skarvin.core.plan.drafting.identifier_proposals import (
    IdentifierProposal,
    RosterProposal,
    propose_alike,
    propose_identifier,
    propose_roster,
)
from skarvin.core.plan.drafting.mark_hints import NO_HINTS, MarkHints, ScaleProposal, find_hints, find_own_hints
from skarvin.core.plan.drafting.new_items import HeadingPattern, check_sample, read_pattern
from skarvin.core.plan.drafting.total_proposals import TotalProposal, propose_totals
from skarvin.core.plan.plan import OPEN
from skarvin.core.reasons import Cause
from skarvin.core.targets.opening import open_target

_FEW_PEOPLE = 8
_NOTHING: Mapping[str, Any] = MappingProxyType({})


@dataclass(frozen=True)
class Maxima:
    """What the user says about maxima: for every item whose heading is silent, and for single headings."""

    every: Decimal | None = None
    single: Mapping[str, Decimal] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ItemProposal:
    """A proposal for one source item with the maxima of both sides and where they come from."""

    proposal: Proposal
    from_out_of: Decimal | None
    to_out_of: Decimal | None
    marks: MarkHints = NO_HINTS
    new_heading: str = ""


class SampleOptions(NamedTuple):
    """Whether the target's file is a sample with made-up people, with the pattern of headings that a person gives.

    Or whether the target takes no import, and the file lists the students on its screen.
    """

    is_sample: bool = False
    heading: str | None = None
    is_typed: bool = False


NO_SAMPLE = SampleOptions()


class CommentProposal(NamedTuple):
    """Comments that could travel, where to, and the item that they are on."""

    source: Column
    target: Column
    of: Column | None


@dataclass(frozen=True, kw_only=True)
class Draft:
    """All that is proposed for one export and one template."""

    source: Grid
    target: Grid
    source_layout: Layout
    target_layout: Layout
    identifier: IdentifierProposal
    items: tuple[ItemProposal, ...]
    practice: tuple[str, ...]
    reading: Mapping[str, ReadAs]
    exports: Exports
    roster: RosterProposal | None = None
    totals: tuple[TotalProposal, ...] = ()
    questions: tuple[QuestionProposal, ...] = ()
    comments: tuple[CommentProposal, ...] = ()
    key: Path | None = None
    has_headings: bool = True
    is_sample: bool = False
    is_typed: bool = False
    may_be_sample: bool = False

    @property
    def scales(self) -> tuple[ScaleProposal, ...]:
        """The scales that items need, each once."""
        found = (item.marks.scale for item in self.items if item.marks.scale)
        return tuple(dict.fromkeys(found))

    @property
    def open_points(self) -> int:
        """How many points a person must decide before marks can move."""
        words = sum(len(scale.words) for scale in self.scales if scale.is_open)
        items = sum(1 for item in self.items if is_target_open(item))
        maxima = sum(1 for item in self.items if is_maximum_open(item))
        return items + maxima + words + (self.identifier.source is None) + (self.identifier.target is None)


def is_target_open(item: ItemProposal) -> bool:
    """Tell whether a person must say where an item goes."""
    return item.new_heading == OPEN or bool(item.proposal.candidates and not item.proposal.target)


def is_maximum_open(item: ItemProposal) -> bool:
    """Tell whether one maximum is known and the other isn't: whether to rescale is then a person's decision."""
    if item.marks.scale:
        return False
    return item.proposal.target is not None and (item.from_out_of is None) != (item.to_out_of is None)


def draft(  # noqa: PLR0913 - what a person may say, each with its default
    exports: Sequence[Path],
    template: Path,
    maxima: Mapping[str, Maxima] = _NOTHING,
    reading: Mapping[str, ReadAs] = _NOTHING,
    roster: Path | None = None,
    key: Path | None = None,
    sample: SampleOptions = NO_SAMPLE,
) -> Draft:
    """Return a proposal for moving the marks of one or several exports into `template`.

    Args:
        exports: the exports.
        template: the template.
        maxima: what is said about maxima, for `source` and `target`.
        reading: how the files are to be read, for `source` and `target`.
        roster: a list of the target's students that knows more of them than the template.
        key: an answer key.
        sample: whether the template is a sample, and how headings are made after it.

    Raises:
        Unreadable: a file can't be read or understood.
        Misused: a maximum is given for a heading that isn't there.
    """
    how = {side: reading.get(side, ReadAs()) for side in ("source", "target")}
    read = read_exports(exports, how["source"])
    source, source_layout = read.grid, read.layout
    target = _typed(template, how["target"], source_layout) if sample.is_typed else read_grid(template, how["target"])
    if not sample.is_typed:
        target, how["target"] = choose_sheet(source, source_layout, target, how["target"])
    form = open_target(target)
    layouts = source_layout, recognise(target)
    for layout in layouts:
        if layout.faults:
            raise Unreadable(*layout.faults[:5])
    _check_students(source, layouts[0], "export")
    _check_students(target, layouts[1], "template")
    identifier = propose_identifier(source, target, *layouts)
    if sample.is_sample:
        check_sample(identifier.met, template.name)
        identifier = replace(propose_alike(*layouts), is_sample=True)
    proposed_roster = None
    if roster:
        proposed_roster, identifier = propose_roster(roster, (source, layouts[0]), (target, layouts[1]), identifier)
    texts, theirs_texts = (_surveyed(grid, layout) for grid, layout in zip((source, target), layouts, strict=True))
    allowed = {column.index: form.allowed(column.index) for column in layouts[1].of_use(Use.ITEM)}
    questions = propose_questions(*layouts, texts, read_key(read_grid(key)) if key else {})
    asked = {question.target.index for question in questions if question.target}
    counting = [column for column in layouts[0].of_use(Use.ITEM) if column.counts]
    targets = [column for column in layouts[1].of_use(Use.ITEM) if column.index not in asked]
    proposals = [*propose(counting, targets), *_left_out(layouts[0])]
    proposals.sort(key=lambda proposal: proposal.source.index)
    ours, theirs = (
        _maxima(layouts[0], maxima.get("source", Maxima())),
        _maxima(layouts[1], maxima.get("target", Maxima())),
    )
    items = tuple(_item(proposal, ours, theirs, texts, theirs_texts, allowed) for proposal in proposals)
    if sample.is_sample:
        pattern = read_pattern(sample.heading, layouts[1].of_use(Use.ITEM), theirs_texts)
        items = tuple(_with_new_items(items, pattern, texts, _pooled(theirs_texts)))
    known = {index: maximum for index, maximum in ours.items() if maximum is not None}
    totals = propose_totals(source, layouts[0], known)
    first = layouts[0].identifiers[0]
    book = understand(source, layouts[0], first, [], NOT_STUDENTS)
    practice = tuple(
        dict.fromkeys(
            non_student.student.name for non_student in book.non_students if non_student.why.cause is Cause.PRACTICE
        )
    )
    return Draft(
        source=source,
        target=target,
        source_layout=layouts[0],
        target_layout=layouts[1],
        identifier=identifier,
        items=items,
        practice=practice,
        reading=how,
        exports=read,
        roster=proposed_roster,
        totals=totals,
        questions=questions,
        comments=tuple(_comments(layouts[0], layouts[1], items)),
        key=key,
        is_sample=sample.is_sample,
        is_typed=sample.is_typed,
        may_be_sample=not identifier.met
        and not identifier.by_name
        and not identifier.is_composed
        and _is_short(target, layouts[1]),
    )


def _with_new_items(
    items: Sequence[ItemProposal],
    pattern: HeadingPattern,
    texts: Mapping[int, Mapping[str, int]],
    theirs: Mapping[str, int],
) -> Iterator[ItemProposal]:
    """Yield the items, each of which goes somewhere: what the sample doesn't have gets a heading like the others."""
    for item in items:
        source = item.proposal.source
        if item.proposal.target or source.use is not Use.ITEM or not source.counts:
            yield item
            continue
        heading = pattern.of(source.title, item.from_out_of, texts[source.index])
        proposal = Proposal(source, None, "not in the sample: made after its headings")
        shown = find_hints(source, texts[source.index], theirs, (item.from_out_of, item.from_out_of))
        marks = item.marks._replace(to_commas=shown.to_commas, to_decimals=shown.to_decimals)
        yield replace(item, proposal=proposal, new_heading=heading or OPEN, to_out_of=item.from_out_of, marks=marks)


def _pooled(texts: Mapping[int, Mapping[str, int]]) -> dict[str, int]:
    """Return the marks of all items that a sample shows: how it writes numbers, new ones are to be written."""
    found: Counter[str] = Counter()
    for counts in texts.values():
        found.update(counts)
    return dict(found)


def _typed(file: Path, how: ReadAs, layout: Layout) -> Grid:
    """Return the students on the screen of a target that takes no import, with a column for each item."""
    from skarvin.core.targets.typing_form import typing_form  # noqa: PLC0415 - most targets take an import

    return typing_form(file, how, [column.heading for column in layout.of_use(Use.ITEM) if column.counts])


def _is_short(grid: Grid, layout: Layout) -> bool:
    """Tell whether a form has so few people that they may be made up."""
    return len(grid) - layout.first_row <= _FEW_PEOPLE


def _surveyed(grid: Grid, layout: Layout) -> dict[int, Mapping[str, int]]:
    """Return the distinct texts of each column that may hold marks, and how often each stands there."""
    columns = layout.of_use({Use.ITEM, Use.TOTAL, Use.ANSWER})
    rows = [row for row in range(layout.first_row, len(grid)) if grid.widths[row] >= len(layout.columns)]
    return {surveyed.column.index: surveyed.texts for surveyed in survey(grid, columns, rows)}


def _item(  # noqa: PLR0913 - what is known of both columns
    proposal: Proposal,
    ours: Mapping[int, Decimal],
    theirs: Mapping[int, Decimal],
    texts: Mapping[int, Mapping[str, int]],
    theirs_texts: Mapping[int, Mapping[str, int]],
    allowed: Mapping[int, Sequence[str]],
) -> ItemProposal:
    here = texts[proposal.source.index]
    if proposal.target is None:
        return ItemProposal(proposal, ours.get(proposal.source.index), None, find_own_hints(here))
    there = theirs_texts.get(proposal.target.index, {})
    maxima = (ours.get(proposal.source.index), theirs.get(proposal.target.index))
    hints = find_hints(proposal.source, here, there, maxima, allowed.get(proposal.target.index, ()))
    return ItemProposal(proposal, maxima[0] or hints.out_of, maxima[1] or hints.to_out_of, hints)


def _comments(source: Layout, target: Layout, items: Sequence[ItemProposal]) -> Iterator[CommentProposal]:
    """Yield the comments that could travel with marks that move, each with a column of the target that is free."""
    free = [column for column in target.columns if column.use is Use.COMMENT]
    moving = {item.proposal.source.index: item.proposal.source for item in items if item.proposal.target}
    for column in source.columns:
        of = moving.get(column.belongs_to) if column.belongs_to is not None else None
        if column.use is Use.COMMENT and free and (of or column.belongs_to is None):
            yield CommentProposal(column, free.pop(0), of)


def _left_out(layout: Layout) -> list[Proposal]:
    """Return the proposals for what is not sent unless asked for: totals, and items that don't count."""
    totals = [Proposal(column, None, "computed by the system") for column in layout.of_use(Use.TOTAL)]
    uncounted = [column for column in layout.of_use(Use.ITEM) if not column.counts]
    return [*totals, *(Proposal(column, None, "the export says that it doesn't count") for column in uncounted)]


def _check_students(grid: Grid, layout: Layout, side: str) -> None:
    if not layout.identifiers:
        taken = ", ".join(f"{column.letter} {column.use}" for column in layout.columns[:6])
        what = f"no column of the {side} tells its students apart (taken for: {taken})"
        mend = "A student number, user name or address is needed: export the file with one."
        raise Unreadable(Finding("no-identifier", what, grid.place(layout.heading_row), mend))
    is_form = side == "template"
    if not is_form and not has_people(grid, layout):
        mend = f"Export the {side} with its students."
        raise Unreadable(Finding("no-students", f"the {side} has no students", grid.place(), mend))


def _maxima(layout: Layout, given: Maxima) -> dict[int, Decimal]:
    """Return the maximum of each column for which one is known."""
    known = {column.index: column.out_of for column in layout.columns if column.out_of is not None}
    if given.every is not None:
        known = {column.index: given.every for column in layout.of_use(Use.ITEM)} | known
    for name, maximum in given.single.items():
        try:
            known[find_column(layout.columns, name).index] = maximum
        except NoSuchColumn as error:
            raise Misused(Finding("no-such-column", f"a maximum is given for '{name}', but {error}")) from None
    return known
