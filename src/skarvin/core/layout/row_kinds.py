"""Which rows are headings, and which rows below them are no students."""

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.heading_words import said_by_words, says_student
from skarvin.core.layout.headings import read_heading, says_maximum, says_weight
from skarvin.core.layout.told import TOLD
from skarvin.core.layout.traits import is_address, is_code, is_day, is_like_name
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_kinds import GRADE_WORDS, STATUS_WORDS
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set, phrases

NOT_STUDENTS = phrases(WORDS.rows.practice)
_SUMMARY = phrase_set(WORDS.rows.summary)
"""Words by any of which a row shows that it sums up, or signs."""
_ONLY_SUMMARY = phrase_set(WORDS.rows.summary_alone, WORDS.headings.weight)
"""Words that are names, too: a row sums up only if it says nothing else."""
_WORDS = pattern(r"[^\W_]+")
_SEARCHED = 40
_MOST_BELOW = 2
_LONGEST_MAXIMUM = 24
"""A longer text is none, though there may be a number in it."""


class Top(NamedTuple):
    """The rows above the students: titles, up to three rows of headings, maybe rows of maxima and of weights."""

    heading_rows: tuple[int, ...]
    maxima_row: int | None
    title_rows: tuple[int, ...]
    evidence: str
    weights_row: int | None = None

    @property
    def number_rows(self) -> tuple[int, ...]:
        """The rows that say something of the items in numbers."""
        return tuple(row for row in (self.maxima_row, self.weights_row) if row is not None)

    @property
    def last(self) -> int:
        """The last row of the top."""
        return max([-1, *self.heading_rows, *self.title_rows, *self.number_rows])


def find_top(grid: Grid, heading_row: int | None = None) -> Top:
    """Return the rows above the students of a grid.

    Args:
        grid: the cells.
        heading_row: the row with the headings, from 1, if a person says so; 0 if there are none.
    """
    rows = [row for row in range(min(len(grid), _SEARCHED)) if not grid.is_blank(row)]
    cells = {row: [text.strip() for text in grid.cells(row)] for row in rows}
    width = max((_filled(cells[row]) for row in rows), default=0)
    if heading_row is not None:
        return _as_told(grid.position(heading_row) if heading_row else None, rows, cells)
    main = next((row for row in rows if _is_heading(cells[row], width)), rows[0] if rows else 0)
    above = [row for row in rows if row < main]
    if not above and _is_data([cells[row] for row in rows]):
        return Top((), None, (), "the first row looks like those below it")
    headings = [main]
    if above and above[-1] == main - 1 and _is_group_row(cells[above[-1]], cells[main]):
        headings.insert(0, above.pop())
    return _top(headings, above, rows, cells)


def _as_told(main: int | None, rows: Sequence[int], cells: Mapping[int, Sequence[str]]) -> Top:
    """Return the rows above the students as a person says."""
    if main is None:
        return Top((), None, (), TOLD)
    found = _top([main], [row for row in rows if row < main], rows, cells)
    return found._replace(evidence=TOLD)


def _top(headings: list[int], above: list[int], rows: Sequence[int], cells: Mapping[int, Sequence[str]]) -> Top:
    """Return the top with what stands below its main row: further headings, maxima."""
    main = headings[-1]
    identity = [index for index, text in enumerate(cells.get(main, [])) if says_student(text)]
    numbers: dict[str, int] = {}
    following = dict(pairwise(rows))
    for row in [row for row in rows if row > main][:3]:
        if row != max(headings[-1], *numbers.values(), -1) + 1 or not identity:
            break
        below = cells.get(following.get(row, -1), ())
        kind = "student" if _numbers_lines(cells[row], below) else _kind_below(cells[row], identity)
        if kind == "student" or kind in numbers or (kind == "headings" and (numbers or len(headings) > _MOST_BELOW)):
            break
        if kind == "headings":
            headings.append(row)
        else:
            numbers[kind] = row
    weights = [row for row in above if _kind_below(cells[row], identity) == "weights"]
    above = [row for row in above if row not in weights[:1]]
    words = [text for index, text in enumerate(cells.get(main, [])) if index in identity]
    evidence = f"it contains '{words[0]}'" if words else "it is the first row as wide as the others"
    weights += [numbers["weights"]] if "weights" in numbers else []
    return Top(tuple(headings), numbers.get("maxima"), tuple(above), evidence, next(iter(weights), None))


def _numbers_lines(cells: Sequence[str], below: Sequence[str]) -> bool:
    """Tell whether a row says nothing but 1, and the one below it 2: lines to be filled."""
    said = [index for index, text in enumerate(cells) if text.strip()]
    return len(said) == 1 and [one[said[0] : said[0] + 1] for one in (list(cells), list(below))] == [["1"], ["2"]]


