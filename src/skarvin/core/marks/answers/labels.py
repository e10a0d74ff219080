"""What an answer's text says: one label or several, a number, or true or false."""

import re
from decimal import Decimal

from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.numbers import read_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set

_FEW_LABELS = 8
"""So many labels a question may offer, and letters of these alone are no word, in whatever order they stand."""
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
_TRUE_WORDS = phrase_set(WORDS.answers.yes)
_FALSE_WORDS = phrase_set(WORDS.answers.no)
_BARE = pattern(r"\s*[(\[]?\s*(\w{1,2})\s*[)\].:]?\s*")
_BEFORE_TEXT = pattern(
    r"\s*(?:[(\[]\s*(\w{1,2})\s*[)\]]\s*|(\w{1,2})(?:\)\s*|[.:]\s+|\s+[-–—]\s+|\s{2,}|\t))\S.*", re.DOTALL
)
_LABEL_BEFORE = pattern(
    r"\s*(?:[(\[]\s*\w{1,2}\s*[)\]]\s*|\w{1,2}(?:\)\s*|[.:]\s+|\s+[-–—]\s+|\s{2,}|\t))(\S.*?)\s*", re.DOTALL
)
_ONE_BLANK = pattern(r"((?:^|[;|\n])\s*\w)[^\S\n](?=\w)")
_PERHAPS_A_LABEL = pattern(r"\s*(\w)\s\S.*", re.DOTALL)
_BETWEEN = pattern(r"\s*[;|\n]\s*|\s*[,/&+]\s*")
_HARD_BETWEEN = pattern(r"\s*[;|\n]\s*")
_NUMBER = pattern(r"([-+]?[\d.,'’\u00a0\u202f ]*\d)\s*([^\d\s].*)?", re.DOTALL)


def read_labels(text: str, offered: str, *, one_blank: bool = False) -> list[str] | None:
    """Return the labels that an answer's text begins with, as they are offered; None if that isn't certain.

    Args:
        text: the answer: a label, a label before a text, or several of them.
        offered: the labels that the question offers.
        one_blank: whether one blank between a label and its text is enough; that is decided for the whole question.
    """
    apart = [_as_offered(word, offered) for word in text.split()]
    if len(apart) > 1 and all(len(word) == 1 and word in offered for word in apart):
        return _distinct(apart)
    if one_blank:
        text = _ONE_BLANK.sub(r"\1  ", text)
    for between in (_HARD_BETWEEN, _BETWEEN):
        labels = [_one_label(part) for part in between.split(text.strip()) if part]
        found = [_as_offered(label, offered) for label in labels if label]
        if len(found) > 1:
            return _distinct(found) if len(found) == len(labels) else None
    word = _one_label(text)
    if word is not None:
        return [_as_offered(word, offered)]
    run = [_as_offered(sign, offered) for sign in text.strip()]
    is_run = len(run) > 1 and text.strip().isalnum() and set(run) <= set(offered) and len(set(run)) == len(run)
    is_narrow = len(offered) <= _FEW_LABELS or set(run) <= set(offered[:_FEW_LABELS])
    return run if is_run and (is_narrow or run == sorted(run, key=offered.index)) else None


def read_signs(text: str, offered: str) -> list[str] | None:
    """Return the labels that a row of signs chooses, one sign a label: 0110 chooses B and C of four."""
    bare = text.strip()
    if len(bare) != len(offered) or len(bare) < 2 or set(bare) - {"0", "1"} or "1" not in bare or "1" in offered:  # noqa: PLR2004
        return None
    return [label for label, sign in zip(offered, bare, strict=True) if sign == "1"]


def without_label(text: str) -> str:
    """Return an answer's text without the label that stands before it."""
    match = _LABEL_BEFORE.fullmatch(text)
    return match[1] if match else text


def label_and_text(text: str) -> tuple[str, str] | None:
    """Return the label and the text of an answer that has both: 'C) the garboard'."""
    label, bare = _one_label(text), without_label(text)
    return (label, bare) if label and bare != text else None


def split_options(text: str) -> list[str]:
    """Return the answers in a text that has several, each with a label of its own, or the one that it is."""
    parts = [part for part in _HARD_BETWEEN.split(text.strip()) if part]
    return parts if len(parts) > 1 else [text]


def likely_label(text: str, offered: str) -> str:
    """Return the label that a text may begin with, where a blank alone stands behind it ('A plank'); or nothing."""
    match = _PERHAPS_A_LABEL.fullmatch(text)
    label = _as_offered(match[1], offered) if match else ""
    return label if label and label in offered else ""


def read_answer_number(text: str, *, is_comma: bool, units: frozenset[str]) -> Decimal | None:
    """Return the number that an answer gives: signs between thousands and a known unit behind it are set aside.

    Args:
        text: the answer.
        is_comma: whether the comma is the question's decimal sign; the point then stands between thousands.
        units: the units that all mean the same, folded.
    """
    match = _NUMBER.fullmatch(text.strip())
    if match is None or (match[2] and fold_word(match[2]) not in units):
        return None
    decimal, other = (",", ".") if is_comma else (".", ",")
    whole, sign, rest = match[1].strip().partition(decimal)
    grouped = re.fullmatch(rf"[-+]?\d{{1,3}}(?:([{re.escape(other)}'’\u00a0\u202f ])\d{{3}}(?:\1\d{{3}})*)?", whole)
    digits = re.sub(r"[^\d+-]", "", whole) if grouped else whole
    return read_number(f"{digits}.{rest}" if sign else digits)


def read_truth(text: str) -> bool | None:
    """Return whether an answer says true or false; None if neither."""
    word = fold_word(text).rstrip(".")
    return True if word in _TRUE_WORDS else False if word in _FALSE_WORDS else None


def _one_label(text: str) -> str | None:
    match = _BARE.fullmatch(text)
    if match and (len(match[1]) == 1 or match[1].isdecimal()):
        return match[1]
    match = _BEFORE_TEXT.fullmatch(text)
    label = (match[1] or match[2]) if match else None
    return label if label and (len(label) == 1 or label.isdecimal()) else None


def _as_offered(label: str, offered: str) -> str:
    """Return a label in the case in which it is offered."""
    return next((text for text in (label, label.upper(), label.lower()) if text in offered), label.upper())


def _distinct(labels: list[str]) -> list[str]:
    return list(dict.fromkeys(labels))
