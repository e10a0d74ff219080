"""Gives each source mark and each target cell its one fate.

Every distinct text has a code, on either side; a source text that meets a target cell under one rule is decided once. A
student who has no row in the form meets, in place of cells, the reason for that.
"""

from array import array
from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import groupby
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Row, listed_rows
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.grid.coding import MOST_SHORT, widened
from skarvin.core.layout.columns import Column, ItemSource
from skarvin.core.ledger.book import Book, Made
from skarvin.core.ledger.codes import CodeTable, ColumnRun, decide
from skarvin.core.ledger.ledger import Entry, Ledger, MappedItem
from skarvin.core.ledger.outcomes import BLANK, Correction
from skarvin.core.ledger.since import KnownCells, SinceRule
from skarvin.core.marks.rule import Rule
from skarvin.core.marks.several import Counting, RowMark, rows_in_time, which_counts
from skarvin.core.reasons import Cause, Fate, Reason
from skarvin.core.students.pairing import Pairing
from skarvin.core.targets.target import Target

_BLOCK = 2_000_000
"""Of so many cells at a time the codes are taken: enough to be worth doing in bulk."""
_NONE: Mapping[Row, Reason] = MappingProxyType({})
_NO_DATES: Mapping[Row, str] = MappingProxyType({})
_NO_MADE: Mapping[ItemSource, Made] = MappingProxyType({})
_FOLLOWS_NONE: Mapping[ItemSource, ItemSource] = MappingProxyType({})
_NOT_MAPPED = Reason(Cause.NOT_MAPPED, "the item is not mapped")
_NOT_IN_FORM = Reason(Cause.NOT_IN_FORM, "waiting: student missing from the form")
_NOT_CONFIRMED = "waiting: student not confirmed"
_APART = Reason(
    Cause.COMMENTS_APART,
    'several rows for this student, and which mark is this on? Add of = "..." to its [[comment]]',
)
_ELSEWHERE = Reason(Cause.STUDENT_LEFT_OUT, "the student is not in this form")
_LEFT_OUT = Reason(Cause.STUDENT_LEFT_OUT, "the student is not to be moved")
_FOLLOWED = {
    Fate.LEFT_OUT: Reason(Cause.NO_MARK, "no mark of this item goes"),
    Fate.HELD: Reason(Cause.MARK_HELD, "waiting: its mark is held"),
    Fate.KEPT: Reason(Cause.MARK_KEPT, "the target's mark is kept, so its comment stays"),
}


Corrections = Mapping[Row, Mapping[int, Correction]]
"""What a person put in the place of marks, by the export's rows and columns."""


class Since(NamedTuple):
    """What is known besides the two files: of the form's cells, if anything; and the rule.

    `corrections` are what a person put in the place of marks.
    """

    cells: KnownCells | None = None
    rule: SinceRule = SinceRule()
    corrections: Corrections = MappingProxyType({})


class _Ruled(NamedTuple):
    """What says which of a student's several rows counts.

    Attributes:
        fed: the items, column by column.
        leaders: for each column of comments on a mark, that mark's column.
        instead: for each column the rows whose mark meets no cell, and why.
        dates: when each row is from.
        rowless: for the rows of students who get no row in the form, the first one of the same student.
    """

    fed: Sequence[MappedItem]
    leaders: Mapping[int, int]
    instead: Mapping[int, Mapping[Row, Reason]]
    dates: Mapping[Row, str]
    rowless: Mapping[Row, Row]


