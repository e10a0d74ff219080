"""What stands in a heading besides words for a use: its title, its maximum, its key, what marks are in, decorations."""

import re
import unicodedata
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from skarvin.core.texts.folding import fold
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_PHRASES = WORDS.headings
_BEFORE = phrase_set(_PHRASES.maximum_before)
_ALONE = phrase_set(_PHRASES.maximum_alone)
_UNITS = phrase_set(_PHRASES.unit)
_UNITS_ALONE = phrase_set(_PHRASES.unit_alone)
_POSSIBLE = phrase_set(_PHRASES.maximum_row)
_MEASURES = phrase_set(_PHRASES.measure)
_PERCENTS = phrase_set(_PHRASES.percent)
_DECORATIONS = phrase_set(_PHRASES.decoration)
_NOT_COUNTED = sorted(phrase_set(_PHRASES.not_counted), key=len, reverse=True)
_KINDS = phrase_set(WORDS.columns["item"]) - _MEASURES - _UNITS
_MAXIMUM_WORDS = _POSSIBLE
_WEIGHTS = phrase_set(_PHRASES.weight)
_MOST_WORDS = 3
_NUMBER = r"\d{1,4}(?:[.,]\d{1,4})?"
_OPEN, _CLOSE = r"[(\[{<|]", r"[)\]}>|]"
_GROUP_BEHIND = pattern(rf"\s*{_OPEN}([^()\[\]{{}}<>|]+){_CLOSE}\s*$")
_GROUP_BEFORE = pattern(rf"^\s*{_OPEN}([^()\[\]{{}}<>|]+){_CLOSE}\s*")
_GROUP = pattern(rf"\s*{_OPEN}([^()\[\]{{}}<>|]+){_CLOSE}")
_STATED = pattern(rf"([^\d]*?)({_NUMBER})([^\d]*)")
"""A number with words before and behind it."""
_SLASH = pattern(rf"\s?/\s?({_NUMBER})\s*$")
_OF = "|".join(re.escape(phrase).replace(r"\ ", r"\s+") for phrase in phrases(WORDS.marks.out_of))
_COMMA_OF = pattern(rf"\s*[,;]\s*(?:{_OF})\s+({_NUMBER})\s*$", re.IGNORECASE)
"""A maximum behind a comma: 'Oars, of 50', 'Ruder, von 50'."""
_TAIL = pattern(rf"(\s*[-–—,:|]\s*|\s+|^|(?<=[.:]))({_NUMBER})\s*([^\W\d_]+\.?)?\s*$")
_AFTER_DASH = pattern(r"\s*[-–—:|]\s*([^-–—:|()\[\]{}<>]+)$")
_WEIGHT_BEHIND = pattern(r"\s*[-–—|,;]\s*([^-–—|()\[\]{}<>]+)$")
_KEY = r"(?:[A-Za-z]{0,6}[-_:#.]?\d{4,}|[A-Za-z]{1,6}[-_#]\d+|\#\d+|(?=[\w-]*\d)(?=[\w-]*[A-Za-z])[\w-]{5,})"
_KEY_ALONE = pattern(_KEY)
_KEY_BEFORE = pattern(rf"^\s*(?:{_OPEN}\s*({_KEY})\s*{_CLOSE}\s*[-:]?|({_KEY})\s*[:|]\s)\s*")
_PERCENT = Decimal(100)
_ASKING = phrase_set(_PHRASES.question)
_ANSWERING = phrase_set(_PHRASES.answer)
_NUMBERED = pattern(r"\s*([^\W\d_]+)?\s*\d+\s*(?:[:.)–-]\s*(\S.*))?\s*", re.DOTALL)
"""A heading that may be a question: 'Answer 3', 'Question 3: Which plank ...?', '3. Which plank ...?'."""
_WITH_NUMBER = pattern(r"(?<![^\W\d_])([^\W\d_]++)\s*+\d+")
_ROUNDS = 5
_LONGEST_HEADING = 1_000
_LARGEST, _LARGEST_SAID = 1000, 100_000
"""A larger number is a key, or, where a word says that it is a maximum, no maximum that can be meant."""
_GROUPED = pattern(r"[1-9]\d{0,2}[.,]\d{3}")
_LETTERS = {"ł": "l", "Ł": "L", "ı": "i", "ø": "o", "Ø": "O", "đ": "d"}
"""Letters that no accent makes."""


class HeadingParts(NamedTuple):
    """What a heading says: the bare title, and whatever stands around it."""

    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True
    weight: Decimal | None = None


