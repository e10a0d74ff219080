"""Hides who is who in whatever is shown: codes in place of identifiers, names, and the words of names in any sentence.

Output passes through here at its last step: each cell of a table, each sentence, each value of a page or of data.
"""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from skarvin.core.students.identifiers import bare_form
from skarvin.core.texts.patterns import pattern
from skarvin.reports.mask import mask

_WORD = pattern(r"[^\W_]+(?:['’.@_-][^\W_]+)*")
_PART = pattern(r"[^\W_]+")
_SHORT_NUMBER, _SHORT_WORD = 4, 2
_LONG_WORD = 5
_OWN_WORDS = frozenset(
    [
        "marks",
        "items",
        "total",
        "blank",
        "point",
        "points",
        "class",
        "table",
        "sheet",
        "title",
        "first",
        "other",
        "write",
        "under",
    ]
)
"""Words of the program's own sentences that are somebody's name, too: in small letters they name nobody."""
_LONGEST = 6
"""So many words a name has at most that is hidden as one."""
_IDENTITIES = frozenset({"identifier", "to_identifier", "name_in_form", "birth"})
"""Keys of data whose values are hidden whatever they are: a short number tells nobody elsewhere."""
_CELLS = frozenset({"cells", "over"})
"""Keys of data that hold whole rows, of which a cell that is an identity is hidden."""


class Masker:
    """Knows the identities of a class, and hides them in texts."""

    def __init__(self, texts: Iterable[str]) -> None:
        self._every: set[str] = set()
        self._whole: set[str] = set()
        self._words: set[str] = set()
        for text in texts:
            self._learn(" ".join(text.split()))

    def _learn(self, text: str) -> None:
        if not text:
            return
        self._every.add(text)
        if not text.isdecimal() or len(text) >= _SHORT_NUMBER:
            self._whole.add(text)
        for word in (*_WORD.findall(text), *_PART.findall(text), bare_form(text)):
            if _tells(word):
                self._words |= {word, word.upper()}
                if len(word) >= _LONG_WORD and word.casefold() not in _OWN_WORDS:
                    self._words.add(word.casefold())

    def text(self, text: str) -> str:
        """Return a text with all that tells somebody hidden."""
        if not text or not self._words:
            return text
        bare = " ".join(text.split())
        if bare in self._whole:
            return text.replace(text.strip(), mask(bare))
        parts: list[str] = []
        words = list(_WORD.finditer(text))
        at = place = 0
        while place < len(words):
            found = self._name_at(text, words, place)
            if found is None:
                place += 1
                continue
            start, end, place, code = found
            parts += [text[at:start], code]
            at = end
        return "".join([*parts, text[at:]])

    def _name_at(self, text: str, words: list[re.Match[str]], place: int) -> tuple[int, int, int, str] | None:
        """Return where the longest name that begins with a word stands, which word comes next, and its code."""
        start = words[place].start()
        for last in range(min(len(words), place + _LONGEST) - 1, place - 1, -1):
            whole = " ".join(text[start : words[last].end()].split())
            if whole in self._whole:
                return start, words[last].end(), last + 1, mask(whole)
        word = words[place][0]
        if word in self._words:
            return start, words[place].end(), place + 1, mask(word)
        hidden = _PART.sub(lambda part: mask(part[0]) if part[0] in self._words else part[0], word)
        return None if hidden == word else (start, words[place].end(), place + 1, hidden)

    def data(self, data: Any, key: str = "") -> Any:  # noqa: ANN401 - whatever JSON can hold
        """Return data with all that tells somebody hidden."""
        if isinstance(data, str):
            if key in _CELLS and data.strip() in self._every:
                return mask(data)
            return mask(data) if key in _IDENTITIES and data.strip() else self.text(data)
        if isinstance(data, Mapping):
            under = "identifier" if key == "also" else ""
            return {self.text(str(name)): self.data(one, under or str(name)) for name, one in data.items()}
        if isinstance(data, list | tuple):
            return [self.data(one, key) for one in data]
        return data


def _tells(word: str) -> bool:
    """Tell whether a word of a name or an identifier tells anybody by itself: not a single letter, nor a particle."""
    if word.isdecimal():
        return len(word) >= _SHORT_NUMBER
    return len(word) > _SHORT_WORD or (len(word) == _SHORT_WORD and not word.islower()) or not word[0].isascii()


_CURRENT: ContextVar[Masker | None] = ContextVar("masker", default=None)


@contextmanager
def masking(masker: Masker | None) -> Iterator[None]:
    """Hide identities in all output of the block; nothing where there is no masker."""
    token = _CURRENT.set(masker)
    try:
        yield
    finally:
        _CURRENT.reset(token)


def hidden(text: str) -> str:
    """Return a text as it may be shown now."""
    masker = _CURRENT.get()
    return masker.text(text) if masker else text


def identity(text: str) -> str:
    """Return an identifier or a name as it may be shown now, however short it is."""
    return mask(text) if _CURRENT.get() else text


def hidden_data(data: Any) -> Any:  # noqa: ANN401 - whatever JSON can hold
    """Return data as they may be shown now."""
    masker = _CURRENT.get()
    return masker.data(data) if masker else data


def finalizer() -> Callable[[Any], Any] | None:
    """Return what every value of a page passes through; None where nothing is hidden."""
    masker = _CURRENT.get()
    if masker is None:
        return None
    return lambda value: value if isinstance(value, int) or hasattr(value, "__html__") else masker.text(str(value))
