"""Rows that are made for students of the export whom the form doesn't have: in its blank lines, and below."""

import re
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, Row, Unreadable, listed_rows
from skarvin.core.gradebook import Gradebook, Student, understand
from skarvin.core.layout.columns import IDENTIFIERS, Column, MadeColumn, Use
from skarvin.core.layout.name_with_number import name_and_number, together
from skarvin.core.marks.choices import Blank, IdentifierForm, RowOrder, RowsFor
from skarvin.core.plan.plan import TargetPlan
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.crosswalk import Crosswalk
from skarvin.core.students.identifiers import Identifier
from skarvin.core.students.pair_students import PairingRule, narrow
from skarvin.core.students.pairing import HeldStudent, InVain, Pair, Pairing, Rowless
from skarvin.core.targets.placing import People, empty_people, place_rows
from skarvin.core.targets.target import Target
from skarvin.core.texts.patterns import pattern
from skarvin.core.transfer.sides import Sides

_SCIENTIFIC = pattern(r"\d(?:[.,]\d+)?E\+?\d+", re.IGNORECASE)


class Composed(NamedTuple):
    """The sides with the rows that were made, what leads from the export's identifiers to those written there, notes.

    Notes tell of rows that weren't made.
    """

    sides: Sides
    crosswalk: Crosswalk
    notes: tuple[Finding, ...] = ()


def with_students(
    sides: Sides,
    rule: PairingRule,
    written: TargetPlan,
    crosswalk: Crosswalk | None,
    in_vain: Collection[tuple[int, int]] = (),
) -> Composed:
    """Return the sides with a row in the form for each student of the export who may have something to send.

    Args:
        sides: both sides; the form has no students.
        rule: how identifiers are compared, and who is to be moved.
        written: how the rows are written.
        crosswalk: what leads to the target's identifiers, if they aren't the export's.
        in_vain: the rows of the export, by file and position, for which no row is made: nothing of theirs is sent.

    Raises:
        Unreadable: nobody is to be moved, or rows have no place in the form.
    """
    students = narrow(sides.source.students, rule)[0]
    has_marks = _mark_test(sides, rule)
    some = [student for student in students if has_marks(student) and _place(student) not in in_vain]
    moved = _in_order(some, written.order, rule, sides)
    identifiers = _identifiers(moved, rule, written, crosswalk)
    rows, notes = _rows(sides, rule, moved, identifiers)
    if not rows:
        if notes:
            raise Unreadable(*notes)
        mend = "Export it with its students, or an export with marks."
        what = "the form has no students, and no student of the export has a mark to send"
        if moved:
            what = f"the form has no students, and none of the {len(moved)} in the export has an identifier for a row"
            mend = "Name a class list that knows their identifiers: skarvin draft EXPORT FORM --roster FILE"
        raise Unreadable(Finding("no-students", what, sides.form.grid.place(), mend))
    moved_rows = {student.row for student in some}
    without = frozenset(student.row for student in students if student.row not in moved_rows)
    return Composed(_placed(sides, rows)._replace(markless=without), Crosswalk(identifiers), tuple(notes))


def on_roster(book: Gradebook, rule: PairingRule) -> tuple[Student, ...]:
    """Return the students of a class list who can get a row: those with an identifier of their own."""
    comparable = rule.identifiers.comparer
    known = Counter(comparable(student.identifier) for student in book.students)
    return tuple(one for one in book.students if one.identifier and known[comparable(one.identifier)] == 1)


def without_marks(sides: Sides, rule: PairingRule) -> frozenset[Row]:
    """Return the rows of those who are to be moved and have nothing that may be sent."""
    has_marks = _mark_test(sides, rule)
    return frozenset(one.row for one in narrow(sides.source.students, rule)[0] if not has_marks(one))


