"""Which rows are headings, and which rows below them are no students."""

import re
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import STUDENT
from skarvin.core.layout.headings import says_maximum, use_in_words
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.words import WORDS, phrase_set, phrases

NOT_STUDENTS = phrases(WORDS.rows.practice)
_SUMMARY = phrase_set(WORDS.rows.summary)
"""Words by any of which a row shows that it sums up, or signs."""
_ONLY_SUMMARY = phrase_set(WORDS.rows.summary_alone)
"""Words that are names, too: a row sums up only if it says nothing else."""
_WORDS = re.compile(r"[^\W_]+")
_SEARCHED = 40
_LONGEST_MAXIMUM = 24
"""A longer text is none, though there may be a number in it."""


class Top(NamedTuple):
    """The rows above the students: titles, one to three rows of headings, maybe a row of maxima."""

    heading_rows: tuple[int, ...]
    maxima_row: int | None
    title_rows: tuple[int, ...]
    evidence: str

    @property
    def last(self) -> int:
        """The last row of the top."""
        return max(*self.heading_rows, -1 if self.maxima_row is None else self.maxima_row)


def find_top(grid: Grid) -> Top:
    """Return the rows above the students of a grid."""
    rows = [row for row in range(min(len(grid), _SEARCHED)) if not grid.is_blank(row)]
    cells = {row: [text.strip() for text in grid.cells(row)] for row in rows}
    width = max((_filled(cells[row]) for row in rows), default=0)
    main = next((row for row in rows if _is_heading(cells[row], width)), rows[0] if rows else 0)
    above = [row for row in rows if row < main]
    headings = [main]
    if above and above[-1] == main - 1 and _is_group_row(cells[above[-1]], cells[main]):
        headings.insert(0, above.pop())
    below = [row for row in rows if row > main][:2]
    identity = [index for index, text in enumerate(cells.get(main, [])) if _says_student(text)]
    maxima = None
    for row in below:
        if row != headings[-1] + 1 or not identity:
            break
        kind = _kind_below(cells[row], identity)
        if kind == "maxima":
            maxima = row
            break
        if kind != "headings":
            break
        headings.append(row)
    words = [text for index, text in enumerate(cells.get(main, [])) if index in identity]
    evidence = f"it says '{words[0]}'" if words else "it is the first row as wide as the others"
    return Top(tuple(headings), maxima, tuple(above), evidence)


def _says_student(heading: str) -> bool:
    found = use_in_words(heading)
    return found is not None and found[0] in STUDENT


def _filled(cells: Sequence[str]) -> int:
    return sum(1 for text in cells if text)


def _is_heading(cells: Sequence[str], width: int) -> bool:
    """Tell whether a row looks like headings: wide, hardly a number, and a word for a student."""
    filled = [text for text in cells if text]
    numbers = sum(1 for text in filled if is_number(text))
    says_student = any(map(_says_student, filled))
    wide = len(filled) >= max(2, width / 3)
    return wide and numbers <= len(filled) / 3 and (says_student or (len(filled) >= width and not numbers))


def _is_group_row(cells: Sequence[str], main: Sequence[str]) -> bool:
    """Tell whether a row above the headings groups them: its texts stand above items and leave gaps."""
    places = [index for index, text in enumerate(cells) if text]
    if not places or any(is_number(cells[index]) for index in places):
        return False
    student = next((index for index, text in enumerate(main) if _says_student(text)), 0)
    return min(places) > student and len(places) < _filled(main)


def _kind_below(cells: Sequence[str], identity: Sequence[int]) -> str:
    """Return what a row below the headings is: `headings`, `maxima`, or a `student`."""
    labels = [cells[index] for index in identity if index < len(cells) and cells[index]]
    rest = [text for index, text in enumerate(cells) if text and index not in identity]
    short = [text for text in rest if len(text) <= _LONGEST_MAXIMUM]
    numbers = [text for text in short if is_number(text) or re.fullmatch(r"\D*\d+(?:[.,]\d+)?\D*", text)]
    if len(labels) <= 1 and numbers and any(map(says_maximum, [*labels, *rest[:1]])) and len(numbers) * 2 >= len(rest):
        return "maxima"
    if labels:
        return "student"
    return "maxima" if rest and len(numbers) == len(rest) else "headings" if rest and not numbers else "student"


def name_test(phrases: Iterable[str]) -> Callable[[str], bool]:
    """Return what tells whether a name is one of the phrases, in whatever order and case its words stand."""
    known = {_words(phrase) for phrase in phrases} - {()}
    initials = {word[0] for words in known for word in words}

    def is_one_of_them(name: str) -> bool:
        may_be = not name[:1].isalnum() or name[:1].casefold() in initials
        return may_be and _words(name) in known

    return is_one_of_them


def _words(text: str) -> tuple[str, ...]:
    return tuple(sorted(_WORDS.findall(text.casefold())))


def summary_word(texts: Iterable[str]) -> str | None:
    """Return the word by which a row without an identifier shows that it sums others up, or signs them."""
    for text in texts:
        words = fold(text).split()
        strong = next((word for word in words if word in _SUMMARY), None)
        if strong:
            return strong
        if words and all(word in _ONLY_SUMMARY for word in words):
            return words[0]
    return None
