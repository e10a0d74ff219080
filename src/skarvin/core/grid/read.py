"""The front door: from a file, whatever it is, to its grid."""

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path

from msgspec import Struct, structs

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.grid.controls import set_aside_controls
from skarvin.core.grid.dialect import Quotes, detect, line_end_title
from skarvin.core.grid.encoding import decode
from skarvin.core.grid.file_bytes import fingerprint, is_folder, read_bytes, unpacked
from skarvin.core.grid.file_kinds import Kind, is_results_folder, kind_of
from skarvin.core.grid.grid import CellGrid, Grid, TextGrid
from skarvin.core.grid.records import Cuts, count_lines, join_records, split_lines
from skarvin.core.grid.roster_files import is_bundle_folder
from skarvin.core.progress import report_progress
from skarvin.core.texts.patterns import pattern

MOST_COLUMNS = 16_384
MOST_ROWS = 2_000_000
MOST_CHARACTERS = 131_072
"""What a cell may hold: the csv module takes no more, and a spreadsheet a quarter of it."""


class ReadAs(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What a person says about how a file is to be read, by the keys of a transfer; None leaves it to the file."""

    encoding: str | None = None
    delimiter: str | None = None
    sheet: str | None = None
    quotes: Quotes | None = None
    names: str | None = None
    skip_hidden: bool = False
    skip_controls: bool = False

    def said(self, key: str, value: str) -> str:
        """Return how a person says this of the file."""
        return f"--{key} {value}".rstrip()

    def in_its_words(self, findings: Iterable[Finding]) -> Iterator[Finding]:
        """Yield findings with each way on as a person goes it for this file."""

        def said(found: re.Match[str]) -> str:
            return self.said(found[1], found[2] or "")

        return (structs.replace(one, mend=_WAY_ON.sub(said, one.mend)) for one in findings)


_WAY_ON = pattern(r"--(encoding|delimiter|quotes|sheet|names)\b(?: (around|plain)\b)?")


class FormAs(ReadAs, frozen=True):
    """How a form is to be read that a transfer is drafted for."""

    def said(self, key: str, value: str) -> str:
        """Return how a person says this of the form."""
        return super().said(f"form-{key}", value)


AS_IT_IS = ReadAs()
OF_OURS = ReadAs(encoding="utf-8", delimiter="comma")
"""How a text is read that we wrote."""


def read_grid(file: Path, how: ReadAs = AS_IT_IS, data: bytes | None = None, *, is_rfc_4180: bool = False) -> Grid:
    """Return the grid of text in `file`, or in `data` if that is given; of a folder, what the names of its files say.

    Quotation marks that are known to be those of RFC 4180 aren't looked at.

    Raises:
        Unreadable: the file is missing, empty, damaged, encrypted, no grid, or cut off inside a quoted cell.
    """
    report_progress(f"reading {file.name}")
    try:
        return _read(file, how, data, is_rfc_4180=is_rfc_4180)
    except Unreadable as error:
        raise Unreadable(*how.in_its_words(error.findings)) from None


def _read(file: Path, how: ReadAs, data: bytes | None, *, is_rfc_4180: bool) -> Grid:
    if data is None and is_folder(file):
        return _folder(file, how)
    data = read_bytes(file) if data is None else data
    whole = unpacked(data, file)
    if not whole or whole.isspace():
        raise _empty(file)
    kind = kind_of(whole, file)
    if kind in {Kind.QTI, Kind.ONE_ROSTER}:
        return _of_standard(kind, file, whole, how)
    grid = _text(whole, file, how, is_rfc_4180=is_rfc_4180) if kind is Kind.TEXT else _cells(kind, whole, file, how)
    _check_bounds(grid)
    if whole is data:
        return grid
    note = Finding("compressed", "this is compressed text, and read as what it holds", Place(file))
    return replace(grid, notes=(note, *grid.notes), fingerprint=fingerprint(data))


def _folder(folder: Path, how: ReadAs) -> Grid:
    """Return the grid of a folder: of an open standard's files, or of marked ones."""
    if is_bundle_folder(folder):
        return _of_standard(Kind.ONE_ROSTER, folder, None, how)
    if is_results_folder(folder):
        return _of_standard(Kind.QTI, folder, None, how)
    from skarvin.core.grid.folder import read_folder  # noqa: PLC0415 - most exports are files

    return read_folder(folder, how.names, read_grid)


def _of_standard(kind: Kind, file: Path, data: bytes | None, how: ReadAs) -> Grid:
    """Return the grid of what an open standard says."""
    from skarvin.core.grid import one_roster, qti_results  # noqa: PLC0415 - few exports are made by one

    return (
        qti_results.read_results(file, data) if kind is Kind.QTI else one_roster.read_one_roster(file, data, how.sheet)
    )


def _check_bounds(grid: TextGrid | CellGrid) -> None:
    """Refuse a grid that is wider or longer than can be meant, or that has an endless cell."""
    if max(grid.widths, default=0) > MOST_COLUMNS:
        what = f"a row has {max(grid.widths):,} cells; more than {MOST_COLUMNS:,} can't be meant"
        row = grid.widths.index(max(grid.widths))
        raise Unreadable(Finding("too-wide", what, grid.place(row), "Check the delimiter, or export it again."))
    if len(grid) > MOST_ROWS:
        what = f"there are {len(grid):,} rows; more than {MOST_ROWS:,} can't be meant"
        raise Unreadable(Finding("too-long", what, grid.place(MOST_ROWS), "Export the classes apart."))
    for row in grid.long_rows(MOST_CHARACTERS):
        for column, text in enumerate(grid.cells(row)):
            if len(text) > MOST_CHARACTERS:
                what = f"this cell has {len(text):,} characters; more than {MOST_CHARACTERS:,} can't be meant"
                mend = "A quotation mark that never closes does this, or a file that is no table."
                raise Unreadable(Finding("endless-cell", what, grid.place(row, column), mend))


def _empty(file: Path) -> Unreadable:
    return _unreadable(file, "empty-file", "the file is empty", "Export it again.")


def _text(data: bytes, file: Path, how: ReadAs, *, is_rfc_4180: bool) -> TextGrid:
    text, encoding = decode(data, file, how.encoding)
    if not text or text.isspace():
        raise _empty(file)
    text, skipped = set_aside_controls(text, file, skip=how.skip_controls)
    physical = count_lines(text)
    lines, ends = split_lines(text)
    dialect = detect(lines, file, how.delimiter, is_rfc_4180=is_rfc_4180)
    quotes = Quotes.AROUND if is_rfc_4180 else how.quotes
    records = join_records(lines, ends, dialect, file, is_plain=dialect.is_plain(text))
    notes = [*encoding.notes(file), *skipped]
    cuts: Cuts = {}
    del text
    if quotes is Quotes.PLAIN or not records.is_plain:
        from skarvin.core.grid.quotes import judge_quotes  # noqa: PLC0415 - many files have no quotation marks

        records, dialect, told, cuts = judge_quotes(records, (lines, ends), dialect, file, quotes)
        notes += told
    if len(set(records.ends[:-1])) > 1:
        notes.append(Finding("line-ends", f"line ends are mixed: {line_end_title(records.ends)}", Place(file)))
    return TextGrid(
        file=file,
        encoding=encoding,
        dialect=dialect,
        records=records.texts,
        ends=records.ends,
        widths=records.widths,
        notes=tuple(notes),
        fingerprint=fingerprint(data),
        lines=physical,
        is_plain=records.is_plain,
        cuts=cuts,
        spanning=tuple(span.stop - span.start for span in records.spans if span.stop - span.start > 1),
    )


def _cells(kind: Kind, data: bytes, file: Path, how: ReadAs) -> CellGrid:
    from skarvin.core.grid import html, ods, workbook, xls, xlsx  # noqa: PLC0415 - delimited text does without

    if kind is Kind.HTML:
        sheet = html.read_html(data, file, how.sheet, how.encoding)
    else:
        read = {Kind.XLSX: xlsx.read_xlsx, Kind.XLS: xls.read_xls, Kind.ODS: ods.read_ods}[kind]
        sheet = read(data, file, how.sheet)
    workbook.check_cells(sheet, file)
    table, hidden = sheet.table, frozenset[int]()
    if how.skip_hidden and (sheet.hidden_rows or sheet.hidden_columns):
        hidden = frozenset(sheet.hidden_rows) & set(range(len(table)))
        table = [
            ["" if row in hidden or column in sheet.hidden_columns else text for column, text in enumerate(cells)]
            for row, cells in enumerate(table)
        ]
    title = f"{kind.value}, '{sheet.name}': {sheet.evidence}"
    return CellGrid(
        file=file,
        title=title,
        kind=kind,
        table=table,
        sheet=sheet.name,
        notes=sheet.notes,
        hidden=hidden,
        fingerprint=fingerprint(data),
        shown_sheets=sheet.shown,
        rounded=sheet.rounded,
        others=sheet.others,
    )


def _unreadable(file: Path, slug: str, what: str, mend: str) -> Unreadable:
    return Unreadable(Finding(slug, what, Place(file), mend))
