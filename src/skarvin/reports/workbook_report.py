"""The report as a workbook, for those who work in spreadsheets: verdict, items, held, changed, students.

Every text is stored as text, so that none runs as a formula; counts are numbers, marks are the texts that they are.
"""

import io
from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from skarvin.core.ledger.ledger import Line
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.settling import Settled
from skarvin.reports.data import Data
from skarvin.reports.mark_lists import after, before, in_export, place_of, reason_of
from skarvin.reports.masking import identity, table_shown
from skarvin.reports.next_steps import next_steps
from skarvin.reports.rule_words import maxima_in_words
from skarvin.reports.since_words import change_of, since_sentence

_MOST_ROWS = 1_000_000
"""A worksheet has room for some more."""
_WIDEST = 90
_LONGEST_CELL = 32_000
_CHANGED = (Fate.CHANGED, Fate.KEPT)


class _Sheet(NamedTuple):
    """One sheet: its name, its headings, its rows."""

    name: str
    headings: Sequence[str]
    rows: Iterable[Sequence[str | float]]


def workbook_report(settled: Settled, ledger: Data) -> bytes:
    """Return the workbook.

    Args:
        settled: the transfer.
        ledger: the same as data, with its time and fingerprints.
    """
    from xlsxwriter import Workbook  # noqa: PLC0415 - most writes make none

    data = io.BytesIO()
    book = Workbook(data, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    book.set_properties({"title": "Reconciliation report", "comments": f"Made by Skarvin {ledger['skarvin']}"})
    bold = book.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
    top = book.add_format({"valign": "top"})
    for sheet in _sheets(settled, ledger):
        _fill(book.add_worksheet(sheet.name), sheet, (bold, top))
    book.close()
    return data.getvalue()


def _fill(page: Any, sheet: _Sheet, formats: tuple[Any, Any]) -> None:  # noqa: ANN401 - the library has no types
    widths = [len(heading) for heading in sheet.headings]
    for column, heading in enumerate(sheet.headings):
        page.write_string(0, column, heading, formats[0])
    last = 0
    for number, cells in enumerate(table_shown(sheet.headings, sheet.rows), 1):
        if number > _MOST_ROWS:
            break
        last = number
        for column, cell in enumerate(cells):
            if isinstance(cell, int | float):
                page.write_number(number, column, cell, formats[1])
            elif cell != "":
                text = cell[:_LONGEST_CELL]
                page.write_string(number, column, text, formats[1])
                widths[column] = max(widths[column], min(_WIDEST, len(text)))
    for column, width in enumerate(widths):
        page.set_column(column, column, width + 2)
    page.freeze_panes(1, 0)
    page.autofilter(0, 0, max(last, 1), max(len(sheet.headings) - 1, 0))
    page.ignore_errors({"number_stored_as_text": "A1:XFD1048576"})
    page.set_landscape()
    page.set_paper(9)
    page.fit_to_pages(1, 0)
    page.repeat_rows(0)


def _sheets(settled: Settled, ledger: Data) -> Iterator[_Sheet]:
    yield _Sheet("Verdict", ("What", "Finding"), _verdict(settled, ledger))
    fates = [fate.label for fate in Fate]
    sums = ("In the export", "Moved, before", "Moved, after", "Form", "Replaced", "Import file")
    yield _Sheet("Items", ("From", "To", "Out of", *fates, "Entries", *sums), _items(settled))
    held = ("Cell", "Identifier", "Student", "Item", "Mark", "Reason")
    yield _Sheet("Held", held, ((*_who(line), reason_of(line)) for line in settled.ledger.lines([Fate.HELD])))
    changed = (
        "Cell",
        "Identifier",
        "Student",
        "Item",
        "In the export",
        "Sent before",
        "Before",
        "After",
        "Fate",
        "Reason",
    )
    yield _Sheet("Changed", changed, map(_changed, settled.ledger.lines(_CHANGED)))
    fed = [item.target.called for item in settled.ledger.fed if item.target]
    yield _Sheet("Students", ("Row", "Form row", "Identifier", "Student", "Section", *fed), _students(settled))


def _verdict(settled: Settled, ledger: Data) -> Iterator[tuple[str, str]]:
    yield "Verdict", ledger["verdict"]
    if since := since_sentence(settled):
        yield "Since the last write", since
    yield "To decide", ledger["needs_a_person"]
    for step in next_steps(settled):
        yield step.what, step.how
    yield "Written", ledger["when"]
    for what, file in ledger["files"].items():
        yield f"SHA-256 of {file['name']} ({what.replace('_', ' ')})", file["sha256"]


def _items(settled: Settled) -> Iterator[tuple[str | float, ...]]:
    for books in settled.totals:
        item = books.item
        totals = (
            books.source,
            books.moved_before,
            books.moved_after,
            books.target_before,
            books.replaced,
            books.target_after,
        )
        yield (
            item.source.named,
            item.target.named if item.target else f"left out: {item.why}",
            maxima_in_words(item),
            *(books.fates[fate] for fate in Fate),
            books.cells,
            *(_sum(plain(total.sum)) if item.target else "" for total in totals),
        )


def _sum(text: str) -> str | float:
    """Return a sum as a number, as long as a spreadsheet's numbers hold it exactly; else as the text that it is."""
    if text.endswith("…"):
        return text
    return float(text) if Decimal(text) == Decimal(repr(float(text))) else text


def _who(line: Line) -> tuple[str, str, str, str, str]:
    student = line.entry.source
    if student is None:
        raise AssertionError(line)  # a mark is somebody's
    identifier = identity(student.identifier.strip())
    return place_of(line), identifier, student.name, line.item.source.named, in_export(line)


def _changed(line: Line) -> tuple[str, ...]:
    outcome = line.outcome
    fate = " ".join(filter(None, (outcome.fate.label if outcome.fate else "", change_of(outcome))))
    return (*_who(line), outcome.last, before(line), after(line), fate, reason_of(line))


def _students(settled: Settled) -> Iterator[tuple[str | int, ...]]:
    ledger = settled.ledger
    for entry in (*ledger.entries, *ledger.target_only):
        student = entry.source or entry.target
        if student is None:
            continue
        outcomes = ledger.outcomes_of(entry)[: len(ledger.fed)]
        shown = entry.target or student
        yield (
            entry.source.row.label
            if entry.source and entry.source.row.source.number
            else entry.source.row.number
            if entry.source
            else "",
            entry.target.row.number if entry.target else "",
            identity(shown.identifier.strip()),
            student.name,
            student.section or shown.section,
            *map(_cell, outcomes),
        )


def _cell(outcome: Outcome) -> str:
    text = outcome.in_target if outcome.written is None else outcome.written
    return text.strip() or ("(held)" if outcome.fate is Fate.HELD else "")
