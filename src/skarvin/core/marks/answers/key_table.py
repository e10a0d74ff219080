"""Which column of an answer key holds what: by its heading in any known language, and by its cells."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable, listing
from skarvin.core.grid.grid import Grid
from skarvin.core.marks.answers.question import split_question
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set

ROLES = ("question", "text", "code", "right")
_WORDS = {
    "question": phrase_set(WORDS.answers.key_question),
    "text": phrase_set(WORDS.answers.key_text),
    "code": phrase_set(WORDS.answers.key_code),
    "solution": phrase_set(WORDS.answers.key_solution),
    "right": phrase_set(WORDS.answers.key_verdict),
}
_SAYS_RIGHT = phrase_set(WORDS.answers.key_right, WORDS.answers.right, WORDS.answers.yes)
_SAYS_WRONG = phrase_set(WORDS.answers.key_wrong, WORDS.answers.wrong, WORDS.answers.no)
_BETWEEN = pattern(r"\s*[;,/&+|]\s*|\s+")
_MEND = (
    "Give it a column for the question and one for the right answer (question, solution), a line for each question; "
    "or a line for each answer: question, text, code, right."
)


class KeyTable(NamedTuple):
    """A key's rows, the places of its columns by their roles, and whether lines have right answers alone."""

    rows: Sequence[int]
    places: Mapping[str, int]
    is_right_alone: bool


def find_table(grid: Grid) -> KeyTable:
    """Return which column of a key holds what.

    Raises:
        Unreadable: no column holds questions, or none the answers.
    """
    headings = [fold(text) for text in grid.cells(0)] if len(grid) else []
    has_headings = any(heading in words for heading in headings for words in _WORDS.values())
    rows = [row for row in range(int(has_headings), len(grid)) if not grid.is_blank(row)]
    columns = [
        [cells[place].strip() if place < len(cells) else "" for cells in map(grid.cells, rows)]
        for place in range(len(headings))
    ]
    named = {
        role: [place for place, heading in enumerate(headings) if heading in words] for role, words in _WORDS.items()
    }
    question = next(iter(named["question"] or _questions(columns)), None)
    if question is None:
        raise _lacks(grid, "a column that names or numbers the questions")
    rest = [place for place in range(len(columns)) if place != question and any(columns[place])]
    verdict = _verdict(rest, named, columns)
    places = {"question": question} | ({} if verdict is None else {"right": verdict})
    for role in ("text", "code"):
        if named[role] and named[role][0] in rest and named[role][0] != verdict:
            places[role] = named[role][0]
    asked = columns[question]
    if verdict is None and (len(set(asked)) == len(asked) or len(rest) == 1):
        solution = _solution(rest, named, places, columns)
        if solution is None:
            raise _lacks(grid, "a column with the right answers")
        return KeyTable(rows, {"question": question, "right": solution}, is_right_alone=True)
    if "code" not in places:
        others = [*(place for place in rest if place not in places.values()), *filter(None, [places.get("text")])]
        if not others:
            raise _lacks(grid, "a column with the answers' codes")
        places["code"] = others[0]
    return KeyTable(rows, places, is_right_alone=False)


def right_code(text: str) -> str:
    """Return a right answer as a code: several labels with signs between them are one answer."""
    parts = [part for part in _BETWEEN.split(text.strip()) if part]
    return "".join(parts) if len(parts) > 1 and all(len(part) == 1 for part in parts) else text


def _questions(columns: Sequence[Sequence[str]]) -> list[int]:
    """Return the columns whose cells are all numbers of questions, or questions."""
    return [
        place
        for place, texts in enumerate(columns)
        if texts and all(split_question(text)[0] or text.endswith("?") for text in texts)
    ]


def _verdict(rest: Sequence[int], named: Mapping[str, Sequence[int]], columns: Sequence[Sequence[str]]) -> int | None:
    """Return the column that says of each answer whether it is right, by its cells."""
    may_be = [place for place in rest if place in named["right"]] or [
        place for place in rest if not any(place in named[role] for role in ("text", "code"))
    ]
    for place in may_be:
        said = {fold_word(text) for text in columns[place] if text}
        is_named = place in named["right"] and bool(named["code"] or place not in named["solution"])
        if said & _SAYS_RIGHT and (said <= _SAYS_RIGHT | _SAYS_WRONG) and (len(said) > 1 or "" in columns[place]):
            return place
        if is_named and place != next(iter(named["code"]), None):
            return place
    return None


def _solution(
    rest: Sequence[int],
    named: Mapping[str, Sequence[int]],
    places: Mapping[str, int],
    columns: Sequence[Sequence[str]],
) -> int | None:
    """Return the column with each question's right answer: by its heading, or the one that is filled everywhere."""
    known = [*named["solution"], *named["right"], *(places[role] for role in ("code", "text") if role in places)]
    filled = [place for place in rest if all(columns[place]) and not all(text.endswith("?") for text in columns[place])]
    labels = [place for place in filled if all(len(right_code(text)) <= _SHORT for text in columns[place])]
    return next((place for place in known if place in rest), next(iter(labels or filled), None))


_SHORT = 4


def _lacks(grid: Grid, what: str) -> Unreadable:
    there = listing([f"'{text.strip()}'" for text in grid.cells(0)], 12) if len(grid) else "nothing"
    what = f"the answer key has no {what.removeprefix('a ')}; it has: {there}"
    return Unreadable(Finding("key", what, grid.place(0), _MEND))
