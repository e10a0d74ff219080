"""A settled transfer as plain data: what `--json` prints and `ledger.json` holds (docs/ledger.md)."""

from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal
from fractions import Fraction
from functools import cache
from typing import Any

import msgspec

from skarvin import __version__
from skarvin.core.findings import Finding, Place, Row, column_letter
from skarvin.core.gradebook import Gradebook
from skarvin.core.grid.file_bytes import fingerprint
from skarvin.core.grid.folder import path_fingerprint
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column, ItemSource
from skarvin.core.ledger.control_totals import ControlTotal, ItemBooks
from skarvin.core.ledger.filed import SCHEMA
from skarvin.core.ledger.ledger import Line
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.marks.rule import Rule
from skarvin.core.reasons import Fate
from skarvin.core.targets.placing import MadeRow
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.held_list import held_file
from skarvin.core.transfer.import_files import ONE_WHOLE
from skarvin.core.transfer.settling import Settled
from skarvin.core.transfer.who_is_who import pairings_file
from skarvin.reports.check_words import answers_data, total_data
from skarvin.reports.row_counts import rows_data
from skarvin.reports.since_words import since_data
from skarvin.reports.students_data import Listed, students_data, why_data
from skarvin.reports.verdict import to_decide, verdict

_SHORT, _LONG = 4, 8
END = b"\n}\n"
"""How the ledger ends; what is begun can be gone on with in front of it."""
_ENCODER = msgspec.json.Encoder()
Data = dict[str, Any]


def settled_data(settled: Settled, listed: Listed = list) -> Data:
    """Return a transfer that is settled and not written; `listed` makes the lists of all students and marks."""
    return {
        "schema": SCHEMA,
        "skarvin": __version__,
        **({"about": about} if any((about := msgspec.to_builtins(settled.plan.about)).values()) else {}),
        "verdict": verdict(settled, is_written=False),
        "needs_a_person": to_decide(settled),
        "since": since_data(settled),
        "fates": {fate.value: settled.ledger.fates[fate] for fate in Fate},
        "source": _side(settled.sides.source),
        "target": _side(settled.sides.target)
        | {
            "rows_added": sum(1 for made in settled.sides.added.values() if made.over is None),
            "added": [_made_row(row, made) for row, made in settled.sides.added.items()],
            "added_like_row": None
            if settled.sides.like is None
            else settled.sides.form.grid.row(settled.sides.like).number,
            **_written_parts(settled),
        },
        "departures": [
            {"slug": departure.slug, "what": departure.what, "place": place_data(departure.place)}
            for departure in settled.sides.departures
        ],
        "rows": {side: rows_data(count) for side, count in zip(_sides(settled), settled.rows, strict=False)},
        "students": students_data(settled, listed),
        "items": _items(settled),
        "totals": [total_data(result) for result in settled.made.totals],
        "answers": answers_data(settled),
        "marks": _marks(settled, listed),
    }


def _sides(settled: Settled) -> list[str]:
    """Return what the files are called whose rows are counted, in their order; a roster only where there is one."""
    further = [f"source_{number}" for number in range(2, len(settled.sides.parts) + 1)]
    return ["source", *further, "target", "roster"]


def written_data(settled: Settled, when: str, listed: Listed = list) -> Data:
    """Return a transfer that is to be written; `when` is the time in ISO 8601, `listed` as above."""
    sides = settled.sides
    files = {
        "transfer": (settled.file, settled.plan_fingerprint),
        "export": (sides.source.grid.file, sides.source.grid.fingerprint),
        "form": (sides.form.grid.file, sides.form.grid.fingerprint),
    }
    if settled.decisions_fingerprint:
        files["pairings"] = (pairings_file(settled.file), settled.decisions_fingerprint)
    if settled.held_list is not None:
        files["held"] = (held_file(settled.file), fingerprint(settled.held_list))
    for number, book in enumerate(sides.parts[1:], 2):
        files[f"export_{number}"] = (book.grid.file, book.grid.fingerprint)
    files |= {name: (path, path_fingerprint(path)) for name, path in settled.further_inputs.items()}
    return settled_data(settled, listed) | {
        "verdict": verdict(settled, is_written=True),
        "transfer": settled.plan_text,
        "when": when,
        "files": {name: {"name": path.name, "sha256": digest} for name, (path, digest) in files.items()},
    }


def ledger_json(data: Data, before: bytes = b"") -> bytes:
    """Return the bytes of `ledger.json`, with one line for each row of its lists.

    Args:
        data: the ledger, or the part of it that follows.
        before: the bytes of the part before.
    """
    parts = b",\n".join(b'"%s": %s' % (key.encode(), _table_json(value)) for key, value in data.items())
    return b"%s,\n%s%s" % (before.removesuffix(END), parts, END) if before else b"{\n%s%s" % (parts, END)


