"""What feeds what: by titles, keys, maxima, the marks that the form holds, and what a person says."""

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Misused
from skarvin.core.grid.grid import Grid
from skarvin.core.items.agreement import NO_AGREEMENT, Agreement, agreement
from skarvin.core.items.matching import Proposal, propose
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import FOR_MARKS, WHO, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.plan.drafting.books import Book
from skarvin.core.plan.drafting.identifier_proposals import IdentifierProposal
from skarvin.core.plan.drafting.mark_hints import NO_HINTS, MarkHints, find_hints, find_own_hints
from skarvin.core.plan.drafting.wishes import Maxima, Wishes, two_columns
from skarvin.core.plan.plan import OPEN
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_grammar import read_mark
from skarvin.core.texts.mark_kinds import may_be_mark

_MOST_HELD = 40
_FEW, _SAME = 3, 0.8
Texts = Mapping[int, Mapping[str, int]]
"""For columns the distinct texts, and how often each stands there."""


class ItemProposal(msgspec.Struct, frozen=True):
    """A proposal for one source item with the maxima of both sides and where they come from.

    `of_candidates` is what the texts show if the item goes to each of the candidates, `agreed` how the marks that the
    form holds agree under this proposal, `is_over` whether a person sends it to a column that holds no marks.
    """

    proposal: Proposal
    from_out_of: Decimal | None
    to_out_of: Decimal | None
    marks: MarkHints = NO_HINTS
    new_heading: str = ""
    agreed: Agreement = NO_AGREEMENT
    is_over: bool = False
    of_candidates: tuple[MarkHints, ...] = ()

    @property
    def is_target_open(self) -> bool:
        """Whether a person must say where the item goes."""
        return self.new_heading == OPEN or bool(self.proposal.candidates and not self.proposal.target)

    @property
    def is_maximum_open(self) -> bool:
        """Whether one maximum is known and the other isn't: whether to rescale is then a person's decision."""
        if self.marks.scale or self.new_heading:
            return False
        return self.proposal.target is not None and (self.from_out_of is None) != (self.to_out_of is None)


def propose_items(  # noqa: PLR0913 - both sides, and what is known of them
    source: Book,
    target: Book,
    identifier: IdentifierProposal,
    taken: frozenset[int],
    texts: tuple[Texts, Texts],
    allowed: Mapping[int, Sequence[str]],
    wishes: Wishes,
    told: Mapping[int, Proposal],
) -> tuple[ItemProposal, ...]:
    """Return a proposal for each item of the export, and for what it has computed itself.

    Args:
        source: the export.
        target: the form.
        identifier: how the students pair.
        taken: columns of the form that something else goes to.
        texts: what stands in the columns of both.
        allowed: the texts that alone may stand in columns of the form.
        wishes: what a person says.
        told: what a person says of items, by the export's columns.
    """
    layouts = source[1], target[1]
    counting = [column for column in layouts[0].of_use(Use.ITEM) if column.counts]
    targets = [column for column in layouts[1].of_use(Use.ITEM) if column.index not in taken]
    sent = {proposal.target.index for proposal in told.values() if proposal.target}
    free = [column for column in targets if column.index not in sent]
    agreed = marks_in_common(source, target, identifier, texts[1])
    proposals = [
        *told.values(),
        *propose([column for column in counting if column.index not in told], free, agreed),
        *(proposal for proposal in _left_out(layouts[0]) if proposal.source.index not in told),
    ]
    proposals.sort(key=lambda proposal: proposal.source.index)
    ours, theirs = (
        known_maxima(layout, wishes.maxima.get(side, Maxima()))
        for layout, side in zip(layouts, ("source", "target"), strict=True)
    )
    items = [_item(proposal, (ours, theirs), texts, allowed) for proposal in proposals]
    return tuple(_with_agreement(item, agreed) for item in _in_one_language(items, texts))


def _in_one_language(items: Sequence[ItemProposal], texts: tuple[Texts, Texts]) -> Iterator[ItemProposal]:
    """Yield the items; where all decimals of a file have commas, items that have none yet get them, too."""
    ours, theirs = (
        any(getattr(item.marks, name) for item in items) and not _has_points(some)
        for name, some in zip(("commas", "to_commas"), texts, strict=True)
    )
    for item in items:
        marks = item.marks
        if ours and not marks.commas and not marks.either:
            marks = marks._replace(speaks_commas=True)
        if theirs and item.proposal.target is not None and not marks.to_commas:
            marks = marks._replace(to_commas=1)
        yield replace(item, marks=marks)


def _has_points(texts: Texts) -> bool:
    return any("." in text and read_mark(text) for some in texts.values() for text in some)


def told_items(layouts: tuple[Layout, Layout], wishes: Wishes) -> dict[int, Proposal]:
    """Return what a person says of items.

    Raises:
        Misused: a column isn't there, or is named twice.
    """
    found: dict[int, Proposal] = {}
    sent: set[int] = set()
    for text in wishes.items:
        ours, theirs = two_columns(text, *layouts, "--item")
        if theirs and theirs.use in WHO:
            what = f"--item '{text}': '{theirs.heading}' identifies students, and holds no marks"
            raise Misused(Finding("onto-identifier", what, None, "Write the heading of an item of the form."))
        if ours.index in found or (theirs and theirs.index in sent):
            what = f"--item '{text}': this column is named twice"
            raise Misused(Finding("taken", what, None, "Send each item once, and nothing else to its column."))
        found[ours.index] = Proposal(ours, theirs, "as you said", is_told=True)
        sent |= {theirs.index} if theirs else set()
    return found


