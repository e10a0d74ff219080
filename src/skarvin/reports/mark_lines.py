"""Every mark of a large transfer: a line for each student, with a code for each mark."""

from collections.abc import Iterator
from typing import Any

import msgspec

from skarvin.core.ledger.fates import Outcome
from skarvin.core.transfer.carry_out import Settled

_BLOCK = 512
_SHORT, _LONG = 4, 8
"""How many hexadecimal digits a code has: four as long as that is enough."""


def outcome_data(outcome: Outcome) -> dict[str, Any]:
    """Return what became of a mark, what the form's cell said, and what it says now if that is something else."""
    data: dict[str, Any] = {
        "fate": outcome.fate.value if outcome.fate else None,
        "mark": outcome.source,
        "was": outcome.held,
    }
    if outcome.written is not None:
        data["now"] = outcome.written
    if outcome.off:
        data["rounded"] = True
    if outcome.goes_down:
        data["goes_down"] = True
    if outcome.note:
        data["boundary"] = outcome.note
    if outcome.reason:
        data |= {"slug": outcome.slug, "reason": outcome.reason}
    return data


def mark_codes(settled: Settled) -> dict[str, Any]:
    """Return what the lines mean: which columns their codes are for, and what each code stands for."""
    ledger = settled.ledger
    return {
        "columns": [[item.source.letter or None, item.target.letter if item.target else None] for item in ledger.items],
        "digits": _digits(len(ledger.outcomes)),
        "outcomes": [outcome_data(outcome) for outcome in ledger.outcomes],
    }


def _digits(outcomes: int) -> int:
    return _SHORT if outcomes <= 16**_SHORT else _LONG


def mark_lines(settled: Settled) -> Iterator[bytes]:
    """Yield the lines, in the order of the form's rows: row, row in the form, and the code of each mark."""
    import numpy as np  # noqa: PLC0415 - only where there are many marks

    ledger = settled.ledger
    digits = _digits(len(ledger.outcomes))
    width = len(ledger.items) * digits
    codes = np.frombuffer(ledger.codes.codes, dtype=np.uint32).reshape(-1, ledger.codes.width)
    last = max((entry.target.row for entry in ledger.entries if entry.target), default=0) + 1
    order = sorted(ledger.entries, key=lambda entry: (entry.target.row if entry.target else last, entry.row))
    encode = msgspec.json.encode
    for start in range(0, len(order), _BLOCK):
        some = order[start : start + _BLOCK]
        text = codes[[entry.row for entry in some]].astype(f">u{digits // 2}").tobytes().hex()
        yield b"".join(
            encode(
                (
                    entry.source.row + 1 if entry.source else None,
                    entry.target.row + 1 if entry.target else None,
                    text[place * width : (place + 1) * width],
                )
            )
            + b"\n"
            for place, entry in enumerate(some)
        )
