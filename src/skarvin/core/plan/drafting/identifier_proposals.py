"""Which identifiers pair the students, under which rule; and how a roster leads from one side to the other."""

from collections import Counter
from collections.abc import Collection, Sequence
from pathlib import Path

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Unreadable, counted, listing
from skarvin.core.gradebook import Student
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, STUDENT, Column, Use
from skarvin.core.layout.fitting import find_fitting
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.meeting import Side, is_of_sample, recognise_both
from skarvin.core.layout.numbered import has_people, numbering_columns
from skarvin.core.plan.drafting.books import Book, Books
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pairing import Pair, pair
from skarvin.core.students.repeated import OneStudent
from skarvin.core.texts.names import content_words, name_key
from skarvin.core.texts.patterns import pattern

_RULES = (
    IdentifierRule(),
    IdentifierRule(ignore_case=True),
    IdentifierRule(ignore_leading_zeros=True),
    IdentifierRule(ignore_case=True, ignore_leading_zeros=True),
    IdentifierRule(ignore_dashes=True),
    IdentifierRule(ignore_case=True, ignore_dashes=True),
)
_HALF = 0.5
_WORTH = 0.02
"""A rule that sets more aside must pair at least this much more of the students."""
_MANY, _LARGE = 500, 5000
_AROUND_DIGITS = pattern(r"(\D{0,8})[0-9](?:.*[0-9])?(\D{0,8})")
_NEARLY_ALL, _FEWEST = 0.9, 3
_SOME = 120
"""So many pairs are kept, to compare their marks."""


class IdentifierProposal(msgspec.Struct, frozen=True):
    """Which columns pair the students, under which rule, and how many meet.

    A side without a column has no identifier: its students are told by their names. Where nobody meets at all,
    `is_open` says that a person must choose. `crossed` is a pair of columns whose values meet though the names beside
    them are other people's: the numbers of lines, as a rule. `some` has the rows of some students who pair.
    """

    source: Column | None
    target: Column | None
    rule: IdentifierRule
    met: int
    of: int
    is_composed: bool = False
    by_name: int = 0
    is_sample: bool = False
    is_open: bool = False
    is_told: bool = False
    crossed: tuple[Column, Column] | None = None
    some: tuple[tuple[int, int], ...] = ()
    repeated: int = 0

    @property
    def words(self) -> str:
        """How many meet, and what is to be set aside for that."""
        if self.is_sample:
            return "its people are made up: a row is made for each of the export's"
        if self.is_composed:
            who = "each of the export's" if self.source else "whom the roster knows, as the export has no identifiers"
            return f"the form has no students: a row is made for {who}"
        crossed = ""
        if self.crossed:
            one, other = self.crossed
            crossed = f"; '{one.heading}' and '{other.heading}' have the same values beside other names"
        if self.is_open:
            return f"no student of one file was found in the other{crossed}"
        if self.by_name:
            return (
                f"no identifier is in both files: {self.by_name} of {self.of} students have the name of one in the "
                f"form{crossed}"
            )
        if not self.met:
            return "no identifier is in both files, but the roster knows more of the form's students"
        aside = [step for step in self.rule.steps if step != "spaces"]
        once = f"; ignored to match identifiers: {listing(aside)}" if aside else ""
        both = f"{self.met} of {self.of} students are in both"
        if self.people < self.met:
            people = counted(self.people, "student is", "students are")
            both = f"{people} in both, in {self.met} of {self.of} rows"
        return f"{both}{once}"

    @property
    def people(self) -> int:
        """How many students of the form are met: several rows may be one student's."""
        return self.met - self.repeated


class RosterProposal(msgspec.Struct, frozen=True):
    """Which of the roster's columns hold the target's and the source's identifiers, how many meet; its layout."""

    grid: Grid
    layout: Layout
    identifier: Column
    source_identifier: Column | None
    met: int
    layout_name: str = ""


def propose_identifier(
    source: Book, target: Book, books: Books, told: tuple[Column, Column | None] | None = None
) -> IdentifierProposal:
    """Return the columns and the rule under which most students meet, the plainest rule first; names where none do.

    Args:
        source: the export.
        target: the form.
        books: what was understood of them.
        told: the columns that a person names.
    """
    ours, theirs = source[1], target[1]
    if not has_people(*target):
        found = propose_alike(ours, theirs, numbering_columns(*target))
        return replace(found, source=told[0], target=told[1]) if told else found
    mine = [told[0]] if told else ours.identifiers
    others = [told[1]] if told and told[1] else theirs.identifiers
    best, crossed = _by_identifier(source, target, (mine, others), books)
    if told:
        return replace(best, source=told[0], target=told[1], is_open=False, is_told=True)
    if best.met:
        return best
    found = replace(_by_names(best, source, target, books), crossed=crossed)
    if crossed and found.source in crossed and found.target in crossed:
        return replace(found, source=None, target=None)
    return found