def with_roster(  # noqa: PLR0913 - both sides, who is who, and how rows are made
    sides: Sides,
    pairing: Pairing,
    roster: Gradebook,
    rule: PairingRule,
    written: TargetPlan,
    in_vain: Sequence[InVain] = (),
) -> tuple[Sides, Pairing]:
    """Return the sides with a row for each student of a class list who is paired, and the pairing with these rows.

    Args:
        sides: both sides; the form has no students, and the export no identifiers.
        pairing: who is who, in the export and on the list.
        roster: the list.
        rule: how identifiers are compared.
        written: how the rows are written.
        in_vain: those for whom no row is made: nothing of theirs is sent.

    Raises:
        Unreadable: rows have no place in the form.
    """
    gone = {place: one for one in in_vain for place in one.places}
    kept = [pair for pair in pairing.pairs if _place(pair.source) not in gone]
    on_list = {pair.source.row: pair.target for pair in kept}
    order = _in_order([pair.source for pair in kept], written.order, rule, sides)
    students = list({on_list[one.row].row: on_list[one.row] for one in order}.values())
    identifiers = _identifiers(students, rule, written, None)
    rows, notes = _rows(sides._replace(source=roster), replace(rule, leave_out=()), students, identifiers)
    placed = _placed(sides, rows) if rows else sides
    made = {student.identifier: student for student in placed.target.students if student.row in placed.added}
    theirs = [made.get(identifiers.get(rule.identifiers.comparable(pair.target.identifier), "")) for pair in kept]
    lost = [pair.source for pair, row in zip(kept, theirs, strict=True) if row is None]
    idle = [(one, [pair.source for pair in pairing.pairs if gone.get(_place(pair.source)) is one]) for one in in_vain]
    return placed, replace(
        pairing,
        pairs=tuple(pair._replace(target=row) for pair, row in zip(kept, theirs, strict=True) if row),
        held=tuple(replace(one, why=_of_roster(one.why)) for one in pairing.held),
        on_roster=on_roster(roster, rule),
        held_target=(),
        target_only=(),
        source_only=tuple(sorted((*pairing.source_only, *lost), key=lambda student: student.row)),
        rowless=tuple(Rowless(tuple(same), tuple(one.raws)) for one, same in idle if same),
        notes=(*pairing.notes, *notes),
    )


def _of_roster(why: Reason) -> Reason:
    """Return a reason that names rows of the roster, where the form has none yet."""
    return why._replace(words=why.words.replace("form row", "roster row"))


def with_newcomers(
    sides: Sides, pairing: Pairing, rule: PairingRule, written: TargetPlan, crosswalk: Crosswalk | None
) -> tuple[Sides, Pairing]:
    """Return the sides with rows for those of the export who are certainly not in the form, and the pairing with them.

    Args:
        sides: both sides; the form has students.
        pairing: who is who.
        rule: how identifiers are compared.
        written: how the rows are written.
        crosswalk: what leads to the target's identifiers, if they aren't the export's.

    Raises:
        Unreadable: rows have no place in the form.
    """
    has_marks = _mark_test(sides, rule)
    declined = {student.row for student in pairing.declined}
    twice = _declined_twice(pairing.declined, rule)
    some = (*pairing.source_only, *(one for one in pairing.declined if one.row not in twice))
    pairing = replace(
        pairing,
        held=tuple(sorted((*pairing.held, *twice.values()), key=lambda one: one.student.row)),
        source_only=tuple(sorted(some, key=lambda student: student.row)),
        left_out=tuple(one for one in pairing.left_out if one.row not in declined),
    )
    moved = _in_order([one for one in pairing.source_only if has_marks(one)], written.order, rule, sides)
    identifiers = _identifiers(moved, rule, written, crosswalk)
    there = {rule.identifiers.comparable(student.identifier) for student in sides.target.students}
    identifiers = {key: text for key, text in identifiers.items() if rule.identifiers.comparable(text) not in there}
    rows, notes = _rows(sides, rule, moved, identifiers)
    pairing = replace(
        pairing,
        notes=(*pairing.notes, *notes),
        source_only=tuple(filter(has_marks, pairing.source_only)),
        left_out=(*pairing.left_out, *(one for one in pairing.source_only if not has_marks(one))),
        idle=pairing.idle | {one.row for one in pairing.source_only if not has_marks(one)},
    )
    if not rows:
        return sides, pairing
    placed = _placed(sides, rows)
    made = {student.identifier: student for student in placed.target.students if student.row in placed.added}
    pairs, left = list(pairing.pairs), []
    for student in pairing.source_only:
        key = rule.identifiers.comparable(student.identifier)
        row = made.get(identifiers.get(key, ""))
        if row:
            pairs.append(Pair(student, row))
        else:
            left.append(student)
    pairs.sort(key=lambda pair: pair.source.row)
    return placed, replace(pairing, pairs=tuple(pairs), source_only=tuple(left))


def _declined_twice(declined: Sequence[Student], rule: PairingRule) -> dict[Row, HeldStudent]:
    """Return those with one identifier in several rows of which nothing says which counts: no row can be made."""
    rows: dict[Identifier, list[Student]] = {}
    for student in declined if not rule.counts_together else ():
        rows.setdefault(rule.identifiers.comparable(student.identifier), []).append(student)
    found = {}
    for same in rows.values():
        for student in same if len(same) > 1 else ():
            others = listed_rows([other.row for other in same if other is not student])
            why = Reason(Cause.IDENTIFIER_TWICE, f"duplicate identifier (also {others})")
            found[student.row] = HeldStudent(student, why)
    return found


