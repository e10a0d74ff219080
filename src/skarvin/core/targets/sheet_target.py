"""A target that is a workbook (.xlsx): cells are filled in its sheet, and every other byte of every part stays.

A raw cell is told by its style, by what stands in its way, by the validation that is for it, and by its text.
"""

import io
import re
from array import array
from collections import Counter
from collections.abc import Container, Iterator, Mapping, Sequence
from decimal import Decimal
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple
from xml.parsers import expat
from xml.sax.saxutils import escape

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.grid.coding import Coding
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.grid import CellGrid
from skarvin.core.grid.package import WORKBOOK, Package
from skarvin.core.grid.workbook import cell_text
from skarvin.core.reasons import Cause, Reason
from skarvin.core.targets.carried import Pattern, read_pattern
from skarvin.core.targets.recalculation import stale
from skarvin.core.targets.sheet_rules import Allowed, Style, read_styles, read_validations
from skarvin.core.targets.sheet_xml import Area, NotPlain, Scan, Slot, areas, end_of_tag, scan
from skarvin.core.targets.target import WHOLE, Part, Target
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.texts.patterns import pattern

_ILLEGAL = pattern("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
_LONGEST = 32_767
_DIGITS = 15
_LEADING_ZERO = re.compile(r"-?0\d")
_DIMENSION = re.compile(rb"""<(?:\w+:)?dimension\b[^>]*?\bref=["']([^"']*)["'][^>]*>""")
_CALC = re.compile(rb"<(?:(\w+):)?calcPr\b[^>]*?(/?)>")
_BEFORE_CALC = re.compile(rb"</(?:(\w+):)?sheets>|</(?:\w+:)?(?:functionGroups|externalReferences|definedNames)>")
_FULL = re.compile(rb"""\sfullCalcOnLoad=["'][^"']*["']""")


class _Raw(NamedTuple):
    """A raw cell: its style's number, what stands in its way, which validation is for it, and what it says."""

    style: str
    obstacle: str
    validation: str
    text: str

    @classmethod
    def of(cls, raw: str) -> "_Raw":
        """Return a raw cell taken apart."""
        head, _, text = raw.partition("|")
        style, obstacle, validation = head.split(";") if head else ("", "", "")
        return cls(style, obstacle, validation, text)

    def __str__(self) -> str:
        return f"{self.style};{self.obstacle};{self.validation}|{self.text}"


class _Made(NamedTuple):
    """What is made besides marks: texts of the sheet's own cells, rows below, and the row that these are like."""

    cells: Mapping[int, Mapping[int, str]] = MappingProxyType({})
    below: Sequence[Sequence[str]] = ()
    like: int | None = None


_OBSTACLES = {
    "formula": "the form computes this cell by a formula, which isn't written over",
    "merged": "the form's cell is covered by a merged one",
    "locked": "the form's sheet is protected, and this cell is locked",
}


class WorkbookTarget(Target):
    """A workbook as a target.

    Raises:
        Unreadable: the sheet's XML isn't what a workbook has, or the file changed since it was read.
    """

    grid: CellGrid

    def __init__(self, grid: CellGrid, data: bytes | None = None, made: "_Made | None" = None) -> None:
        self.grid = grid
        self._data = read_bytes(grid.file) if data is None else data
        self._made = made or _Made()
        if data is None and fingerprint(self._data) != grid.fingerprint:
            what = "the file changed while this ran"
            raise Unreadable(Finding("changed-meanwhile", what, grid.place(), "Run it again."))
        self._package = Package(self._data)
        self._scans: dict[tuple[int, ...], Scan] = {}

    @property
    def has_macros(self) -> bool:
        """Whether the workbook holds programs."""
        return self._package.has_macros

    @property
    def is_signed(self) -> bool:
        """Whether it carries a signature."""
        return self._package.is_signed

    @cached_property
    def _part(self) -> str:
        return {tab.name: part for tab, part in self._package.sheets()}[self.grid.sheet or ""]

    @cached_property
    def _styles(self) -> list[Style]:
        return read_styles(self._package)

    def code_cells(self, coding: Coding, positions: Sequence[int], columns: Sequence[int]) -> "array[int]":
        """Return the codes of the raw cells at `columns` of rows."""
        raws = self._plain_raws(positions, columns) if self._is_plain(columns) else self._raws(positions, columns)
        return array("I", map(coding.code, raws))

    def _raws(self, positions: Sequence[int], columns: Sequence[int]) -> Iterator[str]:
        return (str(self._raw(position, column, columns)) for position in positions for column in columns)

    def _is_plain(self, columns: Sequence[int]) -> bool:
        """Tell whether nothing but a formula can stand in the way of a mark."""
        self._scan(columns)
        return not (self._allowed or self._merged or self._is_protected)

    def _plain_raws(self, positions: Sequence[int], columns: Sequence[int]) -> Iterator[str]:
        slots, width = self._scan(columns).slots, max(self.grid.widths, default=0)
        for position in positions:
            cells = self.grid.cells(position)
            for column in columns:
                slot = slots.get((self._like(position), column))
                style, obstacle = (slot.style, "formula" if slot.has_formula else "") if slot else ("", "")
                yield f"{style};{obstacle};|{cells[column] if column < width else ''}"

    def value(self, raw: str) -> str:
        """Return what a raw cell says."""
        return raw.partition("|")[2]

    def shown_in(self, text: str, before: str) -> str:
        """Return how a cell will show a text: a number by its format."""
        return self._shown(text, self.style(_Raw.of(before).style))

    def spelled_in(self, text: str, before: str = "") -> str:
        """Return a text as a raw cell: a number as the sheet shows it."""
        raw = _Raw.of(before)
        return str(raw._replace(text=self._shown(text, self.style(raw.style))))

    def lacks_room(self, text: str, before: str = "") -> Reason | None:
        """Return why a cell can't say a text: something is in its way, validation forbids it, no workbook holds it."""
        raw = _Raw.of(before)
        if raw.obstacle:
            return Reason(Cause.NOT_WRITABLE, _OBSTACLES[raw.obstacle])
        if _ILLEGAL.search(text) or len(text) > _LONGEST:
            what = f"a workbook's cell can't hold it: {'a character' if len(text) <= _LONGEST else 'its length'}"
            return Reason(Cause.NOT_ENCODABLE, what)
        if raw.validation and not self._allowed[int(raw.validation)].test(_plainly(text)):
            words = self._allowed[int(raw.validation)].words
            return Reason(Cause.NOT_ALLOWED, f"the form's sheet allows {words} here, and not '{text}'")
        style = self.style(raw.style)
        if style.is_percent and read_number(text) is not None:
            return Reason(
                Cause.NOT_WRITABLE,
                f"the form's cell shows percent, so '{text}' needs its sign: to_out_of = 100, to_suffix = \"%\"",
            )
        if style.shows and _stored(text, style) is not None:
            return Reason(
                Cause.NOT_WRITABLE, f"the form's cell shows {style.shows} instead of numbers, so '{text}' can't be seen"
            )
        return None

    @property
    def computed(self) -> frozenset[int]:
        """The columns of which more than half of the cells that hold anything are formulas."""
        formulas = Counter(one.column for one in self._scan(()).formulas)
        filled = Counter(column for row in self.grid.rows() for column, text in enumerate(row) if text.strip())
        return frozenset(column for column, count in formulas.items() if 2 * count > filled[column])

    def allowed(self, column: int) -> tuple[str, ...]:
        """Return the texts of a list from which the cells of a column are chosen."""
        self._scan(())
        lists = (one.texts for one in self._allowed if any(area.left <= column <= area.right for area in one.where))
        return next(filter(None, lists), ())

    def filled(
        self,
        columns: Sequence[int],
        rows: Mapping[int, Sequence[int]],
        spelled: Sequence[str],
        changed: Container[int] = (),
        part: Part = WHOLE,  # noqa: ARG002 - it has none
    ) -> Iterator[bytes]:
        """Yield the workbook with some cells replaced, those that depend on them left to be computed anew."""
        xml = self._package.part(self._part)
        wanted = sorted({*columns, *(column for cells in self._made.cells.values() for column in cells)})
        seen = self._scan(wanted)
        elements = _Elements(self, seen.prefix, spelled)
        texts: dict[int, dict[int, bytes]] = {}
        for position, codes in rows.items():
            row = self.grid.row(position)
            said = {
                column: elements.element(row.cell(column), code)
                for column, code in zip(columns, codes, strict=True)
                if code in changed or (position >= self._own_rows and elements.says(code))
            }
            if said:
                texts[position] = said
        for position, cells in self._made.cells.items():
            row, said = self.grid.row(position), texts.setdefault(position, {})
            for column, text in cells.items():
                slot = seen.slots.get((position, column))
                if column not in said and (text or (slot and slot.is_there)):
                    said[column] = elements.text(row.cell(column), slot.style if slot else "", text)
        own = {position: said for position, said in sorted(texts.items()) if position < self._own_rows}
        patches = list(self._own_patches(xml, seen, own))
        dependent = stale(seen.formulas, [(position, column) for position, said in own.items() for column in said])
        patches += [(*cell.value, b"") for cell in dependent if cell.value]
        pattern = Pattern() if self._made.like is None else read_pattern(xml, seen, self.grid.row(self._made.like))
        patches += self._new_rows(xml, seen, pattern, texts, elements)
        parts = {self._part: _patched(xml, [*patches, *self._dimension(xml)])}
        is_computed = bool(dependent or (self._made.below and pattern.formulas))
        if is_computed or (texts and self._package.has_formulas_besides(self._part)):
            parts[WORKBOOK] = _computed_on_load(self._package.part(WORKBOOK))
        yield self._package.written(parts)

    def _own_patches(
        self, xml: bytes, seen: Scan, texts: Mapping[int, Mapping[int, bytes]]
    ) -> Iterator[tuple[int, int, bytes]]:
        """Yield what puts cells into the sheet's own rows; a row that has no element, or none inside, gets one."""
        prefix = seen.prefix
        for position, said in texts.items():
            cells = [(column, said[column]) for column in sorted(said)]
            if all((position, column) in seen.slots for column, _ in cells):
                slots = [(seen.slots[position, column], cell) for column, cell in cells]
                yield from ((slot.start, slot.stop, cell) for slot, cell in slots)
                continue
            inner = b"".join(cell for _, cell in cells)
            start, stop = seen.rows.get(position, (-1, -1))
            if start >= 0:  # `<row r="7"/>`
                tag = xml[start:stop].removesuffix(b"/>").rstrip()
                yield start, stop, tag + b">" + inner + f"</{prefix}row>".encode()
            else:
                at = min(
                    (start for line, (start, _) in seen.rows.items() if line > position), default=self._end(xml, seen)
                )
                number = self.grid.row(position).number
                yield at, at, f'<{prefix}row r="{number}">'.encode() + inner + f"</{prefix}row>".encode()

    @staticmethod
    def _end(xml: bytes, seen: Scan) -> int:
        return xml.rindex(f"</{seen.prefix}sheetData>".encode())

    def with_blank_lines(self) -> "WorkbookTarget":
        """Return the target with the lines at its end that have formats and no texts."""
        last = max(self._scan(()).rows, default=0)
        blank = [[""] for _ in range(len(self.grid), last)] + [[""]] * (last >= len(self.grid))
        return WorkbookTarget(self.grid.with_rows(blank), self._data).guarded(self.unsafe) if blank else self

    def takes(self, row: int, column: int) -> bool:
        """Tell whether a text can be put into a cell."""
        width = max(self.grid.widths, default=0)
        columns = tuple(range(max(width, column + 1)))
        return not self._obstacle(self._scan(columns).slots.get((row, column)), row, column)

    def with_texts(
        self, cells: Mapping[int, Mapping[int, str]], below: Sequence[Sequence[str]], at: int | None, like: int | None
    ) -> "WorkbookTarget":
        """Return the target with other texts in some cells, and with rows below.

        Raises:
            Unreadable: the sheet is protected, a table would end above the rows, or they would stand among others.
        """
        if at is not None and at < self._own_rows:
            raise AssertionError(at)  # a file composed after a sample is no workbook
        if below:
            self._check_below()
        grid = self.grid.changed(cells).with_rows(below)
        merged = {row: {**self._made.cells.get(row, {}), **texts} for row, texts in cells.items()}
        made = _Made({**self._made.cells, **merged}, (*self._made.below, *below), like)
        return WorkbookTarget(grid, self._data, made)

    def _check_below(self) -> None:
        """Refuse rows below the sheet's own where they couldn't be typed in, or where its table wouldn't have them."""
        self._scan(())
        more = "Put enough blank lines for them into a copy of the form: those are filled."
        if self._is_protected:
            what = "the sheet is protected, so that no rows can be added below"
            raise Unreadable(Finding("protected", what, self.grid.place(self._own_rows), f"{more} Or unprotect it."))
        for area in (area for ref in self._package.tables(self._part) for area in areas(ref)):
            what = "the sheet's table ends above the rows that would be added, so that they wouldn't be in it"
            raise Unreadable(Finding("table-ends", what, self.grid.place(area.bottom), more))

    def with_rows(self, rows: Sequence[Sequence[str]], kept: int | None) -> "WorkbookTarget":
        """Return the target with rows below its own.

        Raises:
            Unreadable: rows of its own would have to go.
        """
        if kept is not None and kept < len(self.grid):
            mend = "Give --add to keep them and put rows below, or --clear to empty them first."
            what = "rows that stand in a workbook can't be replaced by others"
            raise Unreadable(Finding("form-has-rows", what, self.grid.place(kept), mend))
        return self.with_texts({}, rows, None, None)

    @property
    def _own_rows(self) -> int:
        return len(self.grid) - len(self._made.below)

    def _like(self, position: int) -> int:
        """Return the row whose formats a row has: its own, or that which an added one carries on."""
        is_added = position >= self._own_rows and self._made.like is not None
        return position if not is_added or self._made.like is None else self._made.like

    def _scan(self, columns: Sequence[int]) -> Scan:
        key = tuple(columns)
        if key not in self._scans:
            try:
                self._scans[key] = scan(self._package.part(self._part), columns)
            except (expat.ExpatError, NotPlain, ValueError, KeyError, IndexError):
                mend = "Open the workbook in a spreadsheet and save it again."
                what = "this sheet's XML can't be taken apart for filling"
                raise Unreadable(Finding("damaged", what, self.grid.place(), mend)) from None
        return self._scans[key]

    def _raw(self, position: int, column: int, columns: Sequence[int]) -> _Raw:
        cells = self.grid.cells(position)
        text = cells[column] if column < len(cells) else ""
        slot = self._scan(columns).slots.get((self._like(position), column))
        style = slot.style if slot else ""
        validation = next(
            (str(number) for number, one in enumerate(self._allowed) if _lies_in(one.where, position, column)), ""
        )
        return _Raw(style, self._obstacle(slot, position, column), validation, text)

    def _obstacle(self, slot: Slot | None, row: int, column: int) -> str:
        if slot and slot.has_formula:
            return "formula"
        if any(area.holds(row, column) and (row, column) != (area.top, area.left) for area in self._merged):
            return "merged"
        return "locked" if self._is_protected and self.style(slot.style if slot else "").is_locked else ""

    @cached_property
    def _about(self) -> Scan:
        return next(iter(self._scans.values())) if self._scans else self._scan(())

    @cached_property
    def _merged(self) -> list[Area]:
        return [area for one in self._about.about if one.name == "mergeCell" for area in areas(one.values["ref"])]

    @cached_property
    def _is_protected(self) -> bool:
        return any(
            one.name == "sheetProtection" and one.values.get("sheet", "0") in {"1", "true"} for one in self._about.about
        )

    @cached_property
    def _allowed(self) -> list[Allowed]:
        return read_validations(self._about.about, self._values_of, self._package.names())

    def _values_of(self, sheet: str | None, area: Area) -> list[str]:
        """Return the texts in a range of a sheet."""
        from python_calamine import CalamineWorkbook  # noqa: PLC0415 - few forms have lists in ranges

        book = CalamineWorkbook.from_filelike(io.BytesIO(self._data))
        table = book.get_sheet_by_name(sheet or self.grid.sheet or "").to_python(skip_empty_area=False)
        rows = table[area.top : area.bottom + 1]
        return [cell_text(value) for row in rows for value in row[area.left : area.right + 1]]

    def style(self, number: str) -> Style:
        """Return a style by its number."""
        index = int(number) if number else 0
        return self._styles[index] if index < len(self._styles) else Style()

    @staticmethod
    def _shown(text: str, style: Style) -> str:
        number = _stored(text, style)
        if number is None:
            return text
        if style.is_percent:
            return f"{plain(number * 100)}%"
        return plain(number).zfill(style.zeros)

    def _new_rows(
        self,
        xml: bytes,
        seen: Scan,
        pattern: Pattern,
        texts: Mapping[int, Mapping[int, bytes]],
        elements: "_Elements",
    ) -> Iterator[tuple[int, int, bytes]]:
        """Yield what puts the added rows in: behind the last row, before the end of the sheet's data."""
        prefix, added, taken = seen.prefix, [], dict[int, bytes]()
        for place, said in enumerate(self._made.below):
            row = self.grid.row(self._own_rows + place)
            cells = {
                column: f'<{prefix}c r="{row.cell(column)}" s="{style}"/>'.encode()
                for column, style in pattern.styles.items()
                if style
            }
            for column in pattern.formulas:
                style = f' s="{pattern.styles[column]}"' if pattern.styles.get(column) else ""
                formula = pattern.formula(column, self.grid.row(pattern.position), row)
                cells[column] = (
                    f'<{prefix}c r="{row.cell(column)}"{style}><{prefix}f>{formula}</{prefix}f></{prefix}c>'.encode()
                )
            for column, text in enumerate(said):
                if text:  # what identifies students stays text, whatever it looks like
                    cells[column] = elements.text(row.cell(column), pattern.styles.get(column, ""), text)
            cells |= texts.get(row.position, {})
            inner = b"".join(cells[column] for column in sorted(cells))
            element = f'<{prefix}row r="{row.number}"'.encode() + pattern.attributes + b">" + inner
            element += f"</{prefix}row>".encode()
            if row.position in seen.rows:  # it has an element with formats alone
                taken[row.position] = element
            else:
                added.append(element)
        for position, element in taken.items():
            yield (*seen.rows[position], element)
        if added:
            at = max([self._end(xml, seen), *(seen.rows[position][1] for position in taken)])
            yield at, at, b"".join(added)

    def _dimension(self, xml: bytes) -> Iterator[tuple[int, int, bytes]]:
        """Yield what makes the sheet's stated size reach the added rows."""
        match = _DIMENSION.search(xml, 0, xml.find(b"sheetData"))
        if not self._made.below or match is None:
            return
        (area,) = areas(match[1].decode("ascii", "replace"))
        width = max(self.grid.widths)
        last = self.grid.row(self._own_rows).offset(len(self._made.below)).offset(-1)
        right = max(area.right, width - 1)
        first = self.grid.row(area.top).cell(area.left)
        yield match.start(1), match.end(1), f"{first}:{last.cell(right)}".encode()


def _text_element(start: str, prefix: str, text: str) -> bytes:
    """Return a cell's element that holds a text in itself, so that no list of texts elsewhere changes."""
    told = escape(text, {"\r": "&#13;"})
    inner = f'<{prefix}is><{prefix}t xml:space="preserve">{told}</{prefix}t></{prefix}is>'
    return f'{start} t="inlineStr">{inner}</{prefix}c>'.encode()


class _Elements:
    """The elements of filled cells; all but the cell's name is made once for each code."""

    def __init__(self, target: WorkbookTarget, prefix: str, spelled: Sequence[str]) -> None:
        self._target = target
        self._prefix = prefix
        self._spelled = spelled
        self._rest: dict[int, bytes] = {}

    def text(self, name: str, style: str, text: str) -> bytes:
        """Return the element of a cell that says a text, whatever it looks like."""
        start = f'<{self._prefix}c r="{name}"' + (f' s="{style}"' if style else "")
        return _text_element(start, self._prefix, text) if text else f"{start}/>".encode()

    def says(self, code: int) -> bool:
        """Tell whether a cell with this code says anything."""
        return bool(self._target.value(self._spelled[code]))

    def element(self, name: str, code: int) -> bytes:
        """Return the element of the cell that goes by a name."""
        rest = self._rest.get(code)
        if rest is None:
            rest = self._rest[code] = self._behind_name(_Raw.of(self._spelled[code]))
        return b'<%bc r="%b"%b' % (self._prefix.encode(), name.encode(), rest)

    def _behind_name(self, cell: _Raw) -> bytes:
        prefix = self._prefix
        style = f' s="{cell.style}"' if cell.style else ""
        number = _stored(cell.text, self._target.style(cell.style))
        if not cell.text:
            return f"{style}/>".encode()
        if number is not None:
            return f"{style}><{prefix}v>{number:f}</{prefix}v></{prefix}c>".encode()
        return _text_element(style, prefix, cell.text)


def _stored(text: str, style: Style) -> Decimal | None:
    """Return the number that a cell stores for a text; None where the text itself is stored.

    A code such as 007, and more digits than a workbook keeps, stay text.
    """
    if style.is_text:
        return None
    if style.is_percent:
        number = read_number(text.removesuffix("%")) if text.endswith("%") else None
        return None if number is None else number / 100
    number = read_number(text)
    if number is None or (_LEADING_ZERO.match(text) and not style.zeros) or text.startswith("+"):
        return None
    return None if len(number.as_tuple().digits) > _DIGITS else number


def _plainly(text: str) -> str:
    number = read_number(text)
    return text if number is None else plain(number)


def _lies_in(where: Sequence[Area], row: int, column: int) -> bool:
    return any(area.holds(row, column) for area in where)


def _patched(xml: bytes, patches: Sequence[tuple[int, int, bytes]]) -> bytes:
    """Return the bytes with some of them replaced."""
    parts, at = [], 0
    for start, stop, new in sorted(patches, key=lambda patch: patch[:2]):
        parts += [xml[at:start], new]
        at = stop
    return b"".join([*parts, xml[at:]])


def _computed_on_load(xml: bytes) -> bytes:
    """Return the workbook's part, which then asks that everything be computed when it is opened."""
    if match := _CALC.search(xml):
        stop = end_of_tag(xml, match.start())
        tag = _FULL.sub(b"", xml[match.start() : stop])
        end = b"/>" if tag.endswith(b"/>") else b">"
        return xml[: match.start()] + tag.removesuffix(end) + b' fullCalcOnLoad="1"' + end + xml[stop:]
    last = max(_BEFORE_CALC.finditer(xml), key=lambda match: match.end())
    prefix = b"" if last[1] is None else last[1] + b":"
    return xml[: last.end()] + b"<" + prefix + b'calcPr fullCalcOnLoad="1"/>' + xml[last.end() :]