def _by_identifier(
    source: Book, target: Book, columns: tuple[Sequence[Column], Sequence[Column]], books: Books
) -> tuple[IdentifierProposal, tuple[Column, Column] | None]:
    """Return the best pair of columns, and one that would pair people of other names."""
    best = IdentifierProposal(None, None, IdentifierRule(), 0, 0)
    crossed = None
    mine, others = _promising(source, target, columns)
    here = {column: books.of(source, column).students for column in mine}
    there = {column: books.of(target, column, is_form=True).students for column in others}
    affixes = {_affixes([one.identifier for one in some]) for some in (*here.values(), *there.values())}
    for rule in _rules([*mine, *others], affixes):
        for column, students in here.items():
            if best.met >= (1 - _WORTH) * len(students):
                continue  # no rule can bring enough more of them together
            every = frozenset(map(rule.comparer, [student.identifier for student in students]))
            for other, theirs in there.items():
                pairs = pair(students, theirs, rule, rows=OneStudent(every)).pairs
                if len(pairs) <= best.met + _WORTH * len(students):
                    continue
                if _are_others(pairs):
                    crossed = crossed or (column, other)
                else:
                    some = tuple((one.source.row.position, one.target.row.position) for one in pairs[:_SOME])
                    best = IdentifierProposal(
                        column, other, rule, len(pairs), len(students), some=some, repeated=_repeated(pairs)
                    )
    return best, crossed


def _repeated(pairs: Sequence[Pair]) -> int:
    """Return how many pairs are further rows of a student."""
    return len(pairs) - len({one.target.row for one in pairs})


def _promising(
    source: Book, target: Book, columns: tuple[Sequence[Column], Sequence[Column]]
) -> tuple[Sequence[Column], Sequence[Column]]:
    """Return the columns of large files whose values meet somewhere as they stand; all where that tells nothing."""
    if len(columns[0]) * len(columns[1]) < 2 or len(source[0]) + len(target[0]) < _LARGE:  # noqa: PLR2004 - no choice
        return columns
    ours, theirs = (
        {column: _values(*side, column) for column in those}
        for side, those in zip((source, target), columns, strict=True)
    )
    met = {(one, other): len(ours[one] & theirs[other]) for one in ours for other in theirs}
    most = max(met.values(), default=0)
    pairs = [pair for pair, count in met.items() if count > _HALF * most]
    if not most:
        return columns
    return [one for one in ours if any(one is pair[0] for pair in pairs)], [
        other for other in theirs if any(other is pair[1] for pair in pairs)
    ]


def _values(grid: Grid, layout: Layout, column: Column) -> frozenset[str]:
    rows = (grid.first_cells(row, column.index + 1) for row in range(layout.first_row, len(grid)))
    some = (cells[column.index] for cells in rows if column.index < len(cells))
    return frozenset(text.strip().casefold() for text in some if is_of_sample(text)) - {""}


def _rules(columns: Sequence[Column], affixes: Collection[tuple[str, str]]) -> list[IdentifierRule]:
    """Return the rules that are tried, the plainest first; `affixes` is what stands around all values of a column."""
    around = ({column.around for column in columns} | set(affixes)) - {("", "")}
    domains = any(column.use is Use.EMAIL for column in columns)
    return [
        *_RULES,
        *([replace(rule, ignore_domain=True) for rule in _RULES] if domains else []),
        *(replace(rule, ignore_prefix=a, ignore_suffix=b) for a, b in sorted(around) for rule in _RULES),
    ]


def _affixes(identifiers: Sequence[str]) -> tuple[str, str]:
    """Return the letters and signs that stand before, and behind, the digits of nearly all identifiers."""
    parts = [match.groups() for text in identifiers if (match := _AROUND_DIGITS.fullmatch(text.strip()))]
    if len(parts) < max(_FEWEST, _NEARLY_ALL * len(identifiers)):
        return "", ""
    counts = Counter(parts)
    (before, behind), count = counts.most_common(1)[0]
    return (before, behind) if count >= _NEARLY_ALL * len(identifiers) else ("", "")


