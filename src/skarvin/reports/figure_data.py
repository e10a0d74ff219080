"""What the report's figures show, as numbers and as sentences that say the same."""

from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Sequence
from decimal import Decimal
from fractions import Fraction
from itertools import accumulate, islice
from typing import NamedTuple

from skarvin.core.findings import counted, listing
from skarvin.core.ledger.control_totals import ItemBooks
from skarvin.core.marks.scales import Scale
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import Number, plain, round_to, shortest
from skarvin.core.texts.numbers import Rounding as _Rounding
from skarvin.core.transfer.settling import Settled

MOST_ITEMS = 40
_PERCENT = 100
_FEWEST = 2


class FateBar(NamedTuple):
    """One item's entries by fate."""

    title: str
    counts: tuple[int, ...]

    @property
    def total(self) -> int:
        """How many entries there are."""
        return sum(self.counts)


class Spread(NamedTuple):
    """How marks are spread: the lowest, the quarters and the highest, in percent of the maximum, and as they are."""

    marks: int
    lowest: Fraction
    lower: Fraction
    median: Fraction
    upper: Fraction
    highest: Fraction

    def of(self, base: Fraction) -> tuple[float, ...]:
        """Return the five numbers in percent of a maximum."""
        return tuple(float(number * _PERCENT / base) for number in self[1:])


class Boundary(NamedTuple):
    """Where a word of a scale begins, in percent of the maximum."""

    word: str
    percent: float


class ItemSpread(NamedTuple):
    """An item's marks before and after conversion, each with what they are out of; or their largest, if it isn't known.

    Attributes:
        title: the item.
        before: the marks that were sent, replaced or were the same, as the export has them.
        after: the same as the target gets them; None where these are words.
        maxima: what both are out of.
        are_known: whether these are maxima, or the largest marks.
        boundaries: where the words of the item's scale begin.
        words: for words that were given, how often.
    """

    title: str
    before: Spread
    after: Spread | None
    maxima: tuple[Fraction, Fraction]
    are_known: tuple[bool, bool]
    boundaries: tuple[Boundary, ...]
    words: tuple[tuple[str, int], ...]

    @property
    def names(self) -> tuple[str, str]:
        """What the lines of both are called."""
        after = f"after{self._out_of(1)}" if self.after else "after: words"
        return f"{self.title}{self._out_of(0)}", after

    @property
    def sentence(self) -> str:
        """The same in words."""
        before = f"{self.title}: {counted(self.before.marks, 'mark')}, {_five(self.before, self._out_of(0))}"
        if self.after:
            return f"{before}; after conversion {_five(self.after, self._out_of(1))}."
        words = listing([f"{word} {count:,}" for word, count in self.words], 12)
        bounds = ", ".join(f"{one.word} from {one.percent:g}%" for one in self.boundaries)
        given = f"; as words: {words}" if words else ""
        return f"{before}{given}{f'; boundaries: {bounds}' if bounds else ''}."

    def _out_of(self, side: int) -> str:
        return f" out of {_said(self.maxima[side])}" if self.are_known[side] else ""


class Change(NamedTuple):
    """How many marks of the target were replaced in an item: by higher, by lower ones, and by others."""

    title: str
    higher: int
    lower: int
    others: int

    @property
    def total(self) -> int:
        """How many in all."""
        return self.higher + self.lower + self.others

    @property
    def sentence(self) -> str:
        """The same in words."""
        parts = [(self.higher, "higher"), (self.lower, "lower"), (self.others, "otherwise")]
        return f"{self.title}: {self.total:,} replaced ({', '.join(f'{n:,} {what}' for n, what in parts if n)})."


def fate_bars(settled: Settled) -> list[FateBar]:
    """Return a bar an item, in the order of the export; of very many those with most that isn't sent."""
    bars = [FateBar(books.item.source.called, tuple(books.fates[fate] for fate in Fate)) for books in settled.totals]
    if len(bars) <= MOST_ITEMS:
        return bars
    held = list(Fate).index(Fate.HELD)
    return sorted(bars, key=lambda bar: -bar.counts[held])[:MOST_ITEMS]


