"""Who is given to whom where several compete: all of them are looked at together."""

from collections.abc import Hashable, Mapping, Sequence
from typing import TypeVar

Ours = TypeVar("Ours", bound=Hashable)
Theirs = TypeVar("Theirs", bound=Hashable)


def assign(
    ours: Sequence[Ours], theirs: Sequence[Theirs], weights: Mapping[tuple[Ours, Theirs], float]
) -> dict[Ours, Theirs]:
    """Return for each of ours the one of theirs that makes the sum of all weights largest; none is given twice.

    Args:
        ours: those that are given one.
        theirs: those that are given.
        weights: how much speaks for each pair for which anything does; others than these may be in it, too.
    """
    import numpy as np  # noqa: PLC0415 - only where several compete
    from scipy.optimize import linear_sum_assignment  # noqa: PLC0415

    place_of = {one: place for place, one in enumerate(ours)}, {one: place for place, one in enumerate(theirs)}
    table = np.zeros((len(ours), len(theirs)))
    for (one, other), weight in weights.items():
        if one in place_of[0] and other in place_of[1]:
            table[place_of[0][one], place_of[1][other]] = weight
    found = linear_sum_assignment(table, maximize=True)
    pairs = ((ours[place], theirs[other]) for place, other in zip(*(each.tolist() for each in found), strict=True))
    return {one: other for one, other in pairs if (one, other) in weights}
