"""Students alone as a transfer: class lists become the target's roster import."""

from collections.abc import Collection, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from skarvin.core.findings import Finding, Unreadable, counted, listing
from skarvin.core.gradebook import Gradebook, Student, understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import WHO, Column, Use
from skarvin.core.layout.fitting import layout_for
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.numbered import numbering_columns
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.told import NOTHING_TOLD, Told
from skarvin.core.reasons import Cause
from skarvin.core.rosters.casing import given_names
from skarvin.core.rosters.reading_lists import (
    Newcomer,
    ReadList,
    further_column,
    in_proper_case,
    is_year_column,
    names_in,
    read_list,
)
from skarvin.core.rosters.roster_file import FileRules, RosterFile, check_texts, make_file
from skarvin.core.rosters.usernames import Built, Collision, Person, build_usernames, fields_of, fill, value_of
from skarvin.core.students.likeness import is_contradiction
from skarvin.core.targets.opening import open_target
from skarvin.core.targets.target import Target
from skarvin.core.texts.names import name_key
from skarvin.core.texts.unsafe import UnsafeText


class RosterRules(msgspec.Struct, frozen=True):
    """How class lists become a roster.

    Attributes:
        username: the form of a username; blank for none.
        address: the form of an address; blank for none.
        collisions: what becomes of two equal usernames.
        is_family_first: how a name without a comma is split.
        exceptions: spellings of names, by their small letters.
        sections: a label for each list; where there is none, its own section, or its name.
        year: what stands for `{year}` of students whose list doesn't say theirs.
        taken: usernames that are in use elsewhere.
        folders: where stored layouts lie, by which files are read that fit them.
        unsafe_text: what becomes of a text that a spreadsheet would run.
        told: what a person says of the lists' columns.
    """

    username: str = ""
    address: str = ""
    collisions: Collision = Collision.NUMBER
    is_family_first: bool = False
    exceptions: dict[str, str] = msgspec.field(default_factory=dict)
    sections: tuple[str, ...] = ()
    year: str = ""
    taken: tuple[str, ...] = ()
    folders: tuple[Path, ...] = ()
    unsafe_text: UnsafeText = UnsafeText.HOLD
    told: Told = NOTHING_TOLD


class Roster(msgspec.Struct, frozen=True, kw_only=True):
    """What will be written, and what became of whom.

    Attributes:
        form: the target's own form.
        standing: the rows of those who stand in the form, by position.
        newcomers: the students to be written.
        texts: their cells, in the form's columns.
        already: students whom the form has already.
        twice: students who stand in the lists more than once.
        held: students who share a number with somebody of quite another name; none of them is written.
        without_username: students whose username is held; none of them is written, either.
        unsafe: students of whom something may not be written, and why.
        gone: who stands in the form and in none of the lists.
        moved: who stands in another section of the form than of the lists, and where there.
        usernames: what was built, what collided, who is held.
        recased: how many names were put into proper case.
        lists: the lists as they were read.
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
    without_username: tuple[Newcomer, ...]
    unsafe: tuple[tuple[Newcomer, str], ...]
    gone: tuple[Student, ...]
    moved: tuple[tuple[Newcomer, Student], ...]
    usernames: Built
    recased: int
    lists: tuple[ReadList, ...]
    read_by: tuple[tuple[str, str], ...] = ()

    @property
    def non_students(self) -> int:
        """How many rows of the lists are no students."""
        return sum(one.non_students for one in self.lists)

    @property
    def is_anything_held(self) -> bool:
        """Whether somebody isn't written because a person must decide."""
        return bool(self.held or self.without_username or self.unsafe)


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
    target = open_target(grid).guarded(rules.unsafe_text)
    layout, name = layout_for(grid, rules.folders)
    _check_form(grid, layout)
    read = [
        read_list(
            file,
            rules.sections[index] if index < len(rules.sections) else "",
            rules.folders,
            rules.told,
            is_family_first=rules.is_family_first,
        )
        for index, file in enumerate(lists)
    ]
    found, recased = in_proper_case(read, [] if is_cleared else names_in(grid, layout), rules.exceptions)
    held = _of_two_people(found)
    found_once = [newcomer for newcomer in found if newcomer not in held]
    first = {newcomer.key: newcomer for newcomer in reversed(found_once)}
    known = _Known(frozenset(), {}, frozenset(), ()) if is_cleared else _known(grid, layout)
    already = tuple(one for one in found_once if first[one.key] is one and one.identities & known.people)
    twice = tuple(newcomer for newcomer in found_once if first[newcomer.key] is not newcomer)
    newcomers = [one for one in found_once if first[one.key] is one and one not in already]
    before = _known(*_read(earlier, rules)).usernames if earlier and earlier.exists() else {}
    built = Built({}, {}, {})
    if rules.username:
        persons = [_person(newcomer, rules) for newcomer in newcomers]
        _check_fields(persons, rules, read)
        taken = [*known.taken, *rules.taken]
        built = build_usernames(persons, rules.username, rules.collisions, taken, _kept(newcomers, before))
    rows = [(one, _texts(layout, one, rules, built)) for one in newcomers if one.key not in built.held]
    unsafe = tuple(_unsafe(rows, target, layout))
    may_not = {newcomer.key for newcomer, _ in unsafe}
    written = [newcomer for newcomer, _ in rows if newcomer.key not in may_not]
    texts = tuple(tuple(target.shown(text, "") for text in row) for one, row in rows if one.key not in may_not)
    _check_texts(layout, written, texts)
    return Roster(
        form=target,
        layout=layout,
        standing=_standing(grid, layout),
        newcomers=tuple(written),
        texts=texts,
        already=already,
        twice=twice,
        held=tuple(held),
        without_username=tuple(newcomer for newcomer in newcomers if newcomer.key in built.held),
        gone=_gone(known, found),
        moved=_moved(known, found_once, {one.file for one in read if one.says_section}),
        unsafe=unsafe,
        usernames=built,
        recased=recased,
        lists=tuple(read),
        read_by=tuple((file, name) for file, name in [(form.name, name), *_fits(read)] if name),
    )


