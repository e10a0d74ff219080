"""The two gradebooks and the column map that a plan means."""

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, Refused, Row, Unreadable, listing
from skarvin.core.gradebook import Gradebook, NonStudent, join, understand
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.group_grid import GroupGrid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.columns import WHO, Column, ItemSource, Use
from skarvin.core.layout.fitting import named_layout
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.groups import members_as_table
from skarvin.core.layout.joining import Joined, called_alike, join_layouts, kept_apart, titled
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.shape import as_table
from skarvin.core.layout.told import TOLD
from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.rule import Rule
from skarvin.core.plan.column_map import NO_ITEM_MEND, ColumnMap, not_in_plan, read_column_map
from skarvin.core.plan.naming import Names
from skarvin.core.plan.plan import Plan, SidePlan
from skarvin.core.reasons import Cause, Reason
from skarvin.core.targets.composition import Composition, WantedColumn, compose_after
from skarvin.core.targets.lines_form import LinesForm, as_wide_form, read_lines_form
from skarvin.core.targets.opening import open_target
from skarvin.core.targets.placing import MadeRow
from skarvin.core.targets.target import Target
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.mark_grammar import read_mark
from skarvin.core.texts.mark_kinds import may_be_mark
from skarvin.core.texts.numbers import plain

if TYPE_CHECKING:
    from skarvin.core.layout.stored import Departure
    from skarvin.core.targets.roster_form import ResultsForm


_FEW, _MOST_ROWS = 2, 2500
"""About so many rows of a form are enough: how it writes numbers is seen in some of them."""


class Sides(NamedTuple):
    """Both gradebooks, the form that the marks are written into, and what feeds what.

    `added` has the rows that were made; `markless` the rows of the export's students who got none, since there is
    nothing to send for them; `parts` the gradebooks of the exports, one by one; `columns` those of the form that are
    written, if not all are; `listed` the place on the list of each of the export's rows that is on it; `ends` the rows
    at the form's end that are no students' and always written; `original` the form without the rows that were made;
    `composition` how a file follows its sample; `stated` the form
    with the made-up people that its file has; `like` the row that rows below carry on; `folders` where layouts lie;
    `lines` the file itself where the target takes a line for each mark, `results` where it takes a bundle of results;
    `is_corrected` whether there is a list of corrections.
    """

    source: Gradebook
    target: Gradebook
    form: Target
    column_map: ColumnMap
    items: tuple[MappedItem, ...]
    departures: "tuple[Departure, ...]" = ()
    added: Mapping[Row, MadeRow] = MappingProxyType({})
    markless: frozenset[Row] = frozenset()
    parts: tuple[Gradebook, ...] = ()
    columns: tuple[int, ...] = ()
    listed: Mapping[Row, int] = MappingProxyType({})
    ends: tuple[int, ...] = ()
    original: Target | None = None
    composition: Composition | None = None
    stated: Gradebook | None = None
    like: int | None = None
    folders: tuple[Path, ...] = ()
    lines: LinesForm | None = None
    results: "ResultsForm | None" = None
    is_corrected: bool = False

    @property
    def has_further_marks(self) -> bool:
        """Whether something else than the export's cells may say a mark: a list of corrections, or of members."""
        return self.is_corrected or any(book.grid.shape == GroupGrid.shape for book in self.exports)

    @property
    def is_composed(self) -> bool:
        """Whether the file is written anew after a sample."""
        return self.composition is not None

    @property
    def books(self) -> tuple[Gradebook, ...]:
        """The gradebooks of all files."""
        return (*self.exports, self.target)

    @property
    def exports(self) -> tuple[Gradebook, ...]:
        """The gradebooks of the exports."""
        return self.parts or (self.source,)

    @property
    def export_names(self) -> str:
        """The names of the exports, for a heading."""
        several = len(self.parts) > 1
        counts = Counter(book.grid.file.name for book in self.parts)
        called = [
            f"{counts[name]} sheets of {name}" if counts[name] > _FEW else book.grid.source.called if several else name
            for book in self.parts
            for name in [book.grid.file.name]
        ]
        return listing(list(dict.fromkeys(called)))


