"""A list of items: what the codes mean by which an export or a form calls its items, and out of what they are."""

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Unreadable, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.plan.drafting.item_proposals import ItemProposal
from skarvin.core.plan.drafting.wishes import Maxima, Wishes
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import is_number, read_number
from skarvin.core.texts.words import WORDS, phrase_set

_MOST_TOLD = 12
_Texts = Mapping[Column, Sequence[str]]
_MAXIMUM = phrase_set(WORDS.headings.maximum_row)


class _Names(msgspec.Struct, frozen=True):
    """By what one side calls its items: for each name in the list its title, and its maximum if it says one."""

    titles: Mapping[str, str]
    maxima: Mapping[str, Decimal]

    def over(self, layout: Layout) -> Layout:
        """Return a layout whose items have the titles that the list gives them."""
        return replace(layout, columns=tuple(map(self._titled, layout.columns)))

    def _titled(self, column: Column) -> Column:
        return replace(column, title=self.titles.get(fold(column.title), column.title)) if _is_item(column) else column

    def wishes(self, wishes: Wishes, layout: Layout, side: str) -> Wishes:
        """Return what a person says, with the maxima of items that neither they nor their headings say."""
        said = wishes.maxima.get(side, Maxima())
        silent = [column for column in layout.columns if _is_item(column) and column.out_of is None]
        found = {one.named: top for one in silent if (top := self.maxima.get(fold(one.title))) is not None}
        return replace(wishes, maxima={**wishes.maxima, side: replace(said, single=found | dict(said.single))})

    def unknown(self, layout: Layout, file: str) -> Iterator[Finding]:
        """Yield what is to be said of items that the list doesn't have."""
        items = (column for column in layout.columns if _is_item(column) and column.counts)
        names = [f"'{column.named}'" for column in items if fold(column.title) not in self.titles]
        if names:
            yield Finding("not-in-list", f"{file} doesn't have {listing(names, _MOST_TOLD)}")


def with_titles(wishes: Wishes, layouts: tuple[Layout, Layout]) -> tuple[Wishes, tuple[Layout, Layout], list[Finding]]:
    """Return what a person says, and layouts, with the titles and maxima of the list of items that they name.

    Raises:
        Unreadable: the list has no item of either, or no titles for them.
    """
    if wishes.item_list is None:
        return wishes, layouts, []
    grid = read_grid(wishes.item_list)
    ours, theirs = layouts
    mine, other = _read(grid, layouts)
    wishes = mine.wishes(wishes, ours, "source")
    return wishes, (mine.over(ours), other.over(theirs)), list(mine.unknown(ours, grid.file.name))


def as_called(item: ItemProposal, layout: Layout) -> ItemProposal:
    """Return what is proposed of an item under the name that its file gives it; its title from a list is a reason."""
    proposal = item.proposal
    own = next((column for column in layout.columns if column.index == proposal.source.index), proposal.source)
    if own.title == proposal.source.title:
        return item
    reason = f"'{proposal.source.title}' by the list: {proposal.reason}"
    return replace(item, proposal=replace(proposal, source=own, reason=reason))


def _read(grid: Grid, layouts: Sequence[Layout]) -> list[_Names]:
    """Return what a list says of the items of the export and of the form: each may go by a column of its own."""
    layout = recognise(grid)
    rows = list(map(grid.cells, grid.filled_rows(layout.first_row)))
    rows = [cells for cells in rows if len(cells) == len(layout.columns)]
    texts = {column: [cells[column.index].strip() for cells in rows] for column in layout.columns}
    keys = [_key(texts, {fold(column.title) for column in side.columns if _is_item(column)}) for side in layouts]
    title = _title(texts, [key for key in keys if key])
    if title is None:
        what = (
            "no column of the list of items has an item of the export or of the form, with a title for each beside it"
        )
        raise Unreadable(Finding("no-items", what, grid.place(), "Is it the list with the codes of these items?"))
    top = next((column for column in texts if _MAXIMUM.issuperset(fold(column.heading).split() or [""])), None)
    maxima = [read_number(text) for text in texts[top]] if top else [None] * len(rows)
    found = []
    for key in keys:
        names = list(map(fold, texts[key or title]))
        known = {name: most for name, most in zip(names, maxima, strict=True) if most is not None}
        found.append(_Names(dict(zip(names, texts[title], strict=True)), known))
    return found


def _key(texts: _Texts, items: set[str]) -> Column | None:
    """Return the column that has most items of one side."""
    met = {column: len(items & set(map(fold, own))) for column, own in texts.items()}
    best = max(met, key=met.__getitem__, default=None)
    return best if best and met[best] else None


def _title(texts: _Texts, keys: Sequence[Column]) -> Column | None:
    """Return the column with the titles: the wordier one where both sides go by one, else one beside the codes."""
    if len(keys) > 1:
        return max(keys, key=lambda column: sum(map(len, texts[column])))
    others = (column for column in texts if column not in keys and _may_be_titles(texts[column]))
    return next(others, None) if keys else None


def _is_item(column: Column) -> bool:
    return column.use is Use.ITEM


def _may_be_titles(texts: Sequence[str]) -> bool:
    return all(texts) and len(set(map(fold, texts))) == len(texts) and not any(map(is_number, texts))
