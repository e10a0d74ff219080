"""Who of a class comes near a name: it is nobody else's only if no other person of either file does.

Two names come near if they share all words but one, and that one is missing on one side, begins alike, sounds alike by
its consonants, or is an initial of the other. Found by keys, so that the work grows with the class.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property, lru_cache
from itertools import chain

from skarvin.core.gradebook import Student
from skarvin.core.texts.names import NameKey, content_words, name_key

_BEGINNING = 4
_VOWELS = str.maketrans("", "", "aeiouyhw")
_Key = tuple[str, ...]


class Neighbours:
    """The names of one file."""

    def __init__(self, students: Sequence[Student]) -> None:
        keys = list(map(name_key, [student.name for student in students]))
        self._students = students
        self._kept: Counter[_Key] = Counter()
        self._one = dict(zip(keys, students, strict=True))
        several = () if len(self._one) == len(keys) else Counter(keys).items()
        self._several: dict[NameKey, list[Student]] = {key: [] for key, count in several if count > 1}
        for key, student in zip(keys, students, strict=True) if self._several else ():
            if key in self._several:
                self._several[key].append(student)

    def called(self, name: NameKey) -> Sequence[Student]:
        """Return all who have a whole name; nobody has a blank one."""
        if name in self._several:
            return self._several[name] if name else ()
        return (self._one[name],) if name and name in self._one else ()

    @cached_property
    def words(self) -> Counter[str]:
        """In how many names each word stands."""
        return Counter(chain.from_iterable(set(content_words(one.name)) for one in self._students))

    def ask(self, names: Iterable[str]) -> None:
        """Prepare for `others_near` of these names: whoever comes near one of them is found in one go."""
        asked = [sorted(content_words(name)) for name in names]
        wanted = set[_Key]().union(*map(_asked, asked))
        known = {word for words in asked for word in words}
        for student in self._students if asked else ():
            words = content_words(student.name)
            if not known.isdisjoint(words) and (kept := _kept(sorted(words)) & wanted):
                self._kept.update(kept)

    def others_near(self, name: str, itself: str) -> bool:
        """Tell whether anybody of the file comes near `name`, besides the one who is called `itself` there."""
        own = _kept(sorted(content_words(itself)))
        return any(self._kept[key] > (key in own) for key in _asked(sorted(content_words(name))))


def come_near(first: str, second: str) -> bool:
    """Tell whether two names come near each other."""
    shorter, longer = content_words(first), content_words(second)
    if len(shorter) > len(longer):
        shorter, longer = longer, shorter
    if len(longer) == len(shorter) + 1 == len({*shorter, *longer}) and all(word in longer for word in shorter):
        return True
    return not _asked(sorted(content_words(first))).isdisjoint(_kept(sorted(content_words(second))))


def _kept(words: list[str]) -> set[_Key]:
    """Return the keys under which a name is kept."""
    keys = {("whole", *words)}
    for word, rest in _without_one(words):
        keys |= {("without", *rest), ("sound", _consonants(word), *rest), ("begins", word[:_BEGINNING], *rest)}
        keys.add(("first", word[0], *rest))
        if len(word) == 1:
            keys.add(("initial", word, *rest))
    return keys


def _asked(words: list[str]) -> set[_Key]:
    """Return the keys under which names are kept that come near."""
    keys = {("whole", *words), ("without", *words)}
    for word, rest in _without_one(words):
        keys |= {("whole", *rest), ("sound", _consonants(word), *rest), ("begins", word[:_BEGINNING], *rest)}
        keys.add(("first" if len(word) == 1 else "initial", word[0], *rest))
    return keys


def _without_one(words: list[str]) -> Iterator[tuple[str, list[str]]]:
    """Yield each word and the others; nothing of a name of one word."""
    if len(words) > 1:
        yield from ((word, [*words[:place], *words[place + 1 :]]) for place, word in enumerate(words))


@lru_cache(maxsize=1 << 16)
def _consonants(word: str) -> str:
    """Return a word's beginning and its consonants, none twice in a row: Jon and John, Anna and Ana are alike."""
    bare = word[0] + word[1:].translate(_VOWELS)
    return "".join(sign for place, sign in enumerate(bare) if place == 0 or sign != bare[place - 1])
