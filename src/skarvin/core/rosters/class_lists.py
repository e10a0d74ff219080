"""Students alone as a transfer: class lists become the target's roster import."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.gradebook import Gradebook, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.fitting import layout_for
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.numbered import numbering_columns
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.rosters.casing import proper_case, split_name
from skarvin.core.rosters.roster_file import FileRules, RosterFile, check_texts, make_file
from skarvin.core.rosters.usernames import Built, Collision, Person, build_usernames, fill
from skarvin.core.students.likeness import is_contradiction
from skarvin.core.targets.opening import open_target
from skarvin.core.targets.target import Target
from skarvin.core.texts.folding import fold
from skarvin.core.texts.names import name_key
from skarvin.core.texts.words import WORDS, phrase_set

_YEAR = phrase_set(WORDS.headings.year)


@dataclass(frozen=True)
class RosterRules:
    """How class lists become a roster.

    Attributes:
        username: the template of a username; blank for none.
        address: the template of an address; blank for none.
        collisions: what becomes of two equal usernames.
        is_family_first: how a name without a comma is split.
        exceptions: spellings of names, by their small letters.
        sections: a label for each list; where there is none, its own section, or its name.
        year: what stands for `{year}`.
        folders: where stored layouts lie, by which files are read that fit them.
    """

    username: str = ""
    address: str = ""
    collisions: Collision = Collision.NUMBER
    is_family_first: bool = False
    exceptions: dict[str, str] = field(default_factory=dict)
    sections: tuple[str, ...] = ()
    year: str = ""
    folders: tuple[Path, ...] = ()


class Newcomer(NamedTuple):
    """One student of the lists, as the roster will name him or her."""

    row: Row
    number: str
    family: str
    given: str
    section: str
    birth: str
    email: str

    @property
    def key(self) -> str:
        """What tells the student apart on every run: the number, or the name and section."""
        return self.number or " ".join([*name_key(f"{self.family} {self.given}"), self.section.casefold()])


@dataclass(frozen=True, kw_only=True)
class Roster:
    """What will be written, and what became of whom.

    Attributes:
        form: the target's own form.
        standing: the rows of those who stand in the form, by position.
        newcomers: the students to be written.
        texts: their cells, in the form's columns.
        already: students whom the form has already.
        twice: students who stand in the lists more than once.
        held: students who share a number with somebody of quite another name; none of them is written.
        usernames: what was built, what collided, who is held.
        recased: how many names were put into proper case.
        non_students: how many rows of the lists are no students.
        read_by: files that were read by a stored layout, and its name.
    """

    form: Target
    layout: Layout
    standing: tuple[int, ...]
    newcomers: tuple[Newcomer, ...]
    texts: tuple[tuple[str, ...], ...]
    already: tuple[Newcomer, ...]
    twice: tuple[Newcomer, ...]
    held: tuple[Newcomer, ...]
    usernames: Built
    recased: int
    non_students: int
    read_by: tuple[tuple[str, str], ...] = ()


def make_roster(
    lists: Sequence[Path], form: Path, rules: RosterRules, earlier: Path | None, *, is_cleared: bool = False
) -> Roster:
    """Return the roster import that class lists give.

    Args:
        lists: exports or class lists.
        form: the target's roster form, sample or current roster.
        rules: how names, sections and usernames are made.
        earlier: a roster written before, whose usernames are kept.
        is_cleared: whether the people in the form are made up, so that nobody stands there already.

    Raises:
        Unreadable: a file can't be read, has no names, or the form is no delimited text.
    """
    grid = read_grid(form)
    target = open_target(grid)
    layout, name = layout_for(grid, rules.folders)
    read_by = [(form.name, name)]
    found: list[Newcomer] = []
    recased = non_students = 0
    for index, file in enumerate(lists):
        label = rules.sections[index] if index < len(rules.sections) else ""
        people, changed, left, name = _read_list(file, label, rules)
        read_by.append((file.name, name))
        found += people
        recased += changed
        non_students += left
    _check_form(grid, layout)
    held = _of_two_people(found)
    found = [newcomer for newcomer in found if newcomer not in held]
    first = {newcomer.key: newcomer for newcomer in reversed(found)}
    twice = tuple(newcomer for newcomer in found if first[newcomer.key] is not newcomer)
    known = _known(grid, layout)
    already = tuple(newcomer for newcomer in first.values() if _identities(newcomer) & known.people)
    already = () if is_cleared else already
    newcomers = [newcomer for newcomer in found if first[newcomer.key] is newcomer and newcomer not in already]
    before = _known(*_read(earlier, rules)).usernames if earlier and earlier.exists() else {}
    persons = [
        Person(newcomer.key, newcomer.family, newcomer.given, rules.year, newcomer.section, newcomer.number)
        for newcomer in newcomers
    ]
    built = Built({}, {}, {})
    if rules.username:
        built = build_usernames(
            persons, rules.username, rules.collisions, known.usernames.values(), _kept(newcomers, before)
        )
    columns = layout.columns
    texts = tuple(tuple(_text(column, newcomer, rules, built) for column in columns) for newcomer in newcomers)
    return Roster(
        form=target,
        layout=layout,
        standing=_standing(grid, layout),
        newcomers=tuple(newcomers),
        texts=texts,
        already=already,
        twice=twice,
        held=tuple(held),
        usernames=built,
        recased=recased,
        non_students=non_students,
        read_by=tuple((file, name) for file, name in read_by if name),
    )


def _check_form(grid: Grid, layout: Layout) -> None:
    """Refuse a form in which no column is understood that says who a student is: its rows would be blank.

    Raises:
        Unreadable: there is no such column, or its cells don't stand under its headings.
    """
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    if layout.of_use({Use.NUMBER, Use.KEY, Use.NAME, Use.FAMILY}):
        return
    columns = [f"{column.letter} '{column.heading}' ({column.use})" for column in layout.columns[:8]]
    what = f"no column of the form is read as a student number, a name or a family name: {', '.join(columns)}"
    mend = "Give these columns headings that say so, such as 'Student number' and 'Family name', in a copy of the form."
    raise Unreadable(Finding("form-not-understood", what, grid.place(layout.heading_row), mend))


def _of_two_people(found: Sequence[Newcomer]) -> list[Newcomer]:
    """Return the students whose key is that of somebody with quite another name."""
    first: dict[str, Newcomer] = {}
    shared = {
        newcomer.key
        for newcomer in found
        if is_contradiction(
            f"{newcomer.family} {newcomer.given}", " ".join(first.setdefault(newcomer.key, newcomer)[2:4])
        )
    }
    return [newcomer for newcomer in found if newcomer.key in shared]


def roster_file(roster: Roster, rules: FileRules) -> RosterFile:
    """Return the roster import: the form with a row for each newcomer.

    Raises:
        Refused: a name can't be written in the form's encoding.
        Unreadable: the form can't be written that way.
    """
    places = [f"{newcomer.row} of {newcomer.row.source.file.name}" for newcomer in roster.newcomers]
    check_texts(roster.form, roster.texts, places)
    return make_file(roster.form, roster.layout, roster.standing, roster.texts, rules)


def _read(file: Path, rules: RosterRules) -> tuple[Grid, Layout]:
    grid = read_grid(file)
    return grid, layout_for(grid, rules.folders)[0]


def _read_list(file: Path, label: str, rules: RosterRules) -> tuple[list[Newcomer], int, int, str]:
    """Return the students of one list, how many names were recased, how many rows are no students, and its layout."""
    grid = read_grid(file, ReadAs())
    layout, name = layout_for(grid, rules.folders)
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    if not layout.names:
        mend = "A roster needs names: export the list with them."
        raise Unreadable(
            Finding("no-names", "no column of this list holds names", grid.place(layout.heading_row), mend)
        )
    numbers = layout.of_use([Use.NUMBER, Use.KEY])
    book = understand(grid, layout, next(iter(numbers), None), [], NOT_STUDENTS)
    found, recased = [], 0
    for student in book.students:
        cells = book.cells(student.row)
        written = _written_name(cells, layout, rules)
        family, given = (proper_case(part, rules.exceptions) for part in written)
        recased += (family, given) != written
        number = _bare(student.identifier, numbers[0]) if numbers else ""
        section = label or student.section or file.stem
        email = next((cells[column.index].strip() for column in layout.of_use(Use.EMAIL)), "")
        found.append(Newcomer(student.row, number, family, given, section, student.birth, email))
    return found, recased, len(book.non_students), name


def _bare(text: str, column: Column) -> str:
    """Return an identifier without the sign that stands before or behind each of its column."""
    before, behind = column.around
    return text.strip().removeprefix(before).removesuffix(behind)


def _written_name(cells: Sequence[str], layout: Layout, rules: RosterRules) -> tuple[str, str]:
    parts = {column.use: " ".join(cells[column.index].split()) for column in layout.names}
    if Use.NAME in parts:
        return split_name(parts[Use.NAME], is_family_first=rules.is_family_first)
    return parts.get(Use.FAMILY, ""), parts.get(Use.GIVEN, "")


class _Known(NamedTuple):
    """Who is in a roster: by number and by name, and the usernames by both."""

    people: set[str]
    usernames: dict[str, str]


def _standing(grid: Grid, layout: Layout) -> tuple[int, ...]:
    """Return the positions of the rows of people in a form; a line's number is nobody's."""
    column = next(iter(layout.identifiers), None)
    numbering = numbering_columns(grid, layout)
    telling = [one.index for one in (*layout.identifiers, *layout.names) if one.index not in numbering]
    students = understand(grid, layout, column, [], NOT_STUDENTS).students
    rows = (student.row.position for student in students)
    return tuple(row for row in rows if not telling or any(grid.cells(row)[one].strip() for one in telling))


def _known(grid: Grid, layout: Layout) -> _Known:
    """Return whom a roster has."""
    people: set[str] = set()
    usernames: dict[str, str] = {}
    login = next(iter(layout.of_use(Use.USERNAME)), None)
    columns = layout.of_use([Use.NUMBER, Use.KEY]) or layout.identifiers
    if not columns and not layout.names:
        return _Known(people, usernames)
    book: Gradebook = understand(grid, layout, next(iter(columns), None), [], NOT_STUDENTS)
    for student in book.students:
        number = student.identifier.strip() if columns and columns[0].use in {Use.NUMBER, Use.KEY} else ""
        keys = {f"#{number}"} if number else {f"={' '.join(name_key(student.name))}"}
        people |= keys
        name = book.cells(student.row)[login.index].strip() if login else ""
        usernames |= dict.fromkeys(keys, name) if name else {}
    return _Known(people, usernames)


def _identities(newcomer: Newcomer) -> set[str]:
    return (
        {f"#{newcomer.number}"}
        if newcomer.number
        else {f"={' '.join(name_key(f'{newcomer.family} {newcomer.given}'))}"}
    )


def _kept(newcomers: Sequence[Newcomer], before: dict[str, str]) -> dict[str, str]:
    """Return the usernames that newcomers were given on an earlier run."""
    return {newcomer.key: before[key] for newcomer in newcomers for key in _identities(newcomer) if key in before}


def _text(column: Column, newcomer: Newcomer, rules: RosterRules, built: Built) -> str:
    """Return what a column of the form says of a newcomer."""
    username = built.names.get(newcomer.key, "")
    person = Person(newcomer.key, newcomer.family, newcomer.given, rules.year, newcomer.section, newcomer.number)
    can_address = bool(rules.address) and (bool(username) or "{username" not in rules.address)
    address = fill(rules.address, person, username) if can_address else ""
    texts = {
        Use.NUMBER: newcomer.number,
        Use.KEY: newcomer.number,
        Use.USERNAME: username,
        Use.EMAIL: address or newcomer.email,
        Use.NAME: ", ".join(filter(None, [newcomer.family, newcomer.given])),
        Use.FAMILY: newcomer.family,
        Use.GIVEN: newcomer.given,
        Use.SECTION: newcomer.section,
        Use.BIRTH: newcomer.birth,
    }
    is_year = column.use in {Use.OTHER, Use.ITEM} and not _YEAR.isdisjoint(fold(column.heading).split())
    return rules.year if is_year else texts.get(column.use, "")
