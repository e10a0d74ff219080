"""The import file of a target that takes a line for each mark: its own lines filled, and lines that are made."""

import re
from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from typing import NamedTuple

from skarvin.core.findings import Finding, Refused
from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.marks.choices import RowChoice
from skarvin.core.plan.plan import TargetPlan
from skarvin.core.targets.lines_form import LinesForm
from skarvin.core.targets.opening import open_target
from skarvin.core.targets.target import Part, Target
from skarvin.core.texts.numbers import plain
from skarvin.core.texts.patterns import pattern
from skarvin.core.transfer.sides import Sides

_FIELD = pattern(r"\{(section|name|line|title|out_of|today)(?: ([^{}]*))?\}")


class _Line(NamedTuple):
    """One line of the file: where it stands in the form, if it does, and what it says before and after."""

    row: int | None
    student: Student
    item: Column
    before: str
    now: str | None


def line_files(sides: Sides, ledger: Ledger, plan: TargetPlan, today: date) -> tuple[Iterator[bytes], Iterator[bytes]]:
    """Return the import file, and what puts the target back.

    Raises:
        Refused: the file can't say a mark, or no line is left.
    """
    if sides.lines is None:
        raise AssertionError(plan)
    form, target = sides.lines, open_target(sides.lines.grid).guarded(plan.unsafe_text)
    wanted = list(_lines(sides, ledger, form, plan))
    made = [line for line in wanted if line.row is None]
    if not wanted:
        raise Refused(Finding("no-lines", "no line is left to write", form.grid.place(), "Nothing new is sent."))
    sections = _sections(ledger)
    own = len(form.grid) if form.told.keep else form.first
    texts = [_cells(form, line, own - form.first + at, sections, today) for at, line in enumerate(made, 1)]
    for line in wanted:
        if line.now is not None and (lacks := target.lacks(line.now)):
            raise Refused(Finding("not-writable", f"a mark can't be written: {lacks.words}", form.grid.place()))
    whole = target.extended(texts, own)
    after = {**{line.row: line.now for line in wanted if line.row is not None}}
    rows = None
    if plan.rows is not RowChoice.ALL and form.told.keep:
        rows = (*range(form.first), *(row for row in after if row is not None), *range(own, own + len(made)))
    old = [[*cells[: form.mark], "", *cells[form.mark + 1 :]] for cells in texts]
    return (
        _filled(whole, form, {row: text for row, text in after.items() if row is not None and text is not None}, rows),
        _filled(target.extended(old, own), form, {}, rows),
    )


def _filled(target: Target, form: LinesForm, texts: Mapping[int, str], rows: Sequence[int] | None) -> Iterator[bytes]:
    """Yield a file with some of its marks replaced."""
    spelled = [target.spell(text, form.grid.cells(row)[form.mark]) for row, text in texts.items()]
    codes = {row: [code] for code, row in enumerate(texts)}
    return target.filled([form.mark], codes, spelled, range(len(spelled)), Part(None if rows is None else tuple(rows)))


def _lines(sides: Sides, ledger: Ledger, form: LinesForm, plan: TargetPlan) -> Iterator[_Line]:
    """Yield the lines that are written, by students and then items."""
    where = {(student, item): row for row, student, item in form.lines()}
    columns = [(place, item.target) for place, item in enumerate(ledger.fed) if item.target]
    said: dict[int, dict[int, tuple[str, str | None]]] = {}
    people: dict[int, Student] = {student.row.position: student for student in sides.target.students}
    for entry in ledger.entries:
        if entry.target:
            codes = ledger.codes.row(entry.position)
            own = said.setdefault(entry.target.row.position, {})
            for place, column in columns:
                outcome = ledger.outcomes[codes[place]]
                if outcome.written is not None or column.index not in own:
                    own[column.index] = (outcome.was, outcome.written)
    for position, student in people.items():
        for _, column in columns:
            before, now = said.get(position, {}).get(column.index, (sides.target.text(student.row, column.index), None))
            row = where.get((student.identifier.strip(), column.heading))
            is_wanted = now is not None or (row is not None and plan.rows is RowChoice.ALL)
            if is_wanted or (form.told.blanks and row is None):
                yield _Line(row, student, column, before, now)


def _sections(ledger: Ledger) -> dict[int, str]:
    """Return the sections of the target's students, by their rows, as either side knows them."""
    found = {}
    for entry in ledger.entries:
        if entry.target:
            section = entry.target.section or (entry.source.section if entry.source else "")
            found[entry.target.row.position] = section
    return found


def _cells(form: LinesForm, line: _Line, number: int, sections: Mapping[int, str], today: date) -> list[str]:
    """Return the cells of a line that is made."""
    values = {
        "section": sections.get(line.student.row.position, ""),
        "name": line.student.name,
        "line": str(number),
        "title": line.item.title,
        "out_of": "" if line.item.out_of is None else plain(line.item.out_of),
    }

    def put(match: re.Match[str]) -> str:
        return today.strftime(match[2] or "%Y-%m-%d") if match[1] == "today" else values[match[1]]

    cells = [""] * max(form.grid.widths, default=0)
    for column, text in form.others:
        cells[column] = _FIELD.sub(put, text)
    if form.name is not None:
        cells[form.name] = line.student.name
    cells[form.student], cells[form.item] = line.student.identifier, line.item.heading
    cells[form.mark] = line.now or line.before
    return cells
