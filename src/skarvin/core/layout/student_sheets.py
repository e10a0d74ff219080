"""Workbooks with a sheet for each student, seen as a row for each: a name at one place, marks beside titles below it.

What says the same in nearly all sheets is a form; what differs has been filled in. Titles are found by their texts, so
that a line more in one sheet moves no mark to another title.
"""

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Row, Source, Unreadable, column_letter, counted, listed_rows, listing
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import CellGrid, Grid
from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Use
from skarvin.core.layout.heading_words import use_in_words
from skarvin.core.layout.told import StudentSheets
from skarvin.core.layout.traits import is_like_name
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_kinds import may_be_mark
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.patterns import pattern

_LEAST, _MOST, _DEEP, _WIDE = 3, 5_000, 300, 40
"""So many sheets make it likely; so many are read, so far down and to the right."""
_SAME, _DIFFERENT = 0.6, 0.8
_FEWEST_ITEMS, _LEAST_MARKS = 2, 0.2
_NEAR, _RARE = 3, 4
"""So far to the right of its label a name may stand; a title with marks in fewer than one of so many sheets is none."""
_CROSSES = frozenset({"x", "×", "✓", "✔", "✗", "✘", "☒", "☑", "*", "•", "●"})
_CELL = pattern(r"([A-Za-z]{1,3})(\d{1,7})")
_SHEET = "sheet"
SHAPE = "a cell in each student's sheet"
_OF_OTHERS = frozenset({"sheets", "other-sheets", "files-of-nobody"})

_Table = Sequence[Sequence[str]]


class _Cells(NamedTuple):
    """The same as `StudentSheets`, by positions from 0; a place is a row and a column."""

    name: tuple[int, int] | None
    is_called: bool
    number: tuple[int, int] | None
    section: tuple[int, int] | None
    first: int
    last: int
    title: int
    marks: range
    maxima: int | None


def find_student_sheets(grid: Grid) -> StudentSheets | None:
    """Return where things stand in each sheet of a workbook that has one for each student; None of any other file."""
    names, tables = _sheets(grid)
    if not _LEAST <= len(tables) <= _MOST:
        return None
    form = _form_of(tables)
    alike = [place for place, table in enumerate(tables) if _fits(table, form)]
    if len(alike) < _LEAST:
        return None
    some = [tables[place] for place in alike]
    told = dict(_identity(form, some, grid))
    above = max((_place(cell, grid)[0] for cell in told.values()), default=-1)
    rows = _items({place: text for place, text in form.items() if place[0] > above}, some)
    if rows is None:
        return None
    first, last, title = rows
    marks, maxima = _marks(form, some, rows)
    if marks is None:
        return None
    called = [names[place] for place in alike]
    is_called = Use.NAME not in told and len(set(called)) == len(called) and all(map(_may_be_a_name, called))
    if not is_called and not any(use in told for use in (Use.NAME, Use.NUMBER)):
        return None
    letters = [column_letter(column) for column in (marks[0], marks[-1])]
    return StudentSheets(
        name=_SHEET if is_called else told.get(Use.NAME, ""),
        number=told.get(Use.NUMBER, ""),
        section=told.get(Use.SECTION, ""),
        items=":".join(grid.row(row).cell(title) for row in (first, last)),
        marks=letters[0] if len(marks) == 1 else ":".join(letters),
        maxima="" if maxima is None else column_letter(maxima),
    )


