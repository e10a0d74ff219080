"""How the answers to one question become the codes that the target takes."""

from collections.abc import Sequence
from typing import NamedTuple

from skarvin.core.findings import counted, listing
from skarvin.core.marks.answers.labels import (
    LETTERS,
    likely_label,
    read_answer_number,
    read_labels,
    read_signs,
    read_truth,
    split_options,
    without_label,
)
from skarvin.core.marks.choices import AnswerKind, BelowZero, Blank, Choose, Existing, LabelOrder, LabelStyle
from skarvin.core.marks.rule import Converted, Rule, blank_in_words, existing_in_words
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.numbers import plain

_NEVER_SEEN = "the student never saw the question"
_NEAR = 60.0


class KnownAnswer(NamedTuple):
    """One line of an answer key: an answer's text, folded, its code, and whether it is right."""

    text: str
    code: str
    is_right: bool


class AnswerRule(Rule, frozen=True):
    """How the answers to a question are coded.

    Attributes:
        kind: what the question asks for.
        offered: the labels that it offers; blank if that isn't known.
        style: how labels are written.
        is_lower: whether letters are written small.
        between: what stands between several labels.
        order: in which order they are written.
        one_blank: whether one blank between a label and its text is enough.
        width: as wide is a code made: numbers with zeros in front, others with blanks behind.
        answer_width: as wide is the whole answer made, with blanks behind it.
        truths: what is written for true and for false.
        is_comma: whether the comma is the decimal sign.
        units: units that are set aside, folded.
        no_answer: texts that say that nothing was answered, folded.
        blank: what becomes of a question without an answer.
        blank_code: what is sent for it.
        unseen: what becomes of a question that the student never saw.
        unseen_code: what is sent for it.
        existing: what becomes of an answer that the target has.
        key: the answers that are known.
        choose: whether one label is allowed, or several.
        below_zero: what becomes of a number below zero.
        signs: what is written for each label that isn't chosen, and for each that is.
        options: the target's own answers by their texts, where answers are coded by these.
    """

    kind: AnswerKind = AnswerKind.LABELS
    offered: str = ""
    style: LabelStyle = LabelStyle.AS_OFFERED
    is_lower: bool = False
    between: str = ""
    order: LabelOrder = LabelOrder.AS_GIVEN
    one_blank: bool = False
    width: int = 0
    answer_width: int = 0
    truths: tuple[str, str] = ("T", "F")
    is_comma: bool = False
    units: frozenset[str] = frozenset()
    no_answer: frozenset[str] = frozenset()
    blank: Blank = Blank.LEAVE
    blank_code: str = ""
    unseen: Blank = Blank.LEAVE
    unseen_code: str = ""
    existing: Existing = Existing.REPLACE
    key: tuple[KnownAnswer, ...] = ()
    choose: Choose = Choose.SEVERAL
    below_zero: BelowZero = BelowZero.HOLD
    signs: str = "01"
    options: tuple[KnownAnswer, ...] = ()

    def is_blank(self, text: str) -> bool:
        """Tell whether nothing was answered."""
        return not text.strip() or fold_word(text) in self.no_answer

    def convert(self, text: str) -> Converted:
        """Return an answer's code."""
        answer = self.read(text)
        if isinstance(answer, Converted):
            return answer
        if self.choose is Choose.ONE and self.kind is AnswerKind.LABELS and len(answer) > 1:
            both = f"'{_short(text)}' chooses {listing([*answer])}"
            reason = f'{both}, and one choice is allowed (choose = "several" allows more)'
            return Converted(None, None, why=Reason(Cause.SEVERAL_LABELS, reason))
        if self.style is LabelStyle.SIGNS and self.kind is AnswerKind.LABELS:
            row = "".join(self.signs[label in answer] for label in self.labels)
            return Converted(None, row.ljust(self.answer_width))
        written = self.between.join(self._wide(self._written(text)) for text in answer)
        return Converted(None, written.ljust(self.answer_width))

    def convert_unseen(self) -> Converted:
        """Return what becomes of a question that the student never saw."""
        if self.unseen is Blank.LEAVE:
            return Converted(None, None, why=Reason(Cause.NEVER_SEEN, _NEVER_SEEN))
        if self.unseen is Blank.HOLD:
            return Converted(None, None, why=Reason(Cause.NEVER_SEEN_HELD, _NEVER_SEEN))
        code = self.unseen_code if self.unseen is Blank.CODE else ""
        return Converted(None, code, why=Reason(Cause.NEVER_SEEN_SENT, _NEVER_SEEN))

    def read(self, text: str) -> tuple[str, ...] | Converted:
        """Return what an answer says, one label or more, before it is written for the target; or why it is held."""
        if self.options:
            return self._by_text(text)
        folded = fold_word(text)
        code = next((known.code for known in self.key if known.text == folded), None)
        return self._read_by_kind(text) if code is None else self.read_code(code)

    def _read_by_kind(self, text: str) -> tuple[str, ...] | Converted:
        if self.kind is AnswerKind.LABELS:
            return self._labels(text)
        if self.kind is AnswerKind.NUMBER:
            return self._number(text)
        if self.kind is AnswerKind.TRUTH:
            truth = read_truth(text)
            return _unclear(text, self, "is neither true nor false") if truth is None else (self.truths[not truth],)
        if self.key:
            return _unclear(text, self, "is not in the key")
        return (text,)

    def _number(self, text: str) -> tuple[str, ...] | Converted:
        number = read_answer_number(text, is_comma=self.is_comma, units=self.units)
        if number is None:
            return _unclear(text, self, "isn't a plain number")
        if number < 0 and self.below_zero is BelowZero.HOLD:
            reason = f"'{_short(text)}' is below zero (below_zero = \"send\" allows it)"
            return Converted(None, None, why=Reason(Cause.BELOW_ZERO, reason))
        return (plain(number),)

    def _by_text(self, text: str) -> tuple[str, ...] | Converted:
        """Return the target's codes of the answers that have these texts, whatever labels stand before them."""
        codes: list[str] = []
        for part in split_options(text):
            folded = fold_word(without_label(part))
            found = {option.code for option in self.options if option.text == folded}
            if len(found) != 1:
                what = (
                    "is the text of two of the form's answers" if found else "is the text of none of the form's answers"
                )
                return Converted(None, None, why=Reason(Cause.NO_SUCH_OPTION, f"'{_short(text)}' {what}"))
            codes += found
        return self._ordered(codes)

    def read_code(self, code: str) -> tuple[str, ...]:
        """Return what one of the key's codes says, in the form in which `read` gives it."""
        if self.kind is AnswerKind.NUMBER:
            number = read_answer_number(code, is_comma=self.is_comma, units=self.units)
            return (code if number is None else plain(number),)
        truth = read_truth(code) if self.kind is AnswerKind.TRUTH else None
        if truth is not None:
            return (self.truths[not truth],)
        signs = tuple(code)
        return self._ordered(signs) if len(signs) > 1 and set(signs) <= set(self.labels) else (code,)

    def is_right(self, answer: tuple[str, ...], *, takes_several: bool = False) -> bool:
        """Tell whether the key calls an answer right.

        Args:
            answer: what `read` gave.
            takes_several: whether several labels may be chosen; all that the key calls right, each in a line of its
                own, must then be there. Otherwise any one of them is right.
        """
        right = [self.read_code(known.code) for known in self.key if known.is_right]
        if takes_several:
            together = tuple(code[0] for code in right if len(code) == 1)
            right = [*filter(None, [together]), *(code for code in right if len(code) > 1)]
        return any(self._is_same(answer, code) for code in right)

    def _is_same(self, answer: tuple[str, ...], code: tuple[str, ...]) -> bool:
        """Tell whether two answers are one: their order counts only where all labels are in them."""
        is_order_asked = set(code) == set(self.labels)
        return answer == code if is_order_asked else set(answer) == set(code)

    @property
    def labels(self) -> str:
        """The labels that the question offers: as stated, or as the key has them."""
        in_key = {known.code for known in self.key if known.code.isalnum()}
        if self.options and not self.offered:
            return "".join(sorted({option.code for option in self.options if len(option.code) == 1}))
        return self.offered or "".join(sorted({sign for code in in_key for sign in code}))

    @property
    def in_words(self) -> str:
        """What is done to answers, in one sentence."""
        what = {
            AnswerKind.LABELS: "answers become labels",
            AnswerKind.NUMBER: "answers are numbers",
            AnswerKind.TRUTH: f"true is '{self.truths[0]}', false is '{self.truths[1]}'",
            AnswerKind.TEXT: "answers become the key's codes" if self.key else "answers travel as they are",
        }[self.kind]
        if self.options:
            what += " of the form, by their texts"
        if self.kind is AnswerKind.LABELS and self.choose is Choose.ONE:
            what += ", one each"
        if self.kind is AnswerKind.LABELS and self.style is not LabelStyle.AS_OFFERED:
            what += f", written as {self.style.value}"
        if self.kind is AnswerKind.LABELS and self.order is LabelOrder.AS_OFFERED:
            what += ", several in the order in which they are offered"
        if self.kind is AnswerKind.LABELS and self.one_blank:
            what += "; one blank behind a label is enough"
        parts = [what]
        if self.units and self.kind is AnswerKind.NUMBER:
            parts.append(f"ignored units: {listing(sorted(self.units))}")
        if self.labels and self.kind is AnswerKind.LABELS:
            parts.append(f"offered: {' '.join(self.labels)}")
        if self.key:
            parts.append(f"{counted(len(self.key), 'answer')} in the key")
        blank = blank_in_words(self.blank, self.blank_code)
        return "; ".join([*parts, blank, existing_in_words(self.existing)])

    def _labels(self, text: str) -> tuple[str, ...] | Converted:
        offered = self.labels or LETTERS
        labels = read_signs(text, self.labels) or read_labels(text, offered, one_blank=self.one_blank)
        if labels is None:
            return _unclear(text, self, "doesn't begin with a label", likely_label(text, offered))
        strange = [label for label in labels if label not in offered]
        if strange:
            reason = (
                f"'{_short(text)}': the question doesn't offer {', '.join(strange)} (it offers {' '.join(offered)})"
            )
            return Converted(None, None, why=Reason(Cause.LABEL_NOT_OFFERED, reason))
        return self._ordered(labels)

    def _ordered(self, labels: Sequence[str]) -> tuple[str, ...]:
        offered = self.labels or LETTERS
        is_sorted = self.order is LabelOrder.AS_OFFERED and set(labels) <= set(offered)
        return tuple(sorted(labels, key=offered.index) if is_sorted else labels)

    def _written(self, label: str) -> str:
        """Return a label as the target writes it; anything else as it is."""
        offered = self.labels or LETTERS
        if self.kind not in {AnswerKind.LABELS, AnswerKind.TEXT} or len(label) != 1 or label not in offered:
            return label
        place = offered.index(label)
        if self.style is LabelStyle.NUMBERS:
            return str(place + 1)
        written = LETTERS[place] if self.style is LabelStyle.LETTERS else label
        return written.lower() if self.is_lower else written.upper()

    def _wide(self, code: str) -> str:
        return code.zfill(self.width) if code.isdecimal() else code.ljust(self.width)


def _unclear(text: str, rule: AnswerRule, what: str, guess: str = "") -> Converted:
    """Return why an answer is held, with what comes nearest in the key as a suggestion."""
    near = _nearest(text, rule) if rule.key and not guess else guess
    hint = f" (perhaps {near})" if near else ""
    return Converted(None, None, why=Reason(Cause.UNCLEAR_ANSWER, f"'{_short(text)}' {what}{hint}"))


def _nearest(text: str, rule: AnswerRule) -> str:
    from rapidfuzz import fuzz, process  # noqa: PLC0415 - for a suggestion alone

    texts = [known.text for known in rule.key]
    best = process.extractOne(fold_word(text), texts, scorer=fuzz.ratio, score_cutoff=_NEAR)
    return f"{rule.key[best[2]].code}, {best[1]:.0f}% alike" if best else ""


def _short(text: str) -> str:
    line = " ".join(text.split())
    return line if len(line) <= 40 else f"{line[:39]}…"  # noqa: PLR2004 - about what a table can show
