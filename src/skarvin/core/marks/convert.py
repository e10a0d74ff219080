"""Turns one mark's text into what the target takes, or says why a person must decide."""

from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.marks.choices import Above, Blank, Dash
from skarvin.core.marks.mark_settings import MarkSettings
from skarvin.core.marks.rule import Converted
from skarvin.core.marks.scales import WHOLE, Scale, find_band
from skarvin.core.reasons import Cause, Reason
from skarvin.core.texts.folding import UNSEEN, fold_word
from skarvin.core.texts.mark_grammar import (
    DASHES,
    Mark,
    likely,
    may_be_thousands,
    read_mark,
    split_flag,
    without_thousands,
)
from skarvin.core.texts.mark_kinds import Kind, kind_of_mark
from skarvin.core.texts.numbers import Number, plain, read_number, shortest
from skarvin.core.texts.patterns import pattern


class MarkRule(MarkSettings, frozen=True):
    """How the marks of an item are converted, by what is ruled for them."""

    def is_blank(self, text: str) -> bool:
        """Tell whether a text says nothing: a blank, or a dash where that is ruled to be one."""
        bare = text.strip()
        return not bare or (self.dash is Dash.BLANK and _is_dash(bare))

    def is_status(self, text: str) -> bool:
        """Tell whether a text is a status: one that the transfer has a code for, or a word that is known as one."""
        return fold_word(text) in dict(self.statuses) or kind_of_mark(text) is Kind.STATUS

    def convert(self, text: str) -> Converted:
        """Return what a text that isn't blank becomes."""
        return convert(text, self)

    def for_cell(self, text: str) -> "MarkRule":
        """Return the rule for one cell, where each tells its own decimal sign."""
        if not self.is_either and not (self.is_comma and self.is_stored):
            return self
        if self.is_comma and not self.is_either:
            return replace(self, is_comma=not self.is_plainly_stored(text))
        return replace(self, is_comma="," in text and "." not in text)

    def is_plainly_stored(self, text: str) -> bool:
        """Tell whether a text is a number as a workbook stores it: with a point, and no zero at the end."""
        bare = text.strip()
        return self.is_stored and "." in bare and not bare.endswith("0") and read_number(bare) is not None

    def is_stored_number(self, text: str) -> bool:
        """Tell whether a text is a number that a workbook stores, whose point is its decimal sign."""
        return self.is_stored and "." in text and read_number(text) is not None

    def ungrouped(self, text: str) -> str:
        """Return a text without signs between thousands, if no mark has decimals."""
        return without_thousands(text) if self.is_whole and not self.is_stored_number(text) else text

    def number_of(self, text: str) -> Number | None:
        """Return the number in a source text, in the item's own unit; None where it isn't known what it is out of."""
        read = _read(text, self.for_cell(text))
        return _in_unit(read, self) if isinstance(read, Mark) else None


def convert(text: str, rule: MarkRule) -> Converted:
    """Return what a text that isn't blank becomes under a rule."""
    seen = text if text.isascii() else UNSEEN.sub("", text)
    if seen != text:
        found = convert(seen, rule)
        what = f"'{seen.strip()}' has characters that can't be seen, which were ignored"
        is_sent = found.text is not None and not found.why
        return found._replace(why=Reason(Cause.UNSEEN_IGNORED, what)) if is_sent else found
    found = _convert(text, rule.for_cell(text))
    return found if found.number is None else found._replace(number=rule.number_of(text))


def _in_unit(mark: Mark, rule: MarkRule) -> Number | None:
    """Return a mark as points of its item, whatever it says that it is out of: sums are of one unit."""
    if not mark.out_of or mark.out_of == rule.from_out_of:
        return mark.number
    if rule.from_out_of is None:
        return None
    return shortest(Fraction(mark.number) * Fraction(rule.from_out_of) / Fraction(mark.out_of))


