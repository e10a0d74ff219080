"""What each cell and each count of a job must be, worked out from what is true of it, without a line of the program."""

import decimal
from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from making import TRANSLATED, Item, Mark, Row, World, exports_of, sum_heading

HELD, LEFT, KEPT, SAME, SENT, CHANGED = "held", "left out", "kept", "same", "sent", "changed"


def correction(world: World) -> Mark:
    """Return what a person corrects every unreadable mark to that the list of held marks shows."""
    text = {"letters": "B", "translated": "Bestanden", "comma": "7,5", "percent": "7.5%"}.get(world.job["marks"], "7.5")
    value = {"B": Fraction(15), "Bestanden": Fraction(9, 5)}.get(text, Fraction("7.5"))
    return Mark(text, "number", value)


@dataclass
class Expected:
    """The fates by item, and what the form's cells say, by student and heading."""

    fates: dict[str, Counter[str]] = field(default_factory=dict)
    cells: dict[tuple[int, str], str] = field(default_factory=dict)
    touched: set[int] = field(default_factory=set)
    moved_to: dict[str, list[str]] = field(default_factory=dict)
    """The texts that newly stand in the form, by heading."""

    @property
    def total(self) -> Counter[str]:
        return sum(self.fates.values(), Counter())

    @property
    def moved(self) -> int:
        return self.total[SENT] + self.total[CHANGED]


def spelled(number: Fraction, world: World) -> str:
    exact = decimal.Decimal(number.numerator) / decimal.Decimal(number.denominator)
    text = f"{exact.quantize(decimal.Decimal('0.01'), rounding=decimal.ROUND_HALF_UP):f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return text.replace(".", ",") if world.job["marks"] == "comma" else text


def converted(mark: Mark, item: Item, world: World) -> str | None:
    """Return what a mark that isn't blank becomes; None where it is held."""
    if mark.kind in {"odd", "above"}:
        return None
    if mark.kind == "status":
        return "ABS"
    if world.job["marks"] == "translated":
        return TRANSLATED[mark.text]
    if world.job["marks"] == "words":
        percent = mark.value * 100 / item.out_of
        return "Full" if percent >= 70 else "Part" if percent >= 40 else "None"
    return spelled(mark.value * item.to_out_of / item.out_of, world)


def number_in(text: str) -> Fraction | None:
    try:
        return Fraction(text.replace(",", "."))
    except ValueError:
        return None


def met(cell: str, text: str, existing: str) -> tuple[str, str]:
    """Return the fate of a mark that meets a cell, and what the cell says then."""
    new, old, is_dash = number_in(text), number_in(cell), cell == "-"
    if text == cell if new is None or old is None else new == old:
        return SAME, cell
    if cell and (existing == "only if blank" or (existing == "keep" and not is_dash)):
        return KEPT, cell
    if cell and existing == "higher" and not is_dash:
        if old is None:
            return HELD, cell
        if new is None or new < old:
            return KEPT, cell
    return (CHANGED if cell else SENT), text