def _table_json(value: Any) -> bytes:  # noqa: ANN401 - whatever JSON can hold
    if isinstance(value, Iterator):
        lines = b",\n".join(map(_ENCODER.encode, value))
        return b"[\n%s\n]" % lines if lines else b"[]"
    if isinstance(value, list) and value and isinstance(value[0], dict):
        return _table_json(iter(value))
    if isinstance(value, dict) and any(isinstance(one, list | Iterator) for one in value.values()):
        return b"{\n%s\n}" % b",\n".join(b'"%s": %s' % (key.encode(), _table_json(one)) for key, one in value.items())
    return _ENCODER.encode(value)


def place_data(place: Place | None) -> Data:
    """Return a place with the parts that it has."""
    if place is None:
        return {}
    parts = {
        "file": place.file.name,
        "line": place.line,
        "row": place.row_number,
        "column": None if place.column is None else column_letter(place.column),
        "heading": place.heading,
    }
    return {name: part for name, part in parts.items() if part is not None}


def form_data(grid: Grid) -> Data:
    """Return what kind of file a grid came from, and how it was read."""
    return {"form": grid.title, **grid.facts}


def finding_data(finding: Finding) -> Data:
    """Return a finding."""
    return {"slug": finding.slug, "what": finding.what, "place": place_data(finding.place), "mend": finding.mend}


def _side(book: Gradebook) -> Data:
    return {
        "file": book.grid.file.name,
        **form_data(book.grid),
        "identifier": book.identifier.heading if book.identifier else "",
        "students": len(book.students),
    }


def _made_row(row: Row, made: MadeRow) -> Data:
    over = {} if made.over is None else {"over": list(made.over)}
    return {"to_row": row.number, "cells": list(made.cells), **over}


def _written_parts(settled: Settled) -> Data:
    """Return which rows and columns go into each import file, and how a file that is composed follows its sample."""
    data: Data = {}
    grid, composition = settled.sides.form.grid, settled.sides.composition
    if settled.files.files != ONE_WHOLE.files:
        data["import_files"] = [
            {
                "of": one.label,
                "rows": None if one.part.rows is None else [grid.row(row).number for row in one.part.rows],
                "columns": None if one.part.columns is None else list(map(column_letter, one.part.columns)),
            }
            for one in settled.files.files
        ]
    if composition:
        first = len(composition.rows) - composition.ends
        moved = len(grid) - len(composition.rows)
        data["composed"] = {
            "columns": [None if old is None else column_letter(old) for old in composition.columns],
            "headings": [column.heading for column in composition.layout.columns],
            "rows": [
                (grid.row(place + (moved if place >= first else 0)).number, old.number)
                for place, old in enumerate(composition.rows)
            ],
            "heading_row": None if (row := composition.layout.heading_row) is None else grid.row(row).number,
            "new_items": [
                {"heading": column.heading, "out_of": None if column.out_of is None else plain(column.out_of)}
                for column in composition.new_items
            ],
        }
    return data


def _items(settled: Settled) -> list[Data]:
    """Return the items; what a code says under a rule is told once, however many items have it."""
    told: dict[Rule, Callable[[int], Data]] = {}

    def telling(rule: Rule) -> Callable[[int], Data]:
        return told.setdefault(rule, cache(lambda code: _by_text(settled.ledger.outcomes[code], rule)))

    return [_item(settled, totals, telling(totals.item.rule)) for totals in settled.totals]


def _item(settled: Settled, totals: ItemBooks, told: Callable[[int], Data]) -> Data:
    item = totals.item
    from_out_of, to_out_of = item.rule.maxima
    data: Data = {
        "from": _column(item.source, from_out_of),
        "to": _column(item.target, to_out_of) if item.target else None,
        "fates": {fate.value: totals.fates[fate] for fate in Fate},
        "reasons": [
            {"fate": fate.value, "reason": words, "count": count} for (fate, words), count in totals.in_words.items()
        ],
        "source": _control_total(totals.source),
    }
    if item.target:
        index = settled.ledger.place_of(item)
        data |= {
            "rule": _rule(item.rule),
            "moved": {"before": _control_total(totals.moved_before), "after": _control_total(totals.moved_after)},
            "target": {
                "before": _control_total(totals.target_before),
                "replaced": _control_total(totals.replaced),
                "after": _control_total(totals.target_after),
            },
            "rounded": sum(count for _, count in totals.rounded),
            "largest_change": plain(totals.largest_change),
            "goes_down": totals.goes_down,
            "by_text": [told(code) | {"count": count} for code, count in settled.ledger.counts[index].items()],
        }
    return data