def settle(  # noqa: PLR0913 - the two sides, who is who, what feeds what, and what is made besides
    source: Gradebook,
    target: Gradebook,
    form: Target,
    pairing: Pairing,
    items: Iterable[MappedItem],
    made: Mapping[ItemSource, Made] = _NO_MADE,
    follows: tuple[Mapping[ItemSource, ItemSource], Collection[ItemSource]] = (_FOLLOWS_NONE, ()),
    dates: Mapping[Row, str] = _NO_DATES,
    since: Since = Since(),  # noqa: B008 - a value that never changes
) -> Ledger:
    """Return the ledger of a transfer: a fate for each cell of the source's items and of the fed target items.

    Args:
        source: the export.
        target: the students and items of the form.
        form: what the marks are written into.
        pairing: who is who.
        items: what feeds what.
        made: the marks that aren't taken from the export as they stand there, by where they come from.
        follows: for each column of comments on a mark, where that mark comes from; and those that go without it, too.
        dates: when a row is from, as it stands there; none where the order of the rows is that of time.
        since: what was sent before and what the target says now, where more is known than the form says.
    """
    book = Book(form, since.rule)
    fed, rest = _by_rule(items)
    entries, meets = _entries(source, pairing, book)
    columns = [item.target.index for item in fed if item.target]
    ours = _our_codes(source, entries, [item.source for item in (*fed, *rest)], made, book)
    _correct(source, (ours, entries, fed), since.corrections, book)
    theirs = CodeTable(_met(form, entries, columns, meets, len(rest), book), ours.width)
    _meet_no_row(theirs, entries, pairing, book)
    _know(theirs, entries, columns, since, book)
    places = {item.source: place for place, item in enumerate(fed)}
    leaders = {places[column]: places[of] for column, of in follows[0].items() if column in places and of in places}
    instead = {places[column]: made_marks.instead for column, made_marks in made.items() if column in places}
    counts_as = {student.row: group.students[0].row for group in pairing.rowless for student in group.students}
    if pairing.people < len(pairing.pairs) or len(set(counts_as.values())) < len(counts_as):
        _let_one_count(entries, ours, theirs, _Ruled(fed, leaders, instead, dates, counts_as), book)
    _meet_nothing(entries, theirs, places, made, (book, counts_as.keys()))
    codes = decide(ours, theirs, [*_fed_runs(fed, book), *_rest_runs(rest, len(fed), book)])
    bound = {place: leader for place, leader in leaders.items() if fed[place].source not in follows[1]}
    _follow(bound, codes, book)
    alone = _target_only(target, pairing)
    cells = form.code_cells(book.theirs, _positions(alone), columns)
    untouched = CodeTable(cells, len(fed))
    nothing = CodeTable(array("H", [0]) * len(cells), len(fed))
    untouched = decide(nothing, untouched, [ColumnRun(0, len(fed), book.untouched)])
    apart = frozenset(one.student.row for one in (*source.non_students, *target.non_students))
    return Ledger((*fed, *rest), tuple(book.outcomes), tuple(entries), codes, tuple(alone), untouched, apart)


def _correct(
    source: Gradebook,
    table: tuple[CodeTable, Sequence[Entry], Sequence[MappedItem]],
    corrections: Corrections,
    book: Book,
) -> None:
    """Put what a person corrected in the place of marks; the export's own mark is still told."""
    ours, entries, fed = table
    for entry in entries if corrections else ():
        mine = corrections.get(entry.source.row, {}) if entry.source else {}
        for place, item in enumerate(fed) if mine else ():
            if entry.source and isinstance(item.source, Column) and item.source.index in mine:
                exported = book.ours.code(source.text(entry.source.row, item.source.index))
                corrected = book.corrected(exported, mine[item.source.index])
                ours.put(entry.position * ours.width + place, corrected)


def _know(theirs: CodeTable, entries: Sequence[Entry], columns: Sequence[int], since: Since, book: Book) -> None:
    """Let marks meet what is known of a cell besides what the form says."""
    cells = since.cells
    if cells is None:
        return
    rows = [-1 if entry.target is None else cells.rows.get(entry.target.row, -1) for entry in entries]
    places = [*(cells.columns[column] for column in columns), *[-1] * (theirs.width - len(columns))]
    known = cells.codes.arranged(rows, places, 0)

    def meet(their_code: int, code: int) -> int:
        met = cells.known[code]
        return their_code if met is None else book.known(their_code, met)

    decide(known, theirs, [ColumnRun(0, len(columns), meet)])


def _meet_no_row(theirs: CodeTable, entries: Sequence[Entry], pairing: Pairing, book: Book) -> None:
    """Let the marks of students who get no row meet the cells that they would have had."""
    raws = {student.row: one.raws for one in pairing.rowless for student in one.students}
    for entry in entries if raws else ():
        for at, raw in enumerate(raws.get(entry.source.row, ()) if entry.source else ()):
            theirs.put(entry.position * theirs.width + at, book.theirs.code(raw))


def _positions(entries: Sequence[Entry]) -> list[int]:
    """Return where in the target the rows of entries stand that have one."""
    return [entry.target.row.position for entry in entries if entry.target]


def _our_codes(
    source: Gradebook,
    entries: Sequence[Entry],
    columns: Sequence[ItemSource],
    made: Mapping[ItemSource, Made],
    book: Book,
) -> CodeTable:
    """Return the codes of the source's marks: read from the grid, or made."""
    rows = [entry.source.row for entry in entries if entry.source]
    read = [column for column in columns if isinstance(column, Column) and column not in made]
    cells = source.code_cells(book.ours, rows, [column.index for column in read])
    if len(read) == len(columns):
        return CodeTable(cells, len(columns))
    width = len(columns)
    codes, cells = array("I", [0]) * (width * len(rows)), widened(cells)
    for place, column in enumerate(columns):
        if column in made:
            codes[place::width] = array("I", [_made_code(made[column], row, book) for row in rows])
        elif isinstance(column, Column):
            codes[place::width] = cells[read.index(column) :: len(read)]
    return CodeTable(codes, width)