@lru_cache(maxsize=4096)
def read_heading(heading: str) -> HeadingParts:
    """Return what a heading says: its key, its maximum and its decorations, wherever they stand.

    What marks are in, such as points, is no part of the title; percent are out of 100. Blanks count once, however many
    stand there; a heading that is as long as a page is its own title.
    """
    whole = " ".join(unicodedata.normalize("NFC", heading).split())
    if len(whole) > _LONGEST_HEADING:
        return HeadingParts(whole)
    kind = _kind_behind(whole)
    found = _read_parts(whole[: len(whole) - len(kind)].rstrip() if kind else whole)
    return found._replace(title=f"{found.title} {kind}") if kind else found


def _kind_behind(heading: str) -> str:
    """Return the words for a kind of work that stand in brackets at the end: 'Safety check /15 (exercise)'."""
    groups = list(_GROUP.finditer(_flat(heading)))
    if not groups or groups[-1].end() != len(heading) or not heading[: groups[-1].start()].strip():
        return ""
    words = groups[-1][1].split()
    return heading[groups[-1].start() :].strip() if words and all(fold(word) in _KINDS for word in words) else ""


class _Found(NamedTuple):
    """What was found so far, and the rest of the heading."""

    title: str
    out_of: Decimal | None = None
    key: str | None = None
    counts: bool = True
    is_percent: bool = False
    weight: Decimal | None = None


def _read_parts(whole: str) -> HeadingParts:
    found = _without_counting(_Found(whole))
    for _ in range(_ROUNDS):
        before = found.title
        for step in (_group_behind, _maximum_behind, _words_behind, _group_before):
            found = step(found)
        if found.title == before:
            break
    found = _key_before(_maximum_inside(found))
    out_of = _PERCENT if found.out_of is None and found.is_percent else found.out_of
    return HeadingParts(found.title, out_of, found.key, found.counts, found.weight)


def _without_counting(found: _Found) -> _Found:
    """Take off, wherever it stands, that an item doesn't count."""
    folded = f" {fold(found.title)} "
    for phrase in _NOT_COUNTED:
        if f" {phrase} " in folded:
            words = r"[\W_]+".join(map(re.escape, phrase.split()))
            match = re.search(rf"[(\[{{<]?\b{words}\b[)\]}}>]?", _flat(found.title), flags=re.IGNORECASE)
            rest = f"{found.title[: match.start()]} {found.title[match.end() :]}" if match else found.title
            return found._replace(title=" ".join(rest.split()) or found.title, counts=False)
    return found


def _group_behind(found: _Found) -> _Found:
    """Take off what stands in brackets at the end: a maximum, a key, what marks are in, a decoration."""
    match = _GROUP_BEHIND.search(_flat(found.title))
    rest = found.title[: match.start()].strip() if match else ""
    if not match or not rest:
        return found
    within, folded = match[1].strip(), fold(match[1])
    if found.weight is None and (weight := _stated_weight(within)):
        return found._replace(title=rest, weight=weight)
    number = _stated_maximum(within, is_bare_enough=True)
    if found.out_of is None and number:
        return found._replace(title=rest, out_of=number)
    if found.key is None and _KEY_ALONE.fullmatch(within):
        return found._replace(title=rest, key=within)
    if within == "%" or folded in _PERCENTS:
        return found._replace(title=rest, is_percent=True)
    return found._replace(title=rest) if folded in _MEASURES | _DECORATIONS else found


def _stated_maximum(text: str, *, is_bare_enough: bool) -> Decimal | None:
    """Return the maximum that a text states: 'out of 40', '20 points', '/15', 'von 20 möglichen'; maybe '40' alone."""
    match = _STATED.fullmatch(text.strip())
    if not match:
        return None
    before, behind = fold(match[1]), fold(match[3])
    is_slash = match[1].strip() == "/"
    unit, _, rest = behind.partition(" ")
    is_unit = (
        not behind or behind in _UNITS or (unit in _UNITS | _POSSIBLE and all(w in _POSSIBLE for w in rest.split()))
    )
    is_said = before in _BEFORE or is_slash or (not before and bool(behind))
    if not is_unit or not (is_said or (is_bare_enough and not match[1].strip())):
        return None
    return as_maximum(match[2], is_said=is_said and not is_slash)


def _stated_weight(text: str) -> Decimal | None:
    """Return the weight that a text states: 'weight 20%', 'Gewicht: 2', '15 % weight'."""
    match = _STATED.fullmatch(text.strip())
    if not match or {fold(match[1]), fold(match[3])} - {""} - _WEIGHTS or not (fold(match[1]) or fold(match[3])):
        return None
    return as_maximum(match[2])


def as_maximum(text: str, *, is_said: bool = False) -> Decimal | None:
    """Return a number as a maximum, if it can be one; a word says that 1.500 is one, which is 1500 then."""
    is_grouped = is_said and _GROUPED.fullmatch(text)
    number = Decimal(re.sub(r"[.,]", "" if is_grouped else ".", text))
    return number if 0 < number <= (_LARGEST_SAID if is_said else _LARGEST) else None


