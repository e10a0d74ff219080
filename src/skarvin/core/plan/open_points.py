"""What is still open in a `transfer.toml`, as questions for a person; and the answers written into it."""

import contextlib
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from skarvin.core.findings import Unreadable, listing
from skarvin.core.grid.file_bytes import read_bytes
from skarvin.core.grid.read import read_grid
from skarvin.core.items.matching import propose
from skarvin.core.layout.address import NoSuchColumn, find_column, name_of
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.recognise import recognise
from skarvin.core.plan.drafting.mark_hints import find_hints
from skarvin.core.plan.drafting.toml import quoted
from skarvin.core.plan.drafting.understanding import with_examples
from skarvin.core.plan.drafting.wording import as_target_writes
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.plan import OPEN, SAME_MAXIMUM, SidePlan
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault, load_toml

_SIDE_KEYS = frozenset(SidePlan.__struct_fields__)
_OPEN_VALUE = pattern(r"""^(\s*(?:"[^"]*"|'[^']*'|[\w-]+)\s*=\s*)(?:"\?"|'\?')\s*(?:#.*)?$""")
_LEFT_OUT = "false"
_CANDIDATE = "#   "
_MOST = 6
_NOBODY: Mapping[str, Sequence[tuple[str, str]]] = {}


class Kind(StrEnum):
    """What kind of answer a question takes."""

    COLUMN = "column"
    SHEET = "sheet"
    ITEM = "item"
    MAXIMUM = "maximum"
    MARK = "mark"
    WORD = "word"
    STATUS = "status"


class Choice(NamedTuple):
    """One answer that is offered: what is typed for it, and what speaks for it."""

    answer: str
    words: str = ""


class Question(NamedTuple):
    """One open point: its line in the file, what is asked, and what is offered."""

    line: int
    kind: Kind
    asks: str
    choices: tuple[Choice, ...]
    layout: Layout | None = None
    goes_with: Callable[[str], list[str]] = lambda _: []
    """Gives the lines that go below an answer."""
    rows: Callable[[], Iterable[str]] = tuple
    """Gives the rows of the files that it is about, in words."""


def open_questions(file: Path, candidates: Mapping[str, Sequence[tuple[str, str]]] = _NOBODY) -> list[Question]:
    """Return what is open in a transfer, from the top down.

    Args:
        file: the transfer.
        candidates: for items of the export, by the names that stand in `from`, the columns that they may go to with
            what speaks for each, where that is known; else it is found by their titles.

    Raises:
        Unreadable: the transfer's files can't be read.
    """
    try:
        text = read_bytes(file).decode("utf-8-sig")
        raw = load_toml(text)
        sides = {side: _Side(file, raw.get(side)) for side in ("source", "target")}
    except (Unreadable, UnicodeDecodeError, TomlFault, msgspec.ValidationError):
        return []  # whoever reads the plan says what is wrong with it
    found = [*_identifiers(text, raw, sides), *_sheets(file, text, raw), *_items(text, raw, sides, candidates)]
    found += [*_maximum(text, raw, sides), *_statuses(text, raw, sides), *_scales(text, raw, sides)]
    return sorted(found, key=lambda question: question.line)


class _Side:
    """A file of the transfer, read when it is asked for."""

    def __init__(self, file: Path, raw: object) -> None:
        self._folder = file.parent
        known = {key: value for key, value in raw.items() if key in _SIDE_KEYS} if isinstance(raw, dict) else {}
        self._plan = msgspec.convert({"identifier": "", **known}, SidePlan)

    def read(self) -> tuple[Any, Layout]:
        grid = read_grid(self._folder / self._plan.file, self._plan)
        return grid, recognise(grid, self._plan.told)


def _identifiers(text: str, raw: Mapping[str, Any], sides: Mapping[str, _Side]) -> Iterator[Question]:
    for side, title in (("source", "export"), ("target", "form")):
        table = raw.get(side)
        line = find_line(text, side, "identifier")
        if isinstance(table, dict) and table.get("identifier") == OPEN and line:
            grid, layout = sides[side].read()
            columns = [*layout.identifiers, *(column for column in layout.columns if column not in layout.identifiers)]
            columns = [column for column in columns if column.use is not Use.ITEM][:_MOST] or columns[:_MOST]
            examples = with_examples(grid, layout, columns)
            choices = tuple(
                Choice(quoted(name_of(layout.columns, column)), words)
                for column, words in zip(columns, examples, strict=False)
            )
            asks = f"Which column of the {title} identifies the students?"
            yield Question(line, Kind.COLUMN, asks, (*choices, Choice('""', "none: their names do")), layout)


