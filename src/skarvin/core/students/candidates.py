"""Who of the other side may be somebody at all: rows that share what few share, so that work grows with the class."""

from collections import defaultdict
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from itertools import chain

from skarvin.core.gradebook import Student
from skarvin.core.students.slips import near_each
from skarvin.core.students.weights import Weights, words_of
from skarvin.core.texts.days import without_century

_FEW, _MANY = 60, 400
"""A part of a name that more share says too little by itself; a birth date, or two parts together, may say it."""
_MOST = 8
"""So many are weighed of all who share something, those first who share what fewest share."""
_SAME, _BIRTH, _NEAR, _SOUND = 10, 10, 3, 2
"""An equal word or birth date, a word that is a slip away, and one of equal consonants say so much more than an equal
beginning."""
_BEGINNING = 3
_WORDS = 4
"""So many words of a name are taken two by two."""
_VOWELS = str.maketrans("", "", "aeiouyhw")

_Key = str | tuple[str, ...]
_Worth = dict[int, int]
"""The places of those who may be meant, each with what speaks for it."""
_Found = list[tuple[int, Sequence[int]]]
"""Places, and how much more each of them is worth than one that shares a beginning."""


class Candidates:
    """Finds, for some students, the rows of the other side that share anything telling with them."""

    def __init__(self, asked: Sequence[Student], others: Sequence[Student], weights: Weights) -> None:
        self._others = others
        words = {word for one in asked for word in words_of(one)}
        self._words = _Words(words, weights)
        self._numbers = _Numbers(asked, others) if any(one.identifier for one in asked) else None
        self._known = words | {word[:_BEGINNING] for word in words}
        wanted = {key for student in asked for key in _keys(student, self._known)}
        births = {without_century(student.born) for student in asked} - {""}
        self._by_key: dict[_Key, list[int]] = defaultdict(list)
        for place, student in enumerate(others):
            parts = words_of(student)
            if not self._words.relevant.isdisjoint(parts):
                self._words.add(place, parts)
            elif without_century(student.born) not in births:
                continue
            for key in _keys(student, self._known):
                if key in wanted:
                    self._by_key[key].append(place)

    def of(self, student: Student) -> list[Student]:
        """Return who may be meant, the likeliest first as far as that can be told by what they share."""
        worth: _Worth = defaultdict(int)
        for word in set(words_of(student)):
            for place, more in self._words.sharing(word).items():
                worth[place] += more
        if self._numbers:
            _add(worth, self._numbers.sharing(student.identifier.strip()))
        for key in set(_keys(student, self._known)):
            _add(worth, [(_BIRTH if isinstance(key, str) else 1, self._by_key.get(key, ()))], _MANY)
        rows = sorted((-more, self._others[place].row, place) for place, more in _best(worth))
        return [self._others[place] for _, _, place in rows[:_MOST]]


def _best(worth: _Worth) -> Iterable[tuple[int, int]]:
    """Return those of whom enough speaks for it to be among the first."""
    if len(worth) <= _MOST:
        return worth.items()
    least = sorted(worth.values())[-_MOST]
    return [one for one in worth.items() if one[1] >= least]


def _add(worth: _Worth, found: _Found, most: int = _FEW) -> None:
    for times, places in found:
        if len(places) <= most:
            more = times * (1_000 // max(1, len(places)) + 1)
            for place in places:
                worth[place] += more


class _Words:
    """The words of one side's names, found by words that are like them; what a word finds is found once.

    `relevant` are all words that are like one of those asked for.
    """

    def __init__(self, asked: set[str], weights: Weights) -> None:
        weights.texts.ask(asked)
        self._near = {word: weights.texts.near(word) for word in asked}
        beginnings, sounds = {word[:_BEGINNING] for word in asked}, set(map(_sound, asked))
        firsts = {word[0] for word in asked}
        self._beginning: dict[str, list[str]] = defaultdict(list)
        self._sound: dict[str, list[str]] = defaultdict(list)
        for word in weights.words:
            if word[0] not in firsts:  # neither begins nor sounds alike
                continue
            if word[:_BEGINNING] in beginnings:
                self._beginning[word[:_BEGINNING]].append(word)
            if (sound := _sound(word)) in sounds:
                self._sound[sound].append(word)
        likes = chain(self._near.values(), self._beginning.values(), self._sound.values())
        self.relevant = asked.union(*likes)
        self._places: dict[str, list[int]] = defaultdict(list)
        self._found: dict[str, Mapping[int, int]] = {}

    def add(self, place: int, words: Sequence[str]) -> None:
        """Take notice of a name of the other side."""
        for word in set(words):
            self._places[word].append(place)

    def sharing(self, word: str) -> Mapping[int, int]:
        """Return who has the word or one that is like it."""
        if word not in self._found:
            worth: _Worth = defaultdict(int)
            sounds, beginnings = self._sound[_sound(word)], self._beginning[word[:_BEGINNING]]
            likes = ((_NEAR, sorted(self._near[word])), (_SOUND, sounds), (1, beginnings))
            _add(worth, [(_SAME, self._places.get(word, ())), *((times, self._of(words)) for times, words in likes)])
            self._found[word] = worth
        return self._found[word]

    def _of(self, words: Sequence[str]) -> Sequence[int]:
        """Return the places of all who have one of some words, if they are few."""
        found: list[int] = []
        for word in words:
            if places := self._places.get(word):
                found += places
                if len(found) > _FEW:
                    return ()
        return found


def _sound(word: str) -> str:
    return word[0] + word[1:].translate(_VOWELS)


class _Numbers:
    """The identifiers of one side, found by those that are equal or one slip away."""

    def __init__(self, asked: Sequence[Student], others: Sequence[Student]) -> None:
        numbers = {student.identifier.strip() for student in asked} - {""}
        self._places: dict[str, list[int]] = defaultdict(list)
        for place, student in enumerate(others):
            self._places[student.identifier.strip()].append(place)
        self._near = near_each(numbers, self._places)

    def sharing(self, number: str) -> _Found:
        """Return who has the identifier or one that is one slip away."""
        if not number:
            return []
        near = [place for other in self._near[number] for place in self._places.get(other, ())]
        return [(_SAME, self._places.get(number, ())), (_NEAR, near)]


def _keys(student: Student, known: Container[str]) -> Iterator[_Key]:
    """Yield what a student can be found by but for single words and numbers: words are taken that are known."""
    if student.born:
        yield f"b{without_century(student.born)}"
    parts = words_of(student)[:_WORDS]
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
