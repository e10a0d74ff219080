"""A bundle of OneRoster CSV (1EdTech, 1.1 and 1.2) as a grid: its users, and behind each student a class's results.

A row stands where `users.csv` has it, and each mark where `results.csv` has it. Whatever departs from the standard is
told by file and row; what can be read beside it is.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Source, Unreadable, counted, listing
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import CellGrid, Grid
from skarvin.core.grid.roster_files import BundleFiles, Table, read_bundle_files
from skarvin.core.grid.roster_results import TOLD, Item, headings, one_of_two, said_in

_USERS = MappingProxyType(
    {
        "sourcedId": "system's key",
        "username": "username",
        "identifier": "student number",
        "email": "e-mail",
        "familyName": "family name",
        "givenName": "given name",
    }
)
"""What the columns of `users.csv` hold that tell students apart; any other is the system's own."""
_SECRET = frozenset({"password"})
_IDS = re.compile(r"\{?\s*([^:{}]+?)\s*:\s*([^{}]*?)\s*\}?")
_MOST = 6
_FALSE = frozenset({"false", "0", "no"})
_PLAIN, _FLAGS = ("scoreStatus", "score", "comment"), ("textScore", "late", "missing", "inProgress", "incomplete")


@dataclass(frozen=True, eq=False)
class RosterGrid(CellGrid):
    """The users of a bundle as rows; whoever is no student of the class stands here as a further line."""

    further: frozenset[int] = frozenset()
    comments: frozenset[int] = frozenset()
    said: Mapping[int, str] = field(default_factory=lambda: MappingProxyType({}))
    members: Mapping[str, int] = field(default_factory=lambda: MappingProxyType({}))
    classes_of: Mapping[str, Sequence[str]] = field(default_factory=lambda: MappingProxyType({}))
    classes: "Sequence[_Class]" = ()
    items: "tuple[Item, ...]" = ()
    bundle: BundleFiles | None = None
    further_are = ("user who isn't a student of the class", "users who aren't students of the class")

    def place(self, row: int | None = None, column: int | None = None, heading: str | None = None) -> Place:
        """Return where a user stands, or the bundle."""
        return Place(self.file if row is None else self.source.file, row, column, heading)


class _Class(NamedTuple):
    sourced_id: str
    title: str
    code: str

    def is_called(self, name: str) -> bool:
        return name.strip() == self.sourced_id or name.strip().casefold() in {
            self.title.casefold(),
            self.code.casefold(),
        }

    def __str__(self) -> str:
        return f"'{self.title}'" + (f" ({self.code})" if self.code else "")


def read_one_roster(file: Path, data: bytes | None, asked: str | None = None) -> RosterGrid:
    """Return the grid of a bundle.

    Args:
        file: the archive or the folder.
        data: the archive's bytes; None of a folder.
        asked: the class, by its title, code or sourcedId; all of them where none is named.

    Raises:
        Unreadable: it has no users, can't be read, or the class isn't there or is one of several.
    """
    return _Reader(read_bundle_files(file, data), asked).grid()


def class_names(grid: Grid) -> list[str]:
    """Return what tells each class of a bundle from its others: titles, codes where they don't, or sourcedIds."""
    if not isinstance(grid, RosterGrid):
        return []
    known = grid.classes
    for names in ([one.title for one in known], [one.code for one in known]):
        if all(sum(one.is_called(name) for one in known) == 1 for name in names):
            return names
    return [one.sourced_id for one in known]