def _are_others(pairs: Sequence[Pair]) -> bool:
    """Tell whether most pairs are of people whose names have no word in common."""
    named = [one for one in pairs[:_MANY] if one.source.name and one.target.name]
    apart = sum(set(content_words(one.source.name)).isdisjoint(content_words(one.target.name)) for one in named)
    return len(named) > 1 and apart > _HALF * len(named)


def _by_names(best: IdentifierProposal, ours: Book, theirs: Book, books: Books) -> IdentifierProposal:
    """Return the pairing by whole names, if anybody has the same in both files; else what a person must decide."""
    first = [_identifier_if_any(*side) for side in (ours, theirs)]
    here, there = (
        [student for student in books.of(side, column).students if student.name]
        for side, column in zip((ours, theirs), first, strict=True)
    )
    met = _namesakes(here, there)
    if not met:
        return replace(best, is_open=True)
    some = tuple(met[:_SOME])
    return IdentifierProposal(first[0], first[1], IdentifierRule(), 0, len(here), by_name=len(met), some=some)


def _namesakes(here: Sequence[Student], there: Sequence[Student]) -> list[tuple[int, int]]:
    """Return the rows of students of one file who have the whole name of one in the other."""
    known = {name_key(student.name): student.row.position for student in there}
    named = ((student.row.position, known.get(name_key(student.name))) for student in here)
    return [(row, other) for row, other in named if other is not None]


def _identifier_if_any(grid: Grid, layout: Layout) -> Column | None:
    """Return the first identifier of a file that says anything."""
    for column in layout.identifiers:
        for row in range(layout.first_row, len(grid)):
            cells = grid.first_cells(row, column.index + 1)
            if column.index < len(cells) and cells[column.index].strip():
                return column
    return None if layout.names else next(iter(layout.identifiers), None)


def propose_alike(ours: Layout, theirs: Layout, numbering: Collection[int] = ()) -> IdentifierProposal:
    """Return the columns that hold the same kind of identifier; the first ones where none do.

    Args:
        ours: the export's layout.
        theirs: the form's.
        numbering: the form's columns that number its lines, and tell nobody.
    """
    others = [other for other in theirs.identifiers if other.index not in numbering] or theirs.identifiers
    pairs = [(mine, other) for other in others for mine in ours.identifiers if mine.use is other.use]
    mine = next(iter(ours.identifiers), None)
    mine, other = pairs[0] if pairs else (mine, next(iter(others), None))
    return IdentifierProposal(mine, other, IdentifierRule(), 0, 0, is_composed=True)


def _of_roster(grid: Grid, sides: tuple[Book, Book]) -> Layout:
    """Return what a list's columns mean, seen from the form, and from the export where the form says nothing."""
    mine, theirs = (recognise_both(Side(grid), Side(side[0])).source for side in sides)
    columns = (
        ours if ours.use in IDENTIFIERS and column.use not in STUDENT else column
        for ours, column in zip(mine.columns, theirs.columns, strict=True)
    )
    return replace(theirs, columns=tuple(columns))


def propose_roster(
    grid: Grid, sides: tuple[Book, Book], direct: IdentifierProposal, books: Books, folders: Sequence[Path] = ()
) -> tuple[RosterProposal, IdentifierProposal]:
    """Return how the roster leads from the source's students to the target's.

    Raises:
        Unreadable: none of the roster's columns holds the target's identifiers.
    """
    source, target = sides
    fitting = find_fitting(grid, folders)
    name = fitting.name if fitting and fitting.fits else ""
    layout = fitting.layout if fitting and name else _of_roster(grid, sides)
    there = propose_identifier((grid, layout), target, books)
    if there.source is None or there.target is None or not (there.met or there.is_composed):
        what = "no column of the roster holds the form's identifiers"
        mend = "Is this the right roster? What its columns are read as can be corrected with: skarvin layout learn"
        raise Unreadable(Finding("no-roster", what, grid.place(), mend))
    here = propose_identifier(source, (grid, layout), books)
    leads = here.source is not None and here.target is not None and here.met > direct.met
    proposal = RosterProposal(grid, layout, there.source, here.target if leads else None, there.met, name)
    if not leads:
        first = direct.source or next(iter(source[1].identifiers), None)
        return proposal, replace(direct, source=first, target=there.target, is_open=False)
    return proposal, IdentifierProposal(here.source, there.target, here.rule, here.met, here.of, repeated=here.repeated)
