"""Proposes a transfer: which identifier pairs the students, what feeds what, and every rule with its default."""

from collections import Counter
from collections.abc import Container, Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Row, Unreadable
from skarvin.core.gradebook import Gradebook, Student
from skarvin.core.grid.coding import Coding
from skarvin.core.grid.encoding import mend_mangled
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.items.matching import Proposal
from skarvin.core.layout.columns import STUDENT, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.groups import find_members, members_as_table
from skarvin.core.layout.joining import titled
from skarvin.core.layout.numbered import has_people
from skarvin.core.layout.reading_notes import PassedOver, notes_of_export, passed_over
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.shape import seen_as_table
from skarvin.core.layout.survey import survey
from skarvin.core.layout.told import Told
from skarvin.core.marks.answers.key import KeyedQuestion, read_key
from skarvin.core.marks.scales import WHOLE
from skarvin.core.plan.drafting.answer_proposals import QuestionProposal, propose_questions
from skarvin.core.plan.drafting.books import Book, Books
from skarvin.core.plan.drafting.correction_proposals import CorrectionProposal, propose_corrections
from skarvin.core.plan.drafting.exports import Exports, join_exports, told_of_each
from skarvin.core.plan.drafting.form_sheet import choose_sheet
from skarvin.core.plan.drafting.identifier_proposals import (
    IdentifierProposal,
    RosterProposal,
    propose_alike,
    propose_identifier,
    propose_roster,
)
from skarvin.core.plan.drafting.item_list import as_called, with_titles
from skarvin.core.plan.drafting.item_proposals import (
    ItemProposal,
    known_maxima,
    propose_items,
    unused_columns,
)
from skarvin.core.plan.drafting.like import NO_EXAMPLE, Example
from skarvin.core.plan.drafting.line_proposals import find_lines
from skarvin.core.plan.drafting.mark_hints import ScaleProposal, find_hints
from skarvin.core.plan.drafting.new_items import HeadingPattern, check_sample, read_pattern
from skarvin.core.plan.drafting.sheets import Sheet, other_sheets, sheets_of
from skarvin.core.plan.drafting.total_proposals import TotalProposal, propose_totals
from skarvin.core.plan.drafting.understanding import Understood, check_layout, understand_both
from skarvin.core.plan.drafting.wishes import NO_WISHES, Maxima, Wishes, two_columns
from skarvin.core.plan.plan import OPEN
from skarvin.core.progress import report_progress
from skarvin.core.reasons import Cause
from skarvin.core.students.strangers import guesses
from skarvin.core.targets.lines_form import LineColumns, as_wide_form, read_lines_form
from skarvin.core.targets.opening import open_target
from skarvin.core.targets.results_plan import KNOWN_STATUSES, ResultsPlan
from skarvin.core.targets.target import Target
from skarvin.core.texts.folding import fold

Exported = Sequence[tuple[Grid, Told, str]]
"""Exports, what a person says of each, and the item that it is of, if it is of one."""
_FEW_PEOPLE, _MOST_ROWS, _ENOUGH, _HALF = 8, 2500, 100, 0.5


class CommentProposal(NamedTuple):
    """Comments that could travel, where to, and the item that they are on."""

    source: Column
    target: Column
    of: Column | None


