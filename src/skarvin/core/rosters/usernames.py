"""Usernames and addresses built from what is known of a student, by a small template.

A field stands in braces, with a length if it is to be cut: `{given 1}{family 7}`, `{year -2}` for its last two signs,
`{username}@tidewrack.example`. Letters of every script become small ASCII ones; suffixes of names (Jr, III) are left
out. Two students with one result are settled by a rule, and always told.
"""

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum
from typing import NamedTuple

import msgspec

from skarvin.core.texts.names import SUFFIXES, words
from skarvin.core.texts.patterns import pattern

FIELDS = ("family", "given", "further", "initials", "year", "section", "number", "username")
_ASKED = frozenset({"year", "number", "section"})
"""Fields of which a username has need: names may lack a part, and these may not."""
_FIELD = pattern(r"\{(\w+)(?:\s+(-?\d{1,2}))?\}")
_KEPT = pattern(r"[^a-z0-9]")


class Collision(StrEnum):
    """What becomes of two students whose templates give one result."""

    NUMBER = "number"
    LONGER = "longer"
    HOLD = "hold"


class BadTemplate(ValueError):
    """A template that names no field that there is, or none at all."""


class Person(NamedTuple):
    """What a template can take; `key` tells the person apart, always in the same way."""

    key: str
    family: str
    given: str
    further: str = ""
    year: str = ""
    section: str = ""
    number: str = ""


class Built(msgspec.Struct, frozen=True):
    """The results by the person's key; those that collided, with what was done; those that are held."""

    names: dict[str, str]
    collided: dict[str, str]
    held: dict[str, str]


def check_template(template: str) -> None:
    """Raise `BadTemplate` unless the template is made of known fields."""
    fields = [field for field, _ in _FIELD.findall(template)]
    if not fields:
        raise BadTemplate("no field stands in braces: write for example '{given 1}{family 7}'")
    for field in fields:
        if field not in FIELDS:
            raise BadTemplate(f"there is no field '{field}': there are {', '.join(FIELDS)}")
    if re.search(r"[{}]", _FIELD.sub("", template)):
        raise BadTemplate("a brace stands alone")


def fields_of(template: str) -> list[str]:
    """Return the fields of a template that take what is known of a person."""
    return [field for field, _ in _FIELD.findall(template) if field != "username"]


def value_of(field: str, person: Person) -> str:
    """Return what a field gives for a person, whole; blank where nothing is known."""
    return fill(f"{{{field}}}", person)


def fill(template: str, person: Person, username: str = "", more_given: int = 0) -> str:
    """Return the template filled for one person; `more_given` letters more of the given name than it says."""
    values = {
        "family": "".join(_plain(person.family)),
        "given": "".join(_plain(person.given)),
        "further": "".join(_plain(person.further)),
        "initials": "".join(word[0] for name in (person.given, person.further, person.family) for word in _plain(name)),
        "year": _KEPT.sub("", person.year.casefold()),
        "section": _folded(person.section),
        "number": _KEPT.sub("", person.number.casefold()),
        "username": username,
    }

    def put(match: re.Match[str]) -> str:
        field, length = match[1], match[2]
        if length is None:
            return values[field]
        most = int(length) + (more_given if field == "given" else 0)
        if int(length) < 0:
            return values[field][int(length) :]
        return values[field][-most:] if field == "year" and most else values[field][:most]

    return _FIELD.sub(put, template)


def build_usernames(
    people: Sequence[Person], template: str, rule: Collision, taken: Iterable[str], known: Mapping[str, str]
) -> Built:
    """Return a username for each person.

    The order of the people doesn't matter, and whoever has a username keeps it.

    Args:
        people: for whom.
        template: how.
        rule: how collisions are settled.
        taken: usernames that others have.
        known: usernames that these people have already, by key.
    """
    names = {person.key: known[person.key] for person in people if known.get(person.key)}
    used = {name.casefold() for name in (*taken, *names.values())}
    wanted: Counter[str] = Counter(fill(template, person).casefold() for person in people)
    collided: dict[str, str] = {}
    held: dict[str, str] = {}
    for person in sorted(people, key=lambda person: (words(person.family), words(person.given), person.key)):
        if person.key in names:
            continue
        plain = fill(template, person)
        if lacking := [field for field in fields_of(template) if field in _ASKED and not value_of(field, person)]:
            held[person.key] = f"nothing is known for {{{lacking[0]}}}"
            continue
        is_rivalled = plain.casefold() in used or (rule is Collision.HOLD and wanted[plain.casefold()] > 1)
        name = _free(template, person, rule, used) if is_rivalled or not plain else plain
        if not name:
            whose = "several students would have it" if wanted[plain.casefold()] > 1 else "somebody else has it"
            held[person.key] = f"'{plain}': {whose}" if plain else "nothing to build a username from"
            continue
        if name != plain:
            collided[person.key] = f"'{plain}' is somebody else's: '{name}'"
        names[person.key] = name
        used.add(name.casefold())
    return Built(names, collided, held)


def _plain(name: str) -> list[str]:
    """Return a name's words in small ASCII letters, without suffixes."""
    found = [word for word in words(name) if word not in SUFFIXES]
    if "".join(found).isascii():
        return found
    from anyascii import anyascii  # noqa: PLC0415 - only for letters that no accent makes

    return list(filter(None, (_KEPT.sub("", anyascii(word).casefold()) for word in found)))


def _free(template: str, person: Person, rule: Collision, used: set[str]) -> str | None:
    """Return a result that nobody has, by the rule; None if the person is to be held."""
    plain = fill(template, person)
    if rule is Collision.HOLD or not plain:
        return None
    if rule is Collision.LONGER:
        tries = (fill(template, person, more_given=more) for more in range(1, len("".join(_plain(person.given))) + 1))
        return next((name for name in tries if name.casefold() not in used), None)
    tries = (f"{plain}{number}" for number in range(2, len(used) + 3))
    return next(name for name in tries if name.casefold() not in used)


def _folded(text: str) -> str:
    return "".join("".join(_plain(part)) or _KEPT.sub("", part.casefold()) for part in re.split(r"(\d+)", text))
