"""Names in the form in which they are compared.

A name is taken as its words, in whatever order, case and signs they were written: `Ó Murchú, Síle` and
`SÍLE O MURCHU` are one name. Particles and suffixes are words too, but two names may differ in them.
"""

import unicodedata
from collections.abc import Mapping
from functools import lru_cache
from types import MappingProxyType
from typing import NewType

from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import phrase_set, read_name_words

NameKey = NewType("NameKey", tuple[str, ...])
"""A whole name in the form in which names are compared; only `name_key` makes one."""

_MOST_NAMES = 1 << 18
_WORDS_OF_NAMES = read_name_words()
_LETTERS = str.maketrans(dict(_WORDS_OF_NAMES.letters))
"""Letters that no accent makes: what they are compared as."""
_UMLAUTS = _WORDS_OF_NAMES.umlauts
_APOSTROPHES = pattern("['\u2018\u2019\u02bc\u02bb\u00b4`\u2032]")
_WORDS = pattern(r"[^\W_]+")
PARTICLES = phrase_set(_WORDS_OF_NAMES.particles)
_JOINED = phrase_set(_WORDS_OF_NAMES.joined)
GENERATIONS = _WORDS_OF_NAMES.generations
SUFFIXES = frozenset(GENERATIONS)
_WITHOUT_CONTENT = PARTICLES | SUFFIXES
SHORT_FORMS: Mapping[str, frozenset[str]] = MappingProxyType(
    {name: phrase_set(forms) for name, forms in _WORDS_OF_NAMES.short_forms.items()}
)
"""Common short forms of given names, folded; a person's own table is added to it."""


@lru_cache(maxsize=_MOST_NAMES)
def words(name: str) -> tuple[str, ...]:
    """Return a name's words in the order in which they stand, folded."""
    spaced = name.replace(",", " ")
    if spaced.isascii() and spaced.replace(" ", "").isalpha():
        every = spaced.lower().split()
    else:
        every = [word for part in spaced.split() for word in _folded(part)]
    if _JOINED.isdisjoint(every):
        return tuple(every)
    found: list[str] = []
    for word in every:
        if found and found[-1] in _JOINED:
            word = found.pop() + word  # noqa: PLW2901 - O Rourke is O'Rourke
        found.append(word)
    return tuple(found)


@lru_cache(maxsize=_MOST_NAMES)
def _folded(part: str) -> tuple[str, ...]:
    """Return the words of a part of a name that has no blank and no comma: names have parts in common."""
    if part.isascii() and part.isalpha():
        return (part.lower(),)
    plain = _APOSTROPHES.sub("", part).casefold()
    if not plain.isascii():
        spelled = unicodedata.normalize("NFKD", plain.translate(_LETTERS))
        plain = "".join([sign for sign in spelled if not unicodedata.combining(sign)])
    return tuple(_WORDS.findall(plain))


def by_family(name: str) -> tuple[tuple[str, ...], ...]:
    """Return a name as names are put in order: by the family name, which stands before the comma or last."""
    family, comma, given = name.partition(",")
    parts = (family, given) if comma else (name.rpartition(" ")[2], name)
    return tuple(words(part) for part in parts)


@lru_cache(maxsize=_MOST_NAMES)
def name_key(name: str) -> NameKey:
    """Return the whole name as it is compared: its words, whatever their order."""
    return NameKey(tuple(sorted(words(name))))


@lru_cache(maxsize=_MOST_NAMES)
def spread_key(name: str) -> NameKey:
    """Return the name's key when its umlauts are written as two letters."""
    return name_key(spread(name))


def spread(name: str) -> str:
    """Return a name with its umlauts written as two letters: Müller as mueller."""
    if name.isascii():
        return name
    text = unicodedata.normalize("NFC", name.casefold())
    return "".join(_UMLAUTS.get(sign, sign) for sign in text)


@lru_cache(maxsize=_MOST_NAMES)
def content_words(name: str) -> tuple[str, ...]:
    """Return the words that make a name someone's: without particles and suffixes, unless there is nothing else."""
    every = words(name)
    if _WITHOUT_CONTENT.isdisjoint(every):
        return every
    return tuple(word for word in every if word not in _WITHOUT_CONTENT) or every
