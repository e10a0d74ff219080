"""What the cells of a column are like: how many are numbers, marks, codes, names, days, sentences; how many differ."""

import re
from collections import Counter
from collections.abc import Collection, Sequence
from functools import lru_cache
from typing import NamedTuple

import msgspec

from skarvin.core.layout.restoring import thousands_sign
from skarvin.core.texts.days import is_day_together, names_a_month
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import DASHES, is_mark, read_mark
from skarvin.core.texts.mark_kinds import GRADE_WORDS, STATUS_WORDS
from skarvin.core.texts.names import PARTICLES
from skarvin.core.texts.numbers import is_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set

_LONGEST = 500
"""So many characters of a cell tell what it is."""
_ADDRESS = pattern(r"\s*[^@\s]+@[^@\s]+\.[^@\s]+\s*")
_DAY = pattern(
    r"\s*(?:\d{4}[-./]\d{1,2}[-./]\d{1,2}|\d{1,2}([./-])\d{1,2}\1(?:\d\d|\d{4})|\d{1,2}[ -][^\W\d]{3,}[ -]\d{2,4}"
    r"|\d{1,2}:\d\d(?::\d\d)?)(?:[ T,].*)?\s*"
)
_CODE = pattern(r"\s*(?=.*\d)[\w#/.-]*[\w#/-]{2,}[\w#/.-]*\s*")
_POINT = pattern(r"\s*\d+[.,](?!0+\s*%?\s*$)\d+\s*%?\s*")
_LABEL = pattern(r"\s*(?:[A-H](?:[).:\s].*)?|true|false)\s*", re.IGNORECASE | re.DOTALL)
_LABELS = pattern(r"\s*[A-H](?:[\s;,/&+|]*[A-H]){1,7}\s*")
"""Several labels: A;C, or CA."""
_BARE_LABEL = pattern(r"\s*[A-H]\s*", re.IGNORECASE)
_LOGIN = pattern(r"\s*[a-z][a-z0-9]*[._-]?[a-z0-9]+\s*")
_NAME_SIGNS = pattern(r"[^\W\d_]|[ ,.'’ʼ`\-‐‑()·]", re.UNICODE)
_LONG, _SENTENCE_WORDS, _MOST_NAME_WORDS, _LONGEST_NAME = 25, 4, 6, 60
_SHORT_CODE = 3


class Traits(msgspec.Struct, frozen=True):
    """Shares (0 to 1) of the filled cells of a column, of which there are `count`.

    Attributes:
        count: how many cells are filled.
        distinct: the share of different texts.
        numbers: cells that are numbers.
        decimals: cells that are numbers with decimals.
        marks: cells that may be marks: numbers, percent, letters, statuses, words of a scale; dashes aside.
        codes: cells that may be codes: at least two signs, a digit among them, no space.
        long_codes: codes of four signs and more that are no decimals.
        is_even: whether all codes are as long, or begin alike.
        addresses: e-mail addresses.
        days: days and times.
        days_together: days that are written without signs.
        names: cells that may be names of people.
        full_names: those of several words.
        logins: words in small letters.
        sentences: texts of several words that are no names.
        labels: A, B, or a label and a text behind it.
        verdicts: right, wrong, partly right, in words.
        is_numbering: whether they say 1, 2, 3 from the top down.
        is_constant: whether all are one text.
        is_grouped: whether all are different whole numbers with a sign between their thousands.
        spread: how many different texts there are.
    """

    count: int = 0
    distinct: float = 0
    numbers: float = 0
    decimals: float = 0
    marks: float = 0
    codes: float = 0
    long_codes: float = 0
    is_even: bool = False
    addresses: float = 0
    days: float = 0
    days_together: float = 0
    names: float = 0
    full_names: float = 0
    logins: float = 0
    sentences: float = 0
    labels: float = 0
    verdicts: float = 0
    is_numbering: bool = False
    is_constant: bool = False
    is_grouped: bool = False
    spread: int = 0


def read_traits(texts: Sequence[str]) -> Traits:
    """Return what some cells are like."""
    return _read_traits(tuple(texts))


