"""The roster import as a file: the form with newcomers in it, in the columns that are wanted, and looked at again."""

from collections.abc import Iterator, Mapping, Sequence
from enum import StrEnum
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from skarvin.core.findings import Finding, Refused, Unreadable, column_letter
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.ledger.second_look.claims import Claims
from skarvin.core.ledger.second_look.comparison import Files, look_again
from skarvin.core.ledger.second_look.parts import look_at_parts
from skarvin.core.ledger.second_look.readers import reading_of
from skarvin.core.targets.placing import MadeRow, People, empty_people, place_rows
from skarvin.core.targets.target import WHOLE, Part, Target


class Standing(StrEnum):
    """What becomes of the people who stand in the form."""

    LEFT_OUT = "left out"
    KEPT = "kept"
    CLEARED = "cleared"


class FileRules(msgspec.Struct, frozen=True):
    """How the roster is written.

    Attributes:
        standing: what becomes of the people in the form.
        columns: which columns are written, in their order; none for all.
        renamed: other headings, by the form's.
        has_headings: whether the headings are written.
    """

    standing: Standing = Standing.LEFT_OUT
    columns: tuple[str, ...] = ()
    renamed: tuple[tuple[str, str], ...] = ()
    has_headings: bool = True


class RosterFile(NamedTuple):
    """A roster as it will be written.

    Attributes:
        form: the form with the rows in it.
        part: what of it is written.
        claims: what each row must say, for the second look.
    """

    form: Target
    part: Part
    claims: dict[str, Any]

    def written(self) -> Iterator[bytes]:
        """Yield the file."""
        return self.form.filled([], {}, [], (), self.part)

    def whole(self) -> Iterator[bytes]:
        """Yield the whole form with the rows in it."""
        return self.form.filled([], {}, [])


def make_file(
    form: Target, layout: Layout, people: Sequence[int], rows: Sequence[Sequence[str]], rules: FileRules
) -> RosterFile:
    """Return the roster import.

    Args:
        form: the target's form.
        layout: what its columns mean.
        people: the positions of the rows of those who stand in it.
        rows: a row for each newcomer, in the form's columns.
        rules: how it is written.

    Raises:
        Unreadable: a column isn't there, rows have no place, or a workbook can't be written that way.
    """
    columns = tuple(_column(form, layout, name).index for name in rules.columns)
    renamed = {_column(form, layout, name).index: new for name, new in rules.renamed}
    part = _part(form, layout, columns, has_headings=rules.has_headings)
    who = next(iter([*layout.identifiers, *layout.names])).index
    heading = {} if layout.heading_row is None or not renamed else {layout.heading_row: renamed}
    if rules.standing is Standing.LEFT_OUT:
        extended = (
            form.made(heading).extended(rows, layout.first_row) if heading else form.extended(rows, layout.first_row)
        )
        claims = _anew(form, extended, layout, rows, renamed)
    else:
        named = form.made(heading) if heading else form
        standing = People(layout, who, set(people))
        emptied: Mapping[int, MadeRow] = {}
        if rules.standing is Standing.CLEARED:
            named, emptied, _ = empty_people(named, standing)
            standing = standing._replace(rows=set())
        placed = place_rows(named, standing, rows, emptied)
        extended = placed.form
        made = dict(placed.made)
        for row in heading:
            made[row] = MadeRow(tuple(extended.grid.cells(row)), tuple(form.grid.cells(row)))
        claims = {"added": [_made(extended, row, one) for row, one in sorted(made.items())]}
        if placed.like is not None:
            claims["added_like_row"] = extended.grid.row(placed.like).number
    if part != WHOLE and part.rows is not None:
        part = part._replace(rows=tuple(range(layout.first_row, len(extended.grid))))
    if part != WHOLE:
        claims["import_files"] = [_part_claim(extended, part)]
    return RosterFile(extended, part, _ledger(form, claims))


def look_at_roster(file: RosterFile, ledger: bytes, files: Files, written: Path) -> int:
    """Return how many rows the file has, having found that it says what the ledger says it must.

    Args:
        file: the roster as it was to be written.
        ledger: the ledger as it will be filed.
        files: the form, and the whole form with the rows in it.
        written: the roster where it lies now.

    Raises:
        Refused: it says anything else anywhere.
    """
    claims = Claims(ledger, None)
    reading = reading_of(file.form.grid.reading, (0,))
    if reading is None:
        raise AssertionError(files.form)  # what can be written can be read again
    found = look_again(files, reading, claims)
    if file.part == WHOLE:
        return found.rows
    return look_at_parts(files.written, [(written, files.final)], reading, claims)


def check_texts(form: Target, rows: Sequence[Sequence[str]], places: Sequence[str]) -> None:
    """Refuse a row that can't be written in the form's encoding.

    Raises:
        Refused: there is one; `places` says where it comes from.
    """
    for texts, place in zip(rows, places, strict=True):
        lacking = next(filter(None, map(form.lacks, texts)), None)
        if lacking:
            what = f"{place} can't be written: {lacking}"
            raise Refused(Finding("encoding", what, form.grid.place(), "Export the form as UTF-8."))


def _column(form: Target, layout: Layout, name: str) -> Column:
    try:
        return find_column(layout.columns, name)
    except NoSuchColumn as error:
        place = form.grid.place(layout.heading_row)
        raise Unreadable(Finding("no-such-column", str(error), place, "Name a column of the form.")) from None


def _part(form: Target, layout: Layout, columns: tuple[int, ...], *, has_headings: bool) -> Part:
    if has_headings and not columns:
        return WHOLE
    if not form.has_parts:
        what = "columns and headings can't be left out of a workbook"
        mend = "Take a form in delimited text (CSV), or take --columns and --no-headings away."
        raise Unreadable(Finding("parts-of-workbook", what, form.grid.place(layout.heading_row), mend))
    return Part(None if has_headings else (), columns or None)


def _anew(
    form: Target, extended: Target, layout: Layout, rows: Sequence[Sequence[str]], renamed: Mapping[int, str]
) -> dict[str, Any]:
    """Return what the file must say where the people in the form are left out: its top, and the newcomers."""
    own, grid = form.grid, extended.grid
    width = len(layout.columns)
    return {
        "added": [_made(extended, layout.first_row + place, MadeRow(tuple(texts))) for place, texts in enumerate(rows)],
        "composed": {
            "columns": [None if column in renamed else column_letter(column) for column in range(width)],
            "headings": [renamed.get(column.index, column.heading) for column in layout.columns],
            "rows": [(grid.row(row).number, own.row(row).number) for row in range(layout.first_row)],
            "heading_row": None if layout.heading_row is None else own.row(layout.heading_row).number,
        },
    }


def _made(form: Target, row: int, made: MadeRow) -> dict[str, Any]:
    over = {} if made.over is None else {"over": list(made.over)}
    return {"to_row": form.grid.row(row).number, "cells": list(made.cells), **over}


def _part_claim(form: Target, part: Part) -> dict[str, Any]:
    return {
        "rows": None if part.rows is None else [form.grid.row(row).number for row in part.rows],
        "columns": None if part.columns is None else [column_letter(column) for column in part.columns],
    }


def _ledger(form: Target, target: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a roster is checked against, as a ledger without marks says it."""
    return {
        "marks": {"list": []},
        "students": {"pairs": []},
        "target": target,
        "items": [],
        "files": {"form": {"name": form.grid.file.name, "sha256": form.grid.fingerprint}},
    }
