"""Hides who is who in a text: codes in place of identifiers, names, and words of names, however they are written."""

import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from skarvin.core.students.identifiers import bare_form
from skarvin.core.texts.mark_kinds import says_a_mark_alone
from skarvin.core.texts.names import spread, words
from skarvin.core.texts.patterns import pattern
from skarvin.reports.mask import mask
from skarvin.reports.out_of_order import by_code, without_places

_PART = pattern(r"[^\W_]+")
_BETWEEN = pattern(r"[\s\-_.,/'’\u2010-\u2015\u2212]|, ")
"""What stands inside a name or a number that is written in parts."""
_SHORT_NUMBER, _SHORT_WORD = 4, 3
_IN_PARTS, _GLUED = 5, 6
"""So many signs a word has at least that is hidden where blanks or dashes are inside, or where more is glued to it."""
_LONGEST = 8
"""So many parts a name has at most that is hidden as one."""
_OWN = (
    "all and are can come day each few file find first form free give given good had has have hold how keep know less "
    "line list look made many mark marked marks may more much name near new next not now old once one only open other "
    "page part place point points put rest row rows said say see send sent set sheet show so some stand stands such "
    "table take than that the them then there they this title told total two under use was way were what when where "
    "which who will with word words work write year yet you your blank class item items min max mean sum median count"
)
_OWN_WORDS = frozenset(_OWN.split())
"""Words of the program's own sentences that may be somebody's name, too: in small letters they name nobody."""
_IDENTITIES = frozenset({"identifier", "to_identifier", "name_in_form", "birth"})
"""Keys of data whose values are hidden whatever they are: a short number tells nobody elsewhere."""
_CELLS = frozenset({"cells", "over"})
"""Keys of data that hold whole rows, of which a cell that is an identity is hidden."""

_ROWS = frozenset({"row", "to_row", "form_row"})
"""Keys of data that say where somebody stands."""
_NAMED_BY_FILES = frozenset({"also", "sections"})
"""Keys of data whose values are named by what stands in the files."""


class _Part(NamedTuple):
    """A part of a text, without the blanks and signs around it: where it begins and ends, and as it is compared."""

    start: int
    end: int
    folded: str


