"""Which question of the export is which of the target's, and what its answers look like."""

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.marks.answers.key import KeyedQuestion, find_keyed
from skarvin.core.marks.answers.labels import (
    LETTERS,
    likely_label,
    read_answer_number,
    read_labels,
    read_truth,
    split_options,
    without_label,
)
from skarvin.core.marks.answers.options import find_options, without_options
from skarvin.core.marks.answers.question import split_question
from skarvin.core.marks.choices import AnswerKind, Choose
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_grammar import DASHES, decimal_comma
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set

_UNIT = pattern(r"\d\s*([^\d\s.,'’][^\d]{0,11})$")
_MOSTLY = 0.6
_MOST_LABELS = 8
_FEW = 3
_SLIPS = 0.1
"""Where a smaller share of the answers has several labels, one is allowed, and these are slips."""
_NO_ANSWER = phrase_set(WORDS.answers.none)


class QuestionProposal(NamedTuple):
    """A question of the export, the target's column for its answers, and how they are read."""

    source: Column
    target: Column | None
    reason: str
    kind: AnswerKind = AnswerKind.TEXT
    labels: str = ""
    is_comma: bool = False
    units: tuple[str, ...] = ()
    is_in_key: bool = False
    disordered: int = 0
    one_blank: bool = False
    choose: Choose = Choose.SEVERAL
    has_negatives: bool = False
    is_by_text: bool = False


def propose_questions(
    source: Layout,
    target: Layout,
    texts: Mapping[int, Mapping[str, int]],
    key: Mapping[str, KeyedQuestion],
    stated: Mapping[int, Mapping[str, int]],
) -> tuple[QuestionProposal, ...]:
    """Return a proposal for each question of the export, if the target has columns for answers at all.

    Args:
        source: the export's layout.
        target: the target's.
        texts: the distinct texts of the export's columns, and how often each stands there.
        key: the answer key.
        stated: the distinct texts of the target's columns.
    """
    asked = source.of_use(Use.ANSWER)
    there = target.of_use({Use.ANSWER, Use.ITEM})
    free = [column for column in there if column.use is Use.ANSWER or split_question(column.title)[0]]
    if not asked or not free:
        return ()
    found = []
    for column in asked:
        other, reason = _other_side(column, asked, free)
        counted = texts[column.index].items()
        filled = {text: count for text, count in counted if text.strip() and fold_word(text) not in _NO_ANSWER}
        seen = _looked_at(QuestionProposal(column, other, reason), filled)
        keyed = find_keyed(key, column, other)
        seen = _with_key(seen, keyed) if keyed else seen
        found.append(_with_texts(seen, filled, stated) if other and not keyed else seen)
    return tuple(found)


def _other_side(column: Column, asked: Sequence[Column], free: Sequence[Column]) -> tuple[Column | None, str]:
    """Return the target's column for a question: by what it asks, or by its number where the target has no more."""
    number, text = _question_of(column)
    same = [column for column in free if text and _question_of(column)[1] == text]
    if len(same) == 1:
        return same[0], "the same question" + ("" if _question_of(same[0])[0] == number else ", with another number")
    numbered = [column for column in free if number and _question_of(column) == (number, "")]
    is_alone = sum(1 for column in asked if _question_of(column)[0] == number) == 1
    if len(numbered) == 1 and is_alone:
        return numbered[0], "the same number"
    return None, "no question of the target is the same"


def _question_of(column: Column) -> tuple[str, str]:
    """Return a question's number and what it asks, without the answers that its heading states."""
    return split_question(without_options(column.title))


def _looked_at(proposal: QuestionProposal, texts: Mapping[str, int]) -> QuestionProposal:
    """Return a proposal with what the answers look like."""
    total = sum(texts.values())
    truths = sum(count for text, count in texts.items() if read_truth(text) is not None)
    one_blank = _is_one_blank_enough(texts)
    read = {text: read_labels(text, LETTERS, one_blank=one_blank) for text in texts}
    labels = sum(count for text, count in texts.items() if read[text] is not None)
    units = _units(texts)
    is_comma = _has_comma({re.sub(r"\D+$", "", text.strip()): count for text, count in texts.items()})
    folded = frozenset(map(fold_word, units))
    numbers = sum(
        count for text, count in texts.items() if read_answer_number(text, is_comma=is_comma, units=folded) is not None
    )
    if total and numbers >= _MOSTLY * total:
        below = sum(count for text, count in texts.items() if text.strip()[:1] in DASHES)
        has_negatives = below >= _FEW
        return proposal._replace(kind=AnswerKind.NUMBER, is_comma=is_comma, units=units, has_negatives=has_negatives)
    if total and truths >= _MOSTLY * total:
        return proposal._replace(kind=AnswerKind.TRUTH)
    if total and labels >= _MOSTLY * total:
        chosen = Counter[str]()
        for text, labels_there in read.items():
            chosen.update(dict.fromkeys(labels_there or (), texts[text]))
        seen = {label for label, count in chosen.items() if count > 1} or set(chosen)
        last = max((LETTERS.index(label) for label in seen if label in LETTERS), default=0)
        disordered = sum(texts[text] for text in _disordered(read))
        labels_seen = LETTERS[: max(last + 1, 2)]
        several = sum(texts[text] for text, found in read.items() if found and len(found) > 1)
        choose = Choose.SEVERAL if several > _SLIPS * labels else Choose.ONE
        return proposal._replace(
            kind=AnswerKind.LABELS, labels=labels_seen, disordered=disordered, one_blank=one_blank, choose=choose
        )
    return proposal


