"""Which export goes to which form, where each class has an export of its own."""

from collections.abc import Mapping, Sequence
from itertools import takewhile
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.gradebook import understand
from skarvin.core.grid.grid import Grid
from skarvin.core.grid.one_roster import class_names
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.layout.columns import Use
from skarvin.core.layout.name_with_number import in_cell
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.layout.shape import seen_as_table
from skarvin.core.layout.told import Told
from skarvin.core.texts.folding import fold
from skarvin.core.texts.names import name_key
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.shell_words import plain_name

_LEAST, _RIVAL = 0.5, 0.5
"""So many of the smaller class are in both files, and of any other form less than that part of it."""
_WORD = pattern(r"[^\W_]+")
_SHORT, _WHOLLY = 2, 2


class ClassFile(NamedTuple):
    """What is one class's: a file, or a class of a bundle of several.

    Attributes:
        path: the file.
        sheet: the class of it; None of a file that is one class's.
        numbers: what its students are called by number, in each column that has some.
        names: and by name.
        sections: the words that name the class.
    """

    path: Path
    sheet: str | None
    numbers: tuple[frozenset[str], ...]
    names: frozenset[object]
    sections: frozenset[str]

    @property
    def stem(self) -> str:
        """What names it, as a part of the name of a file."""
        return self.path.stem if self.sheet is None else f"{self.path.stem}-{plain_name(self.sheet)}"

    def __str__(self) -> str:
        return str(self.path) if self.sheet is None else f"{self.path} ({self.sheet})"


class Fit(NamedTuple):
    """An export with its form, and why; without one where none fits, or several do."""

    export: ClassFile
    form: ClassFile | None
    because: str


def read_classes(path: Path, how: ReadAs) -> list[ClassFile]:
    """Return what tells the class of a file, or each class of a bundle of which none is named.

    Raises:
        Unreadable: it can't be read.
    """
    grid = read_grid(path, how)
    names = class_names(grid) if how.sheet is None else ()
    if len(names) > 1:
        return [_class_of(read_grid(path, replace(how, sheet=name)), name) for name in names]
    return [_class_of(grid, None)]


def _class_of(grid: Grid, sheet: str | None) -> ClassFile:
    grid, told = seen_as_table(grid, Told())
    layout = recognise(grid, told)
    book = understand(grid, layout, None, [], NOT_STUDENTS)
    cells = [grid.cells(row) for row in range(layout.first_row, len(grid))]
    numbers = [{fold(in_cell(row, column).number) for row in cells} for column in layout.identifiers]
    sections = {fold(row[one.index]) for one in layout.of_use(Use.SECTION) for row in cells if one.index < len(row)}
    names = {name_key(student.name) for student in book.students if student.name.strip()}
    plain = tuple(frozenset(text.lstrip("0") for text in column) - {""} for column in numbers)
    return ClassFile(grid.file, sheet, plain, frozenset(names), frozenset(sections - {""}))


def fit_files(exports: Sequence[ClassFile], forms: Sequence[ClassFile]) -> list[Fit]:
    """Return the form of each export: that with its students, or else that of its name or section."""
    labels = {**_labels(exports), **_labels(forms)}
    return [_fit(export, forms, labels) for export in exports]


def _fit(export: ClassFile, forms: Sequence[ClassFile], labels: Mapping[str, str]) -> Fit:
    by_number = [(_most_shared(export.numbers, form.numbers), form) for form in forms]
    by_name = [(_shared(export.names, form.names), form) for form in forms]
    known = by_number if any(part >= _LEAST for (_, part), _ in by_number) else by_name
    shared = sorted(known, key=lambda one: -one[0][1])
    (count, part), best = shared[0]
    rivals = [form for (_, other), form in shared if other >= part * _RIVAL] if part >= _LEAST else []
    if len(rivals) == 1:
        return Fit(export, best, f"{count:,} students in both")
    alike = [form for form in rivals if _named_alike(export, form, labels) >= _WHOLLY]
    if len(alike) == 1:
        return Fit(export, alike[0], "named alike, and several have its students")
    if rivals:
        names = [form.path.name if form.sheet is None else str(form) for form in rivals]
        return Fit(export, None, f"its students are in {' and '.join(names)}")
    likeness = [(_named_alike(export, form, labels), form) for form in forms]
    most = max(like for like, _ in likeness)
    alike = [form for like, form in likeness if like == most]
    if most and len(alike) == 1:
        return Fit(export, alike[0], "named alike")
    return Fit(export, None, "no form has its students, and none alone is named like it")


def _most_shared(ours: Sequence[frozenset[str]], theirs: Sequence[frozenset[str]]) -> tuple[int, float]:
    """Return as `_shared`, of the two columns that share most."""
    return max((_shared(one, other) for one in ours for other in theirs), default=(0, 0.0))


def _shared(ours: frozenset[object], theirs: frozenset[object]) -> tuple[int, float]:
    """Return how many students are in both files, and which part of the smaller one that is."""
    count = len(ours & theirs)
    return count, count / min(len(ours), len(theirs)) if count else 0.0


def _labels(files: Sequence[ClassFile]) -> dict[str, str]:
    """Return what is left of the files' names without what all of them begin and end with."""
    stems = [fold(one.stem) for one in files]
    start = _alike(stems)
    end = _alike([stem[start:][::-1] for stem in stems])
    is_one = len(stems) == 1
    return {str(one): stem if is_one else stem[start : len(stem) - end] for one, stem in zip(files, stems, strict=True)}


def _alike(texts: Sequence[str]) -> int:
    """Return how many letters all begin with."""
    return sum(1 for _ in takewhile(lambda signs: len(set(signs)) == 1, zip(*texts, strict=False)))


def _named_alike(export: ClassFile, form: ClassFile, labels: Mapping[str, str]) -> int:
    """Return how much two files are named alike: wholly, but for what all have in common, by a word, or not at all."""
    stems = fold(export.stem), fold(form.stem)
    mine, theirs = labels[str(export)], labels[str(form)]
    if stems[0] == stems[1]:
        return 3
    if mine and mine == theirs:
        return 2
    words = [set(_WORD.findall(label)) for label in (mine, theirs)]
    is_in = (len(mine) >= _SHORT and mine in stems[1]) or (len(theirs) >= _SHORT and theirs in stems[0])
    is_section = len(export.sections) == 1 and export.sections & words[1]
    return int(bool(words[0] & words[1] or is_in or is_section))
