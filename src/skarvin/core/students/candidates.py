"""Who of the other side may be somebody at all: rows that share what few share, so that work grows with the class."""

from collections import defaultdict
from collections.abc import Container, Iterable, Iterator, Sequence

from skarvin.core.gradebook import Student
from skarvin.core.students.slips import shortened
from skarvin.core.students.weights import words_of

_FEW, _MANY = 60, 400
"""A part of a name that more share says too little by itself; a birth date, or two parts together, may say it."""
_MOST = 8
"""So many are weighed of all who share something, those first who share what fewest share."""
_BEGINNING = 3
_WORDS = 4
"""So many words of a name are taken two by two."""
_VOWELS = str.maketrans("", "", "aeiouyhw")

_Key = str | tuple[str, ...]
_Worth = dict[int, int]
"""The places of those who may be meant, each with what speaks for it."""


class Candidates:
    """Finds, for some students, the rows of the other side that share anything telling with them."""

    def __init__(self, asked: Sequence[Student], others: Sequence[Student]) -> None:
        self._others = others
        wanted_words = {word for one in asked for word in words_of(one)}
        self._words = _Words(wanted_words, others)
        known = wanted_words | {word[:_BEGINNING] for word in wanted_words}
        self._known = known
        wanted = {key for student in asked for key in _keys(student, known)}
        has_numbers = any(student.identifier for student in asked)
        self._by_key: dict[_Key, list[int]] = defaultdict(list)
        for place, student in enumerate(others):
            for key in _keys(student, known, has_numbers=has_numbers):
                if key in wanted:
                    self._by_key[key].append(place)

    def of(self, student: Student) -> list[Student]:
        """Return who may be meant, the likeliest first as far as that can be told by what they share."""
        worth: _Worth = defaultdict(int)
        for word in set(words_of(student)):
            for place, more in self._words.sharing(word).items():
                worth[place] += more
        for key in set(_keys(student, self._known)):
            _add(worth, self._by_key.get(key, ()), _MANY)
        rows = sorted((-more, self._others[place].row, place) for place, more in _best(worth))
        return [self._others[place] for _, _, place in rows[:_MOST]]


def _best(worth: _Worth) -> Iterable[tuple[int, int]]:
    """Return those of whom enough speaks for it to be among the first."""
    if len(worth) <= _MOST:
        return worth.items()
    least = sorted(worth.values())[-_MOST]
    return [one for one in worth.items() if one[1] >= least]


def _add(worth: _Worth, places: Sequence[int], most: int) -> None:
    if len(places) <= most:
        more = 1_000 // max(1, len(places)) + 1
        for place in places:
            worth[place] += more


class _Words:
    """The words of one side's names, found by words that are like them; what a word finds is found once."""

    def __init__(self, asked: set[str], others: Sequence[Student]) -> None:
        self._places: dict[str, list[int]] = defaultdict(list)
        for place, student in enumerate(others):
            for word in set(words_of(student)):
                self._places[word].append(place)
        wanted = {key for word in asked for key in _likes(word)}
        self._by_key: dict[str, list[str]] = defaultdict(list)
        for word in self._places:
            for key in _likes(word):
                if key in wanted:
                    self._by_key[key].append(word)
        self._found: dict[str, _Worth] = {}

    def sharing(self, word: str) -> _Worth:
        """Return who has the word or one that is like it."""
        if word not in self._found:
            worth: _Worth = defaultdict(int)
            _add(worth, self._places.get(word, ()), _FEW)
            for key in _likes(word):
                words = self._by_key.get(key, ())
                if sum([len(self._places[one]) for one in words]) <= _FEW:
                    _add(worth, [place for one in words for place in self._places[one]], _FEW)
            self._found[word] = worth
        return self._found[word]


def _likes(word: str) -> Iterator[str]:
    """Yield what words have in common that are like each other: the beginning, the consonants, all but one letter."""
    yield "<" + word[:_BEGINNING]
    yield "~" + word[0] + word[1:].translate(_VOWELS)
    yield from shortened(word)


def _keys(student: Student, known: Container[str], *, has_numbers: bool = True) -> Iterator[_Key]:
    """Yield all but single words that a student can be found by, of his or her words those that are known."""
    if has_numbers:
        yield from _number_keys(student.identifier.strip())
    if student.birth:
        yield f"b{student.birth}"
    yield from _word_keys(words_of(student)[:_WORDS], known)


def _number_keys(number: str) -> Iterator[str]:
    if len(number) > _BEGINNING:
        yield from (f"#{rest}" for rest in shortened(number))
    elif number:
        yield f"#{number}"


def _word_keys(parts: Sequence[str], known: Container[str]) -> Iterator[_Key]:
    """Yield words of a name two by two, as far as the first of them, or its beginning, is known."""
    for one in parts:
        if one in known:
            for other in parts:
                if one != other:
                    yield (one, other[0])
    beginnings = [word[:_BEGINNING] for word in parts]
    for place, one in enumerate(beginnings):
        if one in known:
            for other in beginnings[place + 1 :]:
                yield ("^", one, other) if one <= other else ("^", other, one)