def _rule(rule: Rule) -> Data:
    steps = rule.steps
    numbers: Data = {"decimals": steps.decimals, "rounding": steps.rounding.value} if steps else {}
    numbers |= {"step": plain(steps.step)} if steps and steps.step is not None else {}
    return {
        "words": rule.in_words,
        **numbers,
        "blank": rule.blank.value,
        "existing": rule.existing.value,
    }


def _by_text(outcome: Outcome, rule: Rule) -> Data:
    """Return an outcome with the numbers from which the control totals are made."""
    now = outcome.was if outcome.written is None else outcome.written
    numbers = {
        "number": outcome.before,
        "was_number": rule.target_number(outcome.was),
        "now_number": rule.target_number(now),
    }
    exact = {name: str(Fraction(number)) for name, number in numbers.items() if number is not None}
    return {**outcome_data(outcome), **exact}


def outcome_data(outcome: Outcome) -> dict[str, Any]:
    """Return what became of a mark, what the form's cell said, and what it says now if that is something else."""
    data: dict[str, Any] = {
        "fate": outcome.fate.value if outcome.fate else None,
        "mark": outcome.source,
        "was": outcome.was,
    }
    if outcome.written is not None:
        data["now"] = outcome.written
    if outcome.last:
        data["last"] = outcome.last
    if outcome.there is not None:
        data["there"] = outcome.there
    if outcome.correction:
        data["correction"] = dict(zip(("text", "by", "why"), outcome.correction, strict=False))
    if outcome.off:
        data["rounded"] = True
    if outcome.goes_down:
        data["goes_down"] = True
    if outcome.note:
        data["boundary"] = outcome.note
    if outcome.why:
        data |= why_data(outcome.why)
    return data


def _column(column: ItemSource, out_of: Decimal | None) -> Data:
    key = column.key if isinstance(column, Column) else None
    return {
        "column": column.letter or None,
        "heading": column.heading,
        "title": column.title,
        "out_of": None if out_of is None else plain(out_of),
        **({"key": key} if key else {}),
    }


def _control_total(total: ControlTotal) -> Data:
    return {"count": total.count, "sum": plain(total.sum)}


def _marks(settled: Settled, listed_as: Listed) -> Data:
    is_whole = settled.is_listed_whole
    fates = list(Fate) if is_whole else [Fate.CHANGED, Fate.KEPT, Fate.HELD]
    listed = {
        "fates_listed": [fate.value for fate in fates],
        "list": listed_as(_mark(line) for line in _lines(settled, fates)),
        "untouched": list(_untouched(settled)),
    }
    if is_whole:
        return listed
    return listed | _mark_codes(settled)


def _mark_codes(settled: Settled) -> Data:
    """Return what the lines mean: which columns their codes are for, and what each code stands for."""
    ledger = settled.ledger
    return {
        "columns": [[item.source.letter or None, item.target.letter if item.target else None] for item in ledger.items],
        "digits": digits_of(len(ledger.outcomes)),
        "outcomes": [outcome_data(outcome) for outcome in ledger.outcomes],
    }


def digits_of(outcomes: int) -> int:
    """Return how many hexadecimal digits a code has: four as long as that is enough."""
    return _SHORT if outcomes <= 16**_SHORT else _LONG


def _untouched(settled: Settled) -> Iterator[Data]:
    """Yield the marks in the form, in items that marks go to, of students for whom the export has none."""
    ledger = settled.ledger
    filled = {code for code, outcome in enumerate(ledger.outcomes) if outcome.fate is None and outcome.was.strip()}
    for position, column in ledger.target_only_codes.find(filled) if filled else ():
        student, item = ledger.target_only[position].target, ledger.items[column].target
        if student and item:
            outcome = ledger.outcomes[ledger.target_only_codes.row(position)[column]]
            is_counted = student.row not in ledger.apart
            number = ledger.items[column].rule.target_number(outcome.was) if is_counted else None
            exact = {} if number is None else {"number": str(Fraction(number))}
            yield {"to_row": student.row.number, "to_column": item.letter, "was": outcome.was, **exact}


def _lines(settled: Settled, fates: Iterable[Fate]) -> Iterable[Line]:
    return settled.ledger.lines(fates)


def _mark(line: Line) -> Data:
    source, target = line.entry.source, line.entry.target
    number = source.row.source.number if source else 0
    place = line.item.source.in_file(number) if isinstance(line.item.source, Column) else None
    has_cell = source is not None and place is not None and source.row.has(place)
    own, column = source.row.stands(place) if has_cell and source and place is not None else (None, None)
    return {
        **({"export": number} if number else {}),
        "row": None if source is None else source.row.number,
        **({"mark_row": own.number} if own and source and own != source.row else {}),
        "column": None if column is None else column_letter(column),
        "to_row": None if target is None else target.row.number,
        "to_column": line.item.target.letter if line.item.target else None,
        **outcome_data(line.outcome),
    }
