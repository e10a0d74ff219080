"""Tells what the columns of a grid hold, and on what evidence."""

import re
from collections.abc import Callable, Sequence
from dataclasses import replace
from decimal import Decimal

from skarvin.core.findings import Finding, counted
from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.headings import read_heading, use_in_words
from skarvin.core.layout.row_kinds import Top, find_top
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.mark_grammar import is_mark
from skarvin.core.texts.mark_kinds import GRADE_WORDS, STATUS_WORDS
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_SAMPLE = 400
_MOSTLY = 0.6
_HALF = 0.5
_SOME = 0.2
_DASH = re.compile(r"\s*[-–—]+\s*")
_ADDRESS = re.compile(r"\s*[^@\s]+@[^@\s]+\.[^@\s]+\s*")
_DAY = re.compile(r"\s*(?:\d{4}-\d\d-\d\d|\d{1,2}([./-])\d{1,2}\1(?:\d\d|\d{4}))(?:[ T,].*)?\s*")
_CODE = re.compile(r"\s*(?=.*\d)[\w#-]{4,}\s*")
_ASK = "|".join(map(re.escape, phrases(WORDS.headings.question)))
_REPLY = "|".join(map(re.escape, phrases(WORDS.headings.answer)))
_QUESTION = re.compile(rf"(?:{_ASK}|{_REPLY})\s*\d+", re.IGNORECASE)
_ASKED = re.compile(
    rf"\s*(?:(?:{_REPLY})\s*\d+\s*(?:[:.)–-]\s*\S.*)?|(?:(?:{_ASK})\s*\d+\s*[:.)–-]|\d+\s*[.)])\s*\S.*\?)\s*",
    re.IGNORECASE | re.DOTALL,
)
"""A heading that is a question: 'Answer 3', 'Answer 3: Which plank ...', '3. Which plank ...?'."""
_LABEL = re.compile(r"\s*(?:[A-H](?:[).:\s].*)?|true|false)\s*", re.IGNORECASE | re.DOTALL)
_LARGEST_OUT_OF = 1000
_NAMING = phrase_set(WORDS.headings.names_a_section)
"""Words beside that of a section with which a heading still names it."""
_WORDS = GRADE_WORDS | STATUS_WORDS


def recognise(grid: Grid) -> Layout:
    """Return the layout of a grid: its headings and maxima, and what each column is taken for."""
    top = find_top(grid)
    headings = join_headings(grid, top)
    rows = [grid.cells(row) for row in _sample(grid, top.last + 1)]
    columns = [
        _column(index, heading, [cells[index] for cells in rows if index < len(cells)])
        for index, heading in enumerate(headings)
    ]
    if top.maxima_row is not None:
        columns = _with_maxima(columns, grid.cells(top.maxima_row))
    columns = _with_company(columns)
    faults = tuple(_ragged(grid, len(headings), top.last + 1))
    return Layout(top, tuple(columns), tuple(_oddities(grid, columns, top)), faults)


def join_headings(grid: Grid, top: Top) -> list[str]:
    """Return each column's heading; a text above several columns stands before the heading of each of them."""
    rows = [[text.strip() for text in grid.cells(row)] for row in top.heading_rows]
    width = max(map(len, rows), default=0)
    rows = [[*row, *[""] * (width - len(row))] for row in rows]
    if len(rows) == 1:
        return rows[0]
    spread = []
    for number, row in enumerate(rows[:-1]):
        filled, last = [], ""
        for index, text in enumerate(row):
            is_own = not any(below[index] for below in rows[number + 1 :])
            last = text or ("" if is_own else last)
            filled.append(text or last)
        spread.append(filled)
    return [" ".join(dict.fromkeys(filter(None, texts))) for texts in zip(*spread, rows[-1], strict=True)]


