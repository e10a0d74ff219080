"""Which candidate is the best for each item if all open items are looked at together."""

from collections.abc import Mapping, Sequence


def assign(rows: Sequence[int], columns: Sequence[int], weights: Mapping[tuple[int, int], float]) -> dict[int, int]:
    """Return for each row the column that makes the sum of all weights largest; no column is given twice.

    Args:
        rows: the items of the export.
        columns: those of the target.
        weights: how much speaks for each pair for which anything does.
    """
    import numpy as np  # noqa: PLC0415 - only where several items compete
    from scipy.optimize import linear_sum_assignment  # noqa: PLC0415

    table = np.zeros((len(rows), len(columns)))
    for place, row in enumerate(rows):
        for other, column in enumerate(columns):
            table[place, other] = weights.get((row, column), 0.0)
    found = linear_sum_assignment(table, maximize=True)
    pairs = ((rows[int(place)], columns[int(other)]) for place, other in zip(*found, strict=True))
    return {row: column for row, column in pairs if (row, column) in weights}