def _with_texts(
    proposal: QuestionProposal, texts: Mapping[str, int], stated: Mapping[int, Mapping[str, int]]
) -> QuestionProposal:
    """Return a proposal by the answers' texts, where the target states them with labels of its own."""
    target = proposal.target
    options = find_options(target.heading, stated.get(target.index, {})) if target else ()
    known = {option.text for option in options}
    parts = {text: split_options(text) for text in texts}
    met = sum(
        count for text, count in texts.items() if {fold_word(without_label(part)) for part in parts[text]} <= known
    )
    if not options or met < _MOSTLY * sum(texts.values()):
        return proposal
    labels = "".join(sorted({option.code for option in options if len(option.code) == 1}))
    several = sum(texts[text] for text, found in parts.items() if len(found) > 1)
    choose = Choose.SEVERAL if several > _SLIPS * sum(texts.values()) else Choose.ONE
    return proposal._replace(kind=AnswerKind.LABELS, labels=labels, is_by_text=True, choose=choose, one_blank=False)


def _is_one_blank_enough(texts: Mapping[str, int]) -> bool:
    """Tell whether every answer begins with a label, though one blank alone stands behind some, and these differ."""
    unclear = [text for text in texts if read_labels(text, LETTERS) is None]
    likely = [likely_label(text, LETTERS[:_MOST_LABELS]) for text in unclear]
    return all(likely) and len(set(likely)) > 1 and sum(map(texts.__getitem__, unclear)) >= _FEW


def _disordered(read: Mapping[str, list[str] | None]) -> list[str]:
    """Return the answers whose several labels stand in another order; none if the order may be what was asked."""
    answers = {text: labels for text, labels in read.items() if labels}
    is_order_asked = len({frozenset(labels) for labels in answers.values()}) == 1
    return [] if is_order_asked else [text for text, labels in answers.items() if labels != sorted(labels)]


def _has_comma(texts: Mapping[str, int]) -> bool:
    """Tell whether the comma is the decimal sign: where both signs stand in a number, the last one is."""
    both = [text for text in texts if "," in text and "." in text]
    return all(text.rindex(",") > text.rindex(".") for text in both) if both else bool(decimal_comma(dict(texts)))


def _with_key(proposal: QuestionProposal, keyed: KeyedQuestion) -> QuestionProposal:
    """Return a proposal with the labels that the key knows."""
    if proposal.kind is AnswerKind.NUMBER:
        is_below = any(known.code.strip()[:1] in DASHES for known in keyed.answers)
        return proposal._replace(has_negatives=proposal.has_negatives or is_below)
    if proposal.kind is not AnswerKind.LABELS:
        return proposal
    right = [known.code for known in keyed.answers if known.is_right]
    if any(len(code) > 1 and set(code) <= set(LETTERS) for code in right):
        proposal = proposal._replace(choose=Choose.SEVERAL)
    elif len(right) == 1:
        proposal = proposal._replace(choose=Choose.ONE)
    labels = sorted({sign for known in keyed.answers for sign in known.code if sign.isalnum()} | set(proposal.labels))
    is_whole = all(len(known.code) == 1 for known in keyed.answers) and len(keyed.answers) > 1
    return proposal._replace(labels="" if is_whole else "".join(labels), is_in_key=is_whole)


def _units(texts: Mapping[str, int]) -> tuple[str, ...]:
    found: Counter[str] = Counter()
    for text, count in texts.items():
        if match := _UNIT.search(text.strip()):
            found[fold_word(match[1])] += count
    total = sum(texts.values())
    is_usual = sum(found.values()) * 2 > total  # a unit that few write may be another than that of the others
    return tuple(unit for unit, _ in found.most_common()) if is_usual else ()
