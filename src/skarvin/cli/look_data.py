"""What is in a file, or in two side by side, as data."""

from collections.abc import Callable
from typing import Any

from skarvin.core.findings import Finding, Row
from skarvin.core.layout.columns import MAY_BE_PERSONAL, Column
from skarvin.core.plan.looking import Comparison, ItemLook, Look
from skarvin.core.texts.numbers import plain
from skarvin.reports.data import finding_data, form_data
from skarvin.reports.mask import mask


def look_data(look: Look, hide: Callable[[str], str]) -> dict[str, Any]:
    """Return what is in a file; `hide` is what texts of a person pass through."""
    book = look.book
    return {
        "file": look.grid.file.name,
        **form_data(look.grid),
        "heading_rows": [look.grid.row(row).number for row in look.layout.top.heading_rows],
        "weights_row": None
        if look.layout.top.weights_row is None
        else look.grid.row(look.layout.top.weights_row).number,
        "maxima_row": None if look.layout.top.maxima_row is None else look.grid.row(look.layout.top.maxima_row).number,
        "students": len(book.students) if book else None,
        "sections": dict(look.sections),
        "no_students": [
            {"row": non_student.student.row.number, "slug": non_student.why.cause.code, "reason": non_student.why.words}
            for non_student in (book.non_students if book else ())
        ],
        "lines": [row.number for row in lines_of_text(look)],
        "columns": [
            {
                "column": surveyed.column.letter,
                "heading": surveyed.column.heading,
                "taken_for": surveyed.column.use.value,
                "because": surveyed.column.evidence,
                "or_else": surveyed.column.runner_up or None,
                "title": surveyed.column.title,
                "key": surveyed.column.key,
                "out_of": None if surveyed.column.out_of is None else plain(surveyed.column.out_of),
                "counts": surveyed.column.counts,
                "filled": surveyed.filled,
                "distinct": surveyed.distinct,
                "examples": [text_shown(surveyed.column, text, hide) for text in surveyed.examples],
            }
            for surveyed in look.surveys
        ],
        "items": [_item_data(item) for item in look.items],
        "faults": [finding_data(finding) for finding in look.layout.faults],
        "oddities": [finding_data(harmless(finding) if hide is mask else finding) for finding in look.oddities],
    }


def _item_data(item: ItemLook) -> dict[str, Any]:
    numbers = {"smallest": item.smallest, "median": item.median, "largest": item.largest}
    return {
        "column": item.column.letter,
        "kinds": {kind.value: count for kind, count in item.kinds.most_common()},
        **{name: number or None for name, number in numbers.items()},
    }


def comparison_data(found: Comparison) -> dict[str, Any]:
    """Return what two files have in common."""
    met, only_one, only_other = found.students
    return {
        "both": {
            "headings": list(found.headings),
            "items": [[column.letter, other.letter] for column, other in found.items],
            "identifiers": [column.letter for column in found.identifiers] if found.identifiers else None,
            "students": {"both": met, "only_first": only_one, "only_second": only_other},
            "out_of_step": found.shift,
            "other_names": [[row.number, other.number] for row, other in found.renamed],
        }
    }


def text_shown(column: Column, text: str, hide: Callable[[str], str]) -> str:
    """Return a cell's text as it may be shown."""
    return hide(text.strip()) if column.use in MAY_BE_PERSONAL else text.strip()


def harmless(finding: Finding) -> Finding:
    """Return a finding without the text of a cell that is somebody's name."""
    if finding.slug not in {"mangled", "curly"}:
        return finding
    return Finding(finding.slug, finding.what.split(":")[0], finding.place)


def lines_of_text(look: Look) -> list[Row]:
    """Return the rows of text above, between and below the students."""
    return [*map(look.grid.row, look.layout.top.title_rows), *(look.book.lines if look.book else ())]
