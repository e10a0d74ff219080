"""Which identifiers pair the students, under which rule; and how a roster leads from one side to the other."""

from collections.abc import Collection
from dataclasses import dataclass, replace
from pathlib import Path

from skarvin.core.findings import Finding, Unreadable, listing
from skarvin.core.gradebook import understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.numbered import has_people, numbering_columns
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pairing import pair
from skarvin.core.texts.names import name_key

_RULES = (
    IdentifierRule(),
    IdentifierRule(ignore_case=True),
    IdentifierRule(ignore_leading_zeros=True),
    IdentifierRule(ignore_case=True, ignore_leading_zeros=True),
    IdentifierRule(ignore_dashes=True),
    IdentifierRule(ignore_case=True, ignore_dashes=True),
)
_MOST_NAMES = 0.5
"""So many students of the smaller side must have a name of the other, if names are all there is."""
_WORTH = 0.02
"""A rule that sets more aside must pair at least this much more of the students."""


@dataclass(frozen=True, slots=True)
class IdentifierProposal:
    """Which columns pair the students, under which rule, and how many meet."""

    source: Column | None
    target: Column | None
    rule: IdentifierRule
    met: int
    of: int
    is_composed: bool = False
    by_name: int = 0
    is_sample: bool = False

    @property
    def words(self) -> str:
        """How many meet, and what is to be set aside for that."""
        if self.is_sample:
            return "its people are made up: a row is made for each of the export's"
        if self.is_composed:
            return "the template has no students: a row is made for each of the export's"
        if self.by_name:
            return f"no identifier meets; {self.by_name} of {self.of} students have the name of one in the template"
        aside = [step for step in self.rule.steps if step != "space"]
        once = f" once {listing(aside)} {'is' if len(aside) == 1 else 'are'} set aside" if aside else ""
        return f"{self.met} of {self.of} students meet{once}"


@dataclass(frozen=True, slots=True)
class RosterProposal:
    """Which of the roster's columns hold the target's and the source's identifiers, and how many meet."""

    grid: Grid
    layout: Layout
    identifier: Column
    source_identifier: Column | None
    met: int


def propose_identifier(source: Grid, target: Grid, ours: Layout, theirs: Layout) -> IdentifierProposal:
    """Return the columns and the rule under which most students meet, the plainest rule first."""
    if not has_people(target, theirs):
        return propose_alike(ours, theirs, numbering_columns(target, theirs))
    best = IdentifierProposal(None, None, IdentifierRule(), 0, 0)
    around = {column.around for column in (*ours.identifiers, *theirs.identifiers)} - {("", "")}
    has_addresses = any(column.use is Use.EMAIL for column in (*ours.identifiers, *theirs.identifiers))
    domains = [replace(rule, ignore_domain=True) for rule in _RULES] if has_addresses else []
    rules = [
        *_RULES,
        *domains,
        *(replace(rule, ignore_prefix=a, ignore_suffix=b) for a, b in sorted(around) for rule in _RULES),
    ]
    here = {mine: understand(source, ours, mine, [], NOT_STUDENTS).students for mine in ours.identifiers}
    there = {other: understand(target, theirs, other, []).students for other in theirs.identifiers}
    for rule in rules:
        for mine, students in here.items():
            if best.met >= (1 - _WORTH) * len(students):
                continue  # no rule can bring enough more of them together
            every = frozenset(rule.comparable(student.identifier) for student in students)
            for other, others in there.items():
                met = len(pair(students, others, rule, together=every).pairs)
                if met > best.met + _WORTH * len(students):
                    best = IdentifierProposal(mine, other, rule, met, len(students))
    return best if best.met else _by_names(best, (source, ours), (target, theirs))


def _by_names(best: IdentifierProposal, ours: tuple[Grid, Layout], theirs: tuple[Grid, Layout]) -> IdentifierProposal:
    """Return the first columns where no identifier meets and most students have the whole name of one of the form's."""
    first = [layout.identifiers[0] for _, layout in (ours, theirs)]
    here, there = (
        [name_key(student.name) for student in understand(*side, column, [], NOT_STUDENTS).students if student.name]
        for side, column in zip((ours, theirs), first, strict=True)
    )
    known = set(there)
    met = sum(name in known for name in here)
    if not met or met < _MOST_NAMES * min(len(here), len(there)):
        return best
    return IdentifierProposal(first[0], first[1], IdentifierRule(), 0, len(here), by_name=met)


def propose_alike(ours: Layout, theirs: Layout, numbering: Collection[int] = ()) -> IdentifierProposal:
    """Return the columns that hold the same kind of identifier; the first ones where none do.

    Args:
        ours: the export's layout.
        theirs: the form's.
        numbering: the form's columns that number its lines, and tell nobody.
    """
    others = [other for other in theirs.identifiers if other.index not in numbering] or theirs.identifiers
    pairs = [(mine, other) for other in others for mine in ours.identifiers if mine.use is other.use]
    mine, other = pairs[0] if pairs else (ours.identifiers[0], others[0])
    return IdentifierProposal(mine, other, IdentifierRule(), 0, 0, is_composed=True)


def propose_roster(
    file: Path, source: tuple[Grid, Layout], target: tuple[Grid, Layout], direct: IdentifierProposal
) -> tuple[RosterProposal, IdentifierProposal]:
    """Return how the roster leads from the source's students to the target's.

    Raises:
        Unreadable: none of the roster's columns holds the target's identifiers.
    """
    grid = read_grid(file)
    layout = recognise(grid)
    there = propose_identifier(grid, target[0], layout, target[1])
    if there.source is None or there.target is None:
        what = "no column of the roster holds the template's identifiers"
        raise Unreadable(Finding("no-roster", what, grid.place(), "Is this the right roster?"))
    here = propose_identifier(source[0], grid, source[1], layout)
    leads = here.source is not None and here.met > direct.met
    proposal = RosterProposal(grid, layout, there.source, here.target if leads else None, there.met)
    if not leads:
        first = direct.source or source[1].identifiers[0]
        return proposal, replace(direct, source=first, target=there.target)
    return proposal, IdentifierProposal(here.source, there.target, here.rule, here.met, here.of)