def sheets_as_table(grid: Grid, told: StudentSheets) -> Grid:
    """Return a workbook with a sheet for each student as a row for each.

    Raises:
        Unreadable: what is said names no cell, or no sheet has titles there.
    """
    cells = _read(told, grid)
    titles = _titles(_sheets(grid)[1], cells)
    if not titles:
        what = f"no sheet has titles in {told.items}"
        raise Unreadable(
            Finding("no-student-sheets", what, Place(grid.file), "Correct student_sheets, or take it away.")
        )
    labels = _labels(_sheets(grid)[1], cells)
    usual = {cells.number: "No", cells.name: "Name", cells.section: "Section"}
    said = {place: labels.get(place, "").rstrip(": .") or text for place, text in usual.items() if place}
    heads = [said[place] for place in (cells.number, cells.name, cells.section) if place]
    if cells.is_called:
        heads.insert(1 if cells.number else 0, "Name")
    out = _Rows(grid, cells, titles)
    first = len(heads)
    stands_in = {first + place: cells.marks[0] for place in range(len(titles))}
    source = Source(
        grid.file,
        None,
        grid.number,
        files=tuple(_files(grid)[place] for place in out.read) if _files(grid) else (),
        lines=MappingProxyType(out.lines(first)),
        stands_in=MappingProxyType(stands_in),
        sheets=tuple(place + 1 for place in out.read),
        columns=MappingProxyType(out.columns(first)),
    )
    told_notes = [note for note in grid.notes if note.slug not in _OF_OTHERS]
    return CellGrid(
        file=grid.file,
        title=f"{grid.kind.value}: a {out.kind} for each student, {counted(len(out.read), out.kind)}",
        kind=Kind.XLSX if grid.kind is Kind.FOLDER else grid.kind,
        table=[[*heads, *out.headings], *out.rows],
        notes=(*out.notes(), *told_notes),
        fingerprint=grid.fingerprint,
        number=grid.number,
        known_source=source,
        stands_in=MappingProxyType(stands_in),
        shape=SHAPE,
    )


class _Rows:
    """The rows: what each sheet says, with the places where its marks stand, and what doesn't fit."""

    def __init__(self, grid: Grid, cells: _Cells, titles: Sequence[str]) -> None:
        names, tables = _sheets(grid)
        self._grid, self._cells, self._titles = grid, cells, titles
        files = _files(grid)
        self.kind = "file" if files else "sheet"
        called = files or [f"sheet {place + 1}" for place in range(len(tables))]
        self.read: list[int] = []
        self.rows: list[list[str]] = []
        self._at: list[dict[int, tuple[int, int]]] = []
        self.unlike: list[str] = []
        self.left: list[str] = []
        maxima: dict[int, Counter[str]] = {}
        labels = _labels(tables, cells)
        for place, table in enumerate(tables):
            found = _lines(table, cells, titles)
            if len(found) * 2 < len(titles):
                self.left.append(called[place])
                continue
            who = list(_who(table, names[place], cells, labels))
            marks = {item: _mark(table, line, cells) for item, line in found.items()}
            extra = _filled_besides(table, cells, set(found.values()))
            if len(found) < len(titles) or extra:
                lacks = [repr(titles[item]) for item in range(len(titles)) if item not in found]
                self.unlike.append(f"{called[place]} {_unlike(lacks, [self._grid.row(line) for line in extra])}")
            self.read.append(place)
            self.rows.append([*who, *(marks[item][0] if item in marks else "" for item in range(len(titles)))])
            self._at.append({item: (found[item], marks[item][1]) for item in found})
            for item, line in found.items() if cells.maxima is not None else ():
                text = _text(table, line, cells.maxima or 0)
                maxima.setdefault(item, Counter())[text] += 1
        self.headings = [self._titled(title, maxima.get(item)) for item, title in enumerate(titles)]

    @staticmethod
    def _titled(title: str, maxima: "Counter[str] | None") -> str:
        said = [text for text in maxima or () if is_number(text)]
        return f"{title} (out of {said[0].strip()})" if len(said) == 1 else title

    def lines(self, first: int) -> dict[int, dict[int, int]]:
        """Return in which line of its sheet each mark stands, by row and column of the table."""
        return {row: {first + item: at[0] for item, at in own.items()} for row, own in enumerate(self._at, 1)}

    def columns(self, first: int) -> dict[tuple[int, int], int]:
        """Return in which column of its sheet each mark stands."""
        return {(row, first + item): at[1] for row, own in enumerate(self._at, 1) for item, at in own.items()}

    def notes(self) -> Iterator[Finding]:
        """Yield what is to be said of the sheets."""
        place = self._grid.place()
        count = counted(len(self.read), self.kind)
        what = f"a {self.kind} for each student: {count}, {counted(len(self._titles), 'item')}"
        yield Finding("student-sheets", what, place)
        if self.left:
            is_one = len(self.left) == 1
            numbers = [name.removeprefix("sheet ") for name in self.left]
            which = "" if self.kind == "file" else "sheet " if is_one else "sheets "
            what = f"{which}{listing(numbers, 12)} of {place.file.name} {'is' if is_one else 'are'} "
            what += "no student's like the others, and not read"
            yield Finding("sheets-left-out", what, place)
        if self.unlike:
            what = f"{counted(len(self.unlike), f'{self.kind} differs', f'{self.kind}s differ')} from the others: "
            yield Finding("sheets-unlike", what + listing(self.unlike, 12), place, f"Look at these {self.kind}s.")