def read_sides(plan: Plan, text: str, file: Path, folders: Sequence[Path]) -> Sides:
    """Return what the plan in `file` (with this `text`) means; its layouts lie in one of the folders.

    Raises:
        Unreadable: a file can't be read, or the plan names columns that aren't there or can't be meant.
    """
    grids, layouts, departures, lines, results = _read_files(plan, file, folders)
    names = Names(file, text)
    source_id = names.identifier(layouts["source"], plan.source.identifier, "source")
    further = _read_further(plan, file, folders, names)
    own = layouts["source"] = called_alike(titled(layouts["source"], plan.source.item), _several_headings(plan))
    joined = _joined([own, *(export.layout for export in further)], plan, file) if further else Joined(own)
    layouts["source"] = joined.layout
    target_id = names.identifier(layouts["target"], plan.target.identifier, "target")
    sample = understand(grids["target"], layouts["target"], target_id, []) if plan.target.sample else None
    stated, first_row = grids["target"], layouts["target"].first_row
    composition = None
    if plan.target.sample and not names.findings:
        composition = compose_after(grids["target"], layouts["target"], target_id, _wanted_columns(plan))
        sample = _without_ends(sample, composition) if sample else None
        grids["target"], layouts["target"] = composition.target.grid, composition.layout
        target_id = names.identifier(layouts["target"], plan.target.identifier, "target")

    def texts_of(column: Column) -> list[str]:
        rows = map(stated.cells, range(first_row, len(stated)))
        return [cells[column.index] for cells in rows if column.index < len(cells)]

    some_rows = map(stated.cells, range(first_row, len(stated), max(1, len(stated) // _MOST_ROWS)))
    column_map = read_column_map(plan, layouts, (source_id, target_id), names, texts_of, some_rows)
    items = column_map.items
    written = _written_columns(plan, layouts["target"], items, names)
    used = [item.target.index for item in items if item.target]
    if names.findings:
        raise Unreadable(*names.findings)
    rest = not_in_plan(layouts["source"], source_id, column_map)
    moving = [item.source for item in (*items, *rest) if isinstance(item.source, Column)]
    books = [
        understand(
            one.grid, one.layout, one.identifier, moving, plan.source.not_students, mend=plan.source.mend_mangled
        )
        for one in (_Export(grids["source"], own, source_id), *further)
    ]
    labels = [plan.source.section, *(one.section for one in plan.export)]
    books = [_labelled(book, label) if label else book for book, label in zip(books, labels, strict=True)]
    source = join(books, joined.layout, joined.orders, moving) if further else books[0]
    _check_seen_alike(books, [item.source for item in items if isinstance(item.source, Column)])
    column_map = _with_stated_maxima(column_map, source)
    items = column_map.items
    fed = [column for column in layouts["target"].columns if column.index in used]
    nobodys, people = plan.source.not_students, source.students
    target = understand(grids["target"], layouts["target"], target_id, fed, nobodys, known=people)
    filled = results.target() if results else composition.target if composition else open_target(grids["target"])
    form = filled.guarded(plan.target.unsafe_text)
    _check_unknown_columns(target, column_map)
    return Sides(
        source=source,
        target=target,
        form=form,
        column_map=column_map,
        items=(*items, *rest),
        departures=tuple(departures),
        folders=tuple(folders),
        lines=lines,
        results=results,
        is_corrected=bool(plan.correction),
        parts=tuple(books),
        columns=written,
        composition=composition,
        stated=sample,
        ends=tuple(range(len(target.grid) - composition.ends, len(target.grid))) if composition else (),
    )


def _read_files(
    plan: Plan, file: Path, folders: Sequence[Path]
) -> "tuple[dict[str, Grid], dict[str, Layout], list[Departure], LinesForm | None, ResultsForm | None]":
    """Return the first export and the form, what they mean, and the form as it is where a table is made of it."""
    grids: dict[str, Grid] = {}
    layouts: dict[str, Layout] = {}
    departures: list[Departure] = []
    lines: LinesForm | None = None
    results: ResultsForm | None = None
    for side, one in (("source", plan.source), ("target", plan.target)):
        grids[side] = _grid(plan, side, file.parent / one.file, one)
        if side == "target" and plan.target.lines:
            lines = read_lines_form(grids[side], plan.target.lines)
            grids[side] = as_wide_form(lines, list(dict.fromkeys(one.heading for one in _wanted_columns(plan))))
        if side == "target" and (plan.target.results or grids[side].kind is Kind.ONE_ROSTER):
            results = _results_form(grids[side], plan)
            grids[side] = results.table
        if side == "source":
            grids[side] = _as_table(grids[side], one, plan, file)
        layouts[side], departed = side_layout(grids[side], one, _marked(plan, side), folders)
        departures += departed
        if layouts[side].faults:
            raise Unreadable(*layouts[side].faults[:5])
    return grids, layouts, departures, lines, results


def _results_form(grid: Grid, plan: Plan) -> "ResultsForm":
    """Return the target's bundle as a form."""
    from skarvin.core.grid.one_roster import RosterGrid  # noqa: PLC0415 - few forms are bundles
    from skarvin.core.targets.roster_form import read_results_form  # noqa: PLC0415

    if not isinstance(grid, RosterGrid):
        mend = "Leave out results under [target], or name a bundle."
        raise Unreadable(Finding("no-bundle", "this is no bundle of OneRoster CSV", grid.place(), mend))
    if plan.target.results is None:
        mend = "Write results = { delta = true } under [target], or false for all results of the class."
        raise Unreadable(Finding("bundle-form", "the form is a bundle of OneRoster CSV", grid.place(), mend))
    maxima = {one.target: one.to_out_of or one.from_out_of for one in plan.item if one.target}
    wanted = [(one.heading, maxima.get(one.heading)) for one in _wanted_columns(plan)]
    texts = [(heading, "" if out_of is None else plain(out_of)) for heading, out_of in wanted]
    return read_results_form(grid, plan.target.results, texts)


def _as_table(grid: Grid, side: SidePlan, plan: Plan, file: Path) -> Grid:
    """Return an export with a row for each student, whatever its shape."""
    if side.members:
        return members_as_table(grid, read_grid(file.parent / side.members.file), side.members)
    return as_table(grid, side.told, plan.students.repeated_by)


def _with_stated_maxima(column_map: ColumnMap, source: Gradebook) -> ColumnMap:
    """Return what feeds what; an item of which only the target's maximum is known has what all its marks state."""
    return column_map._replace(items=tuple(_with_stated_maximum(item, source) for item in column_map.items))


def _with_stated_maximum(item: MappedItem, source: Gradebook) -> MappedItem:
    column, rule = item.source, item.rule
    if not isinstance(rule, MarkRule) or not isinstance(column, Column) or rule.from_out_of or not rule.to_out_of:
        return item
    texts = {source.text(student.row, column.index) for student in source.students}
    marks = (read_mark(text, is_comma=rule.is_comma) for text in texts)
    stated = {mark.out_of if not mark.is_percent else None for mark in marks if mark}
    out_of = stated.pop() if len(stated) == 1 else None
    return item if out_of is None else item._replace(rule=replace(rule, from_out_of=out_of))


def _grid(plan: Plan, side: str, path: Path, how: ReadAs) -> Grid:
    """Return the grid of one side; of a target that takes no import, the students on its screen."""
    if side == "source" or not plan.target.typing:
        return read_grid(path, how)
    from skarvin.core.targets.typing_form import typing_form  # noqa: PLC0415 - most targets take an import

    return typing_form(path, how, list(dict.fromkeys(one.heading for one in _wanted_columns(plan))))


def _wanted_columns(plan: Plan) -> list[WantedColumn]:
    """Return the columns that marks, comments and answers go to, whether a sample has them or not."""
    found = [WantedColumn(item.target, item.to_out_of if item.rescale else None) for item in plan.item if item.target]
    others = [one.target for one in plan.constant] + [one.target for one in plan.comment]
    others += [one.target for one in plan.answer]
    return [*found, *(WantedColumn(heading) for heading in others if heading)]


def _written_columns(plan: Plan, layout: Layout, items: Sequence[MappedItem], names: Names) -> tuple[int, ...]:
    """Return the form's columns that are written, in their order; complain of marks that would go into no file."""
    found = [names.column(layout, name, "target", "columns") for name in plan.target.columns]
    columns = tuple(column.index for column in found if column)
    if columns and not names.findings:
        for item in items:
            if item.target and item.target.index not in columns:
                what = f"marks go to '{item.target.called}', which isn't among the columns that are written"
                names.complain("not-written", what, "target", "columns", 0, "Add it, or leave the item out.")
        if not any(layout.columns[column].use in WHO for column in columns):
            what = "none of the columns that are written identifies students"
            names.complain("not-written", what, "target", "columns", 0, "Add the one with the identifiers.")
    return columns


def _labelled(book: Gradebook, section: str) -> Gradebook:
    """Return a gradebook whose students are all of one section."""
    return replace(book, students=tuple(student._replace(section=section) for student in book.students))


class _Export(NamedTuple):
    """One export: its cells, what they mean, and what tells its students apart."""

    grid: Grid
    layout: Layout
    identifier: Column | None


def _read_further(plan: Plan, file: Path, folders: Sequence[Path], names: Names) -> list[_Export]:
    """Return the exports besides the first, in their order; complain of identifiers that aren't there."""
    found = []
    files = [plan.source.file, *(one.file for one in plan.export)]
    for index, one in enumerate(plan.export):
        read = read_grid(file.parent / one.file, one)
        grid = _as_table(read, one, plan, file)
        grid = grid.numbered(index + 1, is_sheet=files.count(one.file) > 1)
        layout = side_layout(grid, one, _marked(plan, "source"), folders)[0]
        if layout.faults:
            raise Unreadable(*layout.faults[:5])
        identifier = names.identifier(layout, one.identifier, "export", index)
        found.append(_Export(grid, called_alike(titled(layout, one.item), _several_headings(plan)), identifier))
    return found


def _check_seen_alike(books: Sequence[Gradebook], items: Sequence[Column]) -> None:
    """Refuse to count cells as blank that stand below an item's heading where that is read as something else.

    Raises:
        Unreadable: there are such cells, and nobody said what they are.
    """
    findings = []
    for number, book in enumerate(books):
        missing = {fold(item.heading) for item in items if item.heading and item.in_file(number) is None}
        own = book.identifier.index if number and book.identifier else None
        for item in items if own is not None else ():
            if item.in_file(number) == own:
                place = book.grid.place(book.layout.heading_row, own, item.heading)
                what = f"this column tells the students apart, and would give the marks of '{item.called}' as well"
                mend = f'Say which file has the marks: from = "{books[0].grid.file.name}:{item.heading}"'
                findings.append(Finding("seen-otherwise", what, place, mend))
        others = [column for column in book.layout.columns if fold(column.heading) in missing]
        for column in others:
            filled = [student.row for student in book.students if book.text(student.row, column.index).strip()]
            if filled and column.evidence != TOLD and column.use not in {Use.ITEM, Use.TOTAL}:
                place = filled[0].place(column.index, column.heading)
                what = f"this column is read as {column.use.value}, and in another export it has marks"
                mend = f'Say what it is: uses = {{ "{column.heading}" = "item" }}, below its file.'
                findings.append(Finding("seen-otherwise", what, place, mend))
    if findings:
        raise Unreadable(*findings)


def _without_ends(sample: Gradebook, composition: Composition) -> Gradebook:
    """Return a sample in which what ends it is nobody."""
    ends = [one for one in sample.students if one.row.position not in composition.people]
    nobody = [NonStudent(one, Reason(Cause.NOBODY, "ends the file")) for one in ends]
    people = tuple(one for one in sample.students if one not in ends)
    return replace(sample, students=people, non_students=(*sample.non_students, *nobody))


def _joined(layouts: Sequence[Layout], plan: Plan, file: Path) -> Joined:
    """Return the layout of several exports; items that the plan names as 'FILE:COLUMN' stay apart."""
    files = [(file.parent / one.file).name for one in (plan.source, *plan.export)]
    said = (
        [one.source for one in plan.item] + [one.source for one in plan.comment] + [one.source for one in plan.answer]
    )
    return join_layouts(kept_apart(layouts, files, said))


def _check_unknown_columns(target: Gradebook, column_map: ColumnMap) -> None:
    """Refuse marks for a column of no known use in which nothing looks like a mark: labels aren't written over unasked.

    Raises:
        Unreadable: there is one, and the transfer doesn't say that it is meant.
    """
    findings = []
    stated: dict[ItemSource, str] = {
        constant.column: fold_word(constant.plan.mark) for constant in column_map.constants
    }
    for item in column_map.items:
        column, own = item.target, stated.get(item.source)
        if column and column.use is Use.OTHER and column not in column_map.any_columns and not item.rule.travels:
            cells = ((student.row, target.cells(student.row)[column.index]) for student in target.students)
            filled = [(row, text) for row, text in cells if text.strip()]
            if filled and not any(fold_word(text) == own or _may_be_mark(text, item.rule) for _, text in filled):
                what = f"nothing in this column looks like a mark of '{item.source.called}'"
                place = filled[0][0].place(column.index, column.heading)
                findings.append(Finding("onto-no-item", what, place, NO_ITEM_MEND))
    if findings:
        raise Unreadable(*findings)


def _may_be_mark(text: str, rule: Rule) -> bool:
    """Tell whether a text of the form may be a mark, a code, or one of the words that the rule itself writes."""
    return may_be_mark(text) or rule.target_words(fold_word(text))


def _several_headings(plan: Plan, least: int = 2) -> list[tuple[str, ...]]:
    """Return the headings of the items that have so many at least."""
    found = [(one.headings,) if isinstance(one.headings, str) else one.headings for one in plan.item]
    return [headings for headings in found if len(headings) >= least]


def _marked(plan: Plan, side: str) -> tuple[str, ...]:
    """Return the columns of a side that marks come from or go to."""
    if side == "source":
        return tuple(name for headings in _several_headings(plan, least=1) for name in headings)
    targets = [item.target for item in plan.item] + [constant.target for constant in plan.constant]
    return tuple(filter(None, targets))


def side_layout(
    grid: Grid, side: SidePlan, marked: tuple[str, ...], folders: Sequence[Path]
) -> "tuple[Layout, list[Departure]]":
    """Return the layout of a grid: by its content, or by a stored layout as long as it is certain; and as it is told.

    Raises:
        Refused: the grid departs from the layout in a way that a person must look at.
        Unreadable: the plan tells the use of a column that isn't there.
    """
    name, told = side.layout, side.told._replace(marked=marked)
    if name is None:
        return recognise(grid, told), []
    fitting = named_layout(grid, name, folders, told)
    layout, departures = fitting.layout, list(fitting.departures)
    unclear = [departure for departure in departures if not departure.is_certain]
    if unclear:
        mend = f"See: skarvin layout check {grid.file.name} --name {name}"
        raise Refused(*(Finding(departure.slug, departure.what, departure.place, mend) for departure in unclear))
    return layout, departures
