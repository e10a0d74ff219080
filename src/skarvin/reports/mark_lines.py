"""Every mark of a large transfer: a line for each student, with a code for each mark."""

from binascii import hexlify
from collections.abc import Iterator

from skarvin.core.gradebook import Student
from skarvin.core.transfer.settling import Settled
from skarvin.reports.data import digits_of

_BLOCK = 512


def mark_lines(settled: Settled) -> Iterator[bytes]:
    """Yield the lines, in the order of the form's rows: row, row in the form, and the code of each mark."""
    import numpy as np  # noqa: PLC0415 - only where there are many marks

    ledger = settled.ledger
    digits = digits_of(len(ledger.outcomes))
    width = len(ledger.items) * digits
    codes = np.frombuffer(ledger.codes.codes, dtype=ledger.codes.codes.typecode).reshape(-1, ledger.codes.width)
    last = len(settled.sides.form.grid)
    places = [entry.target.row.position if entry.target else last for entry in ledger.entries]
    order = [ledger.entries[at] for at in sorted(range(len(places)), key=places.__getitem__)]
    for start in range(0, len(order), _BLOCK):
        some = order[start : start + _BLOCK]
        text = hexlify(codes[[entry.position for entry in some]].astype(f">u{digits // 2}").tobytes())
        yield b"".join(
            b'[%s,%s,"%s"]\n' % (_row(entry.source), _row(entry.target), text[place * width : (place + 1) * width])
            for place, entry in enumerate(some)
        )


def _row(student: Student | None) -> bytes:
    return b"null" if student is None else b"%d" % student.row.number