def _unlike(lacks: Sequence[str], extra: Sequence[Row]) -> str:
    more = listed_rows(extra)
    said = (f"lacks {listing(lacks, 4)}" if lacks else "", f"has marks beside no title in {more}" if extra else "")
    return " and ".join(filter(None, said))


def _sheets(grid: Grid) -> tuple[list[str], list[_Table]]:
    """Return the shown sheets of a workbook in their order, by name."""
    if grid.stands_in:
        return [], []
    if files := _files(grid):
        return [Path(name).stem for name in files], [table for _, table in grid.others]
    if len(grid.shown_sheets) < _LEAST:
        return [], []
    return list(grid.shown_sheets), [list(grid.beside(name).rows()) for name in grid.shown_sheets]


def _files(grid: Grid) -> list[str]:
    """Return the files of a folder of forms; nothing for a workbook."""
    return [name for name, _ in grid.others] if grid.kind is Kind.FOLDER else []


def _text(table: _Table, row: int, column: int) -> str:
    return table[row][column].strip() if 0 <= row < len(table) and column < len(table[row]) else ""


def _form_of(tables: Sequence[_Table]) -> dict[tuple[int, int], str]:
    """Return what the sheets say in common, by place: the text that nearly all with anything there have."""
    filled = [table for table in tables if any(any(cells) for cells in table)]
    counts: dict[tuple[int, int], Counter[str]] = {}
    for table in filled:
        for row, cells in enumerate(table[:_DEEP]):
            for column, text in enumerate(cells[:_WIDE]):
                if text.strip():
                    counts.setdefault((row, column), Counter())[text.strip()] += 1
    found = ((place, texts.most_common(1)[0]) for place, texts in counts.items())
    return {place: text for place, (text, count) in found if count >= max(_LEAST, len(filled) * _SAME)}


def _fits(table: _Table, form: Mapping[tuple[int, int], str]) -> bool:
    """Tell whether a sheet has most of what all say in common."""
    there = sum(_text(table, *place) == text for place, text in form.items())
    return bool(form) and there >= len(form) * _SAME


def _identity(form: Mapping[tuple[int, int], str], tables: Sequence[_Table], grid: Grid) -> Iterator[tuple[Use, str]]:
    """Yield what tells who each sheet is of, with its cell: it stands behind a label, and differs in each sheet."""
    found: set[Use] = set()
    for (row, column), label in sorted(form.items()):
        said = use_in_words(label.rstrip(": ."))
        use = None if said is None else Use.NUMBER if said[0] in IDENTIFIERS else said[0]
        if use is None or use in found or use not in {*NAMES, Use.NUMBER, Use.SECTION}:
            continue
        for beside in range(column + 1, column + 1 + _NEAR):
            texts = [_text(table, row, beside) for table in tables]
            if (row, beside) in form and use is not Use.SECTION:
                break
            is_one_each = len(set(texts)) >= _DIFFERENT * len(tables) and all(texts)
            if is_one_each or (use is Use.SECTION and all(texts)):
                found.add(use)
                yield use, grid.row(row).cell(beside)
                break


def _items(form: Mapping[tuple[int, int], str], tables: Sequence[_Table]) -> tuple[int, int, int] | None:
    """Return the first and the last row with titles, and their column: beside them stand marks that differ."""
    best: tuple[int, int, int] | None = None
    most = 0
    for title in sorted({column for _, column in form}):
        rows = [
            row
            for row, column in sorted(form)
            if column == title and _is_title(form[row, column]) and _has_marks(form, tables, row, title)
        ]
        if len(rows) >= max(_FEWEST_ITEMS, most + 1):
            ends = _further(form, tables, rows[0], title, -1), _further(form, tables, rows[-1], title, 1)
            best, most = (*ends, title), len(rows)
    return best


