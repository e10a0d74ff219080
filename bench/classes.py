"""Makes two classes with known truth and realistic slips: for measuring pairing, and for its tests."""

import random
import unicodedata
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Row, Source
from skarvin.core.gradebook import Student

_EXPORT, _FORM = Source(Path("export.csv")), Source(Path("form.csv"))
GIVEN = (
    *("Layla", "Yağmur", "Chiara", "Mateo", "Fatoumata", "Sione", "Inés", "Nour", "Karim", "Daria", "Åke", "Min-jun"),
    *(
        "Zoltán",
        "Małgorzata",
        "Eilidh",
        "Thandeka",
        "Jörg",
        "Hương",
        "Declan",
        "Síle",
        "Chidi",
        "Eleni",
        "Anika",
        "Ioana",
    ),
    *(
        "Luz",
        "Dušan",
        "Harpreet",
        "Rhys",
        "Bjørk",
        "Greta",
        "Hiroshi",
        "Ásta",
        "Joost",
        "Robert",
        "William",
        "Katherine",
    ),
    *(
        "Thomas",
        "Elizabeth",
        "Samuel",
        "Alexander",
        "José",
        "Amara",
        "Nikolai",
        "Yuki",
        "Priya",
        "Lars",
        "Ottilie",
        "Femi",
    ),
)
FAMILY = (
    *(
        "Al-Rashid",
        "Çelik",
        "D'Angelo",
        "Diallo",
        "Fonoti",
        "Peña",
        "Haddad",
        "Yusuf",
        "Ivanova",
        "Jansson",
        "Kim",
        "Kovács",
    ),
    *(
        "Łęcka",
        "MacLeod",
        "Mbatha",
        "Müller",
        "Nguyễn",
        "O'Rourke",
        "Murchú",
        "Okonkwo",
        "Papadopoulou",
        "Patel",
        "Popescu",
    ),
    *(
        "Reyes",
        "Šimůnek",
        "Singh",
        "Jones",
        "Sørensen",
        "Strauß",
        "Tanaka",
        "Þórsdóttir",
        "Berg",
        "Öztürk",
        "Novák",
        "Silva",
    ),
    *(
        "Lindqvist",
        "Abara",
        "Moreau",
        "Castellano",
        "Weiß",
        "Rossi",
        "Virtanen",
        "Bakker",
        "Dlamini",
        "Horvat",
        "Petrov",
    ),
)
SYLLABLES = tuple(f"{a}{b}" for a in "bcdfghjklmnprstvz" for b in "aeiou")
SHORT = {"Robert": "Bob", "William": "Will", "Katherine": "Kate", "Thomas": "Tom", "Elizabeth": "Liz", "Samuel": "Sam"}


class Classes(NamedTuple):
    """Two sides, and for each source row the row of the same person on the other, if there is one."""

    source: list[Student]
    target: list[Student]
    truth: dict[Row, Row]


def make_classes(  # noqa: PLR0913 - each a slip of its own
    size: int,
    chance: random.Random,
    *,
    slips: float = 0.1,
    without_id: float = 0.2,
    shifted: bool = False,
    large: bool = False,
) -> Classes:
    """Return two classes.

    Args:
        size: how many students.
        chance: where chance comes from.
        slips: the share of names written otherwise on the two sides.
        without_id: the share of source students without an identifier.
        shifted: whether the source's names have slid down by one row against their identifiers, from the middle on.
        large: whether family names are made of syllables, so that there are enough of them.
    """
    people: list[tuple[str, str, str, str]] = []
    seen: set[tuple[str, str]] = set()
    while len(people) < size:
        family = "".join(chance.choices(SYLLABLES, k=4)).title() if large else chance.choice(FAMILY)
        person = (family, chance.choice(GIVEN))
        if large or person not in seen or chance.random() < 0.03:
            seen.add(person)
            people.append((*person, f"{chance.randrange(10**7):07d}", chance.choice(("Keel", "Mast", "Rudder"))))
    target = [
        Student(Row(_FORM, position), identifier, f"{given} {family}", section)
        for position, (family, given, identifier, section) in enumerate(chance.sample(people, size), 1)
        if chance.random() > 0.03
    ]
    place = {student.identifier: student.row for student in target}
    names = [
        slip(family, given, chance) if chance.random() < slips else f"{family}, {given}"
        for family, given, _, _ in people
    ]
    if shifted:
        half = size // 2
        names[half:] = [names[-1], *names[half:-1]]
    source = [
        Student(Row(_EXPORT, position), "" if chance.random() < without_id else identifier, name, section)
        for position, (name, (_, _, identifier, section)) in enumerate(zip(names, people, strict=True), 1)
    ]
    owners = people if not shifted else [*people[: size // 2], people[-1], *people[size // 2 : -1]]
    truth = {Row(_EXPORT, position): place[owner[2]] for position, owner in enumerate(owners, 1) if owner[2] in place}
    return Classes(source, target, truth)


def slip(family: str, given: str, chance: random.Random) -> str:  # noqa: PLR0911 - one for each slip
    """Return a name as a hurried hand, another system or another script writes it."""
    kind = chance.randrange(7)
    if kind == 0:
        plain = unicodedata.normalize("NFKD", f"{family}, {given}").encode("ascii", "ignore").decode()
        return plain.upper()
    if kind == 1:
        return f"{family}, {SHORT.get(given, given[0] + '.')}"
    if kind == 2:
        return f"{given} {chance.choice(FAMILY)} {family}"
    if kind == 3 and len(family) > 3:
        at = chance.randrange(1, len(family) - 2)
        return f"{family[:at]}{family[at + 1]}{family[at]}{family[at + 2 :]}, {given}"
    if kind == 4:
        at = chance.randrange(1, len(family))
        return f"{family[:at]}{family[at + 1 :]}, {given}"
    if kind == 5:
        return f"{family.replace('-', ' ').replace(chr(39), '')} {given}"
    at = chance.randrange(len(given))
    return f"{family}, {given[:at]}{chance.choice('aeiou')}{given[at + 1 :]}"
