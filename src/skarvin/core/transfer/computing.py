"""The marks of a transfer that its export doesn't hold as such: computed, stated, and answers never asked for."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from types import MappingProxyType

from skarvin.core.findings import Row
from skarvin.core.gradebook import Gradebook
from skarvin.core.layout.columns import Column, ItemSource
from skarvin.core.ledger.book import Made
from skarvin.core.marks.answers.labels import read_truth
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.rule import Converted
from skarvin.core.marks.totals.compute import Checked, Read, Value, check_total, compute
from skarvin.core.marks.totals.computed_rule import spell
from skarvin.core.marks.totals.points import MomentPoints, SeveralRows, TextPoints, row_reader, several_rows_reader
from skarvin.core.marks.totals.tree import MomentKey
from skarvin.core.plan.column_map import ColumnMap, Constant
from skarvin.core.plan.questions import Question
from skarvin.core.plan.total_rules import Total
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_grammar import decimal_comma, read_mark
from skarvin.core.texts.numbers import Number, read_number
from skarvin.core.texts.words import WORDS, phrase_set
from skarvin.core.transfer.computed import Disagreement, MadeMarks, Silent, TotalResult

_RIGHT_WORDS = phrase_set(WORDS.answers.right)
_WRONG_WORDS = phrase_set(WORDS.answers.wrong)


def make_marks(
    source: Gradebook, pairing: Pairing, column_map: ColumnMap, dates: Mapping[Row, str] = MappingProxyType({})
) -> MadeMarks:
    """Return the marks that a transfer makes itself.

    Args:
        source: the export.
        pairing: who is who.
        column_map: what feeds what.
        dates: when the rows of a student who has several are from, as it stands there.
    """
    made: dict[ItemSource, Made] = {}
    several = _rows_of_one(pairing)
    read = _total_reader(source, column_map, several, dates) if column_map.totals else None
    totals = _totals(source, column_map.totals, several, read) if read else ()
    sent = {item.source for item in column_map.items}
    for result in totals:
        if result.total.column in sent:
            made[result.total.column] = _computed(result)
    for constant in column_map.constants:
        made[constant.column] = _stated(source, pairing, constant)
    for question in column_map.questions:
        if not question.is_dropped:
            made[question.column] = _answers(source, question)
    silent = _silent(source, made, column_map.questions)
    return MadeMarks(made, totals, *_held_against_the_key(source, column_map.questions), read, silent)


def _rows_of_one(pairing: Pairing) -> dict[Row, list[Row]]:
    """Return the rows of each student who has several, by the first."""
    by_target: dict[Row, list[Row]] = {}
    for pair in pairing.pairs:
        by_target.setdefault(pair.target.row, []).append(pair.source.row)
    rowless = ([student.row for student in one.students] for one in pairing.rowless)
    return {rows[0]: rows for rows in (*by_target.values(), *rowless) if len(rows) > 1}


def _total_reader(
    source: Gradebook, column_map: ColumnMap, several: Mapping[Row, list[Row]], dates: Mapping[Row, str]
) -> Read:
    """Return what reads the marks that totals are made of: of a student's several rows those that count."""
    totals = column_map.totals
    rules: dict[int, MarkRule] = {}
    columns: dict[int, Column] = {}
    for total in totals:
        rules |= total.reading
        columns |= total.parts
    points: dict[int | MomentKey, TextPoints | MomentPoints] = {
        key: TextPoints(rule, columns[key].title) for key, rule in rules.items()
    }
    dated = {key for total in totals for key in total.rule.keys if isinstance(key, MomentKey)}
    points |= {key: MomentPoints(columns[key.place].title) for key in dated}
    read = row_reader(source.cells, points)
    if not several:
        return read
    ruled = {item.source.index: item.several for item in column_map.items if isinstance(item.source, Column)}
    rows_rules = {key: (rule, ruled.get(key, column_map.several)) for key, rule in rules.items()}
    return several_rows_reader(read, source.cells, rows_rules, SeveralRows(several, dates, points))


def _totals(
    source: Gradebook, totals: Sequence[Total], several: Mapping[Row, list[Row]], read: Read
) -> tuple[TotalResult, ...]:
    """Return what the totals give for each student: of one with several rows, at the first."""
    others = {row for rows in several.values() for row in rows[1:]}
    rows = [student.row for student in source.students if student.row not in others]
    found = compute([total.rule for total in totals], rows, read)
    return tuple(
        TotalResult(total, values, _checked(total, values, source, several) if total.check else None)
        for total, values in zip(totals, found, strict=True)
    )


def _checked(total: Total, values: Mapping[Row, Value], source: Gradebook, several: Mapping[Row, list[Row]]) -> Checked:
    """Hold the export's own total against the rule; its decimal sign is told from all of its texts.

    The total in one of a student's several rows is of that row alone, and can't be compared; the rows of several
    exports are one.
    """
    place = total.check.index if total.check else 0
    texts = {row: _own_total(source, several.get(row, [row]), place) for row in values}
    is_comma = bool(decimal_comma(Counter(texts.values())))
    says: dict[Row, Number | None] = {}
    for row, text in texts.items():
        mark = read_mark(text, is_comma=is_comma)
        says[row] = mark.number if mark else None
    return check_total(total.rule, values, says)


