"""How a form writes the numbers that it holds: what an item that doesn't say so takes over."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from itertools import zip_longest
from typing import NamedTuple

from skarvin.core.layout.columns import Column
from skarvin.core.texts.mark_grammar import decimal_comma, read_mark


class Spelling(NamedTuple):
    """How numbers of a column are written: how many with a decimal comma, any with a point, and what stands behind."""

    commas: int = 0
    has_points: bool = False
    suffix: str = ""


NO_SPELLING = Spelling()


def spelling_of(texts: Mapping[str, int]) -> Spelling:
    """Return how the distinct texts of a column, each with its count, write their numbers."""
    has_points = any("." in text and read_mark(text) for text in texts)
    return Spelling(decimal_comma(dict(texts)), has_points, _behind(texts))


def _behind(texts: Mapping[str, int]) -> str:
    """Return the percent sign, as it is written, that stands behind every one of some numbers."""
    marks = [(text, read_mark(text) or read_mark(text, is_comma=True)) for text in texts if text.strip()]
    behind = {text.strip().lstrip("+-0123456789.,") for text, mark in marks if mark and mark.is_percent}
    is_every = bool(marks) and all(mark and mark.is_percent for _, mark in marks)
    return behind.pop() if is_every and len(behind) == 1 else ""


class Spellings:
    """How the columns of a form write their numbers; where all numbers of it have commas, blank columns do, too."""

    def __init__(self, columns: Iterable[Column], rows: Iterable[Sequence[str]]) -> None:
        indexes = {column.index for column in columns}
        by_column = zip_longest(*rows) if indexes else ()
        texts = {index: Counter(column) for index, column in enumerate(by_column) if index in indexes}
        self._found = {
            index: spelling_of({text: count for text, count in found.items() if text is not None})
            for index, found in texts.items()
        }
        known = self._found.values()
        self._speaks_commas = any(one.commas for one in known) and not any(one.has_points for one in known)

    def of(self, column: Column | None) -> Spelling:
        """Return how a column writes its numbers."""
        if column is None:
            return Spelling()
        found = self._found.get(column.index, Spelling())
        return found._replace(commas=found.commas or int(self._speaks_commas))
