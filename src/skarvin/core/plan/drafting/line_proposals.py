"""Whether a form takes a line for each mark: told by its headings, and by the export's items and students in it."""

import re
from collections.abc import Iterator, Sequence

from skarvin.core.grid.grid import Grid
from skarvin.core.layout.columns import IDENTIFIERS, Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.heading_words import said_by_words
from skarvin.core.layout.name_with_number import in_cell
from skarvin.core.layout.recognise import recognise, title_in
from skarvin.core.targets.lines_form import LineColumns
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_kinds import may_be_mark
from skarvin.core.texts.moments import read_moment
from skarvin.core.texts.words import WORDS, phrase_set

_MARKS = phrase_set(WORDS.headings.measure, "value, result, ergebnis, bewertung, points obtenus, resultaat")
_ITEMS = phrase_set(
    "item, item code, activity, activity code, assignment, task, task code, test, exam, assessment, assessment "
    "code, course work, column, element, component, aufgabe, prüfung, leistung, arbeit, épreuve, devoir, activité, "
    "évaluation, tarea, actividad, prueba, evaluación, atividade, avaliação, prova, compito, attività, opdracht, "
    "toets, oppgave, prøve, opgave, uppgift, prov, tehtävä, zadanie, sprawdzian, úkol, zkouška, feladat, dolgozat, "
    "temă, ödev, sınav, tugas, ujian, εργασία, задание, работа, завдання, робота, "
    "課題, 課題名, 項目, 作业, 作業, 项目, 과제, 항목, النشاط, המטלה, מטלה, פעילות, กิจกรรม, งาน"
)
_MOST_COLUMNS, _HALF, _FEW = 16, 0.5, 4
_FORMATS = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%Y/%m/%d", "%Y%m%d")


def find_lines(form: Grid, exports: Sequence[tuple[Grid, Layout]]) -> LineColumns | None:
    """Return what the columns of a form are that takes a line for each mark; None for any other form."""
    theirs = recognise(form)
    if theirs.heading_row is None or not _FEW - 1 <= len(theirs.columns) <= _MOST_COLUMNS:
        return None
    items = [item for _, layout in exports for item in layout.of_use({Use.ITEM, Use.TOTAL})]
    titles = {fold(text) for item in items for text in _names(item)} - {""}
    if any(fold(column.heading) in titles for column in theirs.columns):
        return None
    rows = [form.cells(row) for row in range(theirs.first_row, len(form)) if not form.is_blank(row)]
    texts = {column: [_text(cells, column) for cells in rows] for column in theirs.columns}
    people, words = _people(exports)
    student = _most(texts, people) or next(iter(theirs.identifiers), None) or _said(theirs, IDENTIFIERS)
    named = {column: [title_in(text) for text in own] for column, own in texts.items()}
    known = _most(texts, titles) or _most(named, titles)
    item = known or _called(theirs.columns, _ITEMS, {student})
    mark = _called(theirs.columns, _MARKS, {student, item})
    left = [column for column in theirs.columns if column not in {item, mark}]
    student = left[0] if student is None and len(left) == 1 else student
    if student is None or item is None or mark is None:
        return None
    if known is None and not all(map(may_be_mark, filter(None, texts[mark]))):
        return None
    is_each_another = len(set(texts[item])) > len(rows) * _HALF and len(rows) > _FEW
    if is_each_another and titles.isdisjoint(map(fold, texts[item])):
        return None
    others = [column for column in theirs.columns if column not in {student, item, mark}]
    name = next((column for column in others if column.use is Use.NAME or _says(column, Use.NAME)), None)
    has_titles = any(fold(text) in titles for text in named[item])
    known_people = [sum(fold(text) in people for text in texts[student])]
    known_people += [sum(_words(text) in words for text in texts[name])] if name else []
    return LineColumns(
        student=student.named,
        item=item.named,
        mark=mark.named,
        name=name.named if name else "",
        keep=not rows or max(known_people) > len(rows) * _HALF or (has_titles and len(set(texts[student])) >= _FEW),
        columns=dict(_others([column for column in others if column != name], texts)),
    )


def _text(cells: Sequence[str], column: Column) -> str:
    return cells[column.index].strip() if column.index < len(cells) else ""


def _names(item: Column) -> tuple[str, ...]:
    return item.heading, item.title, item.key or ""


def _people(exports: Sequence[tuple[Grid, Layout]]) -> tuple[set[str], set[frozenset[str]]]:
    """Return the identifiers of exports, and the words of each name in them."""
    people: set[str] = set()
    names: set[frozenset[str]] = set()
    for grid, layout in exports:
        for cells in grid.rows(layout.first_row):
            people.update(fold(in_cell(cells, column).number) for column in layout.identifiers)
            names.add(_words(" ".join(in_cell(cells, column).name for column in layout.names)))
    return people - {""}, names - {frozenset()}


def _words(name: str) -> frozenset[str]:
    return frozenset(fold(name).replace(",", " ").split())


def _most(texts: dict[Column, list[str]], known: set[str]) -> Column | None:
    """Return the column most of whose texts are known."""
    counts = {column: sum(fold(text) in known for text in own) for column, own in texts.items() if own}
    best = max(counts, key=lambda column: counts[column], default=None)
    return best if best is not None and counts[best] > len(texts[best]) * _HALF else None


def _called(columns: Sequence[Column], words: frozenset[str], taken: set[Column | None]) -> Column | None:
    """Return the column whose heading is one of some words, or ends with one."""
    free = [column for column in columns if column not in taken]
    folded = {fold(word) for word in words}
    whole = [column for column in free if fold(column.heading) in folded]
    part = [column for column in free if not folded.isdisjoint(fold(column.heading).split())]
    return next(iter(whole or part), None)


def _says(column: Column, use: Use) -> bool:
    return use in said_by_words(column.heading)


def _said(layout: Layout, uses: frozenset[Use]) -> Column | None:
    return next((column for column in layout.columns if not uses.isdisjoint(said_by_words(column.heading))), None)


def _others(columns: Sequence[Column], texts: dict[Column, list[str]]) -> Iterator[tuple[str, str]]:
    """Yield what stands in the other columns of a line: a section, a count, a date, or what all lines say."""
    for column in columns:
        own = texts[column]
        if column.use is Use.SECTION or _says(column, Use.SECTION):
            yield column.named, "{section}"
        elif own and own == [str(number) for number in range(1, len(own) + 1)]:
            yield column.named, "{line}"
        elif own and (how := _date_format(own)):
            yield column.named, f"{{today {how}}}"
        elif len(own) > 1 and len(set(own)) == 1 and own[0] and not re.search(r"[{}]", own[0]):
            yield column.named, own[0]


def _date_format(texts: Sequence[str]) -> str:
    """Return how dates are written, where all texts are dates; blank otherwise."""
    from datetime import datetime  # noqa: PLC0415 - few forms have dates

    if not all(read_moment(text) or re.fullmatch(r"[\d./-]{8,10}", text) for text in texts):
        return ""
    for how in _FORMATS:
        try:
            for text in texts:
                datetime.strptime(text, how)  # noqa: DTZ007 - a day
        except ValueError:
            continue
        return how
    return ""