class Draft(msgspec.Struct, frozen=True, kw_only=True):
    """All that is proposed for one export and one form.

    `guesses` says why nobody of one file was found in the other, if so; `mangled` how many names of the export were
    read in the wrong encoding; `sums` which of its rows sum others up; `notes` what is to be said of how the exports
    are read; `passed_over` which further sheets hold students of the form.
    """

    source: Grid
    target: Grid
    source_layout: Layout
    target_layout: Layout
    identifier: IdentifierProposal
    items: tuple[ItemProposal, ...]
    practice: tuple[str, ...]
    reading: Mapping[str, ReadAs]
    understood: Mapping[str, Understood]
    exports: Exports
    further: tuple[Understood, ...] = ()
    wishes: Wishes = NO_WISHES
    roster: RosterProposal | None = None
    totals: tuple[TotalProposal, ...] = ()
    questions: tuple[QuestionProposal, ...] = ()
    comments: tuple[CommentProposal, ...] = ()
    key: Path | None = None
    has_headings: bool = True
    is_sample: bool = False
    is_typed: bool = False
    may_be_sample: bool = False
    guesses: tuple[str, ...] = ()
    mangled: int = 0
    sums: tuple[Row, ...] = ()
    notes: tuple[Finding, ...] = ()
    passed_over: tuple[PassedOver, ...] = ()
    corrections: tuple[CorrectionProposal, ...] = ()
    lines: LineColumns | None = None
    results: ResultsPlan | None = None

    @property
    def scales(self) -> tuple[ScaleProposal, ...]:
        """The scales that items need, each once."""
        found = (item.marks.scale for item in self.items if item.marks.scale)
        return tuple(dict.fromkeys(found))

    @property
    def one_maximum(self) -> tuple[ItemProposal, ...]:
        """The items of which only one side gives the maximum: one question for all."""
        return tuple(item for item in self.items if item.is_maximum_open)

    @property
    def statuses(self) -> "Counter[str]":
        """The words in place of marks in the items that move, and how often each stands there."""
        found: Counter[str] = Counter()
        for item in self.items:
            if item.proposal.target or item.new_heading or item.is_target_open:
                found.update(dict(item.marks.statuses))
        return found

    @property
    def unused(self) -> list[Column]:
        """The export's columns of no known use, and its comments, that nothing is proposed for."""
        used = {item.proposal.source.index for item in self.items} | {one.source.index for one in self.comments}
        used |= {question.source.index for question in self.questions}
        return unused_columns(self.source, self.source_layout, frozenset(used))

    @property
    def identifiers(self) -> Iterator[str]:
        """The identifiers of the export's rows."""
        column = self.identifier.source
        for row in range(self.source_layout.first_row, len(self.source)) if column else ():
            cells = self.source.cells(row)
            yield cells[column.index] if column and column.index < len(cells) else ""

    @property
    def open_points(self) -> int:
        """How many points a person must decide before marks can move."""
        words = sum(scale.open_words for scale in self.scales)
        items = sum(1 for item in self.items if item.is_target_open)
        told = {status.rpartition("=")[0].strip().casefold() for status in self.wishes.statuses}
        told |= set(KNOWN_STATUSES if self.results else ())
        statuses = sum(1 for word in self.statuses if word not in told)
        identifiers = 2 if self.identifier.is_open else 0
        return (
            len(self.passed_over)
            + items
            + bool(self.one_maximum and not self.wishes.missing_maximum)
            + words
            + statuses
            + identifiers
        )


