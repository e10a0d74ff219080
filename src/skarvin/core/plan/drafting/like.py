"""A draft after the example of another transfer: what that rules holds here, too, and only the rest is asked."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from decimal import Decimal
from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import fields, replace

from skarvin.core.findings import Unreadable, counted, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.items.matching import Proposal
from skarvin.core.layout.address import NoSuchColumn, find_column, has_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise, title_in
from skarvin.core.layout.shape import seen_as_table
from skarvin.core.layout.told import Told
from skarvin.core.plan.drafting.item_proposals import told_items
from skarvin.core.plan.drafting.toml import line, listed, quoted
from skarvin.core.plan.drafting.wishes import Maxima, Wishes
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.paths import relative
from skarvin.core.plan.plan import OPEN, MarksPlan, StudentsPlan
from skarvin.core.plan.reading import read_tables
from skarvin.core.plan.shared_rules import OWN
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import load_toml

_HEADER = pattern(r"\[\[?([^\]]+)\]\]?")
_KEY = pattern(r"(?:\"((?:[^\"\\]|\\.)*)\"|'([^']*)'|([\w-]+))\s*=")
_FURTHER = pattern(r"\s{20,}#")
_OWN_KEYS = frozenset({"from", "to", "from_out_of", "to_out_of"})
_PAIR = frozenset({"identifier"})
_DEFAULTS = {"students": StudentsPlan(), "marks": MarksPlan()}


class Example(msgspec.Struct, frozen=True):
    """Another transfer.

    Attributes:
        file: where it lies.
        text: its text.
        tables: what it says, with the rules that it takes over itself.
    """

    file: Path
    text: str
    tables: Mapping[str, Any]

    def side(self, side: str) -> Mapping[str, Any]:
        """What it says of a side."""
        own: Mapping[str, Any] = self.tables.get(side, {})
        return own

    def seen(self, wishes: Wishes, side: str, grids: Sequence[Grid]) -> Wishes:
        """Return what a person says, with what the example says columns hold, as far as they are here."""
        own, theirs = wishes.of(side), self.side(side)
        columns = [column for grid in grids for column in recognise(grid, own).columns] if "uses" in theirs else []
        uses = {name: Use(use) for name, use in theirs.get("uses", {}).items() if has_column(columns, name)}
        row = theirs.get("heading_row") if own.heading_row is None else own.heading_row
        return replace(wishes, told={**wishes.told, side: own._replace(uses={**uses, **own.uses}, heading_row=row)})

    @property
    def items(self) -> Sequence[Mapping[str, Any]]:
        """Its items that are decided."""
        return [item for item in self.tables.get("item", ()) if OPEN not in (item.get("to"), item.get("from"))]

    @property
    def roster(self) -> Path | None:
        """Its roster, if that is there."""
        name = self.tables.get("roster", {}).get("file", "")
        path = self.file.parent / name
        return path if name and path.exists() else None

    def told(self, layouts: tuple[Layout, Layout], wishes: Wishes) -> tuple[Wishes, dict[int, Proposal]]:
        """Return what a person says, with what the example says of columns that are here; and of items, by column."""
        said = told_items(layouts, wishes)
        more = self._wishes(wishes, layouts, said)
        because = f"as in {self.file.as_posix()}"
        items = told_items(layouts, more).items()
        return more, {at: each if at in said else replace(each, reason=because) for at, each in items}

    def _wishes(self, wishes: Wishes, layouts: tuple[Layout, Layout], told: Mapping[int, Proposal]) -> Wishes:
        pair = [
            _named(self.side(side).get("identifier", ""), layout)
            for side, layout in zip(("source", "target"), layouts, strict=True)
        ]
        sent = {proposal.target.index for proposal in told.values() if proposal.target}
        maxima = wishes.maxima.get("source", Maxima())
        single = dict(maxima.single)
        items = []
        for item in self.items:
            ours, theirs = _first(item["from"], layouts[0]), _named(item["to"], layouts[1])
            is_other = ours is None or ours.index in told or (theirs and theirs.index in sent)
            if ours is None or is_other or (item["to"] and theirs is None):
                continue
            sent |= {theirs.index} if theirs else set()
            items.append(f"{ours.named}={theirs.named if theirs else ''}")
            if ours.out_of is None and (out_of := item.get("from_out_of")) not in (None, OPEN):
                single.setdefault(ours.named, out_of)
        missing = self.tables.get("marks", {}).get("missing_maximum", "")
        return replace(
            wishes,
            pair=wishes.pair or (f"{pair[0].named}={pair[1].named}" if pair[0] and pair[1] else ""),
            items=[*wishes.items, *items],
            maxima={**wishes.maxima, "source": replace(maxima, single=single)},
            missing_maximum=wishes.missing_maximum or ("" if missing == OPEN else str(missing)),
        )

    def new(self, layouts: tuple[Layout, Layout], moved: Sequence[Column], people: Iterable[str]) -> Iterator[str]:
        """Yield what is new here, what of the example's is gone, and which maxima are others.

        Args:
            layouts: of the export and of the form.
            moved: the export's items.
            people: the identifiers of the export's rows.
        """
        known = {own.index: item for item in self.items if (own := _first(item["from"], layouts[0]))}
        if others := [f"'{column.called}'" for column in moved if column.index not in known]:
            yield f"new in the export: {', '.join(others)}"
        for column in moved:
            before = known.get(column.index, {}).get("from_out_of", OPEN)
            if before not in (OPEN, column.out_of) and column.out_of is not None:
                yield f"'{column.called}' was out of {plain(Decimal(str(before)))} there"
        sides = (("export", "from", layouts[0]), ("form", "to", layouts[1]))
        for title, key, layout in sides:
            gone = [f"'{_names(item[key])[0]}'" for item in self.items if item[key] and not _first(item[key], layout)]
            if gone:
                yield f"not in this {title}: {', '.join(gone)}"
        here, there = ({who.strip() for who in some} - {""} for some in (people, self._people()))
        if here & there:
            changed = (("joined", here - there), ("not in this export any more", there - here))
            yield from (
                f"{counted(len(who), 'student')} {what}: {listing(sorted(who), 6)}" for what, who in changed if who
            )

    def _people(self) -> Iterator[str]:
        """Yield the identifiers in its exports, as far as they are still there and read as they were."""
        for said in (self.side("source"), *self.tables.get("export", ())):
            with suppress(Unreadable):
                grid, told = seen_as_table(read_grid(self.file.parent / said["file"]), Told())
                layout = recognise(grid, told)
                column = _named(said.get("identifier", self.side("source").get("identifier", "")), layout)
                rows = map(grid.cells, range(layout.first_row, len(grid)))
                yield from (cells[column.index] for cells in rows if column and column.index < len(cells))

    def over(self, text: str, transfer: Path, draft: tuple[Iterable[str], Iterable[str]], pairings: Path | None) -> str:
        """Return a drafted transfer that takes its rules from the example.

        Args:
            text: the transfer as it was drafted.
            transfer: where it will lie.
            draft: the identifiers of the export's students, and the words of whose codes a person spoke.
            pairings: the example's list of who is who, if there is one.
        """
        rules = relative(self.file, transfer)
        identifiers, words = draft
        said = {("statuses", word) for word in words}
        dropped = set(self._said_alike(load_toml(text))) - said
        lines = list(self._without(text.split("\n"), dropped))
        at = lines.index("version = 1") + 1
        lines[at:at] = [line("rules", quoted(rules), "what isn't said here is as there", 30)]
        lines = list(self._with_own_keys(lines, load_toml("\n".join(lines)).get("item", ()), rules))
        here = {identifier.strip() for identifier in identifiers}
        left = [who for who in self.tables.get("students", {}).get("leave_out", ()) if who.strip() in here]
        decided = [self.file.parent / name for name in self.tables.get("students", {}).get("earlier_pairings", ())]
        lists = [relative(path, transfer) for path in (*([pairings] if pairings else []), *decided)]
        for key, texts in {"leave_out": left, "earlier_pairings": lists}.items():
            if texts:
                lines = [each for each in lines if not each.startswith(f"{key} = ")]
                at = next(place for place, each in enumerate(lines) if each.startswith("[students]")) + 1
                lines.insert(at, line(key, listed(texts), f"as in {rules}", 30))
        return "\n".join([*_without_empty(lines), *self._further(transfer)])

    def _further(self, transfer: Path) -> Iterator[str]:
        """Yield the blocks of the example that name further identifiers: they hold for its systems."""
        for table in ("also", "crosswalk"):
            for own in self.tables.get(table, ()):
                file = {"file": relative(self.file.parent / own["file"], transfer)} if "file" in own else {}
                yield from (f"[[{table}]]", *(f"{key} = {quoted(text)}" for key, text in {**own, **file}.items()), "")

    def _said_alike(self, tables: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
        """Yield table and key of what is dropped, as the example says it: all but what these files show otherwise."""
        for table, default in _DEFAULTS.items():
            usual = {one.encode_name: msgspec.to_builtins(getattr(default, one.name)) for one in fields(default)}
            theirs = self.tables.get(table, {})
            for key, value in tables.get(table, {}).items():
                is_shown = value != usual.get(key) and theirs.get(key, usual.get(key)) == usual.get(key)
                if not is_shown and key not in OWN[table]:
                    yield table, key
        for table in ("source", "target"):
            theirs = self.tables.get(table, {})
            yield from (
                (table, key) for key in tables.get(table, {}) if key in theirs and key not in OWN[table] | _PAIR
            )
        for word in tables.get("statuses", {}):
            if self.tables.get("statuses", {}).get(word, OPEN) != OPEN:
                yield "statuses", word

    def _without(self, lines: Sequence[str], dropped: set[tuple[str, str]]) -> Iterator[str]:
        """Yield the lines of a transfer without some keys, and without scales that the example has."""
        table, is_out, is_list = "", False, False
        for each in lines:
            key = _KEY.match(each)
            if is_list:
                is_list = each != "]"
                if is_out:
                    continue
            elif header := _HEADER.match(each):
                table = header[1]
                is_out = self._has_scale(table)
            elif key:
                is_out = (table, next(filter(None, key.groups()), "")) in dropped or self._has_scale(table)
                is_list = each.endswith("= [")
            elif not (is_out and (_FURTHER.match(each) or self._has_scale(table))) or not each.strip():
                table, is_out = (table if each.strip() else ""), not each.strip() and self._has_scale(table)
            if not is_out:
                yield each

    def _has_scale(self, table: str) -> bool:
        kind, _, name = table.partition(".")
        return kind == "scale" and name.split(".")[0].strip("\"'") in self.tables.get("scale", {})

    def _with_own_keys(self, lines: Sequence[str], items: Sequence[Mapping[str, Any]], rules: str) -> Iterator[str]:
        """Yield the lines of a transfer, its items with what the example says of them besides where they go."""
        known = enumerate(self.tables.get("item", ()))
        by_title = {fold(title_in(name)): place for place, item in known for name in _names(item["from"])}
        place, is_ruled, more = -1, False, dict[str, str]()
        for each in lines:
            key = _KEY.match(each)
            if each == "[[item]]":
                place += 1
                theirs = by_title.get(fold(title_in(items[place]["from"])))
                is_ruled, more = theirs is not None, self._own_keys(theirs)
            elif more and not each.strip():
                yield from more.values()
                more = {}
            if not (more and key and key[3] in more):
                yield each.replace(f"# as in {self.file.as_posix()}", f"# as in {rules}") if is_ruled else each
        yield from more.values()

    def _own_keys(self, place: int | None) -> dict[str, str]:
        """Return the lines of an item of the example that say more than where it goes, by their keys."""
        if place is None:
            return {}
        lines = self.text.split("\n")
        keys = [key for key, value in self.tables["item"][place].items() if key not in _OWN_KEYS and value != OPEN]
        numbers = {key: find_line(self.text, "item", key, place) for key in keys}
        return {key: lines[number - 1].strip() for key, number in numbers.items() if number}


NO_EXAMPLE = Example(Path(), "", {})


def read_example(file: Path) -> Example:
    """Return another transfer.

    Raises:
        Unreadable: there is no such file, or it is no transfer.
    """
    text, tables = read_tables(file)
    return Example(file, text, tables)


def _without_empty(lines: Sequence[str]) -> Iterator[str]:
    """Yield the lines of a transfer without tables in which nothing is left but notes."""
    table: list[str] = []
    for each in [*lines, "[end]"]:
        if _HEADER.match(each) or each.startswith("# One block"):
            is_empty = table[:1] and table[0].startswith(("[marks]", "[statuses]"))
            yield from [] if is_empty and not any(map(_KEY.match, table)) else table
            table = []
        table.append(each)


def _names(said: str | Sequence[str]) -> Sequence[str]:
    """Return the headings of an item: it may have several."""
    return [said] if isinstance(said, str) else said


def _first(said: str | Sequence[str], layout: Layout) -> Column | None:
    """Return the first column that one of an item's headings names."""
    return next(filter(None, (_named(name, layout) for name in _names(said))), None)


def _named(name: str, layout: Layout) -> Column | None:
    """Return the column of a name, or the only one of its title; None if there is none."""
    if not name:
        return None
    try:
        return find_column(layout.columns, name)
    except NoSuchColumn:
        title = fold(title_in(name))
        same = [column for column in layout.columns if fold(column.title) == title]
        return same[0] if len(same) == 1 and read_number(name) is None else None