def _own_total(source: Gradebook, rows: Sequence[Row], place: int) -> str:
    """Return what a student's rows say is the total: of one row, or of one in each export."""
    if len({row.source.number for row in rows}) < len(rows):
        return ""
    texts = [text for row in rows if (text := source.text(row, place)).strip()]
    return texts[0] if len(texts) == 1 else ""


def _computed(result: TotalResult) -> Made:
    texts = {row: spell(value.number) for row, value in result.values.items() if value.number is not None}
    instead = {
        row: Reason(Cause.PART_HELD, f"it can't be calculated: {value.reason}")
        for row, value in result.values.items()
        if value.reason
    }
    return Made(texts, instead)


def _stated(source: Gradebook, pairing: Pairing, constant: Constant) -> Made:
    """Return a stated mark for those whom it is for, and why the others don't get it."""
    paired = {pair.source.row for pair in pairing.pairs}
    sections = {" ".join(section.split()).casefold() for section in constant.plan.sections}
    texts, instead = {}, {}
    for student in source.students:
        why: Reason | None = None
        if student.row not in paired:
            why = Reason(Cause.NOT_PAIRED, "the student isn't paired")
        elif sections and " ".join(student.section.split()).casefold() not in sections:
            why = Reason(Cause.NOT_IN_SECTION, "the student is in another section")
        elif constant.marked_in and not source.cells(student.row)[constant.marked_in.index].strip():
            why = Reason(Cause.NOT_MARKED, f"the student has no mark in '{constant.marked_in.title}'")
        if why:
            instead[student.row] = why
        else:
            texts[student.row] = constant.plan.mark
    return Made(texts, instead)


def _answers(source: Gradebook, question: Question) -> Made:
    """Return each row's answer, and whose are blank because they were skipped, or because the question wasn't seen.

    It was seen where there is a text, unless that says it wasn't, or a result; without results a blank is only that.
    """
    place = question.column.index
    texts, unseen, skipped = {}, set[Row](), set[Row]()
    rows = [student.row for student in source.students]
    for row in [*rows, *(non_student.student.row for non_student in source.non_students)]:
        cells = source.cells(row)
        texts[row] = text = cells[place] if place < len(cells) else ""
        is_opened = question.is_opened(cells)
        if not is_opened and (text.strip() or question.results):
            unseen.add(row)
        elif is_opened and question.rule.is_blank(text):
            skipped.add(row)
    return Made(texts, unseen=frozenset(unseen), skipped=frozenset(skipped))


def _silent(source: Gradebook, made: Mapping[ItemSource, Made], questions: Sequence[Question]) -> tuple[Silent, ...]:
    """Return the students who answered no question."""
    asked = [(question, made[question.column]) for question in questions if not question.is_dropped]
    found = []
    for student in source.students if asked else ():
        row = student.row
        if all(row in one.unseen or question.rule.is_blank(one.texts[row]) for question, one in asked):
            skipped = sum(row in one.skipped for _, one in asked)
            unseen = sum(row in one.unseen for _, one in asked)
            found.append(Silent(student, skipped, unseen, len(asked) - skipped - unseen))
    return tuple(found)


def _held_against_the_key(source: Gradebook, questions: Sequence[Question]) -> tuple[tuple[Disagreement, ...], int]:
    """Return the answers on which the source and the key differ, question by question, and how many were compared."""
    found: list[Disagreement] = []
    keyed = 0
    for question in questions:
        rule = question.rule
        if not question.results or not (question.key and question.key.right):
            continue
        best = _full_marks(source, question.results)
        answers = dict(_read_answers(source, question))
        takes_several = any(len(answer) > 1 for answer in answers.values())
        for row, answer in answers.items():
            cells = source.cells(row)
            verdicts = [_is_right(cells[column.index], best.get(column.index)) for column in question.results]
            verdict = next((verdict for verdict in verdicts if verdict is not None), None)
            keyed += verdict is not None
            if verdict is not None and rule.is_right(answer, takes_several=takes_several) != verdict:
                found.append(Disagreement(row, question, "".join(answer), verdict))
    return tuple(found), keyed


def _read_answers(source: Gradebook, question: Question) -> Iterator[tuple[Row, tuple[str, ...]]]:
    """Yield the rows of students whose answers can be read, and what these say."""
    for student in source.students:
        text = source.cells(student.row)[question.column.index]
        answer = None if question.rule.is_blank(text) else question.rule.read(text)
        if answer is not None and not isinstance(answer, Converted):
            yield student.row, answer


def _full_marks(source: Gradebook, columns: Sequence[Column]) -> dict[int, Number]:
    """Return for each column of points what a right answer gets: its maximum, or the highest that anyone got."""
    found: dict[int, Number] = {}
    for column in columns:
        numbers = (
            read_number(source.cells(student.row)[column.index].replace(",", ".")) for student in source.students
        )
        there = [number for number in numbers if number is not None]
        if column.out_of is not None or there:
            found[column.index] = column.out_of if column.out_of is not None else max(there)
    return found


def _is_right(text: str, full: Number | None) -> bool | None:
    """Return what a column says of an answer: right, wrong, or neither for sure."""
    word = fold_word(text)
    if word in _RIGHT_WORDS or word in _WRONG_WORDS:
        return word in _RIGHT_WORDS
    number = read_number(text.replace(",", "."))
    if number is not None:
        return True if full and number == full else False if number == 0 else None
    return read_truth(text)
