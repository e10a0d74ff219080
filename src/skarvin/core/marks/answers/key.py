"""The answer key: a table of the user's own, with a line for each answer to each question."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import Column
from skarvin.core.marks.answers.answer_rule import KnownAnswer
from skarvin.core.marks.answers.key_table import ROLES, find_table, right_code
from skarvin.core.marks.answers.labels import read_truth
from skarvin.core.marks.answers.question import split_question
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.words import WORDS, phrase_set

_RIGHT = phrase_set(WORDS.answers.key_right)
_WRONG = phrase_set(WORDS.answers.key_wrong) | {""}


class KeyedQuestion(NamedTuple):
    """What the key says of a question: its answers, and the row where it begins."""

    answers: tuple[KnownAnswer, ...]
    row: Row

    @property
    def right(self) -> frozenset[str]:
        """The codes of the right answers."""
        return frozenset(known.code for known in self.answers if known.is_right)


def read_key(grid: Grid) -> Mapping[str, KeyedQuestion]:
    """Return what a key says of each question, by its folded name.

    It is a table with a line for each answer, or with one for each question and the right answer alone.

    Raises:
        Unreadable: it isn't such a table, or gives one text two codes.
    """
    if grid.key:
        return {fold(name): _of_right(text, grid.row(0)) for name, text in grid.key.items()}
    table = find_table(grid)
    found: dict[str, list[KnownAnswer]] = {}
    first: dict[str, Row] = {}
    for row in table.rows:
        cells = grid.cells(row)
        question, text, code, right = (_cell(cells, table.places.get(name)) for name in ROLES)
        if table.is_right_alone:
            is_right, code = True, right_code(right)
        else:
            is_right = _is_right(grid, row, table.places.get("right"), right)
        known = KnownAnswer(fold_word(text or code), code or text, is_right)
        same = found.setdefault(fold(question), [])
        first.setdefault(fold(question), grid.row(row))
        if any(answer.text == known.text and answer.code != known.code for answer in same):
            place = grid.place(row, table.places.get("text", table.places.get("code")))
            what = f"'{text or code}' is met twice, with two codes"
            raise Unreadable(Finding("key", what, place, "Delete one of the lines."))
        same.append(known)
    return {question: KeyedQuestion(tuple(answers), first[question]) for question, answers in found.items()}


def find_keyed(key: Mapping[str, KeyedQuestion], ours: Column, theirs: Column | None) -> KeyedQuestion | None:
    """Return what the key says of a question, by the name that it has on either side, or by its number.

    A number alone counts only where it is the question's number on both sides.
    """
    columns = [ours, *([theirs] if theirs else [])]
    called = [fold(name) for column in columns for name in (column.heading, column.title)]
    numbers, asked = zip(*(split_question(column.title) for column in columns), strict=True)
    by_name = next((key[name] for name in [*called, *filter(None, asked)] if name in key), None)
    if by_name or len(set(numbers)) > 1 or not numbers[0]:
        return by_name
    return next((keyed for name, keyed in key.items() if split_question(name) == (numbers[0], "")), None)


def _of_right(text: str, row: Row) -> KeyedQuestion:
    """Return what is known of a question whose right answer alone is."""
    code = right_code(text)
    return KeyedQuestion((KnownAnswer(fold_word(code), code, is_right=True),), row)


def _cell(cells: Sequence[str], place: int | None) -> str:
    return "" if place is None or place >= len(cells) else cells[place].strip()


def _is_right(grid: Grid, row: int, column: int | None, text: str) -> bool:
    word = fold_word(text)
    if word in _RIGHT or read_truth(text):
        return True
    if word in _WRONG or read_truth(text) is False:
        return False
    what = f"'{text}' says neither right nor wrong"
    raise Unreadable(Finding("key", what, grid.place(row, column), "Write yes or no."))