def draft(exports: Sequence[Path], form_file: Path, wishes: Wishes = NO_WISHES, example: Example = NO_EXAMPLE) -> Draft:
    """Return a proposal for moving the marks of one or several exports into a form.

    Args:
        exports: the exports.
        form_file: the form.
        wishes: what a person says.
        example: a transfer that rules all that it can here, too.

    Raises:
        Unreadable: a file can't be read or understood.
        Misused: a person names a column that isn't there.
    """
    _check_names((*exports, form_file, *wishes.files))
    how = {side: wishes.how(side) for side in ("source", "target")}
    files = [read_grid(file, how["source"]) for file in exports]
    wishes = example.seen(wishes, "source", files)
    told_of_files = told_of_each(files, wishes.of("source"))
    form_as_read = partial(read_grid, form_file, how["target"])
    shaped = [_shaped(file, told, wishes) for file, told in zip(files, told_of_files, strict=True)]
    sheets_each = [
        [Sheet(grid)] if grid is not file else sheets_of(file, how["source"], told, form_as_read)
        for file, (grid, told) in zip(files, shaped, strict=True)
    ]
    sheets = [sheet for each in sheets_each for sheet in each]
    grids = [sheet.grid for sheet in sheets]
    told_each = [told for each, (_, told) in zip(sheets_each, shaped, strict=True) for _ in each]
    of_items = [(grid, told, sheet.item) for grid, told, sheet in zip(grids, told_each, sheets, strict=True)]
    target, how["target"] = _read_target(form_file, how["target"], of_items, wishes)
    lines, target, wishes = _lines_form(target, of_items, example.seen(wishes, "target", [target]))
    form, target, results = _opened(target, wishes)
    report_progress("finding out what the columns hold")
    understood = [
        understand_both(grid, target, replace(wishes, told={**wishes.told, "source": own}))
        for grid, own in zip(grids, told_each, strict=True)
    ]
    for grid, (mine, _) in zip(grids, understood, strict=True):
        check_layout(grid, mine.layout, "source")
    understood = [(_of_sheet(mine, sheet), other) for (mine, other), sheet in zip(understood, sheets, strict=True)]
    read = join_exports(grids, [mine.layout for mine, _ in understood], wishes.items_before_signs)
    theirs = _without_computed(_as_all_say([theirs for _, theirs in understood], read.layout), form.computed, wishes)
    check_layout(target, theirs.layout, "target")
    titled_wishes, layouts, notes = with_titles(wishes, (read.layout, theirs.layout))
    wishes, items_told = example.told(layouts, titled_wishes)
    sides = (read.grid, layouts[0]), (target, layouts[1])
    _check_students(read.grid, layouts[0])
    report_progress("comparing the students of both files")
    books = Books()
    pair = two_columns(wishes.pair, *layouts, "--pair") if wishes.pair else None
    identifier = _by_whole_names(sides, propose_identifier(*sides, books, pair), sheets)
    if wishes.is_sample:
        check_sample(identifier.met, form_file.name)
        identifier = replace(propose_alike(*layouts), is_sample=True)
    roster = None
    if wishes.roster:
        roster, identifier = propose_roster(read_grid(wishes.roster), sides, identifier, books, wishes.folders)
    report_progress("comparing the items of both files")
    there = books.of(sides[1], identifier.target, is_form=True)
    sent = [one.target for one in items_told.values() if one.target and one.target.use is Use.OTHER]
    texts = (
        _surveyed(read.grid, layouts[0], _nobodys(_book(sides[0], identifier, books))),
        _surveyed(target, layouts[1], _nobodys(there), _MOST_ROWS, sent),
    )
    allowed = {column.index: form.allowed(column.index) for column in layouts[1].of_use(Use.ITEM)}
    key_file, key = _key(wishes, grids)
    questions = propose_questions(*layouts, texts[0], key, texts[1])
    asked = frozenset(question.target.index for question in questions if question.target)
    items = propose_items(*sides, identifier, asked, texts, allowed, wishes, items_told)
    items = tuple(
        _in_percent([as_called(_as_shown(one, read.grid.rounded), read.layout) for one in items], form, there)
    )
    if wishes.is_sample:
        pattern = read_pattern(wishes.heading, layouts[1].of_use(Use.ITEM), texts[1])
        items = tuple(_with_new_items(items, pattern, texts[0], _pooled(texts[1])))
    return Draft(
        source=read.grid,
        target=target,
        source_layout=layouts[0],
        target_layout=layouts[1],
        identifier=identifier,
        items=items,
        practice=_practice(sides[0], identifier, books),
        reading=how,
        understood={"source": understood[0][0], "target": theirs},
        further=tuple(mine for mine, _ in understood[1:]),
        exports=read,
        wishes=wishes,
        roster=roster,
        totals=propose_totals(
            read.grid,
            layouts[0],
            _students(sides[0], identifier, books),
            known_maxima(layouts[0], wishes.maxima.get("source", Maxima())),
        ),
        questions=questions,
        comments=tuple(_comments(layouts[0], layouts[1], items)),
        key=key_file,
        is_sample=wishes.is_sample,
        is_typed=wishes.is_typed,
        lines=lines,
        results=results,
        guesses=tuple(_guesses(sides, identifier, books)),
        mangled=sum(
            1 for one in _students(sides[0], identifier, books) if not one.name.isascii() and mend_mangled(one.name)
        ),
        sums=_sums(sides[0], identifier, books),
        notes=tuple(notes)
        + tuple(
            note
            for grid, (mine, _) in zip(grids, understood, strict=True)
            for note in notes_of_export(grid, mine.layout, grids, sides[1])
        )
        + tuple(note for file, each in zip(files, sheets_each, strict=True) for note in other_sheets(file, each)),
        passed_over=tuple(
            one
            for grid, (mine, _) in zip(grids, understood, strict=True)
            for one in passed_over(grid, mine.layout, grids, sides[1])
            if one.wanted
        ),
        corrections=tuple(
            propose_corrections(
                read_grid(file),
                (read.grid, target),
                _book(sides[0], identifier, books),
                layouts[0].of_use({Use.ITEM, Use.TOTAL}),
            )
            for file in wishes.corrections
        ),
        may_be_sample=identifier.is_open and _is_short(target, layouts[1]),
    )