def _convert(text: str, rule: MarkRule) -> Converted:
    known = dict(rule.statuses).get(fold_word(text))
    if known is not None:
        return _status(text, known, rule)
    if rule.scale and (found := _from_word(text, rule.scale, rule)):
        return found
    read = _read(text, rule)
    if isinstance(read, Converted):
        return Converted(None, text.strip()) if rule.copies_words and _is_in_words(text) else read
    if rule.scale and rule.scale.has_words_alone(gives_words=rule.gives_words):
        reason = f"'{text.strip()}' is a number, and the scale '{rule.scale.name}' has words alone"
        return Converted(read.number, None, why=Reason(Cause.NUMBER_AMONG_WORDS, reason))
    converted = convert_number(read, rule, rule.ungrouped(text))
    is_flagged = bool(rule.ignore_flags) and read_mark(text, is_comma=rule.is_comma) is None
    flag = split_flag(text, is_comma=rule.is_comma) if is_flagged else None
    if flag and converted.text is not None and not converted.why:
        return converted._replace(
            why=Reason(Cause.FLAG_IGNORED, f"'{flag[1]}' {_where(text, flag[1])} the mark was ignored")
        )
    return converted


def _status(text: str, code: str, rule: MarkRule) -> Converted:
    """Return what a status is sent as; a number, such as zero, is written as the target writes numbers."""
    number = read_number(code)
    if number is not None:
        return Converted(None, _spelled(code, number, number, replace(rule, is_comma=False)))
    if code.strip():
        return Converted(None, code)
    return Converted(None, code, why=Reason(Cause.SENT_AS_BLANK, f"'{text.strip()}' is sent as a blank"))


def convert_number(mark: Mark, rule: MarkRule, text: str) -> Converted:
    """Return what a mark that was read becomes; `text` is what it is called in a reason."""
    number = mark.number
    if number < 0:
        return Converted(number, None, why=Reason(Cause.BELOW_ZERO, f"{plain(number)} is below zero"))
    known = rule.from_out_of or rule.to_out_of
    is_other = mark.out_of and not mark.is_percent and known and known != mark.out_of
    if is_other and mark.out_of and known and not rule.rescales_others:
        reason = f"'{text.strip()}' is out of {plain(mark.out_of)}, the item out of {plain(known)}"
        return Converted(number, None, why=Reason(Cause.OTHER_MAXIMUM, reason))
    limit = mark.out_of or rule.limit
    if limit is not None and number > limit and rule.above is not Above.ALLOW:
        if rule.above is Above.HOLD:
            reason = f"{plain(number)} is above the maximum {plain(limit)}"
            return Converted(number, None, why=Reason(Cause.ABOVE_MAXIMUM, reason))
        capped = _sent(plain(limit), mark._replace(number=limit), rule)
        why = Reason(Cause.CAPPED, f"{plain(number)} was capped at the maximum {plain(limit)}")
        return capped._replace(number=number, why=why)
    return _sent(text, mark, rule)


BLANK_KIND = "blank"
"""The kind of a text that says nothing."""


class Points(NamedTuple):
    """A mark as a total needs it.

    Attributes:
        number: the points; None where there are none.
        reason: why they can't be told.
        is_excused: whether there are none because the student need not have any: a status that is sent as a blank.
        kind: of a text that isn't a number: `blank`, or its folded word, by which a total may rule it.
    """

    number: Fraction | None
    reason: str = ""
    is_excused: bool = False
    kind: str = ""


def read_points(text: str, rule: MarkRule) -> Points:
    """Return the points that a mark counts for in a total."""
    rule = rule.for_cell(text)
    if rule.is_blank(text):
        return Points(Fraction(0) if rule.blank is Blank.ZERO else None, kind=BLANK_KIND)
    word = fold_word(text)
    known = dict(rule.statuses).get(word)
    if known is not None:
        number = read_number(known)
        return Points(None if number is None else Fraction(number), is_excused=not known.strip(), kind=word)
    value = rule.scale.value(text) if rule.scale and not rule.gives_words else None
    read = _read(text, rule) if value is None else _as_mark(value, rule)
    if isinstance(read, Converted):
        return Points(None, _words(read), kind=word)
    if value is None and rule.scale and rule.scale.has_words_alone(gives_words=rule.gives_words):
        return Points(None, f"'{text.strip()}' is a number, and the scale '{rule.scale.name}' has words alone")
    checked = convert_number(read, replace(rule, scale=None, weight=None, to_out_of=None), text)
    is_stated = value is not None and value < 0  # a level may take points off
    if checked.why and checked.why.cause.spoils_total and not is_stated:
        return Points(None, checked.why.words)
    limit = read.out_of or replace(rule, is_copied=False).limit  # a total counts the source's points
    exact = Fraction(read.number)
    if limit is not None and rule.above is Above.CAP:
        exact = min(exact, Fraction(limit))
    if read.out_of and rule.from_out_of:
        exact = exact * Fraction(rule.from_out_of) / Fraction(read.out_of)
    return Points(exact)