class _Reader:
    """Puts the tables of a bundle together, and keeps what is to be said of them."""

    def __init__(self, files: BundleFiles, asked: str | None) -> None:
        self._files = files
        self._notes: list[Finding] = [*files.notes]
        if files.table("users") is None:
            what = "the bundle has no users.csv: nobody is known in it"
            mend = "Export it again with its users; results.csv alone is read as a log, with a line for each mark."
            raise Unreadable(Finding("no-users", what, Place(files.file), mend))
        self._users = self._by_id("users")
        self._classes = self._chosen(asked)
        self._class_of: dict[str, list[str]] = {}

    def grid(self) -> RosterGrid:
        """Return the grid."""
        users = self._files.table("users") or Table(self._files.file, {}, [])
        width = len(users.heads)
        members = self._members()
        items = list(self._items())
        kinds = self._kinds_of_ids(users, members)
        several = len(self._classes) > 1
        named = [*(f"userIds {kind}" for kind in kinds), *(["class"] if self._classes else [])]
        first = width + len(named)
        heads = [*users.rows[0], *named, *headings(items)]
        texts, lines, remarks = self._results(members, items, first)
        has_remarks = bool(remarks)
        heads += [f"comment on {item.title}" for item in items] if has_remarks else []
        total = len(heads)
        secret = [at for name, at in users.heads.items() if name in _SECRET]
        table = [heads, *([""] * total for _ in users.rows[1:])]
        titles = {one.sourced_id: one.title or one.code for one in self._classes}
        for row in members.values():
            cells = [*users.rows[row], *[""] * (total - width)]
            for at in secret:
                cells[at] = ""
            ids = _ids_of(users.of(row, "userIds"))
            cells[width : width + len(kinds)] = [ids.get(kind, "") for kind in kinds]
            if self._classes:
                own = self._class_of.get(users.of(row, "sourcedId"), []) if several else list(titles)
                cells[first - 1] = ", ".join(titles[one] for one in own if one in titles)
            table[row] = cells
        for (row, column), text in texts.items():
            table[row][column] = text
        for (row, column), text in remarks.items():
            table[row][column + len(items)] = text
        results = self._files.table("results")
        stands_in = {first + at: results.heads.get("score", 0) for at in range(len(items))} if results else {}
        if results and has_remarks:
            stands_in |= {first + len(items) + at: results.heads.get("comment", 0) for at in range(len(items))}
        apart = [0, len(items)] if results and has_remarks else [0]
        lines_of: dict[int, dict[int, int]] = {}
        for (row, column), line in lines.items():
            lines_of.setdefault(row, {}).update((column + more, line) for more in apart)
        source = Source(
            users.file,
            lines=MappingProxyType(lines_of),
            stands_in=MappingProxyType(stands_in),
            elsewhere=Source(results.file) if results else None,
        )
        self._tell_categories(items)
        said = {users.heads[name]: use for name, use in _USERS.items() if name in users.heads}
        said |= dict.fromkeys(range(width, width + len(kinds)), "student number")
        said |= {first - 1: "section"} if self._classes else {}
        marks = len(texts)
        classes = listing([str(one) for one in self._classes], _MOST)
        of = f"class{'es' if several else ''} {classes}" if self._classes else "no classes"
        told = f"{self._files.title}: {of}, {counted(len(items), 'item')}, {counted(marks, 'result')}"
        return RosterGrid(
            file=self._files.file,
            title=told,
            kind=Kind.ONE_ROSTER,
            classes=self._classes,
            table=table,
            notes=tuple(self._notes),
            fingerprint=self._files.fingerprint,
            known_source=source,
            stands_in=MappingProxyType(stands_in),
            shape="results of OneRoster",
            further=frozenset(range(1, len(users.rows))) - frozenset(members.values()),
            comments=frozenset(range(first + len(items), total)) if has_remarks else frozenset(),
            said=MappingProxyType(said),
            members=MappingProxyType(members),
            classes_of=MappingProxyType(self._class_of),
            items=tuple(items),
            bundle=self._files,
        )

    def _tell(self, slug: str, what: str, table: Table | None = None) -> None:
        self._notes.append(Finding(slug, what, Place(table.file if table else self._files.file)))

    def _tell_categories(self, items: Sequence[Item]) -> None:
        """Tell which items are of which category."""
        found: dict[str, list[str]] = {}
        for item in items:
            found.setdefault(item.category, []).append(f"'{item.title}'")
        found.pop("", None)
        for category, titles in found.items():
            self._tell("category", f"of the category '{category}': {listing(titles, _MOST)}")

    def _tell_rows(self, slug: str, what: tuple[str, str], table: Table, rows: Sequence[int], rest: str = "") -> None:
        """Tell of some rows of a table in one sentence."""
        if rows:
            numbers = listing([f"{row + 1:,}" for row in rows], _MOST)
            word = "row" if len(rows) == 1 else "rows"
            self._tell(slug, f"{counted(len(rows), *what)} ({table.file.name}, {word} {numbers}){rest}", table)

    def _by_id(self, name: str) -> dict[str, int]:
        """Return the rows of a table by their sourcedIds: of two with one the first, and none that is to be deleted."""
        table = self._files.table(name)
        found: dict[str, int] = {}
        if table is None:
            return found
        rows = [*table.records()]
        twice, gone = [], 0
        for row, sourced_id, status in zip(
            rows, table.texts("sourcedId", rows), table.texts("status", rows), strict=True
        ):
            if status and status.casefold() == "tobedeleted":
                gone += 1
            elif found.setdefault(sourced_id, row) != row:
                twice.append(row)
        why = ("line has a sourcedId that is there already", "lines have sourcedIds that are there already")
        self._tell_rows("sourced-id-twice", why, table, twice, ": the first counts")
        if gone:
            what = f"{counted(gone, 'line is', 'lines are')} to be deleted, and left out ({table.file.name})"
            self._tell("to-be-deleted", what, table)
        return found

    def _chosen(self, asked: str | None) -> list[_Class]:
        table = self._files.table("classes")
        rows = self._by_id("classes").values()
        known = [
            _Class(*(table.of(row, name) for name in ("sourcedId", "title", "classCode"))) for row in rows if table
        ]
        if asked is None:
            return known
        found = [one for one in known if one.sourced_id == asked.strip()] or [
            one for one in known if one.is_called(asked)
        ]
        if len(found) == 1:
            return found
        if not found:
            what, mend = f"there is no class '{asked}'", f"There are: {listing([str(one) for one in known], 20)}."
        else:
            ids = listing([one.sourced_id for one in found], 20)
            what, mend = f"{len(found)} classes are called '{asked}'", f"Name one by its sourcedId: {ids}."
        raise Unreadable(Finding("no-such-class", what, Place(self._files.file), mend))

    def _members(self) -> dict[str, int]:
        """Return the rows of the students of the classes, by their sourcedIds."""
        table, users = self._files.table("enrollments"), self._files.table("users")
        if users is None:
            raise AssertionError(self._files.file)
        chosen = {one.sourced_id for one in self._classes}
        found: dict[str, int] = {}
        told: dict[str, list[int]] = {}
        if table is None:
            self._tell("no-enrollments", "there is no enrollments.csv: each user who is a student is taken for one")
            found = {one: row for one, row in self._users.items() if users.of(row, "role") in {"student", ""}}
            return {one: row for one, row in found.items() if not self._is_disabled(users, row)}
        for row in self._by_id("enrollments").values():
            kind = self._enrolled(table, row, chosen, users)
            who = table.of(row, "userSourcedId")
            if kind == "student":
                found.setdefault(who, self._users[who])
                self._class_of.setdefault(who, []).append(table.of(row, "classSourcedId"))
            else:
                told.setdefault(kind, []).append(row)
        for kind in ("class", "user"):
            words = (f"line names a {kind} that isn't there", f"lines name {kind}s that aren't there")
            self._tell_rows("unknown-reference", words, table, told.get(kind, []))
        for kind, (one, many) in _NO_STUDENTS.items():
            people = {table.of(row, "userSourcedId") for row in told.get(kind, [])} - found.keys()
            rows = sorted(self._users[who] for who in people)
            self._tell_rows(f"not-in-class-{kind}", (f"user {one}", f"users {many}"), users, rows)
        return found

    def _enrolled(self, table: Table, row: int, chosen: set[str], users: Table) -> str:
        """Return what an enrollment is: of a student of the classes, or why of none; blank for other classes'."""
        where, at = table.of(row, "classSourcedId"), self._users.get(table.of(row, "userSourcedId"))
        if chosen and where not in chosen:
            return "" if where in self._class_ids else "class"
        if at is None:
            return "user"
        if table.of(row, "role").casefold() != "student":
            return "teacher"
        if self._is_disabled(users, at):
            return "disabled"
        end = _day(table.of(row, "endDate"))
        return "ended" if end and self._files.day and end < self._files.day else "student"

    @cached_property
    def _class_ids(self) -> set[str]:
        table = self._files.table("classes")
        return {table.of(row, "sourcedId") for row in table.records()} if table else set()

    @staticmethod
    def _is_disabled(users: Table, row: int) -> bool:
        return users.of(row, "enabledUser").casefold() in _FALSE

    def _kinds_of_ids(self, users: Table, members: Mapping[str, int]) -> list[str]:
        kinds: dict[str, None] = {}
        for row in members.values():
            kinds |= dict.fromkeys(_ids_of(users.of(row, "userIds")))
        return list(kinds)

    def _items(self) -> Iterator[Item]:
        """Yield the items of the classes; those of several classes that are called alike are one."""
        table, results = self._files.table("lineItems"), self._files.table("results")
        chosen = {one.sourced_id for one in self._classes}
        self._elsewhere: set[str] = set()
        categories = self._titles("categories")
        if table is None:
            if results:
                self._tell("no-line-items", "there is no lineItems.csv: items are called by their sourcedIds")
                for one in dict.fromkeys(results.of(row, "lineItemSourcedId") for row in results.records()):
                    yield Item(one, "", (one,))
            return
        found: dict[tuple[str, str, int], list[tuple[int, str]]] = {}
        count: dict[tuple[str, str, str], int] = {}
        strange = []
        for one, row in self._by_id("lineItems").items():
            where = table.of(row, "classSourcedId")
            if chosen and where not in chosen:
                self._elsewhere.add(one)
                if where not in self._class_ids:
                    strange.append(row)
                continue
            title, out_of = " ".join(table.of(row, "title").split()) or one, table.of(row, "resultValueMax")
            number = count[title, out_of, where] = count.get((title, out_of, where), 0) + 1
            found.setdefault((title, out_of, number), []).append((row, one))
        words = ("line names a class that isn't there", "lines name classes that aren't there")
        self._tell_rows("unknown-reference", words, table, strange)
        for (title, out_of, _), rows in found.items():
            category = categories.get(table.of(rows[0][0], "categorySourcedId"), "")
            yield Item(title, _plain(out_of), tuple(one for _, one in rows), category)

    def _titles(self, name: str) -> dict[str, str]:
        table = self._files.table(name)
        return {one: table.of(row, "title") for one, row in self._by_id(name).items()} if table else {}

    def _results(
        self, members: Mapping[str, int], items: Sequence[Item], first: int
    ) -> tuple[dict[tuple[int, int], str], dict[tuple[int, int], int], dict[tuple[int, int], str]]:
        """Return the text of each mark by row and column, where it stands, and what is said of it."""
        table = self._files.table("results")
        texts: dict[tuple[int, int], str] = {}
        lines: dict[tuple[int, int], int] = {}
        remarks: dict[tuple[int, int], str] = {}
        if table is None:
            self._tell("no-results", "there is no results.csv: nobody has a mark")
            return texts, lines, remarks
        columns = {one: first + at for at, item in enumerate(items) for one in item.ids}
        told: dict[str, list[int]] = {}
        rows = [*self._by_id("results").values()]
        is_flagged = any(set(table.texts(name, rows)) - {"", "false"} for name in _FLAGS)
        for row, key, status, score, remark in self._placed(table, rows, columns, members, told):
            text, kept = score, row
            if is_flagged or not score or status != "fully graded":
                text, kinds = said_in(table, row)
                for kind in kinds:
                    told.setdefault(kind, []).append(row)
            if key in lines:
                told.setdefault("twice", []).append(row)
                text, kept = one_of_two(table, (texts[key], lines[key]), (text, row))
            texts[key], lines[key] = text, kept
            if remark:
                remarks[key] = remark
        for kind, rows in told.items():
            words, rest = TOLD[kind]
            self._tell_rows(f"result-{kind}", words, table, rows, rest)
        return texts, lines, remarks

    def _placed(
        self,
        table: Table,
        rows: Sequence[int],
        columns: Mapping[str, int],
        members: Mapping[str, int],
        told: dict[str, list[int]],
    ) -> Iterator[tuple[int, tuple[int, int], str, str, str]]:
        """Yield the results of the class: row, place, status, score and comment; keep the rows of all others."""
        named = (table.texts(name, rows) for name in ("lineItemSourcedId", "studentSourcedId", *_PLAIN))
        for row, item, who, status, score, remark in zip(rows, *named, strict=True):
            column, at = columns.get(item), members.get(who)
            if column is not None and at is not None:
                yield row, (at, column), status, score, remark
            elif column is not None:
                told.setdefault("nobody" if who in self._users else "unknown", []).append(row)
            elif item not in self._elsewhere:
                told.setdefault("item", []).append(row)


_NO_STUDENTS: Mapping[str, tuple[str, str]] = MappingProxyType(
    {
        "teacher": (
            "isn't a student of the class, such as a teacher",
            "aren't students of the class, such as teachers",
        ),
        "disabled": ("is disabled", "are disabled"),
        "ended": ("left the class", "left the class"),
    }
)


def _ids_of(text: str) -> dict[str, str]:
    """Return what `userIds` holds: identifiers by their types."""
    pairs = (_IDS.fullmatch(part) for part in text.split(","))
    return {pair[1]: pair[2] for pair in pairs if pair and pair[2]}


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text[:10]) if text else None
    except ValueError:
        return None


def _plain(number: str) -> str:
    """Return a number without zeros behind its decimals; any other text as it is."""
    return number.rstrip("0").rstrip(".") if re.fullmatch(r"\d+\.\d+", number) else number