class Masker:
    """Knows the identities of a class, and hides them in texts, however they are written there.

    Args:
        texts: the identities.
        odd: what stands in place of marks and may be one: it is hidden as a whole, where it is quoted or stands alone.
        titles: of items; a word of one that looks like the name of a cell is none. None where places are shown, to
            whoever works on the files.
    """

    def __init__(self, texts: Iterable[str], odd: Iterable[str] = (), titles: Iterable[str] | None = None) -> None:
        named = None if titles is None else {part for title in titles for part in _PART.findall(title)}
        self._titles = None if named is None else frozenset(named)
        self._odd = tuple(dict.fromkeys(text.strip() for text in odd if text.strip()))
        known = dict.fromkeys(" ".join(text.split()) for text in (*texts, *self._odd))
        self._every = frozenset(known)
        self._whole: dict[str, str] = {}
        self._words: set[str] = set()
        self._short: set[str] = set()
        in_identifiers = Counter(part for text in known if _is_identifier(text) for part in set(_parts_of(text)))
        for text in known:
            if not text.isdecimal() or len(text) >= _SHORT_NUMBER:
                self._whole.setdefault(_folded(text), text)
            for part in _parts_of(text):
                if not _is_identifier(text) or part.isdecimal() or in_identifiers[part] == 1:
                    self._learn(part)
        self._glued = {word for word in self._words if len(word) >= _GLUED}
        self._lengths = sorted({len(word) for word in self._glued}, reverse=True)
        self._whole.pop("", None)

    def _learn(self, part: str) -> None:
        if len(part) >= (_SHORT_NUMBER if part.isdecimal() else _SHORT_WORD):
            self._words |= {_folded(part), _folded(spread(part))}
        elif not part.isdecimal() and ((len(part) > 1 and not part.islower()) or not part[0].isascii()):
            self._short |= {part, part.upper()}

    def text(self, text: str) -> str:
        """Return a text with all that tells somebody hidden, and where somebody stands."""
        text = self._unnamed(text)
        return text if self._titles is None else without_places(text, self._titles)

    @property
    def hides_places(self) -> bool:
        """Whether it hides where somebody stands, too."""
        return self._titles is not None

    def _unnamed(self, text: str) -> str:
        if not text or not self._every:
            return text
        for one in self._odd:
            text = text.replace(f"'{one}'", f"'{mask(one)}'")
        bare = " ".join(text.split())
        if bare in self._every and _folded(bare) in self._whole:
            return text.replace(text.strip(), mask(bare))
        said: list[str] = []
        parts = _parts(text)
        at = place = 0
        while place < len(parts):
            count, code = self._code(text, parts, place)
            if code:
                said += [text[at : parts[place].start], code]
                at = parts[place + count - 1].end
            place += count
        return "".join([*said, text[at:]])

    def _code(self, text: str, parts: Sequence[_Part], place: int) -> tuple[int, str]:
        """Return how many parts from a place on are one identity, and its code; one part and "" where none is."""
        longest = _together(text, parts, place)
        for count in range(longest, 1, -1):
            joined = "".join(part.folded for part in parts[place : place + count])
            if len(joined) >= _IN_PARTS and (joined in self._whole or joined in self._words):
                return count, mask(self._whole.get(joined, joined))
        part = parts[place]
        written = text[part.start : part.end]
        if written in self._short:
            return 1, mask(written)
        if written in _OWN_WORDS:
            return 1, ""
        if part.folded in self._whole or part.folded in self._words:
            return 1, mask(self._whole.get(part.folded, part.folded))
        return 1, mask(part.folded) if self._is_glued(part.folded) else ""

    def _is_glued(self, folded: str) -> bool:
        """Tell whether a longer word has an identity inside."""
        return any(
            folded[at : at + length] in self._glued
            for length in self._lengths
            for at in range(len(folded) - length + 1)
        )

    def data(self, data: Any, key: str = "") -> Any:  # noqa: ANN401 - whatever JSON can hold
        """Return data with all that tells somebody hidden."""
        if isinstance(data, str):
            if self.hides_places and key == "place":
                return ""
            if key in _CELLS and data.strip() in self._every:
                return mask(data)
            return mask(data) if key in _IDENTITIES and data.strip() else self.text(data)
        if isinstance(data, Mapping):
            under = "identifier" if key == "also" else ""
            own = {name: _is_own(name, key) for name in map(str, data)}
            return {
                name if own[name] else self.text(name): self.data(one, under or name)
                for name, one in zip(own, data.values(), strict=True)
            }
        if isinstance(data, list | tuple):
            listed = [self.data(one, key) for one in data]
            return self._in_order(listed)
        return mask(f"row:{data}") if self.hides_places and key in _ROWS and isinstance(data, int) else data

    def _in_order(self, listed: list[Any]) -> Sequence[Any]:
        """Return a list; one of people in the order of their codes, where that of their rows is hidden."""
        of_people = self.hides_places and all(isinstance(one, Mapping) and _ROWS & one.keys() for one in listed)
        return by_code(listed, str) if of_people else listed


def _is_own(name: str, of: str) -> bool:
    """Tell whether a name in data is the program's, and not a heading or a section of the files."""
    return name.isidentifier() and name.islower() and name.isascii() and of not in _NAMED_BY_FILES


def _is_identifier(text: str) -> bool:
    return "@" in text or any(sign.isdecimal() for sign in text)


def _parts_of(text: str) -> Iterable[str]:
    """Return the parts of an identity that may tell whose it is; an address's domain tells nobody."""
    bare = bare_form(text)
    parts = [text[part.start : part.end] for part in _parts(text.partition("@")[0])]
    return dict.fromkeys(filter(None, (*parts, bare)))


def _parts(text: str) -> Sequence[_Part]:
    """Return a text's parts: letters and digits without a break, an accent or an unseen sign being none."""
    spans: list[tuple[int, int]] = []
    for found in _PART.finditer(text):
        if spans and not text.isascii() and _is_unseen(text[spans[-1][1] : found.start()]):
            spans[-1] = spans[-1][0], found.end()
        else:
            spans.append(found.span())
    return [_Part(start, end, _folded(text[start:end])) for start, end in spans]


def _is_unseen(between: str) -> bool:
    return all(unicodedata.category(sign) in {"Mn", "Mc", "Me", "Cf"} for sign in between)


def _together(text: str, parts: Sequence[_Part], place: int) -> int:
    """Return how many parts from a place on may be one name or number."""
    last = place
    while (
        last + 1 < len(parts)
        and last + 1 - place < _LONGEST
        and _BETWEEN.fullmatch(text, parts[last].end, parts[last + 1].start)
    ):
        last += 1
    return last + 1 - place


def _folded(text: str) -> str:
    """Return a text's letters and digits as names are compared."""
    return "".join(words(text))


def mark_alone(text: str) -> str:
    """Return a mark as it may be shown where not everybody is known: any other text may be about somebody."""
    is_number = text.strip().isdecimal() and len(text.strip()) >= _IN_PARTS
    return text if says_a_mark_alone(text) and not is_number else "(text)"