def _lines_form(target: Grid, exports: Exported, wishes: Wishes) -> tuple[LineColumns | None, Grid, Wishes]:
    """Return how a form takes a line for each mark, and its lines as a table; the form as it is where it doesn't."""
    layouts = [titled(recognise(grid, told), item) for grid, told, item in exports]
    is_other = wishes.is_typed or wishes.is_sample or bool(wishes.of("target").uses)
    seen = [(grid, layout) for (grid, _, _), layout in zip(exports, layouts, strict=True)]
    lines = None if is_other else find_lines(target, seen)
    if lines is None:
        return None, target, wishes
    form = read_lines_form(target, lines)
    items = [] if form.lines() else [column for layout in layouts for column in layout.of_use(Use.ITEM)]
    asked = [text.rpartition("=")[2].strip() for text in wishes.items]
    table = as_wide_form(form, [*(column.title for column in items if column.counts), *filter(None, asked)])
    return lines, table, replace(wishes, told={**wishes.told, "target": Told({lines.student: Use.NUMBER})})


def _key(wishes: Wishes, exports: Sequence[Grid]) -> tuple[Path | None, Mapping[str, KeyedQuestion]]:
    """Return the answer key and its file: the one that a person names, or the export that says what is right."""
    file = wishes.key or next((grid.file for grid in exports if grid.key), None)
    return file, read_key(read_grid(file)) if file else {}


def _opened(target: Grid, wishes: Wishes) -> tuple[Target, Grid, ResultsPlan | None]:
    """Return a form as a target, its cells, and how it takes results if it is a bundle of OneRoster."""
    if target.kind is not Kind.ONE_ROSTER:
        return open_target(target), target, None
    from skarvin.core.grid.one_roster import RosterGrid  # noqa: PLC0415 - few forms are bundles
    from skarvin.core.targets.roster_form import read_results_form  # noqa: PLC0415

    if not isinstance(target, RosterGrid):
        raise TypeError(target.file)
    asked = [text.rpartition("=")[2].strip() for text in wishes.items]
    wanted = [(name, "") for name in asked if name in {*target.cells(0), *(item.title for item in target.items)}]
    form = read_results_form(target, ResultsPlan(), wanted)
    return open_target(form.table), form.table, form.told


def _shaped(file: Grid, told: Told, wishes: Wishes) -> tuple[Grid, Told]:
    """Return an export with a row for each student, and what is to be said of its shape."""
    if wishes.members is None:
        return seen_as_table(file, told)
    members = read_grid(wishes.members)
    found = find_members(file, members, str(wishes.members))
    return members_as_table(file, members, found), told._replace(members=found)


def _by_whole_names(sides: tuple[Book, Book], found: IdentifierProposal, sheets: Sequence[Sheet]) -> IdentifierProposal:
    """Return the names as identifiers, where students have a row in each sheet and names alone tell them.

    They must be written alike on both sides: only what is an identifier brings several rows together.
    """
    columns = [next(iter(layout.of_use(Use.NAME)), None) for _, layout in sides]
    if None in columns or not found.by_name or not any(sheet.item for sheet in sheets):
        return found
    texts = [
        {fold(cells[column.index]) for cells in map(grid.cells, range(layout.first_row, len(grid)))} - {""}
        for (grid, layout), column in zip(sides, columns, strict=True)
        if column
    ]
    met = len(texts[0] & texts[1])
    alike = met >= _HALF * min(map(len, texts))
    return replace(found, source=columns[0], target=columns[1], met=met, is_open=False) if alike else found


