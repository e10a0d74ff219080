"""Every mark of a large transfer: a line for each student, with a code for each mark."""

from binascii import hexlify
from collections.abc import Callable, Iterator

from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.transfer.settling import Settled
from skarvin.reports.data import digits_of

_BLOCK = 512


def mark_lines(settled: Settled) -> Iterator[bytes]:
    """Yield the lines, in the order of the form's rows: row, row in the form, and the code of each mark.

    Of a log there is, too, the line in which each mark stands, from 1; zero where there is none.
    """
    import numpy as np  # noqa: PLC0415 - only where there are many marks

    ledger = settled.ledger
    digits = digits_of(len(ledger.outcomes))
    width = len(ledger.items) * digits
    codes = np.frombuffer(ledger.codes.codes, dtype=ledger.codes.codes.typecode).reshape(-1, ledger.codes.width)
    last = len(settled.sides.form.grid)
    places = [entry.target.row.position if entry.target else last for entry in ledger.entries]
    order = [ledger.entries[at] for at in sorted(range(len(places)), key=places.__getitem__)]
    where = _whereabouts(settled)
    for start in range(0, len(order), _BLOCK):
        some = order[start : start + _BLOCK]
        text = hexlify(codes[[entry.position for entry in some]].astype(f">u{digits // 2}").tobytes())
        yield b"".join(
            b'[%s,%s,"%s"%s]\n'
            % (_row(entry.source), _row(entry.target), text[place * width : (place + 1) * width], where(entry.source))
            for place, entry in enumerate(some)
        )


def _row(student: Student | None) -> bytes:
    return b"null" if student is None else b"%d" % student.row.number


def _whereabouts(settled: Settled) -> Callable[[Student | None], bytes]:
    """Return what tells the lines of a student's marks, with a comma in front; nothing where each stands in the row."""
    there = [item.source.index if isinstance(item.source, Column) else -1 for item in settled.ledger.items]

    def lines_of(student: Student | None) -> bytes:
        if student is None:
            return b""
        numbers = student.row.numbers_of(there)
        said = [number if column >= 0 else 0 for column, number in zip(there, numbers, strict=True)]
        return b",[%s]" % ",".join(map(str, said)).encode()

    return lines_of if settled.sides.source.grid.source.lines else lambda _: b""