def _further(form: Mapping[tuple[int, int], str], tables: Sequence[_Table], row: int, title: int, step: int) -> int:
    """Return the last row in a direction whose title has marks in few sheets, next to those that have them in most."""
    while _is_title(form.get((row + step, title), "")) and _has_marks(form, tables, row + step, title, _LEAST_MARKS):
        row += step
    return row


def _is_title(text: str) -> bool:
    return not is_number(text) and fold(text) != "" and fold(text) not in _CROSSES


def _has_marks(
    form: Mapping[tuple[int, int], str], tables: Sequence[_Table], row: int, title: int, share: float = 0.5
) -> bool:
    """Tell whether beside a title of so many sheets there is a mark or a cross that isn't the same in all."""
    filled = 0
    for table in tables:
        cells = [
            _text(table, row, column) for column in range(title + 1, title + 1 + _WIDE) if (row, column) not in form
        ]
        filled += any(text and (may_be_mark(text) or text.casefold() in _CROSSES) for text in cells)
    return filled >= share * len(tables)


def _marks(
    form: Mapping[tuple[int, int], str], tables: Sequence[_Table], rows: tuple[int, int, int]
) -> tuple[range | None, int | None]:
    """Return the columns with the marks, of which one is crossed if they are several, and that with the maxima."""
    first, last, title = rows
    lines = [row for row in range(first, last + 1) if (row, title) in form]
    numbers: Counter[int] = Counter()
    crosses: Counter[int] = Counter()
    for table in tables:
        for row in lines:
            for column in range(title + 1, title + 1 + _WIDE):
                text = _text(table, row, column)
                if text and (row, column) not in form:
                    numbers[column] += may_be_mark(text) and text.casefold() not in _CROSSES
                    crosses[column] += text.casefold() in _CROSSES
    crossed = sorted(column for column, count in crosses.items() if count)
    if len(crossed) > 1 and sum(crosses.values()) > sum(numbers.values()):
        heads = [column for column in range(crossed[0] - 1, crossed[-1] + 2) if _head(form, first, column)]
        own = [column for column in heads if column > title]
        if own and set(crossed) <= set(own):
            return range(min(own), max(own) + 1), None
    if not numbers:
        return None, None
    marks = max(sorted(numbers), key=lambda column: numbers[column])
    maxima = next(
        (
            column
            for column in range(title + 1, title + 1 + _WIDE)
            if column != marks and lines and all(is_number(form.get((row, column), "")) for row in lines[:-1])
        ),
        None,
    )
    return range(marks, marks + 1), maxima


def _head(form: Mapping[tuple[int, int], str], first: int, column: int) -> str:
    """Return what stands above a column of crosses."""
    return next((form[row, column] for row in range(first - 1, max(first - 4, -1), -1) if (row, column) in form), "")


def _may_be_a_name(text: str) -> bool:
    return is_like_name(text) and len(text.split()) > 1


def _read(told: StudentSheets, grid: Grid) -> _Cells:
    """Return what is said of the sheets by positions.

    Raises:
        Unreadable: something is no cell.
    """

    def place(text: str) -> tuple[int, int] | None:
        return _place(text, grid) if text and text != _SHEET else None

    first, _, last = told.items.partition(":")
    start, end = _place(first, grid), _place(last or first, grid)
    left, _, right = told.marks.partition(":")
    columns = [_place(f"{letters.rstrip('0123456789')}1", grid)[1] for letters in (left, right or left)]
    maxima = _place(f"{told.maxima}1", grid)[1] if told.maxima else None
    return _Cells(
        name=place(told.name),
        is_called=told.name == _SHEET,
        number=place(told.number),
        section=place(told.section),
        first=start[0],
        last=end[0],
        title=start[1],
        marks=range(columns[0], columns[1] + 1),
        maxima=maxima,
    )


def _place(text: str, grid: Grid) -> tuple[int, int]:
    match = _CELL.fullmatch(text.strip())
    if match is None or int(match[2]) < 1:
        what = f"student_sheets: '{text}' is no cell"
        raise Unreadable(
            Finding("no-cell", what, Place(grid.file), 'Write cells as the spreadsheet does: "B2", "A6:A14".')
        )
    column = 0
    for letter in match[1].upper():
        column = column * 26 + ord(letter) - ord("A") + 1
    return int(match[2]) - 1, column - 1


