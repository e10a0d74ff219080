"""Headings for items that the target doesn't have yet, after those that its sample shows."""

from collections import Counter
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable, counted
from skarvin.core.layout.columns import Column
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.numbers import is_number, plain
from skarvin.core.texts.words import WORDS, phrase_set

_KINDS = phrase_set(WORDS.headings.unit) | phrase_set(WORDS.headings.measure)
"""Words that say what marks are in."""
TITLE, MAXIMUM = "{title}", "{maximum}"


class HeadingPattern(NamedTuple):
    """How a heading is made from an item's title and maximum, for marks that are numbers and for others."""

    numbers: str
    others: str

    def of(self, title: str, out_of: Decimal | None, texts: Mapping[str, int]) -> str | None:
        """Return the heading of an item with these marks; None where its maximum isn't known and is needed."""
        pattern = self.numbers if _are_numbers(texts) else self.others
        if MAXIMUM in pattern and out_of is None:
            return None
        return pattern.replace(TITLE, title).replace(MAXIMUM, "" if out_of is None else plain(out_of))


def read_pattern(
    given: str | None, columns: Sequence[Column], texts: Mapping[int, Mapping[str, int]]
) -> HeadingPattern:
    """Return how headings are made: as a person says, or as the sample's items have them.

    Args:
        given: what the person says.
        columns: the sample's items.
        texts: what stands in each of their columns.

    Raises:
        Unreadable: what the person says has no place for the title.
    """
    if given is not None:
        if TITLE not in given:
            mend = "Write it such as '{title} points ({maximum})'."
            raise Unreadable(Finding("no-title", f"'{given}' has no {TITLE} in it", None, mend))
        return HeadingPattern(given, given)
    numeric = [column for column in columns if _are_numbers(texts.get(column.index, {}))]
    rest = [column for column in columns if column not in numeric]
    return HeadingPattern(_told(numeric or columns), _told(rest or columns))


def check_sample(met: int, file_name: str) -> None:
    """Refuse a sample in which students of the export stand: rows of real people aren't thrown away.

    Raises:
        Unreadable: there are some.
    """
    if met:
        who = counted(met, "student of the export stands", "students of the export stand")
        mend = "Draft without --sample: it is a form, and is filled."
        raise Unreadable(Finding("no-sample", f"{who} in {file_name}, so its people aren't made up", None, mend))


def _are_numbers(texts: Mapping[str, int]) -> bool:
    filled = [text for text in texts if text.strip()]
    return bool(filled) and sum(map(is_number, filled)) * 2 >= len(filled)


def _told(columns: Sequence[Column]) -> str:
    """Return the pattern of most of some headings, with the words that all titles have before or behind them."""
    patterns = Counter(_pattern(column) for column in columns)
    if not patterns:
        return TITLE
    pattern = patterns.most_common(1)[0][0]
    titles = [column.title.split() for column in columns if _pattern(column) == pattern]
    before, behind = _shared(titles), _shared([title[::-1] for title in titles])[::-1]
    if len(titles) == 1:
        kind = titles[0][-1]
        return pattern.replace(TITLE, f"{TITLE} {kind}") if fold_word(kind) in _KINDS and titles[0][1:] else pattern
    if any(len(title) <= len(before) + len(behind) for title in titles):
        return pattern
    return pattern.replace(TITLE, " ".join([*before, TITLE, *behind]))


def _pattern(column: Column) -> str:
    """Return a heading with places for the title and the maximum."""
    before, _, behind = column.heading.partition(column.title)
    if column.out_of is not None:
        head, found, tail = behind.rpartition(plain(column.out_of))
        behind = f"{head}{MAXIMUM}{tail}" if found else behind
    return f"{before}{TITLE}{behind}"


def _shared(titles: Sequence[Sequence[str]]) -> list[str]:
    """Return the words with which all titles begin."""
    found = []
    for words in zip(*titles, strict=False):
        if len(set(words)) > 1:
            break
        found.append(words[0])
    return found