def _sheets(file: Path, text: str, raw: Mapping[str, Any]) -> Iterator[Question]:
    """Yield whether a further sheet is read, too."""
    exports = raw.get("export")
    for index, export in enumerate(exports if isinstance(exports, list) else ()):
        line = find_line(text, "export", "identifier", index)
        if isinstance(export, dict) and export.get("identifier") == OPEN and line:
            _, layout = _Side(file, export).read()
            tell = [
                Choice(quoted(name_of(layout.columns, one)), "it is read, too, and this tells its students")
                for one in layout.identifiers
            ]
            asks = f"'{export.get('sheet', '')}' has students of the form who aren't in what is read. Is it read, too?"
            yield Question(line, Kind.SHEET, asks, (*tell, Choice(_LEFT_OUT, "it isn't read")), layout)


def _items(
    text: str,
    raw: Mapping[str, Any],
    sides: Mapping[str, _Side],
    candidates: Mapping[str, Sequence[tuple[str, str]]],
) -> Iterator[Question]:
    items = [item for item in raw.get("item", []) if isinstance(item, dict)]
    if not any(item.get("to") == OPEN for item in items):
        return
    target = sides["target"].read()[1]
    sent = {item.get("to") for item in items}
    free = [
        column
        for column in target.of_use({Use.ITEM, Use.TOTAL, Use.OTHER})
        if name_of(target.columns, column) not in sent
    ]
    for index, item in enumerate(items):
        line = find_line(text, "item", "to", index)
        if item.get("to") != OPEN or line is None:
            continue
        name = _called(item)
        known = candidates.get(name) or _by_title(sides["source"].read()[1], name, free, target)
        choices = tuple(Choice(quoted(other), ground) for other, ground in known)
        asks = f"Where do the marks of '{name}' go?"
        choices = (*choices, Choice('""', "nowhere: they are left out"))
        below, rows = partial(_written_as, name, sides), partial(_rows_of, name, sides)
        yield Question(line, Kind.ITEM, asks, choices, target, below, rows)


def _called(item: Mapping[str, Any]) -> str:
    """Return the heading of an item, or the first of several."""
    said = item.get("from", "")
    return str(next(iter(said), "")) if isinstance(said, list) else str(said)


def _by_title(source: Layout, name: str, free: Sequence[Column], target: Layout) -> list[tuple[str, str]]:
    try:
        column = find_column(source.columns, name)
    except NoSuchColumn:
        return []
    (found,) = propose([column], free)
    if found.target:
        return [(name_of(target.columns, found.target), found.reason)]
    pairs = zip(found.candidates, found.grounds, strict=True)
    return [(name_of(target.columns, other), ground) for other, ground in pairs]


def _maximum(text: str, raw: Mapping[str, Any], sides: Mapping[str, _Side]) -> Iterator[Question]:
    marks = raw.get("marks")
    line = find_line(text, "marks", "missing_maximum")
    if isinstance(marks, dict) and marks.get("missing_maximum") == OPEN and line:
        source, target = sides["source"].read()[1], sides["target"].read()[1]
        titles = listing([f"'{title}'" for title in _one_sided(raw, source, target)]) or "some items"
        asks = f"Only one side gives the maximum of {titles}. What is the other's?"
        choices = (
            Choice(SAME_MAXIMUM, "marks are copied as they are"),
            Choice("100", "the other side counts in percent"),
        )
        yield Question(line, Kind.MAXIMUM, asks, choices)


def _one_sided(raw: Mapping[str, Any], source: Layout, target: Layout) -> Iterator[str]:
    """Yield the titles of the items of which only one side gives the maximum."""
    for item in raw.get("item", []):
        with contextlib.suppress(NoSuchColumn):
            ours = find_column(source.columns, _called(item))
            theirs = find_column(target.columns, str(item.get("to", "")))
            maxima = (item.get("from_out_of", ours.out_of), item.get("to_out_of", theirs.out_of))
            if maxima.count(None) == 1:
                yield ours.title


def _statuses(text: str, raw: Mapping[str, Any], sides: Mapping[str, "_Side"]) -> Iterator[Question]:
    statuses = raw.get("statuses")
    for word, code in statuses.items() if isinstance(statuses, dict) else ():
        line = find_line(text, "statuses", word)
        if code == OPEN and line:
            asks = f"What is sent for '{word}'?"
            choices = (Choice("false", "hold it"), Choice("0", "zero"), Choice('""', "a blank"))
            yield Question(line, Kind.STATUS, asks, choices, rows=partial(_rows_with, word, sides))


def _scales(text: str, raw: Mapping[str, Any], sides: Mapping[str, "_Side"]) -> Iterator[Question]:
    scales = raw.get("scale")
    for name, scale in scales.items() if isinstance(scales, dict) else ():
        for table, asks in (("bands", "From which mark on is '{}' given?"), ("values", "Which mark stands for '{}'?")):
            words = scale.get(table) if isinstance(scale, dict) else None
            for word, mark in words.items() if isinstance(words, dict) else ():
                line = find_line(text, f"scale.{name}.{table}", word)
                if mark == OPEN and line:
                    unit = "points" if scale.get("measure") == "points" else "percent of the maximum"
                    rows = partial(_rows_with, word, sides)
                    yield Question(line, Kind.MARK, f"{asks.format(word)} (in {unit})", (), rows=rows)
        yield from _words(text, name, scale.get("words") if isinstance(scale, dict) else None, sides)