def _made_code(made: Made, row: Row, book: Book) -> int:
    text = made.texts.get(row, "")
    if row in made.unseen:
        return book.unseen(text)
    return book.skipped(text) if row in made.skipped else book.ours.code(text)


def _meet_nothing(
    entries: Sequence[Entry],
    theirs: CodeTable,
    places: Mapping[ItemSource, int],
    made: Mapping[ItemSource, Made],
    known: tuple[Book, Collection[Row]],
) -> None:
    """Let the made marks that meet no cell meet the reason for it; known are the rows of students without one, too."""
    book, rowless = known
    for column, made_marks in made.items():
        if column not in places:
            continue
        for entry in entries:
            why = made_marks.instead.get(entry.source.row) if entry.source else None
            at = entry.position * theirs.width + places[column]
            has_cell = bool(entry.target or (entry.source and entry.source.row in rowless))
            is_met = has_cell and not book.is_reason(theirs.codes[at])  # no other row of the student counts
            if why and (is_met or (not entry.target and why.fate is Fate.LEFT_OUT)):
                theirs.put(at, book.reason(why, theirs.codes[at] if has_cell else None))


def _follow(leaders: Mapping[int, int], codes: CodeTable, book: Book) -> None:
    """Let texts that go where a mark goes, such as comments, share the fate of a mark that isn't sent."""
    for place, leader in leaders.items():
        for start in range(0, len(codes.codes), codes.width):
            outcome = book.outcomes[codes.codes[start + leader]]
            why = _FOLLOWED.get(outcome.fate) if outcome.fate else None
            if why and book.outcomes[codes.codes[start + place]].fate not in {Fate.LEFT_OUT, Fate.HELD}:
                codes.put(start + place, book.instead(codes.codes[start + place], why))


def _entries(source: Gradebook, pairing: Pairing, book: Book) -> tuple[list[Entry], list[int | None]]:
    """Return a line for each source row in order, and for each what its marks meet: a reason, or None for cells."""
    found: list[tuple[Student, Student | None, int | None]] = [
        (pair.source, pair.target, None) for pair in pairing.pairs
    ]
    found += [(student, None, book.reason(_NOT_IN_FORM)) for student in pairing.source_only]
    found += [
        (student, None, book.reason(_ELSEWHERE if student.row in pairing.elsewhere else _LEFT_OUT))
        for student in pairing.left_out
    ]
    found += [(student, None, book.theirs.code("")) for one in pairing.rowless for student in one.students]
    for non_student in source.non_students:
        why = Reason(non_student.why.cause, f"not a student ({non_student.why})")
        found.append((non_student.student, None, book.reason(why)))
    for held in pairing.held:
        found.append((held.student, None, book.reason(Reason(held.why.cause, _NOT_CONFIRMED))))
    found.sort(key=lambda line: line[0].row)
    entries = [Entry(row, ours, theirs) for row, (ours, theirs, _) in enumerate(found)]
    return entries, [reason for _, _, reason in found]


def _let_one_count(entries: Sequence[Entry], ours: CodeTable, theirs: CodeTable, ruled: _Ruled, book: Book) -> None:
    """Where several rows are one student's, let for each item only one mark meet the target's cell, by the rule."""
    groups: dict[Row, list[Entry]] = {}
    for entry in entries:
        of = entry.target.row if entry.target else ruled.rowless.get(entry.source.row) if entry.source else None
        if of:
            groups.setdefault(of, []).append(entry)
    for same in groups.values():
        if len(same) == 1:
            continue
        order = rows_in_time([entry.source.row for entry in same if entry.source], ruled.dates)
        for column, item in enumerate(ruled.fed):
            leader = ruled.leaders.get(column, column)
            if leader == column and item.rule.travels and _hold_apart(same, column, ours, theirs, book):
                continue
            marks = [_row_mark(entry, leader, ours, ruled, book) for entry in same]
            leading = ruled.fed[leader]
            found = which_counts(marks, leading.rule, leading.several, order)
            lines = [_line(entry.source.row, leading.source) for entry in same if entry.source]
            said = [book.said(ours.row(entry.position)[leader]) for entry in same] if found.place is None else []
            for place, entry in enumerate(same):
                if place != found.place:
                    text = book.text(ours.row(entry.position)[column])
                    why = _not_counting(lines, place, found, said, is_comment=item.rule.travels and bool(text.strip()))
                    position = entry.position * theirs.width + column
                    theirs.put(position, book.reason(why, theirs.codes[position]))


def _row_mark(entry: Entry, column: int, ours: CodeTable, ruled: _Ruled, book: Book) -> RowMark:
    """Return what a row has of an item."""
    why = ruled.instead.get(column, _NONE).get(entry.source.row) if entry.source else None
    code = ours.row(entry.position)[column]
    is_unseen = book.is_unseen(code)
    text = "" if is_unseen else book.text(code)
    return RowMark(text, is_unseen, is_held=why is not None and why.fate is Fate.HELD)