def fates_sentence(bars: Sequence[FateBar], of: int) -> str:
    """Return what the picture of fates shows, in words."""
    totals = [sum(bar.counts[place] for bar in bars) for place in range(len(Fate))]
    parts = [f"{count:,} {fate.label}" for fate, count in zip(Fate, totals, strict=True) if count]
    held = list(Fate).index(Fate.HELD)
    highest = max(bar.counts[held] for bar in bars)
    most = [bar.title for bar in bars if bar.counts[held] == highest]
    each = " each" if len(most) > 1 else ""
    is_telling = highest and len(most) < len(bars)
    rest = f" Most are held in {listing(most)} ({highest:,}{each})." if is_telling else ""
    shown = f" The {len(bars)} of {of} items with most held marks are shown." if of > len(bars) else ""
    return f"Where the {sum(totals):,} entries of {counted(len(bars), 'item')} went: {', '.join(parts)}.{rest}{shown}"


def item_spreads(settled: Settled) -> list[ItemSpread]:
    """Return how the marks of each item are spread before and after, of those that have numbers and were converted."""
    found = (_spread_of(books) for books in settled.totals if books.item.target)
    return list(islice((one for one in found if one and one.before != one.after), MOST_ITEMS))


def _spread_of(books: ItemBooks) -> ItemSpread | None:
    rule = books.item.rule
    told = [(outcome, count) for outcome, count in books.there if outcome.before is not None]
    before = _five_numbers((outcome.before, count) for outcome, count in told)
    if before is None:
        return None
    after = _five_numbers((outcome.number, count) for outcome, count in told)
    maxima = tuple(map(_fraction, rule.maxima))
    bases = maxima[0] or before.highest or Fraction(1), maxima[1] or (after.highest if after else None) or Fraction(1)
    scale = getattr(getattr(rule, "marks", rule), "scale", None)
    words = {} if after else _words(books)
    return ItemSpread(
        title=books.item.target.called if books.item.target else books.item.source.called,
        before=before,
        after=after,
        maxima=bases,
        are_known=(maxima[0] is not None, maxima[1] is not None),
        boundaries=_boundaries(scale, maxima[0]),
        words=tuple(sorted(words.items(), key=lambda pair: -pair[1])),
    )


def _words(books: ItemBooks) -> dict[str, int]:
    found: dict[str, int] = {}
    for outcome, count in books.there:
        word = (outcome.was if outcome.written is None else outcome.written).strip()
        found[word] = found.get(word, 0) + count
    return found


def _boundaries(scale: Scale | None, out_of: Fraction | None) -> tuple[Boundary, ...]:
    if scale is None or (not scale.is_percent and not out_of):
        return ()
    factor = Fraction(1) if scale.is_percent else _PERCENT / (out_of or Fraction(1))
    return tuple(Boundary(band.word, float(Fraction(band.start) * factor)) for band in reversed(scale.bands))


def _fraction(number: Number | None) -> Fraction | None:
    return None if number is None else Fraction(number)


def _five_numbers(numbers: Iterable[tuple[Number | None, int]]) -> Spread | None:
    counts: Counter[Number] = Counter()
    for number, count in numbers:
        if number is not None:
            counts[number] += count
    if counts.total() < _FEWEST:
        return None
    known = sorted(counts)
    ends = list(accumulate(counts[number] for number in known))

    def at(share: Fraction) -> Fraction:
        low, rest = divmod(share * (ends[-1] - 1), 1)
        one, other = (Fraction(known[bisect_right(ends, place)]) for place in (low, min(ends[-1] - 1, low + 1)))
        return one + (other - one) * rest

    return Spread(ends[-1], *(at(Fraction(part, 4)) for part in range(5)))


def _five(spread: Spread, out_of: str) -> str:
    low, median, high = map(_said, (spread.lowest, spread.median, spread.highest))
    return f"from {low} to {high}, half of them up to {median}{out_of}"


def _said(number: Fraction) -> str:
    """Return a number as it is, or about, where it doesn't end."""
    exact = shortest(number)
    return plain(exact) if isinstance(exact, Decimal) else f"about {plain(_short(number))}"


def _short(number: Fraction) -> Number:
    return round_to(number, 2, _Rounding.HALF_UP).normalize() + 0


def changes(settled: Settled) -> list[Change]:
    """Return how many marks were replaced in each item, the item with most first."""
    found = []
    for books in settled.totals:
        higher = lower = others = 0
        for outcome, count in books.moved:
            if outcome.fate is not Fate.CHANGED:
                continue
            old = books.item.rule.target_number(outcome.in_target)
            if outcome.goes_down:
                lower += count
            elif old is not None and outcome.number is not None:
                higher += count
            else:
                others += count
        if higher or lower or others:
            title = books.item.target.called if books.item.target else books.item.source.called
            found.append(Change(title, higher, lower, others))
    return sorted(found, key=lambda change: -change.total)[:MOST_ITEMS]
