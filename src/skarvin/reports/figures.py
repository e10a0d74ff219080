"""The report's figures: where all marks went, how they are spread, what changed most.

Each has sentences beside it that say the same.
"""

from collections.abc import Iterator, Sequence
from itertools import zip_longest
from typing import NamedTuple

from skarvin.core.reasons import Fate
from skarvin.core.transfer.settling import Settled
from skarvin.reports.drawing import Drawing, Label
from skarvin.reports.figure_data import (
    Change,
    FateBar,
    ItemSpread,
    changes,
    fate_bars,
    fates_sentence,
    item_spreads,
)

_WIDE_ENOUGH = 0.03
_PERCENT = 100.0


class Figure(NamedTuple):
    """A figure: its title, the SVG, and what it shows, in sentences."""

    title: str
    svg: str
    sentences: tuple[str, ...]


def figures_of(settled: Settled) -> list[Figure]:
    """Return the figures of a report; none where there is nothing to draw."""
    return list(_figures(settled))


def _figures(settled: Settled) -> Iterator[Figure]:
    bars = fate_bars(settled)
    if sum(any(counts) for counts in zip(*(bar.counts for bar in bars), strict=True)) > 1:  # one fate has no shares
        yield Figure("Where all marks went", _fates(bars), (fates_sentence(bars, len(settled.totals)),))
    spreads = item_spreads(settled)
    if spreads:
        title = "Spread of the marks before and after conversion"
        yield Figure(title, _spreads(spreads), tuple(one.sentence for one in spreads))
    changed = changes(settled)
    if len(changed) > 1:
        yield Figure("What changed most", _changes(changed), tuple(one.sentence for one in changed))


def _fates(bars: Sequence[FateBar]) -> str:
    """Draw each item's entries as a bar, by fate, with their numbers."""
    most = max(bar.total for bar in bars)
    drawing = Drawing(len(bars), most)
    for row, bar in enumerate(bars):
        drawing.name(row, bar.title)
        start = 0
        for pattern, count in enumerate(bar.counts):
            if count:
                drawing.bar(row, start, count, pattern)
            if count > _WIDE_ENOUGH * most:
                drawing.words(start + count / 2, row, f"{count:,}")
            start += count
    totals = [sum(bar.counts[place] for bar in bars) for place in range(len(Fate))]
    kinds = enumerate(zip(Fate, totals, strict=True))
    drawing.legend([Label(place, f"{fate.label} {count:,}") for place, (fate, count) in kinds if count])
    drawing.axis(len(bars), "entries")
    return drawing.svg()


def _spreads(spreads: Sequence[ItemSpread]) -> str:
    """Draw for each item two lines on one axis, before and after: lowest to highest, the middle half thick."""
    highest = [one.before.of(one.maxima[0])[-1] for one in spreads]
    highest += [one.after.of(one.maxima[1])[-1] for one in spreads if one.after]
    drawing = Drawing(2 * len(spreads), max([_PERCENT, *highest]), has_legend=False)
    for place, one in enumerate(spreads):
        top = 2 * place
        for at, name in zip((top + 0.1, top + 0.9), one.names, strict=True):
            drawing.name(at, name)
        for at, spread, base in ((top + 0.1, one.before, one.maxima[0]), (top + 0.9, one.after, one.maxima[1])):
            if spread:
                lowest, lower, median, upper, top_most = spread.of(base)
                drawing.line((lowest, at), (top_most, at), 1)
                drawing.line((lower, at), (upper, at), 6)
                drawing.mark(median, at)
        for bound, following in zip_longest(one.boundaries, one.boundaries[1:]):
            drawing.line((bound.percent, top - 0.35), (bound.percent, top + 1.35), 0.9, is_dotted=True)
            end = following.percent if following else _PERCENT
            drawing.words((bound.percent + max(end, bound.percent)) / 2, top + 0.95, bound.word, is_small=True)
    drawing.axis(2 * len(spreads), "percent of the maximum; thin: lowest to highest, thick: middle half, gap: median")
    return drawing.svg()


def _changes(changed: Sequence[Change]) -> str:
    """Draw how many marks were replaced in each item: by higher, by lower ones, otherwise."""
    kinds = ("by higher marks", "by lower marks", "otherwise")
    counts = [(change.higher, change.lower, change.others) for change in changed]
    drawing = Drawing(len(changed), max(map(sum, counts)))
    for row, (change, numbers) in enumerate(zip(changed, counts, strict=True)):
        drawing.name(row, change.title)
        start = 0
        for pattern, count in enumerate(numbers):
            if count:
                drawing.bar(row, start, count, pattern)
                drawing.words(start + count / 2, row, f"{count:,}")
            start += count
    totals = [sum(numbers[place] for numbers in counts) for place in range(len(kinds))]
    drawing.legend([Label(place, f"{kinds[place]} {count:,}") for place, count in enumerate(totals) if count])
    drawing.axis(len(changed), "marks of the target that were replaced")
    return drawing.svg()