def _not_counting(
    lines: Sequence[Row], place: int, found: Counting, said: Sequence[str], *, is_comment: bool
) -> Reason:
    """Return why a row's mark doesn't go to the target: another row's does, or a person must decide."""
    if found.place is None and place in found.filled:
        other = next(one for one in (*found.filled[::-1], *range(len(lines))) if one != place)
    else:
        other = found.filled[-1] if found.place is None else found.place
    where = listed_rows([lines[other]], seen_from=lines[place].source)
    if found.place is None and place in found.filled:
        return Reason(Cause.MARKS_DIFFER, f"{where} of the same student says {said[other]}")
    why = f" ({found.why})" if found.place is not None and place in found.filled else ""
    if is_comment:
        return Reason(Cause.COMMENT_OF_OTHER_ROW, f"the mark of {where} of the same student counts{why}")
    return Reason(Cause.REPEATED, f"{where} of the same student counts{why}")


def _line(row: Row, item: ItemSource) -> Row:
    """Return the line in which a row's mark of an item stands."""
    place = item.in_file(row.source.number) if isinstance(item, Column) else None
    return row if place is None else row.stands(place)[0]


def _hold_apart(same: Sequence[Entry], column: int, ours: CodeTable, theirs: CodeTable, book: Book) -> bool:
    """Hold the comments of a student's several rows where it isn't said which mark they are on; tell whether so."""
    texts = [book.text(ours.row(entry.position)[column]) for entry in same]
    if not any(text.strip() for text in texts) or len(set(texts)) == 1:
        return False
    for entry, text in zip(same, texts, strict=True):
        position = entry.position * theirs.width + column
        why = _APART if text.strip() else BLANK
        theirs.put(position, book.reason(why, theirs.codes[position]))
    return True


def _met(  # noqa: PLR0913 - what is met, by whom
    form: Target,
    entries: Sequence[Entry],
    columns: Sequence[int],
    meets: Sequence[int | None],
    rest: int,
    book: Book,
) -> "array[int]":
    """Return the codes that each source row meets: its target row's cells, or its reason everywhere."""
    fed = len(columns)
    found = array("H", [0]) * ((fed + rest) * len(meets))  # as large as the file: it must not grow
    reasons = {reason for reason in meets if reason is not None}
    size = max(1, _BLOCK // max(1, fed))
    for first in range(0, len(entries), size):
        some = entries[first : first + size]
        cells, at = form.code_cells(book.theirs, _positions(some), columns), 0
        if "I" in {cells.typecode, found.typecode} or any(code >= MOST_SHORT for code in reasons):
            cells, found = widened(cells), widened(found)
        for entry in some:
            start, reason = entry.position * (fed + rest), meets[entry.position]
            if reason is None:
                found[start : start + fed] = cells[at : at + fed]
                at += fed
            else:
                found[start : start + fed] = array(found.typecode, [reason]) * fed
    return found


def _target_only(target: Gradebook, pairing: Pairing) -> list[Entry]:
    students = [
        *pairing.target_only,
        *(waiting.student for waiting in pairing.held_target),
        *(non_student.student for non_student in target.non_students),
    ]
    students.sort(key=lambda student: student.row)
    return [Entry(row, None, student) for row, student in enumerate(students)]


def _by_rule(items: Iterable[MappedItem]) -> tuple[list[MappedItem], list[MappedItem]]:
    """Return the items that feed something, those of one rule beside each other, and the others."""
    by_rule: dict[Rule, list[MappedItem]] = {}
    rest: dict[tuple[Reason, Rule], list[MappedItem]] = {}
    for item in items:
        if item.target:
            by_rule.setdefault(item.rule, []).append(item)
        else:
            rest.setdefault((item.why or _NOT_MAPPED, item.rule), []).append(item)
    return [item for same in by_rule.values() for item in same], [item for same in rest.values() for item in same]


def _fed_runs(fed: Sequence[MappedItem], book: Book) -> list[ColumnRun]:
    runs, start = [], 0
    for rule, same in groupby(fed, key=lambda item: item.rule):
        stop = start + len(list(same))
        runs.append(ColumnRun(start, stop, book.meeting(rule)))
        start = stop
    return runs


def _rest_runs(rest: Sequence[MappedItem], start: int, book: Book) -> list[ColumnRun]:
    runs = []
    for (why, rule), same in groupby(rest, key=lambda item: (item.why or _NOT_MAPPED, item.rule)):
        stop = start + len(list(same))
        runs.append(ColumnRun(start, stop, book.leaving_out(why, rule)))
        start = stop
    return runs