def _place(student: Student) -> tuple[int, int]:
    return student.row.source.number, student.row.position


def cleared(sides: Sides) -> Sides:
    """Return the sides with the form's students taken out: their cells are emptied, and nothing moves."""
    placed = empty_people(sides.form, _people(sides))
    row = placed.form.grid.row
    added = {row(position): made for position, made in placed.made.items()}
    emptied = sides._replace(form=placed.form, original=sides.form, added=added, stated=sides.target)
    return emptied._replace(target=_read_again(sides, placed.form))


def _people(sides: Sides) -> People:
    rows = {student.row.position for student in sides.target.students}
    return People(sides.target.layout, _who(sides.target), rows, len(sides.ends))


def _who(target: Gradebook) -> int:
    """Return the form's column that says most plainly whether a row is somebody's."""
    return (target.identifier or next(iter(target.layout.names))).index


def _read_again(sides: Sides, form: Target) -> Gradebook:
    target = sides.target
    return understand(form.grid, target.layout, target.identifier, target.items)


def _placed(sides: Sides, rows: Sequence[Sequence[str]]) -> Sides:
    """Return the sides with rows in the form: in its blank lines first, then below.

    Raises:
        Unreadable: what stands below isn't a student's, so that nothing may be added there.
    """
    emptied = {row.position: made for row, made in sides.added.items()}
    placed = place_rows(sides.form, _people(sides), rows, emptied)
    grid = placed.form.grid
    return sides._replace(
        like=placed.like,
        target=_read_again(sides, placed.form),
        form=placed.form,
        added={grid.row(position): made for position, made in placed.made.items()},
        ends=tuple(range(len(grid) - len(sides.ends), len(grid))),
        original=sides.original or sides.form,
    )


def _mark_test(sides: Sides, rule: PairingRule) -> Callable[[Student], bool]:
    """Return what tells whether anything may be sent for a student: a text, a total, or what a rule puts for none.

    Of a student with several rows it may stand in any of them. Whose row stays without anything that is sent is told
    once all is settled.
    """
    column_map, source = sides.column_map, sides.source
    sent = [item for item in column_map.items if item.target]
    is_for_all = any(item.rule.blank is not Blank.LEAVE for item in sent) or bool(column_map.constants)
    is_for_all = is_for_all or any(isinstance(item.source, MadeColumn) for item in sent)
    is_for_all = is_for_all or (bool(column_map.questions) and column_map.rows_for is RowsFor.EVERYONE)
    is_for_all = is_for_all or sides.has_further_marks
    asked = {question.column.index: question for question in column_map.questions if question.item.target}
    columns = {item.source.index for item in sent if isinstance(item.source, Column)}

    def is_there(cells: Sequence[str], column: int) -> bool:
        text, question = cells[column], asked.get(column)
        if question is None:
            return bool(text.strip())
        if column_map.rows_for is RowsFor.ANSWERED:
            return not question.rule.is_blank(text)
        return question.is_opened(cells)

    def is_marked(student: Student) -> bool:
        cells = source.cells(student.row)
        return is_for_all or any(is_there(cells, column) for column in columns if column < len(cells))

    comparable = rule.identifiers.comparer
    marked = {comparable(one.identifier) for one in narrow(source.students, rule)[0] if is_marked(one)}

    def has_marks(student: Student) -> bool:
        key = comparable(student.identifier)
        return key in marked if key else is_marked(student)

    return has_marks


def _in_order(students: Sequence[Student], order: RowOrder, rule: PairingRule, sides: Sides) -> list[Student]:
    """Return the students in the order in which their rows are written."""
    if order is RowOrder.FAMILY_NAME:
        return sorted(students, key=sides.source.family_order)
    if order is RowOrder.IDENTIFIER:
        return sorted(students, key=lambda student: rule.identifiers.comparable(student.identifier))
    if order is RowOrder.LIST:
        last = len(sides.listed)
        return sorted(students, key=lambda student: sides.listed.get(student.row, last))
    return list(students)


def _identifiers(
    students: Sequence[Student], rule: PairingRule, written: TargetPlan, crosswalk: Crosswalk | None
) -> dict[Identifier, str]:
    """Return how each student's identifier is written, by how it is compared; none for what isn't one."""
    found = {}
    for student in students:
        key = rule.identifiers.comparable(student.identifier)
        text = student.identifier.strip() if crosswalk is None else crosswalk.known.get(key, "")
        if not key or not text or _is_spoiled(text):
            continue
        if written.identifiers is IdentifierForm.BARE and crosswalk is None:
            text = key
        found[key] = f"{written.add_prefix}{text.zfill(written.identifier_width)}{written.add_suffix}"
    return found


