"""The import file of a target that takes results by OneRoster CSV: a bundle with results, and with items that are new.

What a result is called doesn't depend on when it is written: written twice, it is the same one.
"""

import uuid
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from skarvin.core.findings import Finding, Refused
from skarvin.core.grid.roster_files import Table
from skarvin.core.grid.roster_results import Item
from skarvin.core.grid.roster_writing import bundle_bytes
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.targets.results_plan import MISSING, SCORE_STATUSES
from skarvin.core.targets.roster_form import SCORE, ResultsForm
from skarvin.core.transfer.sides import Sides

_OURS = uuid.UUID("6f2f4b6e-35b0-5a6c-9d0e-0a5c2b1d7e11")
Record = dict[str, str]


class _Changed(NamedTuple):
    """A result that is written: as it was, if it was there, and as it will be; None where it goes."""

    before: Record | None
    after: Record | None


def result_files(sides: Sides, form: ResultsForm, ledger: Ledger, when: str) -> tuple[Iterator[bytes], Iterator[bytes]]:
    """Return the import file, and what puts the target back; `when` is the moment in ISO 8601.

    Raises:
        Refused: nothing is to be written, or a student isn't in the bundle.
    """
    moment = datetime.fromisoformat(when).astimezone(UTC)
    writer = _Writer(sides, form, moment)
    changed = [*writer.changed(ledger)]
    new = [*writer.new_items(changed)]
    if not changed:
        raise Refused(Finding("no-lines", "no result is left to write", form.grid.place(), "Nothing new is sent."))
    return iter([writer.archive(changed, new)]), iter([writer.archive(changed, new, is_back=True)])


