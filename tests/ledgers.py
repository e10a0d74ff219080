"""Ledgers made by hand: what the second look knows of a transfer, and nothing else."""

import hashlib
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from skarvin.core.ledger.second_look.claims import Claims


def ledger(form: bytes, marks: Sequence[dict[str, Any]], added: Sequence[dict[str, Any]] = ()) -> Claims:
    """Return the claims of a ledger with these marks."""
    fates = [mark["fate"] for mark in marks]
    data = {
        "files": {"form": {"sha256": hashlib.sha256(form).hexdigest()}},
        "target": {"added": added},
        "students": {"pairs": _pairs((mark["row"], mark["to_row"]) for mark in marks if mark["row"])},
        "items": [{"fates": {"sent": fates.count("sent"), "changed": fates.count("changed")}}],
        "marks": {"list": marks},
    }
    return Claims(msgspec.json.encode(data), None)


def _pairs(rows: Iterable[tuple[int, int]]) -> list[dict[str, int]]:
    return [{"row": row, "to_row": to_row} for row, to_row in sorted(set(rows))]


def coded_ledger(
    folder: Path,
    form: bytes,
    columns: Sequence[Sequence[str | None]],
    outcomes: Sequence[dict[str, Any]],
    lines: Sequence[tuple[int, int, Sequence[int]]],
) -> Claims:
    """Return the claims of a large ledger, whose marks stand in a file of their own: row, row in the form, codes."""
    marks = folder / "ledger-marks.jsonl"
    texts = [[row, to_row, "".join(f"{code:04x}" for code in codes)] for row, to_row, codes in lines]
    marks.write_bytes(b"".join(msgspec.json.encode(line) + b"\n" for line in texts))
    sent = sum(outcomes[code]["fate"] in {"sent", "changed"} for _, _, codes in lines for code in codes)
    data = {
        "files": {"form": {"sha256": hashlib.sha256(form).hexdigest()}},
        "target": {},
        "students": {"pairs": _pairs((row, to_row) for row, to_row, _ in lines)},
        "items": [{"fates": {"sent": sent, "changed": 0}}],
        "marks": {"list": [], "columns": columns, "digits": 4, "outcomes": outcomes},
    }
    return Claims(msgspec.json.encode(data), marks)