def _unsafe(
    rows: Sequence[tuple[Newcomer, Sequence[str]]], target: Target, layout: Layout
) -> Iterator[tuple[Newcomer, str]]:
    """Yield those of whom a text would be run by a spreadsheet, or has a control character."""
    for newcomer, texts in rows:
        for column, text in zip(layout.columns, texts, strict=True):
            why = target.lacks(text)
            if why and why.cause in {Cause.WOULD_RUN, Cause.CONTROL_CHARACTER}:
                yield newcomer, f"what would stand under '{column.heading}' may not: {why}"
                break


def _fits(lists: Sequence[ReadList]) -> list[tuple[str, str]]:
    return [(one.file.name, one.layout_name) for one in lists]


def _gone(known: "_Known", found: Sequence[Newcomer]) -> tuple[Student, ...]:
    """Return who stands in the form and in none of the lists."""
    there = {identity for newcomer in found for identity in newcomer.identities}
    there |= {f"={' '.join(name_key(newcomer.name))}" for newcomer in found}
    return tuple(student for student, identities in known.students if not identities & there)


def _moved(
    known: "_Known", found: Sequence[Newcomer], telling: Collection[Path]
) -> tuple[tuple[Newcomer, Student], ...]:
    """Return who stands in another section of the form than of the lists, with the row there."""
    by_identity = {identity: student for student, identities in known.students for identity in identities}
    there = ((newcomer, by_identity.get(identity)) for newcomer in found for identity in newcomer.identities)
    return tuple(
        (newcomer, student)
        for newcomer, student in there
        if student
        and newcomer.row.source.file in telling
        and student.section.strip()
        and student.section.casefold() != newcomer.section.casefold()
    )


def _check_texts(layout: Layout, newcomers: Sequence[Newcomer], texts: Sequence[Sequence[str]]) -> None:
    """Refuse a roster in which nothing would say who a student is.

    Raises:
        Unreadable: there is such a row.
    """
    telling = [column.index for column in layout.columns if column.use in WHO]
    blank = [one for one, row in zip(newcomers, texts, strict=True) if not any(row[place].strip() for place in telling)]
    if not blank:
        return
    columns = listing(
        [f"{column.letter} '{column.heading}'" for column in layout.columns if column.index in telling], 8
    )
    what = f"{counted(len(blank), 'line', 'lines')} of the roster would name nobody: nothing is known for {columns}"
    mend = "Take lists with student numbers, or a form with names; usernames are built with --username."
    raise Unreadable(Finding("blank-lines", what, blank[0].row.place(), mend))


_USES = {"year": "leaving year", "number": "student number", "family": "family name", "section": "section"}


def _check_fields(persons: Sequence[Person], rules: RosterRules, read: Sequence[ReadList]) -> None:
    """Refuse a pattern with a field that gives nothing for anybody: usernames would be made without it.

    Raises:
        Unreadable: there is such a field.
    """
    for pattern in (rules.username, rules.address):
        silent = [field for field in fields_of(pattern) if persons and not any(value_of(field, one) for one in persons)]
        if silent:
            columns = listing([f"'{column.heading}'" for one in read for column in one.book.layout.columns], 12)
            what = (
                f"nothing is known for {{{silent[0]}}} of the pattern '{pattern}', so that it would be left out for all"
            )
            use = "leaving year" if silent[0] == "year" else "student number" if silent[0] == "number" else silent[0]
            ways = f"Say which column holds it: --use 'COLUMN={use}' (columns: {columns})"
            ways += "; or give --year." if silent[0] == "year" else "; or take it out of the pattern."
            raise Unreadable(Finding("silent-field", what, read[0].book.grid.place(), ways))