def _as_mark(value: Decimal, rule: MarkRule) -> Mark:
    """Return the mark that stands for a word."""
    return Mark(value, WHOLE, is_percent=True) if rule.scale and rule.scale.is_percent else Mark(value)


def _words(converted: Converted) -> str:
    return converted.why.words if converted.why else ""


_DECIMALS = pattern(r"\d[.,]\d")
_THOUSAND = 1000
"""No mark has thousands that is out of less."""


def _read(text: str, rule: MarkRule) -> Mark | Converted:
    """Return the mark in a text, or why it is held."""
    text = rule.ungrouped(text)
    if rule.is_whole and _DECIMALS.search(text):
        what = f"'{text.strip()}' has decimals, and decimal_separator is \"none\""
        return Converted(None, None, why=Reason(Cause.UNREADABLE, what))
    has_thousands = rule.from_out_of is not None and rule.from_out_of >= _THOUSAND
    is_doubtful = has_thousands and not rule.is_whole and not rule.is_comma
    if rule.is_either:
        is_doubtful = has_thousands or rule.from_out_of is None
    if is_doubtful and may_be_thousands(text) and not rule.is_stored_number(text):
        what = f"'{text.strip()}' may have decimals or be thousands (decimal_separator = \"none\" reads thousands)"
        return Converted(None, None, why=Reason(Cause.UNREADABLE, what))
    mark = read_mark(text, is_comma=rule.is_comma)
    if mark is not None:
        return mark
    bare = text.strip()
    flag = split_flag(text, is_comma=rule.is_comma)
    if flag is None:
        return Converted(None, None, why=_why_unreadable(text, rule))
    mark = read_mark(flag[0], is_comma=rule.is_comma)
    if mark is not None and fold_word(flag[1]) in rule.ignore_flags:
        return mark
    what = f"'{bare}' has '{flag[1]}' {_where(text, flag[1])} it (perhaps {flag[0]})"
    return Converted(None, None, why=Reason(Cause.FLAG, what))


def _where(text: str, flag: str) -> str:
    return "before" if text.strip().startswith(flag) else "after"


def _why_unreadable(text: str, rule: MarkRule) -> Reason:
    """Return why a text is held that is no number."""
    bare = text.strip()
    if _is_dash(bare):
        return Reason(Cause.DASH, f"'{bare}' is a dash")
    kind = kind_of_mark(text)
    if kind is Kind.STATUS:
        return Reason(Cause.STATUS, f"'{bare}' is a status without a code")
    guess = likely(text, is_comma=rule.is_comma)
    if kind in {Kind.LETTER, Kind.WORD} and (rule.scale or not guess):
        lacks = f"the scale '{rule.scale.name}' doesn't have it" if rule.scale else "the item has no scale"
        return Reason(Cause.NO_SCALE, f"'{bare}' is a {kind.value}, and {lacks}")
    return Reason(Cause.UNREADABLE, f"unreadable mark '{bare}'" + (f" ({guess})" if guess else ""))


def _from_word(text: str, scale: Scale, rule: MarkRule) -> Converted | None:
    """Return what the scale makes of a word; None if it doesn't know it."""
    if rule.gives_words:
        word = scale.word(text)
        return None if word is None else Converted(None, word)
    value = scale.value(text)
    if value is None:
        return None
    if not scale.is_percent:
        points = replace(rule, from_out_of=None, to_out_of=None)
        return _sent(plain(value), _as_mark(value, rule), points)._replace(number=None)
    if rule.whole is None:
        reason = f"'{text.strip()}' stands for {plain(value)} percent, and the target's maximum isn't known"
        return Converted(None, None, why=Reason(Cause.NO_MAXIMUM, reason))
    return _sent(f"{plain(value)}%", _as_mark(value, rule), rule)._replace(number=None)


def _sent(text: str, mark: Mark, rule: MarkRule) -> Converted:
    """Return a mark between zero and its maximum as the target takes it: banded, or rescaled and rounded once."""
    if rule.scale and rule.gives_words:
        return _banded(text, mark, rule.scale, rule)
    exact = _on_line(text, mark, rule.scale, rule) if rule.scale and rule.scale.lines else _rescaled(text, mark, rule)
    if isinstance(exact, Reason):
        return Converted(mark.number, None, why=exact)
    try:
        rounded = rule.steps.rounded(exact)
    except ValueError:
        ends = shortest(exact)
        how = f"has more than {rule.steps.to}" if rule.step is None else f"is none of the {rule.steps.to}"
        how = how if isinstance(ends, Decimal) else "doesn't end"
        cause = Cause.TOO_MANY_DECIMALS if isinstance(ends, Decimal) else Cause.DOES_NOT_END
        reason = f"'{text.strip()}' becomes {plain(ends)}, which {how}, and rounding is \"none\""
        return Converted(mark.number, None, why=Reason(cause, reason))
    return Converted(mark.number, _spelled(text, mark.number, rounded, rule), Fraction(rounded) - exact)