def _is_spoiled(text: str) -> bool:
    """Tell whether a text is no identifier any more: a number in scientific notation, a cell too narrow, a name."""
    is_name = " " in text and not any(sign.isdigit() for sign in text)
    return bool(_SCIENTIFIC.fullmatch(text)) or set(text) <= {"#"} or is_name


def _rows(
    sides: Sides, rule: PairingRule, students: Sequence[Student], identifiers: Mapping[Identifier, str]
) -> tuple[list[list[str]], list[Finding]]:
    """Return a row for each of the students with another identifier, and for whom none was made since it can't be."""
    comparable = rule.identifiers.comparer
    seen = {comparable(text) for text in rule.leave_out}
    rows, notes = [], []
    columns = sides.target.layout.columns
    for student in students:
        key = comparable(student.identifier)
        identifier = identifiers.get(key, "")
        if not identifier or key in seen:
            continue
        seen.add(key)
        cells = [_cell(column, student, sides, identifier) for column in columns]
        lacking = next(
            ((column, why) for column, text in zip(columns, cells, strict=True) if (why := sides.form.lacks(text))),
            None,
        )
        if lacking is None:
            rows.append([sides.form.shown(text, "") for text in cells])
        else:
            notes.append(_not_made(student, *lacking))
    return rows, notes


def _not_made(student: Student, column: Column, why: Reason) -> Finding:
    what = f"no row was made for {student.row.in_words} of the export: what would stand under '{column.heading}'"
    return Finding("row-not-made", f"{what} can't: {why}", student.row.place(), "Correct it in the export.")


def _cell(column: Column, student: Student, sides: Sides, identifier: str) -> str:
    """Return what the export knows of a student for a column of the form; nothing where it isn't certain."""
    source = sides.source
    if column == sides.target.identifier:
        is_both = column.use is Use.BOTH
        return together(_whole_name(student, sides), identifier, _both_in(sides, column)) if is_both else identifier
    if sides.composition and column.index in sides.composition.literals:
        return sides.composition.literals[column.index]
    if column.use in IDENTIFIERS | {Use.FAMILY, Use.GIVEN}:
        return _same_use(column.use, student, source) or _part_of_name(column.use, student)
    told = {
        Use.NAME: _whole_name(student, sides),
        Use.SECTION: student.section,
        Use.BIRTH: student.birth,
        Use.LEAVING: student.leaving,
    }
    return told.get(column.use, "")


def _both_in(sides: Sides, column: Column) -> str:
    """Return a cell of the form with a name and a number, if one has both."""
    if sides.composition:
        return next((text for text in sides.composition.names if name_and_number(text).number), "")
    texts = (sides.target.text(student.row, column.index) for student in sides.target.students if student.identifier)
    return next(texts, "")


def _same_use(use: Use, student: Student, source: Gradebook) -> str:
    found: Sequence[Column] = source.layout.of_use({use})
    return source.cells(student.row)[found[0].index].strip() if len(found) == 1 else ""


def _whole_name(student: Student, sides: Sides) -> str:
    """Return a name as those in the target are written: 'Family, Given' or 'Given Family'; else as it is."""
    family = _same_use(Use.FAMILY, student, sides.source) or _part_of_name(Use.FAMILY, student)
    given = _same_use(Use.GIVEN, student, sides.source) or _part_of_name(Use.GIVEN, student)
    is_split = bool(sides.source.layout.of_use(Use.FAMILY))
    has_comma = _has_comma(sides)
    if not family or not given or (not is_split and has_comma in {None, "," in student.name}):
        return student.name
    return f"{given} {family}" if has_comma is False else f"{family}, {given}"


def _has_comma(sides: Sides) -> bool | None:
    """Tell whether all names in the target have a comma, or none has; None where that isn't so."""
    columns = [column.index for column in sides.target.layout.of_use({Use.NAME, Use.BOTH})]
    if sides.composition:
        names = list(sides.composition.names)
    else:
        rows = [sides.target.cells(student.row) for student in sides.target.students]
        rows += [made.over for made in sides.added.values() if made.over]
        names = [cells[column] for cells in rows for column in columns if column < len(cells)]
    filled = [name for name in names if name.strip()]
    told = {"," in name for name in filled}
    return told.pop() if len(told) == 1 else None


def _part_of_name(use: Use, student: Student) -> str:
    """Return the family or the given name from 'Family, Given'; nothing where there is no comma."""
    family, comma, given = student.name.partition(",")
    if not comma or use in IDENTIFIERS:
        return ""
    return (family if use is Use.FAMILY else given).strip()
