"""Scales of the user's own: which word stands for which marks, which mark for a word, and which word for a word."""

from collections.abc import Iterator, Mapping
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise
from typing import NamedTuple

from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.numbers import Rounding, Steps, plain, round_to

WHOLE = Decimal(100)
"""The highest percent."""


class Band(NamedTuple):
    """Where a word begins; and where it ends, if that was stated (for checking alone)."""

    start: Decimal
    word: str
    end: Decimal | None = None


class Scale(NamedTuple):
    """A scale.

    Attributes:
        name: how the transfer calls it.
        bands: from which mark on each word is given, the highest first.
        values: the mark that stands for each word, by the folded word.
        words: the target's word for each of the source's, by the folded word.
        lines: marks of the source with the target's mark for each, the lowest first: between them run straight lines.
        is_percent: whether bands and values are in percent of the maximum, and not in points.
        rounds_first: whether a mark is rounded before its band is found.
    """

    name: str
    bands: tuple[Band, ...] = ()
    values: tuple[tuple[str, Decimal], ...] = ()
    words: tuple[tuple[str, str], ...] = ()
    is_percent: bool = True
    rounds_first: bool = False
    lines: tuple[tuple[Decimal, Decimal], ...] = ()

    @property
    def top(self) -> Decimal | None:
        """Up to which mark the highest band goes, if that was stated."""
        return self.bands[0].end if self.bands else None

    def band(self, number: Fraction) -> str | None:
        """Return the word that a mark is given, or None where there is no band for it."""
        if self.top is not None and number > self.top:
            return None
        return next((band.word for band in self.bands if number >= band.start), None)

    def has_words_alone(self, *, gives_words: bool) -> bool:
        """Tell whether the scale knows words alone, so that a number means nothing on it."""
        return not self.bands if gives_words else bool(self.values) and not self.lines

    def on_line(self, number: Fraction) -> Fraction | None:
        """Return the target's mark for one of the source's, on the line between its neighbours; None beyond."""
        for (low, first), (high, last) in pairwise(self.lines):
            if low <= number <= high:
                share = (number - Fraction(low)) / (Fraction(high) - Fraction(low))
                return Fraction(first) + share * (Fraction(last) - Fraction(first))
        return None

    def value(self, word: str) -> Decimal | None:
        """Return the mark that stands for a word."""
        return dict(self.values).get(fold_word(word))

    def word(self, word: str) -> str | None:
        """Return the target's word for one of the source's; a word of the bands is the target's own."""
        own = {fold_word(band.word): band.word for band in self.bands}
        return dict(self.words).get(fold_word(word), own.get(fold_word(word)))


class Banded(NamedTuple):
    """The word that a mark is given, and the other one that it would be given if rounding were ruled differently."""

    word: str | None
    other: str | None = None
    rounded: Decimal | None = None


def find_band(scale: Scale, number: Fraction, steps: Steps) -> Banded:
    """Return a mark's word.

    Args:
        scale: the scale.
        number: the mark, in the scale's own measure.
        steps: how it is rounded.
    """
    exact = scale.band(number)
    how = Rounding.HALF_UP if steps.rounding is Rounding.NONE else steps.rounding
    rounded = steps._replace(rounding=how).rounded(number)
    first = scale.band(Fraction(rounded))
    if scale.rounds_first:
        return Banded(first, exact if exact != first else None, rounded)
    if first == exact and steps.decimals:
        rounded = round_to(number, 0, how)
        first = scale.band(Fraction(rounded))
    return Banded(exact, first if first != exact else None, rounded)


class Fault(NamedTuple):
    """What is wrong with a scale: in which of its tables, at which key, and what."""

    table: str
    key: str
    what: str


def make_bands(ranges: Mapping[str, tuple[Decimal, Decimal | None]]) -> tuple[Band, ...]:
    """Return bands in order, the highest first."""
    bands = (Band(start, word, end) for word, (start, end) in ranges.items())
    return tuple(sorted(bands, key=lambda band: -band.start))


def find_faults(scale: Scale, step: Decimal | None) -> Iterator[Fault]:
    """Yield what is wrong with a scale: gaps, overlaps, and words met twice.

    Args:
        scale: the scale.
        step: how far apart two marks are that meet it, if they are rounded first; None if any number may.
    """
    yield from _gaps(scale, step)
    for table, keys in (("bands", [band.word for band in scale.bands]), ("values", [word for word, _ in scale.values])):
        seen: set[str] = set()
        for key in keys:
            if fold_word(key) in seen:
                yield Fault(table, key, f"'{key}' is met twice")
            seen.add(fold_word(key))
    if len(scale.lines) == 1:
        yield Fault("lines", plain(scale.lines[0][0]), "a line runs between two marks; there is one")
    for (low, _), (high, _) in pairwise(scale.lines):
        if low == high:
            yield Fault("lines", plain(low), f"{plain(low)} is met twice")
    texts: set[str] = set()
    for word, _ in scale.words:
        if word in texts:
            yield Fault("words", word, f"'{word}' is met twice")
        texts.add(word)


def _gaps(scale: Scale, step: Decimal | None) -> Iterator[Fault]:
    if not scale.bands:
        return
    lowest = scale.bands[-1]
    if lowest.start > 0:
        yield Fault("bands", lowest.word, f"a gap: a mark below {plain(lowest.start)} has no word; begin one at 0")
    if scale.is_percent and scale.top is not None and scale.top < WHOLE:
        what = f"a gap: a mark above {plain(scale.top)} percent has no word"
        yield Fault("bands", scale.bands[0].word, what)
    for high, low in zip(scale.bands, scale.bands[1:], strict=False):
        if low.end is not None and low.end < low.start:
            yield Fault("bands", low.word, f"'{low.word}' ends at {plain(low.end)}, before it begins")
        elif low.start == high.start:
            what = f"an overlap: '{high.word}' and '{low.word}' both begin at {plain(low.start)}"
            yield Fault("bands", low.word, what)
        elif low.end is not None and low.end >= high.start:
            what = f"an overlap: '{low.word}' ends at {plain(low.end)} and '{high.word}' begins at {plain(high.start)}"
            yield Fault("bands", low.word, what)
        elif low.end is not None and (step is None or low.end + step < high.start):
            what = (
                f"a gap: between {plain(low.end)}, where '{low.word}' ends, and {plain(high.start)}, "
                f"where '{high.word}' begins, a mark has no word; say only where each begins, or set round_first = true"
            )
            yield Fault("bands", low.word, what)