def _rescaled(text: str, mark: Mark, rule: MarkRule) -> Fraction | Reason:
    """Return a mark of the source's maximum as one of the target's, or why that isn't known."""
    base = mark.out_of or (None if rule.is_copied else rule.from_out_of)
    whole = rule.whole
    exact = Fraction(mark.number)
    if whole is None and mark.out_of and mark.out_of != rule.from_out_of:
        what = "a percent" if mark.is_percent else f"out of {plain(mark.out_of)}"
        return Reason(Cause.NO_MAXIMUM, f"'{text.strip()}' is {what}, and the target's maximum isn't known")
    if base is not None and whole is not None:
        exact *= Fraction(whole) / Fraction(base)
    return exact if rule.weight is None else exact * Fraction(rule.weight) / Fraction(WHOLE)


def _on_line(text: str, mark: Mark, scale: Scale, rule: MarkRule) -> Fraction | Reason:
    """Return a mark as the lines of a scale convert it, or why they can't."""
    exact = _in_measure(text, mark, scale, rule)
    if isinstance(exact, Reason):
        return exact
    found = scale.on_line(exact)
    return Reason(Cause.NO_BAND, f"no line of the scale '{scale.name}' has {plain(exact)}") if found is None else found


def _in_measure(text: str, mark: Mark, scale: Scale, rule: MarkRule) -> Fraction | Reason:
    """Return a mark in the measure of a scale, percent or points, or why it can't be told."""
    base = mark.out_of or rule.from_out_of
    exact = Fraction(mark.number)
    if scale.is_percent:
        if base is None:
            reason = f"the scale '{scale.name}' is in percent, and the maximum of '{text.strip()}' is not known"
            return Reason(Cause.NO_MAXIMUM, reason)
        exact *= Fraction(WHOLE) / Fraction(base)
    elif mark.out_of and rule.from_out_of:
        exact *= Fraction(rule.from_out_of) / Fraction(mark.out_of)
    return exact


def _spelled(text: str, number: Number, sent: Decimal, rule: MarkRule) -> str:
    """Return a number as the target writes it; one that didn't change keeps the zeros that it was written with."""
    bare = text.strip().replace(",", ".", 1) if rule.is_comma else text.strip()
    if sent != number or read_number(bare) is None or bare.startswith("-"):
        bare = plain(sent)
    whole, point, decimals = bare.partition(".")
    if len(decimals) > rule.decimals:  # nothing but zeros stand behind them
        bare = whole + (point + decimals[: rule.decimals] if rule.decimals else "")
    return rule.written(bare)


def _banded(text: str, mark: Mark, scale: Scale, rule: MarkRule) -> Converted:
    """Return the word that a mark is given."""
    exact = _in_measure(text, mark, scale, rule)
    if isinstance(exact, Reason):
        return Converted(mark.number, None, why=exact)
    found = find_band(scale, exact, rule.steps)
    if found.word is None:
        reason = f"the scale '{scale.name}' has no word for {plain(exact)}"
        return Converted(mark.number, None, why=Reason(Cause.NO_BAND, reason))
    note = ""
    if found.other and found.rounded is not None:
        how = "not rounded first" if scale.rounds_first else f"rounded first to {plain(found.rounded)}"
        unit = " percent" if scale.is_percent else ""
        note = f"{plain(exact)}{unit} is '{found.word}'; {how}, it would be '{found.other}'"
    return Converted(mark.number, found.word, note=note)


def _is_in_words(text: str) -> bool:
    """Tell whether a text is a letter or words, and no number gone wrong, dash or status."""
    has_digit = any(sign.isdigit() for sign in text)
    return not has_digit and kind_of_mark(text) in {Kind.LETTER, Kind.WORD, Kind.TEXT}


def _is_dash(bare: str) -> bool:
    return bool(bare) and set(bare) <= DASHES
