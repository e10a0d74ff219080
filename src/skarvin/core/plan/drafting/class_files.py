"""Which export goes to which form, where each class has an export of its own."""

from collections.abc import Mapping, Sequence
from itertools import takewhile
from pathlib import Path
from typing import NamedTuple

from skarvin.core.gradebook import understand
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.columns import IDENTIFIERS, Column, Use
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.shape import seen_as_table
from skarvin.core.layout.told import Told
from skarvin.core.texts.folding import fold
from skarvin.core.texts.names import name_key
from skarvin.core.texts.patterns import pattern

_LEAST, _RIVAL = 0.5, 0.5
"""So many of the smaller class are in both files, and of any other form less than that part of it."""
_WORD = pattern(r"[^\W_]+")
_SHORT = 2


class ClassFile(NamedTuple):
    """A file of a class: what its students are called, by number and by name, and the words that name the class."""

    path: Path
    numbers: frozenset[object]
    names: frozenset[object]
    sections: frozenset[str]


class Fit(NamedTuple):
    """An export with its form, and why; without one where none fits, or several do."""

    export: Path
    form: Path | None
    because: str


def read_class(path: Path, how: ReadAs) -> ClassFile:
    """Return what tells the class of a file.

    Raises:
        Unreadable: it can't be read.
    """
    grid, told = seen_as_table(read_grid(path, how), Told())
    layout = recognise(grid, told)
    book = understand(grid, layout, None, [], NOT_STUDENTS)
    cells = [grid.cells(row) for row in range(layout.first_row, len(grid))]
    numbers = {text.lstrip("0") for text in _texts(cells, layout.of_use(IDENTIFIERS))}
    sections = _texts(cells, layout.of_use(Use.SECTION))
    names = {name_key(student.name) for student in book.students if student.name.strip()}
    return ClassFile(path, frozenset(numbers - {""}), frozenset(names), frozenset(sections - {""}))


def _texts(cells: Sequence[Sequence[str]], columns: Sequence[Column]) -> set[str]:
    return {fold(row[column.index]) for column in columns for row in cells if column.index < len(row)}


def fit_files(exports: Sequence[ClassFile], forms: Sequence[ClassFile]) -> list[Fit]:
    """Return the form of each export: that with its students, or else that of its name or section."""
    labels = {**_labels(exports), **_labels(forms)}
    return [_fit(export, forms, labels) for export in exports]


def _fit(export: ClassFile, forms: Sequence[ClassFile], labels: Mapping[Path, str]) -> Fit:
    by_number = [(_shared(export.numbers, form.numbers), form) for form in forms]
    by_name = [(_shared(export.names, form.names), form) for form in forms]
    known = by_number if any(part >= _LEAST for (_, part), _ in by_number) else by_name
    shared = sorted(known, key=lambda one: -one[0][1])
    (count, part), best = shared[0]
    if part >= _LEAST and all(other < part * _RIVAL for (_, other), _ in shared[1:]):
        return Fit(export.path, best.path, f"{count:,} students in both")
    several = [form.path.name for (_, other), form in shared if other >= _LEAST]
    if several:
        return Fit(export.path, None, f"its students are in {' and '.join(several)}")
    likeness = [(_named_alike(export, form, labels), form) for form in forms]
    most = max(like for like, _ in likeness)
    alike = [form for like, form in likeness if like == most]
    if most and len(alike) == 1:
        return Fit(export.path, alike[0].path, "named alike")
    return Fit(export.path, None, "no form has its students, and none alone is named like it")


def _shared(ours: frozenset[object], theirs: frozenset[object]) -> tuple[int, float]:
    """Return how many students are in both files, and which part of the smaller one that is."""
    count = len(ours & theirs)
    return count, count / min(len(ours), len(theirs)) if count else 0.0


def _labels(files: Sequence[ClassFile]) -> dict[Path, str]:
    """Return what is left of the files' names without what all of them begin and end with."""
    stems = [fold(one.path.stem) for one in files]
    start = _alike(stems)
    end = _alike([stem[start:][::-1] for stem in stems])
    is_one = len(stems) == 1
    return {one.path: stem if is_one else stem[start : len(stem) - end] for one, stem in zip(files, stems, strict=True)}


def _alike(texts: Sequence[str]) -> int:
    """Return how many letters all begin with."""
    return sum(1 for _ in takewhile(lambda signs: len(set(signs)) == 1, zip(*texts, strict=False)))


def _named_alike(export: ClassFile, form: ClassFile, labels: Mapping[Path, str]) -> int:
    """Return how much two files are named alike: wholly, but for what all have in common, by a word, or not at all."""
    stems = fold(export.path.stem), fold(form.path.stem)
    mine, theirs = labels[export.path], labels[form.path]
    if stems[0] == stems[1]:
        return 3
    if mine and mine == theirs:
        return 2
    words = [set(_WORD.findall(label)) for label in (mine, theirs)]
    is_in = (len(mine) >= _SHORT and mine in stems[1]) or (len(theirs) >= _SHORT and theirs in stems[0])
    is_section = len(export.sections) == 1 and export.sections & words[1]
    return int(bool(words[0] & words[1] or is_in or is_section))