def _person(newcomer: Newcomer, rules: RosterRules) -> Person:
    first, further = given_names(newcomer.given)
    year = newcomer.year or rules.year
    more = " ".join(filter(None, [further, newcomer.further]))
    return Person(newcomer.key, newcomer.family, first, more, year, newcomer.section, newcomer.number)


def _check_form(grid: Grid, layout: Layout) -> None:
    """Refuse a form in which no column is understood that identifies students: its rows would be blank.

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
        if is_contradiction(newcomer.name, first.setdefault(newcomer.key, newcomer).name)
    }
    return [newcomer for newcomer in found if newcomer.key in shared]


def roster_file(roster: Roster, rules: FileRules) -> RosterFile:
    """Return the roster import: the form with a row for each newcomer.

    Raises:
        Refused: a name can't be written in the form's encoding.
        Unreadable: the form can't be written that way.
    """
    places = [f"{newcomer.row} of {newcomer.row.source.called}" for newcomer in roster.newcomers]
    check_texts(roster.form, roster.texts, places)
    return make_file(roster.form, roster.layout, roster.standing, roster.texts, rules)


def _read(file: Path, rules: RosterRules) -> tuple[Grid, Layout]:
    grid = read_grid(file)
    return grid, layout_for(grid, rules.folders)[0]


class _Known(NamedTuple):
    """Who is in a roster: by number and by name, the usernames by both, those in use, and each student's identities."""

    people: frozenset[str]
    usernames: dict[str, str]
    taken: frozenset[str]
    students: tuple[tuple[Student, frozenset[str]], ...]


def _standing(grid: Grid, layout: Layout) -> tuple[int, ...]:
    """Return the positions of the rows of people in a form; a line's number is nobody's."""
    column = next(iter(layout.identifiers), None)
    numbering = numbering_columns(grid, layout)
    telling = [one.index for one in (*layout.identifiers, *layout.names) if one.index not in numbering]
    students = understand(grid, layout, column, [], NOT_STUDENTS).students
    rows = (student.row.position for student in students)
    return tuple(row for row in rows if not telling or any(grid.cells(row)[one].strip() for one in telling))


def _known(grid: Grid, layout: Layout) -> _Known:
    """Return whom a roster has; a username counts as taken whosever it is."""
    usernames: dict[str, str] = {}
    students: list[tuple[Student, frozenset[str]]] = []
    login = next(iter(layout.of_use(Use.USERNAME)), None)
    columns = layout.of_use([Use.NUMBER, Use.KEY]) or layout.identifiers
    rows = [grid.cells(row) for row in range(layout.first_row, len(grid))]
    taken = frozenset(
        filter(None, (cells[login.index].strip() for cells in rows if login and login.index < len(cells)))
    )
    if not columns and not layout.names:
        return _Known(frozenset(), usernames, taken, ())
    book: Gradebook = understand(grid, layout, next(iter(columns), None), [], NOT_STUDENTS)
    for student in book.students:
        number = student.identifier.strip() if columns and columns[0].use in {Use.NUMBER, Use.KEY} else ""
        keys = frozenset({f"#{number}"} if number else {f"={' '.join(name_key(student.name))}"})
        if not number and not name_key(student.name):
            continue
        students.append((student, keys))
        name = book.cells(student.row)[login.index].strip() if login else ""
        usernames |= dict.fromkeys(keys, name) if name else {}
    people = frozenset(key for _, keys in students for key in keys)
    return _Known(people, usernames, taken, tuple(students))


def _kept(newcomers: Sequence[Newcomer], before: dict[str, str]) -> dict[str, str]:
    """Return the usernames that newcomers were given on an earlier run."""
    return {newcomer.key: before[key] for newcomer in newcomers for key in newcomer.identities if key in before}


def _texts(layout: Layout, newcomer: Newcomer, rules: RosterRules, built: Built) -> list[str]:
    """Return what the columns of the form say of a newcomer."""
    username, person = built.names.get(newcomer.key, ""), _person(newcomer, rules)
    can_address = bool(rules.address) and (bool(username) or "{username" not in rules.address)
    address = fill(rules.address, person, username) if can_address else ""
    further = further_column(layout)
    given = " ".join(filter(None, [newcomer.given, newcomer.further]))
    texts = {
        Use.NUMBER: newcomer.number,
        Use.KEY: newcomer.number,
        Use.USERNAME: username,
        Use.EMAIL: address or newcomer.email,
        Use.NAME: newcomer.name,
        Use.FAMILY: newcomer.family,
        Use.GIVEN: person.given if further else given,
        Use.SECTION: newcomer.section,
        Use.BIRTH: newcomer.birth,
    }

    def text(column: Column) -> str:
        if column == further:
            return person.further
        return (newcomer.year or rules.year) if is_year_column(column) else texts.get(column.use, "")

    return list(map(text, layout.columns))