class Opinion:
    """Works a job out, before held marks were corrected or after those were whose students and texts are given."""

    def __init__(self, world: World, corrected: Collection[tuple[int, str]] = ()) -> None:
        self._world, self._job = world, world.job
        self._corrected = corrected
        self._rows: dict[int, list[Row]] = {}
        for row in world.rows:
            self._rows.setdefault(row.who, []).append(row)
        self.expected = Expected()

    def state(self, who: int) -> str:
        """Return what becomes of a student: paired, left out, or waiting."""
        world, job = self._world, self._job
        is_chosen = world.listed is None or who in world.listed
        is_chosen = is_chosen and not (job["people"] == "section" and world.sections[who] != "Keel")
        if not is_chosen or who == world.left_out:
            return LEFT
        makes_rows = job["target"] in {"bare", "below", "sample"}
        if who == world.slipped and job["people"] == "none" and not makes_rows:
            return LEFT
        if job["rows"] == "hold" and len(self._rows.get(who, ())) > 1:
            return HELD
        if who == world.slipped and job["people"] == "none":
            return "paired"
        return HELD if who == world.absent and not makes_rows else "paired"

    def run(self) -> Expected:
        """Return everything that is expected."""
        columns = [*self._items(), *self._others()]
        for title, heading, existing in columns:
            fates: Counter[str] = Counter()
            for who, rows in self._rows.items():
                for fate in self._student(who, rows, title, heading, existing):
                    fates[fate] += 1
            fates[LEFT] += self._world.average
            if self._job["export"] == "items":  # each sheet has rows of its own, in which the other items are blank
                several = [row for row in self._world.rows if title != "Sum" or self.state(row.who) == "paired"]
                fates[LEFT] += (len(self._world.items) - 1) * len(several)
            self.expected.fates[title] = fates
        return self.expected

    def _items(self) -> list[tuple[str, str, str]]:
        return [(item.title, item.to_heading, self._job["existing"]) for item in self._world.items]

    def _others(self) -> list[tuple[str, str, str]]:
        found = {
            "total": [("Sum", sum_heading(self._world), self._job["existing"])],
            "comments": [("Remark on Knots", "Remarks", "keep")],
            "answers": [("Answer 1", "Q1", "replace"), ("Answer 2", "Q2", "replace")],
            "constant": [("constant: P", "Here", "only if blank")],
        }
        return found.get(self._job["what"], [])

    def _student(self, who: int, rows: Sequence[Row], title: str, heading: str, existing: str) -> list[str]:
        """Return the fate of each of a student's entries for one item."""
        state = self.state(who)
        if title == "constant: P":
            if state != "paired":
                return [LEFT] * len(rows)
            return [self._meet(who, heading, "P", existing), *[LEFT] * (len(rows) - 1)]
        if title == "Sum":
            return self._total(who, rows, heading, existing, state)
        texts = [self._text(row, title) for row in rows]
        if state != "paired":
            return [HELD if text and state == HELD else LEFT for text in texts]
        leader = "Knots" if title == "Remark on Knots" else title
        place, filled = self.counting(rows, leader)
        if place is None:
            return [HELD if at in filled and text else LEFT for at, text in enumerate(texts)]
        fates = [LEFT] * len(rows)
        fates[place] = self._fate(who, rows[place], title, heading, existing)
        return fates

    def _text(self, row: Row, title: str) -> str:
        if title == "Remark on Knots":
            return row.comment
        if title.startswith("Answer"):
            return row.answers[int(title[-1]) - 1]
        return row.marks[[item.title for item in self._world.items].index(title)].text

    def _mark(self, row: Row, title: str) -> Mark:
        if title.startswith("Answer"):
            text = self._text(row, title)
            return Mark(text, "answer" if text else "blank")
        mark = row.marks[[item.title for item in self._world.items].index(title)]
        return self._read(row.who, mark)

    def _read(self, who: int, mark: Mark) -> Mark:
        """Return a mark as it is after the corrections."""
        is_corrected = mark.kind in {"odd", "above"} and (who, mark.text) in self._corrected
        return correction(self._world) if is_corrected else mark

    def _fate(self, who: int, row: Row, title: str, heading: str, existing: str) -> str:
        text = self._text(row, title)
        if not text:
            return LEFT
        if title == "Remark on Knots":
            known = self.expected.cells, (who, "Remarks")
            leads = self._lead(who, row)
            if leads not in {SENT, CHANGED, SAME}:
                return HELD if leads == HELD else LEFT
            known[0][known[1]] = text
            self.expected.touched.add(who)
            return SENT
        if title.startswith("Answer"):
            return self._meet(who, heading, text, existing)
        item = next(one for one in self._world.items if one.title == title)
        gives = converted(self._mark(row, title), item, self._world)
        return HELD if gives is None else self._meet(who, heading, gives, existing)

    def _lead(self, who: int, row: Row) -> str:
        """Return the fate of the mark that a comment is on."""
        item = self._world.items[0]
        mark = self._read(who, row.marks[0])
        if mark.kind == "blank":
            return LEFT
        gives = converted(mark, item, self._world)
        return HELD if gives is None else met(self._world.old.get((who, 0), ""), gives, self._job["existing"])[0]

    def _meet(self, who: int, heading: str, text: str, existing: str) -> str:
        place = next((at for at, item in enumerate(self._world.items) if item.to_heading == heading), None)
        old = "" if place is None else self._world.old.get((who, place), "")
        fate, cell = met(old, text, existing)
        self.expected.cells[who, heading] = cell
        if fate in {SENT, CHANGED, SAME, KEPT}:
            self.expected.touched.add(who)
        if fate in {SENT, CHANGED}:
            self.expected.moved_to.setdefault(heading, []).append(cell)
        return fate

    def counting(self, rows: Sequence[Row], title: str) -> tuple[int | None, list[int]]:
        """Return which row counts for an item, if that can be told, and which have anything."""
        marks = [self._mark(row, title) for row in rows]
        filled = [at for at, mark in enumerate(marks) if mark.kind != "blank"]
        if len(filled) < 2:
            return (filled[0] if filled else 0), filled
        rule = self._job["rows"]
        order, is_known = filled, True
        if rule in {"first", "latest", "highest"} and self._is_dated():
            days = [row.day for row in rows]
            is_known = len(set(days)) == len(days)
            order = sorted(filled, key=lambda at: days[at]) if is_known else filled
        if rule == "highest":
            return max(order, key=lambda at: (self._rank(marks[at], title), -order.index(at))), filled
        if rule in {"first", "latest"} and is_known:
            return order[0 if rule == "first" else -1], filled
        said = {marks[at].value if marks[at].kind == "number" else marks[at].text for at in filled}
        return (order[0] if len(said) == 1 else None), filled

    def _is_dated(self) -> bool:
        return self._job["export"] not in {"two", "folder"}

    def _rank(self, mark: Mark, title: str) -> tuple[int, Fraction]:
        if mark.kind == "answer":
            return 1, Fraction(0)
        item = next(one for one in self._world.items if one.title == title)
        gives = converted(mark, item, self._world)
        if gives is None:
            return 3, Fraction(0)
        number = number_in(gives)
        return (1, Fraction(0)) if number is None else (2, number)

    def _total(self, who: int, rows: Sequence[Row], heading: str, existing: str, state: str) -> list[str]:
        rest = [LEFT] * (len(rows) - 1)
        numbers: list[Fraction] = []
        several = [rows] if state == "paired" else [[row] for row in rows]
        sheets = [[item] for item in self._world.items] if self._job["export"] == "items" else [self._world.items]
        each = [(some, items) for some in several for items in (sheets if state != "paired" else [self._world.items])]
        found = []
        for some, items in each:
            numbers, is_held = [], False
            for item in items:
                place, _ = self.counting(some, item.title)
                mark = None if place is None else self._mark(some[place], item.title)
                if mark is None or mark.kind in {"odd", "above"}:
                    is_held = True
                elif mark.kind == "number":
                    numbers.append(mark.value)
            found.append((numbers, is_held))
        if state != "paired":
            return [HELD if state == HELD and own and not held else LEFT for own, held in found]
        numbers, is_held = found[0]
        if is_held:
            return [HELD, *rest]
        if not numbers:
            return [LEFT, *rest]
        whole = sum(item.out_of for item in self._world.items)
        to = int(heading.split("[")[1].rstrip("]"))
        number = sum(numbers, Fraction(0)) * to / whole
        return [self._meet(who, heading, spelled(number, self._world), existing), *rest]


def records(world: World) -> int:
    """Return how many rows of students all exports have."""
    return len(world.rows)


def exports(world: World) -> int:
    """Return how many exports there are."""
    return len(exports_of(world))