@lru_cache(maxsize=512)
def _read_traits(texts: tuple[str, ...]) -> Traits:
    filled = [bare[:_LONGEST] for text in texts if (bare := text.strip())]
    if not filled:
        return Traits()
    counts = Counter(filled)
    told = {text: (_kinds_of(text), count) for text, count in counts.items()}
    telling = [one for text, one in told.items() if not set(text) <= DASHES] or list(told.values())
    kinds = _Kinds(*(_share(place, told.values()) for place in range(len(_Kinds._fields))))
    return Traits(
        count=len(filled),
        distinct=len(counts) / len(filled),
        numbers=kinds.number,
        decimals=kinds.decimal,
        marks=_share(_Kinds._fields.index("mark"), telling),
        codes=kinds.code,
        long_codes=kinds.long_code,
        is_even=_are_alike(filled),
        addresses=kinds.address,
        days=kinds.day,
        days_together=kinds.day_together,
        names=kinds.name,
        full_names=kinds.full_name,
        logins=kinds.login,
        sentences=kinds.sentence,
        labels=kinds.label,
        verdicts=kinds.verdict,
        is_numbering=len(filled) > 1 and filled == [str(number) for number in range(1, len(filled) + 1)],
        is_grouped=len(counts) == len(filled) and bool(thousands_sign(filled)),
        is_constant=len(filled) > 2 and len(counts) == 1,  # noqa: PLR2004 - two could be chance
        spread=len(counts),
    )


class _Kinds(NamedTuple):
    """What one text may be, from 0 to 1; of several texts the share of those that may be it."""

    number: float
    decimal: float
    mark: float
    code: float
    long_code: float
    address: float
    day: float
    day_together: float
    name: float
    full_name: float
    login: float
    sentence: float
    label: float
    verdict: float


@lru_cache(maxsize=1 << 14)
def _kinds_of(text: str) -> _Kinds:
    """Return what one text may be: the items of a class have most of their texts in common."""
    is_name = is_like_name(text)
    return _Kinds(
        number=is_number(text),
        decimal=bool(_POINT.fullmatch(text)),
        mark=_may_be_mark(text),
        code=is_code(text),
        long_code=_is_long_code(text),
        address=is_address(text),
        day=is_day(text),
        day_together=is_day_together(text),
        name=is_name,
        full_name=is_name and (" " in text or "," in text),
        login=bool(_LOGIN.fullmatch(text)),
        sentence=_is_sentence(text),
        label=bool(_LABEL.fullmatch(text) or _LABELS.fullmatch(text)),
        verdict=_is_verdict(text),
    )


def _share(place: int, told: Collection[tuple[_Kinds, int]]) -> float:
    """Return the share of the cells whose text may be what stands at a place of the kinds."""
    return sum([count for kinds, count in told if kinds[place]]) / sum([count for _, count in told])


def is_like_name(text: str) -> bool:
    """Tell whether a text may be a person's name: one or several words with capitals, no digits, not too long."""
    bare = text.strip()
    if not bare or len(bare) > _LONGEST_NAME or not all(map(_NAME_SIGNS.fullmatch, bare)):
        return False
    words = [word for word in re.split(r"[ ,.\-‐‑()·]+", bare) if word]
    if not words or len(words) > _MOST_NAME_WORDS or fold(bare) in _NO_NAMES:
        return False
    bare_words = [word for word in words if word.casefold() not in PARTICLES]
    return len(bare) > 1 and bool(bare_words) and not any(word[0].islower() and len(word) > 2 for word in bare_words)  # noqa: PLR2004 - al, ap, zu


def is_code(text: str) -> bool:
    """Tell whether a text may be a code."""
    return _CODE.fullmatch(text) is not None


def is_day(text: str) -> bool:
    """Tell whether a text is a day or a time."""
    return _DAY.fullmatch(text) is not None or names_a_month(text)


def is_address(text: str) -> bool:
    """Tell whether a text is an e-mail address."""
    return _ADDRESS.fullmatch(text) is not None


_VERDICTS = phrase_set(WORDS.answers.right, WORDS.answers.wrong, WORDS.answers.partly)
_NO_NAMES = frozenset(map(fold, GRADE_WORDS | STATUS_WORDS))


def _may_be_mark(text: str) -> bool:
    return is_mark(text) or fold(text) in _NO_NAMES


def _is_long_code(text: str) -> bool:
    if "/" in text and (read_mark(text) or read_mark(text, is_comma=True)):
        return False  # 9/20 says what it is out of
    return len(text) > _SHORT_CODE and _CODE.fullmatch(text) is not None and not _POINT.fullmatch(text)


def _are_alike(filled: Sequence[str]) -> bool:
    """Tell whether nearly all cells are as long, or begin with the same sign that is no digit."""
    lengths, starts = [len(text) for text in filled], [text[0] for text in filled]
    common = max(lengths.count(length) for length in set(lengths))
    is_sign = len(set(starts)) == 1 and not starts[0].isdigit()
    return common >= 0.8 * len(filled) or is_sign


def _is_verdict(text: str) -> bool:
    return len(text) > 1 and fold(text) in _VERDICTS


def _is_sentence(text: str) -> bool:
    words = text.split()
    is_long = len(words) >= _SENTENCE_WORDS or (len(text) >= _LONG and len(words) > 1)
    return is_long and not is_like_name(text) and not is_mark(text)
