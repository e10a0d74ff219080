"""Names and marks in the order of the target's screen, to be typed from: as text and as a page."""

from collections.abc import Sequence
from typing import NamedTuple

from skarvin.core.findings import counted
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import exact_sum, plain, read_number
from skarvin.core.transfer.settling import Settled

_GROUP = 5
_NONE = "-"
_LONGEST = 34


class TypingRow(NamedTuple):
    """One student on the screen: the place there, who it is, the marks, and whether any is held."""

    place: int
    who: str
    marks: tuple[str, ...]
    is_held: bool


class TypingList(NamedTuple):
    """What is to be typed: the items, a row for each student on the screen, and for each item the count and sum."""

    items: tuple[str, ...]
    rows: tuple[TypingRow, ...]
    counts: tuple[int, ...]
    sums: tuple[str, ...]

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
    for place, student in enumerate(settled.sides.target.students, 1):
        outcomes = found.get(student.row.position, [])
        marks = tuple((outcomes[one].written or _NONE) if outcomes else _NONE for one in order)
        is_held = any(outcomes[one].fate is Fate.HELD for one in order) if outcomes else False
        rows.append(TypingRow(place, (student.name or student.identifier).replace("|", "/").strip(), marks, is_held))
    columns = list(zip(*(row.marks for row in rows), strict=True))
    numbers = [[read_number(text.replace(",", ".")) for text in column] for column in columns]
    return TypingList(
        items=tuple(item.target.heading for one in order if (item := ledger.fed[one]).target),
        rows=tuple(rows),
        counts=tuple(sum(1 for text in column if text != _NONE) for column in columns),
        sums=tuple(plain(exact_sum([one for one in column if one is not None])) for column in numbers),
    )


def _index(settled: Settled, place: int) -> int:
    target = settled.ledger.fed[place].target
    return target.index if target else 0


def _joined(one: Outcome, other: Outcome) -> Outcome:
    """Return the outcome that is typed where several rows are one student's."""
    return one if one.written is not None else other


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

    held = sum(row.is_held for row in told.rows)
    parts = [f"From {source}, in the order of {screen}.", f"Type a mark, tick its line; '{_NONE}' means no mark.", ""]
    parts.append(line(heads))
    for number, row in enumerate(rows):
        parts += [""] if number % _GROUP == 0 else []
        parts.append(line(row))
    parts += ["", *map(line, ends)]
    if held:
        parts += ["", f"{counted(held, 'line has', 'lines have')} a mark that waits for a person: see the report."]
    return "\n".join([*parts, ""])


def typing_page(told: TypingList, source: str, screen: str) -> str:
    """Return the list as a page for A4."""
    from skarvin.reports.page import environment  # noqa: PLC0415 - the text does without

    return environment().get_template("typing.html.j2").render(told=told, source=source, screen=screen, no_mark=_NONE)
