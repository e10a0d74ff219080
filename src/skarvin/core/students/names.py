"""Names in the form in which they are compared, and how near two names come.

A name is taken as its words, in whatever order, case and signs they were written: `Ó Murchú, Síle` and
`SÍLE O MURCHU` are one name. Particles and suffixes are words too, but two names may differ in them.
"""

import re
import unicodedata
from collections.abc import Callable, Mapping
from functools import lru_cache
from types import MappingProxyType
from typing import NamedTuple, NewType

NameKey = NewType("NameKey", tuple[str, ...])
"""A whole name in the form in which names are compared; only `name_key` makes one."""

_MOST_NAMES = 1 << 18
_LETTERS = str.maketrans(
    {
        "ø": "o",
        "ł": "l",
        "ı": "i",
        "đ": "d",
        "ð": "d",
        "þ": "th",
        "ß": "ss",
        "æ": "ae",
        "œ": "oe",
        "ĳ": "ij",
        "ŧ": "t",
        "ħ": "h",
        "ŋ": "n",
        "ə": "e",
        "ʻ": "",
        "ʼ": "",
    }
)
_SPREAD = {"ä": "ae", "ö": "oe", "ü": "ue", "å": "aa", "ø": "oe"}
_APOSTROPHES = re.compile("['\u2018\u2019\u02bc\u02bb\u00b4`\u2032]")
_WORDS = re.compile(r"[^\W_]+")
PARTICLES = frozenset(
    {
        *("de", "la", "las", "los", "del", "da", "das", "do", "dos", "di", "du", "le", "el", "al", "von", "van", "der"),
        *("den", "het", "ten", "ter", "zu", "zur", "ibn", "bin", "bint", "ben", "y", "e", "o", "mc", "mac", "st", "d"),
    }
)
_JOINED = frozenset({"o", "d", "mc", "mac"})
_GENERATIONS = {"jr": 1, "junior": 1, "sr": 0, "senior": 0, "ii": 2, "iii": 3, "iv": 4}
SUFFIXES = frozenset(_GENERATIONS)

SHORT_FORMS: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        "alexander": frozenset({"alex", "sandy", "sasha"}),
        "andrew": frozenset({"andy", "drew"}),
        "anthony": frozenset({"tony"}),
        "benjamin": frozenset({"ben"}),
        "catherine": frozenset({"cathy", "kate", "katie", "cat"}),
        "christopher": frozenset({"chris", "kit"}),
        "daniel": frozenset({"dan", "danny"}),
        "edward": frozenset({"ed", "eddie", "ted", "ned"}),
        "elizabeth": frozenset({"liz", "beth", "eliza", "lizzie", "betty"}),
        "francisco": frozenset({"paco", "pancho"}),
        "james": frozenset({"jim", "jimmy", "jamie"}),
        "jose": frozenset({"pepe"}),
        "joseph": frozenset({"joe", "joey"}),
        "katherine": frozenset({"kathy", "kate", "katie"}),
        "ludovico": frozenset({"ludo"}),
        "malgorzata": frozenset({"gosia"}),
        "margaret": frozenset({"maggie", "meg", "peggy"}),
        "matthew": frozenset({"matt"}),
        "michael": frozenset({"mike", "mick", "misha"}),
        "nicholas": frozenset({"nick", "nico"}),
        "patrick": frozenset({"paddy", "pat"}),
        "richard": frozenset({"dick", "rick", "richie"}),
        "robert": frozenset({"rob", "bob", "bobby", "bert"}),
        "samuel": frozenset({"sam"}),
        "stephen": frozenset({"steve"}),
        "thomas": frozenset({"tom", "tommy"}),
        "victoria": frozenset({"vicky", "tori"}),
        "william": frozenset({"will", "bill", "billy", "liam"}),
        "zoltan": frozenset({"zoli"}),
    }
)
"""Common short forms of given names, folded; a person's own table is added to it."""


@lru_cache(maxsize=_MOST_NAMES)
def words(name: str) -> tuple[str, ...]:
    """Return a name's words in the order in which they stand, folded."""
    plain = _APOSTROPHES.sub("", name).casefold()
    if not plain.isascii():
        spelled = unicodedata.normalize("NFKD", plain.translate(_LETTERS))
        plain = "".join(sign for sign in spelled if not unicodedata.combining(sign))
    found: list[str] = []
    for word in _WORDS.findall(plain):
        if found and found[-1] in _JOINED:
            word = found.pop() + word  # noqa: PLW2901 - O Rourke is O'Rourke
        found.append(word)
    return tuple(found)


@lru_cache(maxsize=_MOST_NAMES)
def name_key(name: str) -> NameKey:
    """Return the whole name as it is compared: its words, whatever their order."""
    return NameKey(tuple(sorted(words(name))))