def _titles(tables: Sequence[_Table], cells: _Cells) -> list[str]:
    """Return the titles that most sheets have, in their order."""
    counts: Counter[str] = Counter()
    for table in tables:
        rows = range(cells.first, min(cells.last + 1, len(table)))
        marked = [row for row in rows if any(_text(table, row, column) for column in cells.marks)]
        counts.update({text for row in marked if _is_title(text := _text(table, row, cells.title))})
    most = max(counts.values(), default=0)
    ordered: dict[str, None] = {}
    for table in tables:
        for row in range(cells.first, cells.last + 1):
            text = _text(table, row, cells.title)
            if counts[text] * _RARE > most:
                ordered[text] = None
    return list(ordered)


def _lines(table: _Table, cells: _Cells, titles: Sequence[str]) -> dict[int, int]:
    """Return in which row of a sheet each title stands: where most have it, or moved by some rows."""
    known = {fold(title): item for item, title in enumerate(titles)}
    found: dict[int, int] = {}
    for row in range(max(0, cells.first - _DEEP), min(len(table), cells.last + _DEEP)):
        item = known.get(fold(_text(table, row, cells.title)))
        if item is not None and (item not in found or cells.first <= row <= cells.last):
            found.setdefault(item, row)
    return found


def _filled_besides(table: _Table, cells: _Cells, lines: set[int]) -> list[int]:
    """Return the rows between the titles in which marks stand beside none of them."""
    between = [row for row in range(min(lines), max(lines) + 1) if row not in lines] if lines else []
    texts = {row: [text for column in cells.marks if (text := _text(table, row, column))] for row in between}
    return [row for row in between if any(may_be_mark(text) or text.casefold() in _CROSSES for text in texts[row])]


def _labels(tables: Sequence[_Table], cells: _Cells) -> dict[tuple[int, int], str]:
    """Return what most sheets say in front of each cell that tells who it is."""
    found = {}
    for place in filter(None, (cells.name, cells.number, cells.section)):
        texts = Counter(filter(None, (_before(table, *place) for table in tables)))
        found[place] = texts.most_common(1)[0][0] if texts else ""
    return found


def _before(table: _Table, row: int, column: int) -> str:
    """Return what stands in front of a cell."""
    return next((text for at in range(column - 1, -1, -1) if (text := _text(table, row, at))), "")


def _who(table: _Table, called: str, cells: _Cells, labels: Mapping[tuple[int, int], str]) -> Iterator[str]:
    """Yield number, name and section of a sheet, as far as there are cells for them."""
    for place in (cells.number, _SHEET if cells.is_called else cells.name, cells.section):
        if place is None:
            continue
        if isinstance(place, str):
            yield called
            continue
        row, column = place
        label = labels.get(place, "")
        moved = _find(table, label) if label and label not in {_text(table, row, at) for at in range(column)} else None
        yield _text(table, moved if moved is not None else row, column)


def _find(table: _Table, label: str) -> int | None:
    """Return the only row that says a label."""
    rows = [row for row, cells in enumerate(table[:_DEEP]) if label in map(str.strip, cells)]
    return rows[0] if len(rows) == 1 else None


def _mark(table: _Table, line: int, cells: _Cells) -> tuple[str, int]:
    """Return the mark of a line and its column: what stands there, or what stands above the one cross."""
    if len(cells.marks) == 1:
        return _text(table, line, cells.marks[0]), cells.marks[0]
    crossed = [column for column in cells.marks if _text(table, line, column)]
    if not crossed:
        return "", cells.marks[0]
    heads = [_above(table, line, column) for column in crossed]
    if len(crossed) > 1:
        return f"crosses at {' and '.join(heads)}", crossed[0]
    text = _text(table, line, crossed[0])
    return (heads[0], crossed[0]) if text.casefold() in _CROSSES else (f"{text} at {heads[0]}", crossed[0])


def _above(table: _Table, line: int, column: int) -> str:
    """Return what stands at the head of a column of crosses: the nearest text above that is no cross."""
    for row in range(line - 1, -1, -1):
        text = _text(table, row, column)
        if text and re.sub(r"\s", "", text).casefold() not in _CROSSES:
            return text
    return column_letter(column)