def _sample(grid: Grid, start: int) -> Sequence[int]:
    """Return rows from all over the grid."""
    step = max(1, (len(grid) - start) // _SAMPLE)
    return [row for row in range(start, len(grid), step) if not grid.is_blank(row)]


def _column(index: int, heading: str, texts: list[str]) -> Column:
    parts = read_heading(heading)
    filled = [text for text in texts if text.strip()]
    use, evidence = _use(heading, filled, stated=parts.out_of is not None)
    if use not in {Use.ITEM, Use.ANSWER, Use.TOTAL, Use.COMMENT}:
        parts = parts._replace(title=heading.strip(), out_of=None, key=None)
    around = _around(filled) if use in IDENTIFIERS else ("", "")
    if around != ("", ""):
        evidence += f"; each {'begins' if around[0] else 'ends'} with '{around[0] or around[1]}'"
    out_of = parts.out_of if use is Use.ITEM else None
    return Column(
        index=index,
        heading=heading.strip(),
        use=use,
        evidence=evidence,
        title=parts.title,
        out_of=out_of,
        key=parts.key,
        counts=parts.counts,
        around=around,
    )


def _use(heading: str, filled: list[str], *, stated: bool) -> tuple[Use, str]:
    if _ASKED.fullmatch(heading):
        return Use.ANSWER, "is a question"
    return _use_by_words(heading, filled, stated=stated)


def _use_by_words(heading: str, filled: list[str], *, stated: bool) -> tuple[Use, str]:
    words = use_in_words(heading)
    if words and words[0] is Use.SECTION and _is_about_a_section(heading, words[1], filled):
        words = None
    if words and words[0] in {Use.COMMENT, Use.TOTAL, Use.RESULT} and not _contradicts(words[0], filled):
        return words[0], f"says '{words[1]}'"
    if stated:
        return Use.ITEM, "states a maximum"
    if words and words[0] is not Use.ANSWER and not _contradicts(words[0], filled):
        return words[0], f"says '{words[1]}'"
    is_question = _QUESTION.search(heading) or heading.rstrip().endswith("?")
    if is_question and _share(_LABEL, filled) > _HALF:
        return Use.ANSWER, "a question, and most cells are labels"
    if words and words[0] is Use.ANSWER:
        return Use.ANSWER, f"says '{words[1]}'"
    return _use_by_cells(heading, filled)


def _use_by_cells(heading: str, filled: list[str]) -> tuple[Use, str]:
    for pattern, use, what in ((_ADDRESS, Use.EMAIL, "addresses"), (_DAY, Use.HOUSEKEEPING, "days")):
        if _share(pattern, filled) > _MOSTLY:
            return use, f"most cells are {what}"
    if len(filled) > 1 and len(set(filled)) == len(filled) and _share(_CODE, filled) == 1:
        return Use.KEY, "every cell is another code"
    if not filled and heading.strip():
        is_question = heading.rstrip().endswith("?")
        return (Use.ANSWER, "a question, and blank") if is_question else (Use.ITEM, "blank, with a heading")
    telling = [text for text in filled if not _DASH.fullmatch(text)]  # a dash tells nothing
    marks = sum(1 for text in telling if is_mark(text) or fold_word(text) in _WORDS) / len(telling) if telling else 0
    if marks >= _HALF:
        return Use.ITEM, f"{marks:.0%} are marks"
    if len(filled) > 2 and len(set(filled)) == 1:  # noqa: PLR2004 - two could be chance
        return Use.OTHER, "one text in every row"
    return Use.OTHER, "not known" if filled else "blank"


def _is_about_a_section(heading: str, word: str, filled: list[str]) -> bool:
    """Tell whether a heading says what a section did, such as 'Class test': its cells are numbers, or blank."""
    others = set(fold(heading).split()) - {word} - _NAMING
    return bool(others) and (not filled or _share_of(is_number, filled) > _MOSTLY)


def _contradicts(use: Use, filled: list[str]) -> bool:
    """Tell whether the cells speak against what the heading's words say."""
    if not filled:
        return False
    if use in IDENTIFIERS:
        return len(set(filled)) < _SOME * len(filled)  # several rows a student are usual
    numbers = _share_of(is_number, filled)
    if use is Use.COMMENT and _share_of(is_mark, filled) > _MOSTLY:
        return True
    return use in {Use.NAME, Use.FAMILY, Use.GIVEN, Use.COMMENT, Use.HOUSEKEEPING} and numbers > _MOSTLY


def _around(filled: list[str]) -> tuple[str, str]:
    """Return the sign that stands before, or behind, every value."""
    values = [text.strip() for text in filled if any(sign.isdigit() for sign in text)]
    if len(values) < 2 or min(map(len, values)) < 2:  # noqa: PLR2004 - one value proves nothing
        return ("", "")
    first, last = {text[0] for text in values}, {text[-1] for text in values}
    before = first.pop() if len(first) == 1 and not values[0][0].isalnum() else ""
    behind = last.pop() if len(last) == 1 and not values[0][-1].isalnum() else ""
    return (before, behind)


def _share(pattern: re.Pattern[str], texts: list[str]) -> float:
    return sum(1 for text in texts if pattern.fullmatch(text)) / len(texts) if texts else 0.0


def _share_of(test: Callable[[str], bool], texts: list[str]) -> float:
    return sum(map(test, texts)) / len(texts) if texts else 0.0


def _with_maxima(columns: list[Column], cells: Sequence[str]) -> list[Column]:
    """Return the columns with the maxima of a row of their own."""
    found = []
    for column in columns:
        text = cells[column.index] if column.index < len(cells) else ""
        number = re.search(r"\d+(?:[.,]\d+)?", text)
        is_item = column.use in {Use.ITEM, Use.OTHER} and number is not None
        if is_item and number and 0 < Decimal(number[0].replace(",", ".")) <= _LARGEST_OUT_OF:
            out_of = Decimal(number[0].replace(",", "."))
            found.append(replace(column, use=Use.ITEM, out_of=out_of, evidence="has a maximum in its own row"))
        else:
            found.append(column)
    return found


def _with_company(columns: list[Column]) -> list[Column]:
    """Return the columns with each comment and result given to the item or answer that it belongs to."""
    found: list[Column] = []
    for column in columns:
        before = [column for column in found if column.use in {Use.ITEM, Use.ANSWER}]
        named = [candidate for candidate in before if candidate.title and fold(candidate.title) in fold(column.heading)]
        answer = before[-1] if before and before[-1].use is Use.ANSWER else None
        if column.use in {Use.COMMENT, Use.RESULT} and named:
            column = replace(column, belongs_to=named[-1].index)  # noqa: PLW2901 - the same column, better known
        elif answer and column.use in {Use.ITEM, Use.RESULT} and _is_result(column, answer):
            evidence = f"stands behind the answer in {answer.letter}"
            column = replace(column, use=Use.RESULT, belongs_to=answer.index, evidence=evidence)  # noqa: PLW2901
        found.append(column)
    return found


def _is_result(column: Column, answer: Column) -> bool:
    """Tell whether a column tells how an answer was marked: its number is the answer's, or it has no other meaning."""
    ours, theirs = re.findall(r"\d+", column.title), re.findall(r"\d+", answer.title)
    return column.use is Use.RESULT or (bool(theirs) and ours[:1] == theirs[:1])


def _oddities(grid: Grid, columns: list[Column], top: Top) -> list[Finding]:
    findings = list(grid.notes)
    seen: dict[str, list[Column]] = {}
    for column in columns:
        seen.setdefault(column.heading, []).append(column)
    for heading, same in seen.items():
        letters = ", ".join(column.letter for column in same)
        place = grid.place(top.heading_rows[-1], same[0].index)
        if heading and len(same) > 1:
            mend = "Name these columns by their letters."
            what = f"the heading '{heading}' is used in columns {letters}"
            findings.append(Finding("heading-twice", what, place, mend))
        if not heading:
            what = f"{counted(len(same), 'column has', 'columns have')} no heading: {letters}"
            findings.append(Finding("heading-blank", what, place, "Name such a column by its letter."))
    blank = [row for row in range(top.last + 1, len(grid)) if grid.is_blank(row)]
    if blank:
        findings.append(Finding("blank-rows", counted(len(blank), "blank row"), grid.place(blank[0])))
    return findings


def _ragged(grid: Grid, width: int, start: int) -> list[Finding]:
    """Return a fault for each row whose cells don't stand under the headings."""
    if set(grid.widths) == {width}:
        return []
    findings = []
    for row in range(start, len(grid)):
        cells = grid.widths[row]
        if cells == width or grid.is_blank(row) or (cells > width and not any(grid.cells(row)[width:])):
            continue
        if cells < width and sum(1 for text in grid.cells(row) if text.strip()) <= 1:
            continue  # a line of text below or between the class lists
        end = " and is the last one" if row == len(grid) - 1 else ""
        what = f"this row has {counted(cells, 'cell')}{end}; the headings have {width}"
        mend = (
            "The file may have been cut off: export it again."
            if cells < width
            else "A cell may hold the delimiter without quotation marks: correct the row, or export again."
        )
        findings.append(Finding("ragged-row", what, grid.place(row), mend))
    return findings