def marks_in_common(
    source: Book, target: Book, identifier: IdentifierProposal, held: Texts
) -> dict[tuple[int, int], Agreement]:
    """Return how the marks that the form holds agree with those of each item, over some of the students who pair."""
    filled = [
        column
        for column in target[1].of_use({Use.ITEM, Use.TOTAL})
        if sum(count for text, count in held.get(column.index, {}).items() if text.strip()) >= _FEW
    ]
    if not filled or identifier.is_composed or identifier.is_open:
        return {}
    rows = identifier.some
    items = [column for column in source[1].of_use({Use.ITEM, Use.TOTAL}) if column.counts]
    here = [source[0].cells(row) for row, _ in rows]
    there = [target[0].cells(row) for _, row in rows]
    found = {}
    for theirs in filled[:_MOST_HELD]:
        old = [cells[theirs.index] if theirs.index < len(cells) else "" for cells in there]
        for ours in items:
            marks = [cells[ours.index] if ours.index < len(cells) else "" for cells in here]
            found[ours.index, theirs.index] = agreement(marks, old, (ours.out_of, theirs.out_of))
    return found


def _item(
    proposal: Proposal,
    maxima: tuple[Mapping[int, Decimal], Mapping[int, Decimal]],
    texts: tuple[Texts, Texts],
    allowed: Mapping[int, Sequence[str]],
) -> ItemProposal:
    here = texts[0].get(proposal.source.index, {})
    if proposal.target is None:
        own = maxima[0].get(proposal.source.index)
        others = (
            find_hints(proposal.source, here, texts[1].get(one.index, {}), (own, maxima[1].get(one.index)))
            for one in proposal.candidates
        )
        return ItemProposal(proposal, own, None, find_own_hints(here), of_candidates=tuple(others))
    there = texts[1].get(proposal.target.index, {})
    known = (maxima[0].get(proposal.source.index), maxima[1].get(proposal.target.index))
    hints = find_hints(proposal.source, here, there, known, allowed.get(proposal.target.index, ()))
    over = _written_over(proposal.target, there, hints) if proposal.is_told else ""
    if over:
        proposal = replace(proposal, reason=f"{proposal.reason}; {over}, and is written over")
    return ItemProposal(proposal, known[0] or hints.out_of, known[1] or hints.to_out_of, hints, is_over=bool(over))


def _written_over(column: Column, there: Mapping[str, int], hints: MarkHints) -> str:
    """Return what stands in a column that a person sends marks to, if these are no marks."""
    if column.use not in FOR_MARKS:
        return f"what is there: {column.use}"
    words = {fold_word(other or word) for word, other in hints.scale.words} if hints.scale else set()
    words |= {fold_word(word) for word in hints.scale.takes} if hints.scale else set()
    filled = [text for text in there if text.strip()]
    is_item = column.use is not Use.OTHER or any(may_be_mark(text) or fold_word(text) in words for text in filled)
    return "" if is_item or not filled else "nothing there looks like a mark"


def _with_agreement(item: ItemProposal, agreed: Mapping[tuple[int, int], Agreement]) -> ItemProposal:
    """Return an item with what the form's marks say: where they are the export's as they stand, so are the maxima."""
    if item.proposal.target is None:
        return item
    found = agreed.get((item.proposal.source.index, item.proposal.target.index), NO_AGREEMENT)
    is_same = found.of >= _FEW and found.share >= _SAME and not found.is_rescaled and found.different > 1
    if item.is_maximum_open and is_same:
        known = item.from_out_of or item.to_out_of
        return replace(item, from_out_of=known, to_out_of=known, agreed=found)
    return replace(item, agreed=found)


def _left_out(layout: Layout) -> Iterator[Proposal]:
    """Yield the proposals for what is not sent unless asked for: totals, and items that don't count."""
    for column in layout.of_use(Use.TOTAL):
        yield Proposal(column, None, "computed by the system")
    for column in layout.of_use(Use.ITEM):
        if not column.counts:
            yield Proposal(column, None, "the export says that it doesn't count")


def known_maxima(layout: Layout, given: Maxima) -> dict[int, Decimal]:
    """Return the maximum of each column for which one is known.

    Raises:
        Misused: one is given for a column that isn't there.
    """
    known = {column.index: column.out_of for column in layout.columns if column.out_of is not None}
    if given.every is not None:
        known = {column.index: given.every for column in layout.of_use(Use.ITEM)} | known
    for name, maximum in given.single.items():
        try:
            known[find_column(layout.columns, name).index] = maximum
        except NoSuchColumn as error:
            raise Misused(Finding("no-such-column", f"a maximum is given for '{name}', but {error}")) from None
    return known


def unused_columns(grid: Grid, layout: Layout, used: frozenset[int]) -> list[Column]:
    """Return the columns of no known use, and comments, that hold something and for which nothing was proposed."""
    left = [column for column in layout.of_use({Use.OTHER, Use.COMMENT}) if column.index not in used]
    return [column for column in left if _holds_something(grid, layout, column)]


def _holds_something(grid: Grid, layout: Layout, column: Column) -> bool:
    rows = (grid.first_cells(row, column.index + 1) for row in range(layout.first_row, len(grid)))
    return any(cells[column.index].strip() for cells in rows if column.index < len(cells))
