"""Who of the other side may be somebody at all: rows that share what few share, so that work grows with the class."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from functools import lru_cache

from skarvin.core.gradebook import Student
from skarvin.core.students.weights import shortened, words_of

_FEW, _MANY = 60, 400
"""A part of a name that more share says too little by itself; a birth date, or two parts together, may say it."""
_MOST = 8
"""So many are weighed of all who share something, those first who share what fewest share."""
_BEGINNING = 3
_WORDS = 4
"""So many words of a name are taken two by two."""
_VOWELS = str.maketrans("", "", "aeiouyhw")

Key = tuple[str, ...]


class Candidates:
    """Finds, for some students, the rows of the other side that share anything telling with them."""

    def __init__(self, asked: Sequence[Student], others: Sequence[Student]) -> None:
        self._others = others
        wanted = frozenset[Key]().union(*map(keys_of, asked))
        self._by_key: dict[Key, list[int]] = defaultdict(list)
        for place, student in enumerate(others):
            for key in keys_of(student) & wanted:
                self._by_key[key].append(place)

    def of(self, student: Student) -> list[Student]:
        """Return who may be meant, the likeliest first as far as that can be told by what they share."""
        shared: Counter[int] = Counter()
        for key in keys_of(student):
            sharers = self._by_key.get(key, ())
            if len(sharers) <= (_FEW if key[0] in "=~<" else _MANY):
                for place in sharers:
                    shared[place] += 1_000 // len(sharers) + 1
        best = sorted(shared.items(), key=lambda one: (-one[1], self._others[one[0]].row))
        return [self._others[place] for place, _ in best[:_MOST]]


@lru_cache(maxsize=1 << 17)
def keys_of(student: Student) -> frozenset[Key]:
    """Return all that a student can be found by."""
    return frozenset(_keys(student))


def _keys(student: Student) -> Iterator[Key]:
    number = student.identifier.strip()
    if len(number) > _BEGINNING:
        yield from (("#", rest) for rest in shortened(number))
    elif number:
        yield ("#", number)
    if student.birth:
        yield ("b", student.birth)
    parts = words_of(student)
    for word in parts:
        yield ("=", word)
        yield ("<", word[:_BEGINNING])
        yield ("~", word[0] + word[1:].translate(_VOWELS))
        yield from (("~", rest) for rest in shortened(word))
    for one in parts[:_WORDS]:
        for other in parts[:_WORDS]:
            if one != other:
                yield ("+", one, other[0])
                yield ("^", *sorted((one[:_BEGINNING], other[:_BEGINNING])))