class _Writer:
    """Knows the bundle, and what its records look like."""

    def __init__(self, sides: Sides, form: ResultsForm, moment: datetime) -> None:
        if form.grid.bundle is None:
            raise AssertionError(form.grid.file)
        self._sides, self._form, self._bundle = sides, form, form.grid.bundle
        self._version = self._bundle.version
        self._stamp = f"{moment:%Y-%m-%dT%H:%M:%S}.{moment.microsecond // 1000:03d}Z"
        self._day, self._moment = f"{moment:%Y-%m-%d}", moment
        self._items = self._bundle.table("lineItems")
        self._item_rows = _by_id(self._items)
        self._known = {
            (record.get("lineItemSourcedId", ""), record.get("studentSourcedId", "")): record
            for record in _records(self._bundle.table("results"))
            if record.get("status", "").casefold() != "tobedeleted"
        }

    def changed(self, ledger: Ledger) -> Iterator[_Changed]:
        """Yield the results that are written, student by student."""
        heads = self._form.table.cells(0)
        people = {student.row.position: student for student in self._sides.target.students}
        found: dict[tuple[int, str], dict[str, str]] = {}
        columns = [(place, item.target) for place, item in enumerate(ledger.fed) if item.target]
        for entry in ledger.entries:
            if not entry.target or entry.target.row.position not in people:
                continue
            codes = ledger.codes.row(entry.position)
            for place, column in columns:
                outcome = ledger.outcomes[codes[place]]
                if outcome.written is not None:
                    heading = heads[column.index]
                    kind = "comment" if heading in self._form.comments else "mark"
                    own = found.setdefault((entry.target.row.position, heading.removeprefix("comment on ")), {})
                    own[kind] = outcome.written
        for (row, heading), said in sorted(found.items()):
            yield self._changed(self._form.table.cells(row)[0].strip(), self._form.items[heading], said)

    def _changed(self, student: str, item: Item, said: Mapping[str, str]) -> _Changed:
        if student not in self._form.grid.members:
            what = "a student who isn't in the bundle can't have results"
            raise Refused(
                Finding("not-in-bundle", what, self._form.grid.place(), 'Write add = "nobody" under [target].')
            )
        line_item = self._line_item(student, item)
        before = self._known.get((line_item, student))
        fresh = {
            "sourcedId": _id("result", line_item, student),
            "lineItemSourcedId": line_item,
            "studentSourcedId": student,
        }
        after = {**(before or fresh), "status": "", "dateLastModified": ""}
        if "mark" in said:
            if not said["mark"]:
                return _Changed(before, None)
            after |= self._scored(said["mark"], before) | {"scoreDate": self._day}
        elif before is None:
            after |= {"scoreStatus": "not submitted", "scoreDate": self._day}
        if self._version != "1.1" and before is None:
            after["classSourcedId"] = self._class_of(student, item)
        return _Changed(before, after | ({"comment": said["comment"]} if "comment" in said else {}))

    def _scored(self, text: str, before: Record | None) -> Record:
        """Return the fields of a result that says a text."""
        fields = {"scoreStatus": "fully graded", "score": "", "textScore": ""}
        fields |= {name: "false" for name in (MISSING, "inProgress", "incomplete") if before and before.get(name)}
        if SCORE.fullmatch(text):
            return fields | {"score": text}
        if text in SCORE_STATUSES:
            return fields | {"scoreStatus": text}
        if text == MISSING:
            return fields | {"scoreStatus": "not submitted", MISSING: "true"}
        return fields | {"textScore": text}

    def _class_of(self, student: str, item: Item) -> str:
        """Return the class of the item that a student is in; the first of his where the item is new."""
        own = self._form.grid.classes_of.get(student, ())
        theirs = [self._class_of_item(one) for one in item.ids]
        return next((one for one in own if one in theirs or not item.ids), theirs[0] if theirs else "")

    def _class_of_item(self, line_item: str) -> str:
        row = self._item_rows.get(line_item)
        return "" if row is None or self._items is None else self._items.of(row, "classSourcedId")

    def _line_item(self, student: str, item: Item) -> str:
        own = self._class_of(student, item)
        if not item.ids:
            return _id("lineItem", own, item.title)
        return next((one for one in item.ids if self._class_of_item(one) == own), item.ids[0])

    def new_items(self, changed: Sequence[_Changed]) -> Iterator[Record]:
        """Yield the items that are declared: those with results which the target doesn't have."""
        wanted = {one.after["lineItemSourcedId"] for one in changed if one.after}
        for item in self._form.items.values():
            for own in (
                [] if item.ids else sorted({one for some in self._form.grid.classes_of.values() for one in some})
            ):
                if (line_item := _id("lineItem", own, item.title)) in wanted:
                    yield {
                        "sourcedId": line_item,
                        "title": item.title,
                        "assignDate": self._day,
                        "dueDate": self._day,
                        "classSourcedId": own,
                        "categorySourcedId": self._usual("categorySourcedId", own),
                        "gradingPeriodSourcedId": self._usual("gradingPeriodSourcedId", own),
                        "resultValueMin": "0",
                        "resultValueMax": item.out_of,
                        "schoolSourcedId": self._usual("schoolSourcedId", own),
                    }

    def _usual(self, name: str, of_class: str) -> str:
        """Return what most items of a class say under a heading."""
        texts = [self._items.of(row, name) for row in self._item_rows.values()] if self._items else []
        own = [text for text in texts if text and self._items]
        return max(own, key=own.count, default="") if of_class else ""

    def archive(self, changed: Sequence[_Changed], new: Sequence[Record], *, is_back: bool = False) -> bytes:
        """Return a bundle: what is sent, or what puts that back."""
        is_delta = self._form.told.delta
        if is_delta:
            results = [*filter(None, (self._delta(one, is_back=is_back) for one in changed))]
            items = [self._told(one, "tobedeleted" if is_back else "active") for one in new]
        else:
            results = self._all(changed, is_back=is_back)
            items = [*map(_plain, _records(self._items)), *([] if is_back else new)] if new else []
        tables = {"lineItems": items, "results": results} if new else {"results": results}
        given = {name: list(table.heads) for name in tables if (table := self._bundle.table(name))}
        return bundle_bytes(self._version, tables, self._moment, is_delta=is_delta, headings=given)

    def _delta(self, changed: _Changed, *, is_back: bool) -> Record | None:
        now, then = (changed.before, changed.after) if is_back else (changed.after, changed.before)
        if now is not None:
            return self._told(now, "active")
        return None if then is None else self._told(then, "tobedeleted")

    def _told(self, record: Record, status: str) -> Record:
        return {**record, "status": status, "dateLastModified": self._stamp}

    def _all(self, changed: Sequence[_Changed], *, is_back: bool) -> list[Record]:
        own = {record["sourcedId"]: _plain(record) for record in self._known.values()}
        for one in () if is_back else changed:
            if one.after:
                own[one.after["sourcedId"]] = one.after
            elif one.before:
                own.pop(one.before["sourcedId"])
        return list(own.values())


def _by_id(table: Table | None) -> dict[str, int]:
    return {table.of(row, "sourcedId"): row for row in table.records()} if table else {}


def _records(table: Table | None) -> Iterator[Record]:
    if table:
        for row in table.records():
            yield {head: table.rows[row][at] for head, at in table.heads.items()}


def _plain(record: Record) -> Record:
    return {**record, "status": "", "dateLastModified": ""}


def _id(*parts: str) -> str:
    """Return the sourcedId of what is new: the same for the same parts."""
    return str(uuid.uuid5(_OURS, "\n".join(parts)))