def _words(text: str, scale: str, words: object, sides: Mapping[str, "_Side"]) -> Iterator[Question]:
    """Yield which of the target's words stand for words of the export is to be said."""
    known = words if isinstance(words, dict) else {}
    there = [Choice(quoted(str(word))) for word in dict.fromkeys(known.values()) if word != OPEN]
    for word in [word for word, other in known.items() if other == OPEN]:
        if line := find_line(text, f"scale.{scale}.words", word):
            asks = f"Which of the target's words stands for '{word}'?"
            yield Question(line, Kind.WORD, asks, tuple(there), rows=partial(_rows_with, word, sides))


def _rows_with(word: str, sides: Mapping[str, "_Side"]) -> Iterator[str]:
    """Yield the cells of the export, or else of the form, that hold a word."""
    for side in sides.values():
        grid, layout = side.read()
        for row in range(layout.first_row, len(grid)):
            for column, text in enumerate(grid.cells(row)):
                if fold_word(text) == fold_word(word):
                    yield f"{grid.row(row)}, {layout.columns[column].called}: {text.strip()}"


def _rows_of(name: str, sides: Mapping[str, "_Side"]) -> Iterator[str]:
    """Yield the cells of an item of the export."""
    grid, layout = sides["source"].read()
    with contextlib.suppress(NoSuchColumn):
        column = find_column(layout.columns, name)
        for row in range(layout.first_row, len(grid)):
            cells = grid.cells(row)
            yield f"{grid.row(row)}, {column.called}: {cells[column.index] if column.index < len(cells) else ''}"


def read_answer(question: Question, said: str) -> str | None:
    """Return what a person typed as it stands in a transfer; None if it can't be meant.

    Args:
        question: what was asked.
        said: an answer of the person's own.
    """
    bare = said.strip()
    if question.layout:
        return _column(question.layout, bare)
    if question.kind in {Kind.STATUS, Kind.WORD}:
        return quoted(bare) if bare else None
    if question.kind is Kind.MAXIMUM and fold(bare) == SAME_MAXIMUM:
        return quoted(SAME_MAXIMUM)
    number = read_number(bare.replace(",", "."))
    if number is None or number < 0 or (question.kind is Kind.MAXIMUM and not number):
        return None
    return quoted(plain(number)) if question.kind is Kind.MAXIMUM else plain(number)


def _column(layout: Layout, name: str) -> str | None:
    try:
        return quoted(name_of(layout.columns, find_column(layout.columns, name)))
    except NoSuchColumn:
        return None


def with_answer(text: str, question: Question, answer: str, day: str) -> str:
    """Return a transfer with an answer in the place of its question mark, and a word beside it that a person gave it.

    Args:
        text: the transfer.
        question: what was asked.
        answer: the value as it stands there.
        day: the day of the answer.
    """
    lines = text.split("\n")
    place = question.line - 1
    match = _OPEN_VALUE.match(lines[place].rstrip("\r"))
    if not match:
        return text
    if question.kind is Kind.SHEET and answer == _LEFT_OUT:
        first = max(number for number in range(place) if lines[number].startswith("[[export]]"))
        last = next((number for number in range(place, len(lines)) if not lines[number].strip()), len(lines))
        return "\n".join([*lines[:first], *lines[last + 1 :]])
    end = "\r" if lines[place].endswith("\r") else ""
    lines[place] = f"{match[1]}{answer}".ljust(42) + f" # decided by a person, {day}{end}"
    has_more = question.kind in {Kind.ITEM, Kind.MAXIMUM, Kind.SHEET}
    while has_more and len(lines) > place + 1 and _is_about(lines[place + 1]):
        del lines[place + 1]
    lines[place + 1 : place + 1] = question.goes_with(answer)
    return "\n".join(lines)


def _written_as(name: str, sides: Mapping[str, "_Side"], answer: str) -> list[str]:
    """Return the lines by which the marks of an item are written as those of the column that it is to go to."""
    columns, texts = [], []
    for side, title in (("source", name), ("target", load_toml(f"to = {answer}")["to"])):
        grid, layout = sides[side].read()
        try:
            column = find_column(layout.columns, title)
        except NoSuchColumn:
            return []
        rows = (grid.cells(row) for row in range(layout.first_row, len(grid)))
        columns.append(column)
        texts.append(Counter(cells[column.index] for cells in rows if column.index < len(cells)))
    hints = find_hints(columns[0], texts[0], texts[1], (columns[0].out_of, columns[1].out_of))
    return list(as_target_writes(hints))


def _is_about(line: str) -> bool:
    """Tell whether a line only says what may be answered to the question above it."""
    return line.startswith(_CANDIDATE) or bool(re.match(r"\s{20,}# or ", line))