def _of_sheet(understood: Understood, sheet: Sheet) -> Understood:
    """Return what is understood of a sheet beside others like it, with what its name says."""
    if not sheet.is_chosen:
        return understood
    layout, name = titled(understood.layout, sheet.item), str(sheet.grid.sheet)
    return replace(understood, layout=layout, sheet=name, item=sheet.item, section=sheet.section)


def _as_all_say(seen: Sequence[Understood], layout: Layout) -> Understood:
    """Return what a form means: of what is seen beside each export, what agrees best with all of them together."""
    uses = {fold(column.title): column.use for column in layout.columns if column.title}

    def agreeing(understood: Understood) -> int:
        return sum(uses.get(fold(column.title)) is column.use for column in understood.layout.columns)

    return max(seen, key=agreeing)


def _without_computed(understood: Understood, computed: Container[int], wishes: Wishes) -> Understood:
    """Return what is understood of a form, in which no computed column tells students, unless a person says so."""
    told = {fold(name) for name in wishes.of("target").uses}
    layout = understood.layout
    columns = tuple(
        replace(column, use=Use.HOUSEKEEPING, evidence="computed by formulas")
        if column.index in computed and column.use in STUDENT and fold(column.heading) not in told
        else column
        for column in layout.columns
    )
    return understood if columns == layout.columns else replace(understood, layout=replace(layout, columns=columns))


def _read_target(file: Path, how: ReadAs, exports: Exported, wishes: Wishes) -> tuple[Grid, ReadAs]:
    """Return the form; of a target that takes no import, the students on its screen with a column for each item."""
    if not wishes.is_typed:
        return choose_sheet(exports[0][0], read_grid(file, how), how, exports[0][1])
    from skarvin.core.targets.typing_form import typing_form  # noqa: PLC0415 - most targets take an import

    layouts = [titled(recognise(grid, told), item) for grid, told, item in exports]
    items = (column for layout in layouts for column in layout.of_use(Use.ITEM) if column.counts)
    return typing_form(file, how, list(dict.fromkeys(column.heading for column in items))), how


def _book(source: Book, identifier: IdentifierProposal, books: Books) -> Gradebook:
    return books.of(source, identifier.source or next(iter(source[1].identifiers), None))


def _students(source: Book, identifier: IdentifierProposal, books: Books) -> tuple[Student, ...]:
    return _book(source, identifier, books).students


def _guesses(sides: tuple[Book, Book], identifier: IdentifierProposal, books: Books) -> list[str]:
    """Return why the students of one file weren't found in the other."""
    if not identifier.is_open:
        return []
    first = [next(iter(layout.identifiers), None) for _, layout in sides]
    return guesses(books.of(sides[0], first[0]), books.of(sides[1], first[1], is_form=True))


def _sums(source: Book, identifier: IdentifierProposal, books: Books) -> tuple[Row, ...]:
    book = _book(source, identifier, books)
    return tuple(one.student.row for one in book.non_students if one.why.cause is Cause.SUMMARY)


def _practice(source: Book, identifier: IdentifierProposal, books: Books) -> tuple[str, ...]:
    """Return the names of rows that the system itself put into the export."""
    book = _book(source, identifier, books)
    found = (one.student.name for one in book.non_students if one.why.cause is Cause.PRACTICE)
    return tuple(dict.fromkeys(found))


def _check_names(files: Sequence[Path]) -> None:
    """Refuse a file whose name can't be written down in a transfer."""
    for file in files:
        try:
            str(file).encode()
        except UnicodeEncodeError:
            what = "the name of this file isn't UTF-8, so that no transfer can name it"
            raise Unreadable(Finding("file-name", what, Place(file), "Give it another name.")) from None


def _as_shown(item: ItemProposal, rounded: Mapping[int, int]) -> ItemProposal:
    """Return an item with the decimals that the export shows of it, if it is copied and more are stored."""
    shown = rounded.get(item.proposal.source.index)
    if shown is None or item.proposal.target is None or item.from_out_of != item.to_out_of:
        return item
    return replace(item, marks=item.marks._replace(shown=shown))


