"""Names and marks in the order of the target's screen, to be typed from: as text and as a page."""

from collections.abc import Sequence
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import exact_sum, plain, read_number
from skarvin.core.transfer.settling import Settled
from skarvin.reports.verdict import to_decide

_GROUP = 5
_NONE, _WAITS = "-", "?"
"""What stands for no mark, and for one that waits for a person."""
_LONGEST = 34


class TypingRow(NamedTuple):
    """One student on the screen: the place there, who it is, and the marks."""

    place: int
    who: str
    marks: tuple[str, ...]

    @property
    def is_held(self) -> bool:
        """Whether a mark waits for a person."""
        return _WAITS in self.marks


class TypingList(NamedTuple):
    """What is to be typed: the items, a row for each student on the screen, and for each item the count and sum.

    `to_decide` says what is left to a person, in a sentence.
    """

    items: tuple[str, ...]
    rows: tuple[TypingRow, ...]
    counts: tuple[int, ...]
    sums: tuple[str, ...]
    to_decide: str = ""

    @property
    def groups(self) -> list[Sequence[TypingRow]]:
        """The rows in fives."""
        return [self.rows[start : start + _GROUP] for start in range(0, len(self.rows), _GROUP)]


def typing_list(settled: Settled) -> TypingList:
    """Return what is to be typed, from the ledger."""
    ledger = settled.ledger
    order = sorted(range(len(ledger.fed)), key=lambda place: _index(settled, place))
    found: dict[int, list[Outcome]] = {}
    for entry in ledger.entries:
        if entry.target:
            before = found.get(entry.target.row.position)
            own = ledger.outcomes_of(entry)
            found[entry.target.row.position] = (
                [_joined(a, b) for a, b in zip(before, own, strict=True)] if before else own
            )
    rows = []
    unsure = _may_be_somebody(settled)
    for place, student in enumerate(settled.sides.target.students, 1):
        outcomes = found.get(student.row.position)
        nothing = _WAITS if student.row in unsure else _NONE
        marks = tuple(_shown(outcomes[one]) if outcomes else nothing for one in order)
        rows.append(TypingRow(place, (student.name or student.identifier).replace("|", "/").strip(), marks))
    columns = list(zip(*(row.marks for row in rows), strict=True))
    numbers = [[read_number(text.replace(",", ".")) for text in column] for column in columns]
    return TypingList(
        items=tuple(item.target.named for one in order if (item := ledger.fed[one]).target),
        rows=tuple(rows),
        counts=tuple(sum(1 for text in column if text not in {_NONE, _WAITS}) for column in columns),
        sums=tuple(plain(exact_sum([one for one in column if one is not None])) for column in numbers),
        to_decide=to_decide(settled),
    )


def _shown(outcome: Outcome) -> str:
    return outcome.written or (_WAITS if outcome.fate is Fate.HELD else _NONE)


def _may_be_somebody(settled: Settled) -> set[Row]:
    """Return the rows of the screen that may be those of students whom a person must confirm first."""
    pairing = settled.pairing
    rows = {waiting.student.row for waiting in pairing.held_target}
    rows |= {waiting.rival.row for waiting in pairing.held if waiting.rival}
    return rows | {suggested.target.row for waiting in pairing.held for suggested in waiting.suggestions}


def _index(settled: Settled, place: int) -> int:
    target = settled.ledger.fed[place].target
    return target.index if target else 0


def _joined(first: Outcome, second: Outcome) -> Outcome:
    """Return the outcome that is typed where several rows are one student's."""
    return next((each for each in (first, second) if each.written is not None or each.fate is Fate.HELD), second)


def typing_text(told: TypingList, source: str, screen: str) -> str:
    """Return the list as text: a line each, in fives, with a box to tick, and the sums at the end."""
    heads = ["", "", "", *told.items]
    rows = [[str(row.place), "[ ]", row.who, *row.marks] for row in told.rows]
    ends = [["", "", "marks", *map(str, told.counts)], ["", "", "sum", *told.sums]]
    widths = [min(_LONGEST, max(len(row[at]) for row in (heads, *rows, *ends))) for at in range(len(heads))]

    def line(cells: Sequence[str]) -> str:
        return " | ".join(
            cell.rjust(width) if at not in (1, 2) else cell.ljust(width)
            for at, (cell, width) in enumerate(zip(cells, widths, strict=True))
        ).rstrip()

    waits = f", '{_WAITS}' one that waits for a person" if any(row.is_held for row in told.rows) else ""
    parts = [f"From {source}, in the order of {screen}."]
    parts += [f"Type a mark, tick its line; '{_NONE}' means no mark{waits}.", ""]
    parts.append(line(heads))
    for number, row in enumerate(rows):
        parts += [""] if number % _GROUP == 0 else []
        parts.append(line(row))
    parts += ["", *map(line, ends)]
    if told.to_decide:
        parts += ["", f"{told.to_decide} See the report."]
    return "\n".join([*parts, ""])


def typing_page(told: TypingList, source: str, screen: str) -> str:
    """Return the list as a page for A4."""
    from skarvin.reports.page import rendered  # noqa: PLC0415 - the text does without

    return rendered("typing.html.j2", told=told, source=source, screen=screen, no_mark=_NONE)
