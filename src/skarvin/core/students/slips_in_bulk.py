"""Which of many texts are one slip apart from which of many others. Imported for much data alone: it needs NumPy.

Texts one slip apart share a rest: what is left of either without one of its signs, or a whole text. Rests are compared
as numbers, and the pairs that share one by their distance.
"""

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray
from rapidfuzz import process
from rapidfuzz.distance import DamerauLevenshtein

_SPREAD = 0x9E3779B97F4A7C15  # an odd number whose bits are well mixed: 2**64 divided by the golden ratio
_BLOCK = 1 << 20


class _Rests:
    """The rests of some texts as numbers, in their order, and whose each is."""

    def __init__(self, texts: Sequence[str]) -> None:
        lengths = np.array([len(text) for text in texts], dtype=np.int64)
        rests, owners = [], []
        for length in np.unique(lengths).tolist():
            own = np.flatnonzero(lengths == length)
            found = _numbers([texts[place] for place in own.tolist()], length)
            rests.append(found.ravel())
            owners.append(np.repeat(own, found.shape[1]))
        every = np.concatenate(rests)
        order = np.argsort(every, kind="stable")
        self.numbers = every[order]
        self.owners = np.concatenate(owners)[order]


def _numbers(texts: list[str], length: int) -> NDArray[np.uint64]:
    """Return for each of some texts of one length a number for the text, and one for it without each of its signs."""
    signs = np.array(texts, dtype=f"U{max(1, length)}").view(np.uint32).reshape(len(texts), -1)[:, :length] + 1
    powers = np.cumprod(np.full(length + 1, _SPREAD, dtype=np.uint64))
    before = np.zeros((len(texts), length + 1), dtype=np.uint64)
    behind = np.zeros((len(texts), length + 1), dtype=np.uint64)
    np.cumsum(signs * powers[1:], axis=1, out=before[:, 1:])
    np.cumsum((signs * powers[:-1])[:, ::-1], axis=1, out=behind[:, 1:])
    return np.hstack([before[:, -1:], before[:, :-1] + behind[:, ::-1][:, 1:]])


def near_pairs(asked: Sequence[str], known: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Yield the pairs of a text asked for and a known one that are one slip apart."""
    if not asked or not known:
        return
    ours, theirs = _Rests(asked), _Rests(known)
    first = np.searchsorted(theirs.numbers, ours.numbers, side="left")
    count = np.searchsorted(theirs.numbers, ours.numbers, side="right") - first
    ends = np.cumsum(count)
    start = 0
    while start < len(count):
        stop = max(start + 1, int(np.searchsorted(ends, (ends[start - 1] if start else 0) + _BLOCK)))
        yield from _measured(asked, known, _sharing(ours, theirs, first[start:stop], count[start:stop], start))
        start = stop


def _sharing(
    ours: _Rests, theirs: _Rests, first: NDArray[np.int64], count: NDArray[np.int64], start: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the places of texts that share a rest, pair by pair and each pair once."""
    which = np.repeat(np.arange(len(count)), count)
    behind = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    one = ours.owners[start + which]
    other = theirs.owners[first[which] + behind]
    size = int(theirs.owners.max()) + 1
    pairs = np.sort(one * size + other)
    pairs = pairs[np.diff(pairs, prepend=-1) != 0]
    return pairs // size, pairs % size


def _measured(
    asked: Sequence[str], known: Sequence[str], places: tuple[NDArray[np.int64], NDArray[np.int64]]
) -> Iterator[tuple[str, str]]:
    """Yield the pairs that are one slip apart; what shares a rest may be two."""
    ours, theirs = (
        [texts[place] for place in some.tolist()] for texts, some in zip((asked, known), places, strict=True)
    )
    slips = process.cpdist(ours, theirs, scorer=DamerauLevenshtein.distance, score_cutoff=1, dtype=np.uint8)
    for place in np.flatnonzero(slips == 1).tolist():
        yield ours[place], theirs[place]