def _in_percent(items: Sequence[ItemProposal], form: Target, there: Gradebook) -> Iterator[ItemProposal]:
    """Yield the items, each in percent where the form's cells take numbers with that sign alone."""
    rows = [student.row.position for student in there.students[:_ENOUGH]]
    columns = sorted({item.proposal.target.index for item in items if item.proposal.target})
    coding = Coding()
    codes = form.code_cells(coding, rows, columns)
    for item in items:
        to = item.proposal.target
        is_share = item.from_out_of is not None and item.to_out_of in {None, WHOLE} and not item.marks.scale
        may_be = is_share and not item.marks.to_suffix
        own = set(codes[columns.index(to.index) :: len(columns)]) if to and may_be else set()
        raws = [coding.texts[code] for code in own]
        is_percent = bool(raws) and all(form.lacks("50", raw) and not form.lacks("50%", raw) for raw in raws)
        yield replace(item, to_out_of=WHOLE, marks=item.marks._replace(to_suffix="%")) if is_percent else item


def _with_new_items(
    items: Sequence[ItemProposal],
    pattern: HeadingPattern,
    texts: Mapping[int, Mapping[str, int]],
    theirs: Mapping[str, int],
) -> Iterator[ItemProposal]:
    """Yield the items, each of which goes somewhere: what the sample doesn't have gets a heading like the others."""
    for item in items:
        source = item.proposal.source
        if item.proposal.target or source.use is not Use.ITEM or not source.counts:
            yield item
            continue
        heading = pattern.of(source.title, item.from_out_of, texts[source.index])
        proposal = Proposal(source, None, "not in the sample: made after its headings")
        shown = find_hints(source, texts[source.index], theirs, (item.from_out_of, item.from_out_of))
        marks = item.marks._replace(to_commas=shown.to_commas, to_decimals=shown.to_decimals)
        yield replace(item, proposal=proposal, new_heading=heading or OPEN, to_out_of=item.from_out_of, marks=marks)


def _pooled(texts: Mapping[int, Mapping[str, int]]) -> dict[str, int]:
    """Return the marks of all items that a sample shows: how it writes numbers, new ones are to be written."""
    found: Counter[str] = Counter()
    for counts in texts.values():
        found.update(counts)
    return dict(found)


def _is_short(grid: Grid, layout: Layout) -> bool:
    """Tell whether a form has so few people that they may be made up."""
    return len(grid) - layout.first_row <= _FEW_PEOPLE


def _nobodys(book: Gradebook) -> frozenset[int]:
    """Return where rows stand that are nobody's: an average says nothing of how marks are written."""
    return frozenset(one.student.row.position for one in book.non_students if not one.student.row.source.number)


def _surveyed(
    grid: Grid, layout: Layout, without: Container[int], most: int | None = None, more: Sequence[Column] = ()
) -> dict[int, Mapping[str, int]]:
    """Return the distinct texts of each column that may hold marks, and how often each stands there.

    Args:
        grid: the cells.
        layout: what they mean.
        without: the rows that aren't looked at.
        most: about how many rows are enough, of a form: how it writes marks is seen in some of them.
        more: columns of another use to which a person sends marks.
    """
    columns = [*layout.of_use({Use.ITEM, Use.TOTAL, Use.ANSWER}), *more]
    step = max(1, len(grid) // most) if most else 1
    wide = (row for row in range(layout.first_row, len(grid), step) if grid.widths[row] >= len(layout.columns))
    rows = [row for row in wide if row not in without and row not in grid.further]
    return {surveyed.column.index: surveyed.texts for surveyed in survey(grid, columns, rows)}


def _comments(source: Layout, target: Layout, items: Sequence[ItemProposal]) -> Iterator[CommentProposal]:
    """Yield the comments that could travel with marks that move, each with a column of the target that is free."""
    free = [column for column in target.columns if column.use is Use.COMMENT]
    moving = {item.proposal.source.index: item.proposal.source for item in items if item.proposal.target}
    for column in source.columns:
        of = moving.get(column.belongs_to) if column.belongs_to is not None else None
        if column.use is Use.COMMENT and free and (of or column.belongs_to is None):
            yield CommentProposal(column, free.pop(0), of)


def _check_students(grid: Grid, layout: Layout) -> None:
    if not has_people(grid, layout):
        mend = "Export it with its students."
        raise Unreadable(Finding("no-students", "the export has no students", grid.place(), mend))