def _maximum_behind(found: _Found) -> _Found:
    """Take off a maximum without brackets at the end: '/20', 'max. 60', '- 20 pts', '40 points'."""
    flat = _flat(found.title)
    if found.out_of is not None:
        return found
    if (slash := _SLASH.search(flat)) and (number := as_maximum(slash[1])) and flat[: slash.start()].strip():
        return found._replace(title=found.title[: slash.start()].strip(), out_of=number)
    if (
        (listed := _COMMA_OF.search(flat))
        and (number := as_maximum(listed[1], is_said=True))
        and flat[: listed.start()].strip()
    ):
        return found._replace(title=found.title[: listed.start()].strip(), out_of=number)
    match = _TAIL.search(flat)
    unit = fold(match[3] or "") if match else ""
    if not match or not (number := as_maximum(match[2], is_said=unit in _UNITS or not unit)):
        return found
    before = flat[: match.start()]
    said = _ending_in(before, _ALONE) if not unit or unit in _UNITS else None
    if said is None and not (unit in _UNITS and match[1].strip()) and not (unit in _UNITS_ALONE and match[1]):
        return found
    rest = found.title[: len(before) if said is None else said].rstrip(" -–—,:|").strip()
    return found._replace(title=rest, out_of=number) if rest else found


def _ending_in(text: str, known: frozenset[str]) -> int | None:
    """Return where the words begin with which a text ends, if they are known."""
    words = list(re.finditer(r"[^\W\d_]+", text))
    if text.rstrip(" .:") and words and text[words[-1].end() :].strip(" .:"):
        return None
    for count in range(min(_MOST_WORDS, len(words)), 0, -1):
        if fold(text[words[-count].start() :]) in known:
            return words[-count].start()
    return None


def _words_behind(found: _Found) -> _Found:
    """Take off what stands behind a dash and is no part of the title, and a percent sign."""
    title = found.title
    if title.endswith(" %") and title[:-1].strip():
        return found._replace(title=title[:-1].strip(), is_percent=True)
    match = _AFTER_DASH.search(_flat(title))
    behind = _WEIGHT_BEHIND.search(_flat(title))
    weight = _stated_weight(behind[1]) if behind else None
    if behind and weight and title[: behind.start()].strip():
        return found._replace(title=title[: behind.start()].strip(), weight=weight)
    if match and fold(match[1]) in _MEASURES | _DECORATIONS and title[: match.start()].strip():
        return found._replace(title=title[: match.start()].strip())
    return found


def _group_before(found: _Found) -> _Found:
    match = _GROUP_BEFORE.search(_flat(found.title))
    rest = found.title[match.end() :].strip() if match else ""
    return found._replace(title=rest) if match and rest and fold(match[1]) in _DECORATIONS else found


def _maximum_inside(found: _Found) -> _Found:
    """Take a maximum out of brackets that stand anywhere, if a word beside it says what it is."""
    for match in _GROUP.finditer(_flat(found.title)):
        number = _stated_maximum(match[1], is_bare_enough=False)
        if found.out_of is None and number:
            rest = f"{found.title[: match.start()]} {found.title[match.end() :]}"
            return found._replace(title=" ".join(rest.split()), out_of=number)
    return found


def _key_before(found: _Found) -> _Found:
    match = _KEY_BEFORE.search(found.title)
    if found.key is not None or not match or not found.title[match.end() :].strip():
        return found
    return found._replace(title=found.title[match.end() :].strip(), key=match[1] or match[2])


def _flat(text: str) -> str:
    """Return a text without its accents, sign for sign."""
    return text if text.isascii() else "".join(map(_base, text))


@lru_cache(maxsize=1024)
def _base(sign: str) -> str:
    bare = "".join(part for part in unicodedata.normalize("NFKD", sign) if not unicodedata.combining(part)) or sign
    return _LETTERS.get(sign) or unicodedata.normalize("NFC", bare)[0]


def is_question(heading: str) -> bool:
    """Tell whether a heading is a question, with its number."""
    match = _NUMBERED.fullmatch(heading)
    if match is None:
        return False
    word, text = fold(match[1] or ""), (match[2] or "").strip()
    if word in _ANSWERING:
        return True
    return (not word or word in _ASKING) and text.endswith("?")


def is_question_number(heading: str) -> bool:
    """Tell whether the number of a question or an answer stands in a heading."""
    return any(fold(word) in _ASKING | _ANSWERING for word in _WITH_NUMBER.findall(heading))


def says_maximum(text: str) -> bool:
    """Tell whether a cell says that its row holds the maxima, and nothing else: Max may be a student."""
    words = fold(text).split()
    return bool(words) and all(word in _MAXIMUM_WORDS for word in words)


def says_weight(text: str) -> bool:
    """Tell whether a cell says that its row holds weights, and nothing else."""
    words = fold(text).split()
    return bool(words) and all(word in _WEIGHTS for word in words)
