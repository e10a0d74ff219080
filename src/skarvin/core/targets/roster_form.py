"""A target that takes results by OneRoster CSV: its own bundle, seen as a table with a row for each student."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable, listing
from skarvin.core.grid.grid import TextGrid
from skarvin.core.grid.one_roster import RosterGrid
from skarvin.core.grid.read import OF_OURS, read_grid
from skarvin.core.grid.roster_results import Item, headings
from skarvin.core.reasons import Cause, Reason
from skarvin.core.targets.delimited import DelimitedTarget
from skarvin.core.targets.results_plan import SCORE_STATUSES, ResultsPlan
from skarvin.core.texts.lists import MARK, list_text
from skarvin.core.texts.patterns import pattern

SCORE = pattern(r"-?\d+(\.\d+)?")
_MOST = 12


@dataclass(frozen=True, eq=False)
class WideGrid(TextGrid):
    """The table that is made of a bundle, with what its columns hold."""

    said: Mapping[int, str] = field(default_factory=lambda: MappingProxyType({}))


class ResultsForm(NamedTuple):
    """The target's bundle, and the table that is made of it.

    Attributes:
        grid: the bundle.
        table: a row for each student, by their sourcedIds, and a column for each item and for comments on it.
        items: the items, by the headings of their columns; those that are new have no sourcedIds.
        comments: the items that a column has comments on, by its heading.
        told: how it is written.
    """

    grid: RosterGrid
    table: WideGrid
    items: Mapping[str, Item]
    comments: Mapping[str, Item]
    told: ResultsPlan

    def target(self) -> "ResultsTarget":
        """Return the table as a target."""
        return ResultsTarget(self)


class ResultsTarget(DelimitedTarget):
    """The table of a bundle as a target: a result is a score, a status or, since version 1.2, another text."""

    def __init__(self, form: ResultsForm) -> None:
        super().__init__(form.table)
        self._takes_texts = bool(form.grid.bundle and form.grid.bundle.version != "1.1")

    def lacks_mark(self, text: str) -> Reason | None:
        """Return why a result can't say a text."""
        if self._takes_texts or SCORE.fullmatch(text) or text in SCORE_STATUSES:
            return None
        what = f"a score of OneRoster 1.1 is a number with a point, or one of: {', '.join(SCORE_STATUSES)}"
        return Reason(Cause.NOT_SPELLABLE, what)


def read_results_form(grid: RosterGrid, told: ResultsPlan, wanted: Sequence[tuple[str, str]]) -> ResultsForm:
    """Return a bundle as a form.

    Args:
        grid: the bundle.
        told: how it is written.
        wanted: the headings that marks go to, with the maximum as it is written, if that is known.

    Raises:
        Unreadable: an item is wanted that isn't there, and none may be declared.
    """
    heads = grid.cells(0)
    first = min(grid.stands_in, default=len(heads))
    own = dict(zip(headings(grid.items), grid.items, strict=True))
    asked = {name for name, _ in wanted}
    called = {
        heading: item.title if item.title in asked and heading not in asked else heading
        for heading, item in own.items()
    }
    if len(set(called.values())) == len(called):
        own = {called[heading]: item for heading, item in own.items()}
    named = {*own, *(f"comment on {heading}" for heading in own)}
    new = [Item(name, out_of, ()) for name, out_of in dict(wanted).items() if name not in named]
    if new and not told.new_items:
        what = f"the bundle has no item '{new[0].title}'"
        mend = f"Items: {listing(list(own), _MOST)}. Or write new_items = true in results under [target]."
        raise Unreadable(Finding("no-such-item", what, grid.place(), mend))
    for item in new:
        if not item.out_of:
            what, mend = f"the new item '{item.title}' has no maximum", "Write to_out_of in its [[item]]."
            raise Unreadable(Finding("no-maximum", what, grid.place(), mend))
    items = own | {item.title: item for item in new}
    comments = {f"comment on {heading}": item for heading, item in items.items()}
    kept = sorted((at for at in range(first) if at in grid.said), key=lambda at: heads[at] != "sourcedId")
    places = {heading: first + place for place, heading in enumerate(own)} if grid.stands_in else {}
    remarks = {f"comment on {heading}": at + len(own) for heading, at in places.items() if grid.comments}
    columns = [*kept, *(places.get(heading) for heading in items), *(remarks.get(heading) for heading in comments)]
    table = [[*(heads[at] for at in kept), *items, *comments]]
    for row in sorted(grid.members.values()):
        cells = grid.cells(row)
        table.append(["" if at is None else cells[at] for at in columns])
    data = MARK + list_text(table, end="\n", safe=str)
    read = read_grid(grid.file, OF_OURS, data.encode(), is_rfc_4180=True)
    if not isinstance(read, TextGrid):
        raise TypeError(grid.file)
    said = {place: grid.said[at] for place, at in enumerate(kept)}
    said |= {len(kept) + place: "item" for place in range(len(items))}
    said |= {len(kept) + len(items) + place: "comment" for place in range(len(comments))}
    made = WideGrid(**{one.name: getattr(read, one.name) for one in fields(TextGrid)}, said=MappingProxyType(said))
    return ResultsForm(grid, made, items, comments, told)