def _is_data(rows: Sequence[Sequence[str]]) -> bool:
    """Tell whether the first row looks like those below it, and like no headings."""
    if not rows:
        return False
    first, below = rows[0], rows[1:]
    if any(said_by_words(text) or read_heading(text).out_of is not None for text in first if not is_number(text)):
        return False
    alike = unlike = 0
    for index, text in enumerate(first):
        kind = _kind(text)
        kinds = [_kind(row[index]) for row in below if index < len(row) and row[index]]
        if not text or not kinds:
            continue
        same = sum(one == kind for one in kinds) / len(kinds)
        alike += same >= _ALIKE and kind in _TELLING
        is_same_kind = max(map(kinds.count, kinds)) >= _ALIKE * len(kinds)
        unlike += same < _ALIKE and kind in {"text", "name"} and is_same_kind and fold(text) not in _MARKS
    is_list = len(rows) > 1 and _width(rows) == 1 and all(_kind(row[0]) == "name" for row in rows[:3])
    is_one = not below and any(_kind(text) in {"number", "code"} for text in first)
    return (alike > 0 and not unlike) or is_list or (is_one and len(first) > 1)


_ALIKE = 0.7
_TELLING = frozenset({"number", "code", "address", "day"})
_MARKS = GRADE_WORDS | STATUS_WORDS
"""Words that stand among numbers in the first row of marks as in any other."""


def _width(rows: Sequence[Sequence[str]]) -> int:
    return max((max((place for place, text in enumerate(row, 1) if text), default=0) for row in rows), default=0)


def _kind(text: str) -> str:
    """Return what a cell looks like, roughly."""
    if is_number(text):
        return "number"
    for name, test in (("address", is_address), ("day", is_day), ("code", is_code), ("name", is_like_name)):
        if test(text):
            return name
    return "text"


def _filled(cells: Sequence[str]) -> int:
    return sum(1 for text in cells if text)


def _is_heading(cells: Sequence[str], width: int) -> bool:
    """Tell whether a row looks like headings: wide, hardly a number, and a word for a student."""
    filled = [text for text in cells if text]
    numbers = sum(1 for text in filled if is_number(text))
    is_of_students = any(map(says_student, filled))
    wide = len(filled) >= max(2, width / 3)
    return wide and numbers <= len(filled) / 3 and (is_of_students or (len(filled) >= width and not numbers))


def _is_group_row(cells: Sequence[str], main: Sequence[str]) -> bool:
    """Tell whether a row above the headings groups them: its texts stand above items and leave gaps."""
    places = [index for index, text in enumerate(cells) if text]
    if not places or any(is_number(cells[index]) for index in places):
        return False
    student = next((index for index, text in enumerate(main) if says_student(text)), 0)
    return min(places) > student and len(places) < _filled(main)


def _kind_below(cells: Sequence[str], identity: Sequence[int]) -> str:
    """Return what a row below the headings is: `headings`, `maxima`, `weights`, or a `student`."""
    labels = [cells[index] for index in identity if index < len(cells) and cells[index]]
    rest = [text for index, text in enumerate(cells) if text and index not in identity]
    short = [text for text in rest if len(text) <= _LONGEST_MAXIMUM]
    numbers = [text for text in short if is_number(text) or re.fullmatch(r"\D*\d+(?:[.,]\d+)?\D*", text)]
    first = labels or rest[:1]
    if len(labels) <= 1 and numbers and any(map(says_weight, first)) and len(numbers) * 2 >= len(rest):
        return "weights"
    if len(labels) <= 1 and numbers and any(map(says_maximum, first)) and len(numbers) * 2 >= len(rest):
        return "maxima"
    if labels:
        return "student"
    return "maxima" if rest and len(numbers) == len(rest) else "headings" if rest and not numbers else "student"


def name_test(phrases: Iterable[str]) -> Callable[[str], bool]:
    """Return what tells whether a name is one of the phrases, in whatever order and case its words stand."""
    known = {_words(phrase) for phrase in phrases} - {()}
    beginnings = tuple({word for words in known for word in words})

    def is_one_of_them(name: str) -> bool:
        may_be = not name[:1].isalnum() or name.casefold().startswith(beginnings)
        return may_be and _words(name) in known

    return is_one_of_them


def _words(text: str) -> tuple[str, ...]:
    return tuple(sorted(_WORDS.findall(text.casefold())))


def summary_word(texts: Iterable[str]) -> str | None:
    """Return the word by which a row without an identifier shows that it sums others up, or signs them."""
    for text in texts:
        words = fold(text).split()
        strong = next((phrase for phrase in (" ".join(words), *words) if phrase in _SUMMARY), None)
        if strong:
            return strong
        if words and all(word in _ONLY_SUMMARY for word in words):
            return words[0]
    return None


def is_summary(cells: Sequence[str]) -> bool:
    """Tell whether a row sums others up, by what its first filled cell says."""
    first = next((text for text in cells if text.strip()), "")
    return summary_word([first]) is not None