@lru_cache(maxsize=_MOST_NAMES)
def spread_key(name: str) -> NameKey:
    """Return the name's key when its umlauts are written as two letters: Müller as Mueller."""
    if name.isascii():
        return name_key(name)
    text = unicodedata.normalize("NFC", name.casefold())
    return name_key("".join(_SPREAD.get(sign, sign) for sign in text))


class Likeness(NamedTuple):
    """How near two names come, from 0 to 1, and what they share, in words."""

    score: float
    evidence: str


def is_contradiction(one: str, other: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> bool:
    """Tell whether two names speak against being one person's.

    Each word of the shorter name must be, or nearly be, a word of the other; of three or more, one may be another. Two
    generations, such as Jr and III, are two people.
    """
    if is_other_generation(one, other):
        return True
    ours, theirs = sorted((content_words(one), content_words(other)), key=len)
    if not ours:
        return False
    strange = sum(1 for a in ours if not any(_word_likeness(a, b, shorts)[0] >= _INITIAL for b in theirs))
    return strange > (1 if len(ours) > 2 else 0)  # noqa: PLR2004 - family and given must both be known again


def is_other_generation(one: str, other: str) -> bool:
    """Tell whether two names say different generations, such as Jr and III; one that says none contradicts nothing."""
    ours, theirs = ({_GENERATIONS[word] for word in words(name) if word in _GENERATIONS} for name in (one, other))
    return bool(ours and theirs) and ours != theirs


def resembling_words(one: str, other: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> list[tuple[str, str]]:
    """Return the words of two names that only resemble each other: neither equal, nor short forms, nor initials."""
    ours, theirs = content_words(one), content_words(other)
    left = [word for word in theirs if word not in ours]
    found = []
    for word in (word for word in ours if word not in theirs):
        likely = [(*_word_likeness(word, other_word, shorts), other_word) for other_word in left]
        score, how, match = max(likely, default=(0.0, "", ""))
        if score >= _INITIAL and " like " in how:
            found.append((word, match))
    return found


_INITIAL = 0.6
_SHORT = 0.95


def likeness(one: str, other: str, shorts: Mapping[str, frozenset[str]] = SHORT_FORMS) -> Likeness:
    """Return how near two names come: each word of the shorter name is held against its best match in the other."""
    ours, theirs = content_words(one), content_words(other)
    if not ours or not theirs:
        return Likeness(0, "")
    if len(ours) > len(theirs):
        ours, theirs = theirs, ours
    left, scores, said = list(theirs), [], []
    for word in sorted(ours, key=len, reverse=True):
        scored = [(*_word_likeness(word, candidate, shorts), candidate) for candidate in left]
        score, how, match = max(scored, key=lambda found: found[0])
        scores.append(score * len(word))
        if score >= _INITIAL:
            left.remove(match)
            said.append(how)
    matched = sum(scores) / sum(map(len, ours))
    unmatched = sum(map(len, left)) / sum(map(len, theirs))
    equal = sum(1 for how in said if how == "equal")
    evidence = [f"{equal} equal {'word' if equal == 1 else 'words'}"] if equal else []
    evidence += [how for how in dict.fromkeys(said) if how != "equal"]
    return Likeness(round(matched * (1 - unmatched / 3), 4), ", ".join(evidence))


def content_words(name: str) -> list[str]:
    """Return the words that make a name someone's: without particles and suffixes, unless there is nothing else."""
    found = [word for word in words(name) if word not in PARTICLES and word not in SUFFIXES]
    return found or list(words(name))


def _word_likeness(one: str, other: str, shorts: Mapping[str, frozenset[str]]) -> tuple[float, str]:
    if one == other:
        return 1.0, "equal"
    if one in shorts.get(other, ()) or other in shorts.get(one, ()):
        return _SHORT, f"{one.title()}/{other.title()}"
    if 1 in {len(one), len(other)}:
        return (_INITIAL, f"initial {one[0].upper()}") if one[0] == other[0] else (0.0, "")
    if one in other or other in one:
        shorter, longer = sorted((len(one), len(other)))
        return max(_INITIAL, shorter / longer), f"{one.title()} in {other.title()}"
    score = _ratio()(one, other) / 100
    return score, f"{one.title()} like {other.title()}"


@lru_cache(maxsize=1)
def _ratio() -> Callable[[str, str], float]:
    from rapidfuzz.distance import DamerauLevenshtein  # noqa: PLC0415 - only where names differ

    def ratio(one: str, other: str) -> float:
        return 100 * DamerauLevenshtein.normalized_similarity(one, other)

    return ratio
