"""Whom a list, a history or a ledger means: a student who is named there, found again; decided here for all of them.

A spreadsheet takes the zeros in front of a number away, and a system may change the case of a name. Nothing else about
an identifier changes on the way. So the very same identifier counts first; one that differs by zeros or case alone
counts where nobody has the very same, it is the only one, and the names, if both are known, are equal.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from skarvin.core.texts.names import name_key


class Named(NamedTuple):
    """How a student is named: by an identifier, or where there is none by a name."""

    identifier: str
    name: str = ""


class People:
    """Some students, as they are named in their file: a student may have several rows, each with a place."""

    def __init__(self, people: Iterable[Named]) -> None:
        self._people = list(people)
        self._exact: dict[str, list[int]] = {}
        self._folded: dict[str, list[int]] = {}
        self._by_name: dict[object, list[int]] = {}
        for place, one in enumerate(self._people):
            if identifier := one.identifier.strip():
                self._exact.setdefault(identifier, []).append(place)
                self._folded.setdefault(_fold(identifier), []).append(place)
            elif key := name_key(one.name):
                self._by_name.setdefault(key, []).append(place)

    def meant(self, named: Named) -> Sequence[int]:
        """Return the places of the student who is named; none where nobody is, or where it can't be told."""
        identifier = named.identifier.strip()
        if not identifier:
            return self._by_name.get(name_key(named.name), ())
        if exact := self._exact.get(identifier):
            return exact
        alike = self._folded.get(_fold(identifier), ())
        is_one = len({self._people[place].identifier.strip() for place in alike}) == 1
        names = {name_key(one.name) for one in (named, *(self._people[place] for place in alike)) if one.name.strip()}
        return alike if is_one and len(names) <= 1 else ()


def same_people(ours: Iterable[str], theirs: Iterable[str]) -> Mapping[str, str]:
    """Return for identifiers of one file those of the other that are the same student's, each for one alone."""
    mine, yours = list(dict.fromkeys(ours)), set(theirs)
    found = {key: key for key in mine if key in yours}
    free: dict[str, list[str]] = {}
    for key in yours.difference(found):
        free.setdefault(_fold(key), []).append(key)
    seekers: dict[str, list[str]] = {}
    for key in mine:
        if key not in found:
            seekers.setdefault(_fold(key), []).append(key)
    only = ((keys[0], free[fold][0]) for fold, keys in seekers.items() if len(keys) == 1 == len(free.get(fold, ())))
    return found | dict(only)


def _fold(identifier: str) -> str:
    folded = identifier.casefold()
    return folded.lstrip("0") or "0" if folded.isdecimal() else folded
