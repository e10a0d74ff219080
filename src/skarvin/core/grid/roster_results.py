"""What results of OneRoster say for marks, and the items that they are of."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.grid.roster_files import Table
from skarvin.core.texts.numbers import read_number

_GIVEN_UP = frozenset({"exempt", "not submitted"})
TOLD: Mapping[str, tuple[tuple[str, str], str]] = MappingProxyType(
    {
        "item": (("result is of an item that isn't there", "results are of items that aren't there"), ""),
        "unknown": (("result is of a user who isn't there", "results are of users who aren't there"), ""),
        "nobody": (
            (
                "result is of somebody who isn't a student of the class",
                "results are of people who aren't students of it",
            ),
            ": not read",
        ),
        "partial": (
            ("result is said to be partial", "results are said to be partial"),
            ": the scores are taken as they are",
        ),
        "late": (("result is said to be late", "results are said to be late"), ""),
        "beside": (("result is exempt and has a score", "results are exempt and have scores"), ": taken as exempt"),
        "twice": (
            ("result is of a student and an item that have one", "results are of students and items that have one"),
            ": the later one counts, and both wait where that can't be told",
        ),
    }
)
"""What is told of results that aren't as they should be: one, several, and what becomes of them."""


def said_in(table: Table, row: int) -> tuple[str, list[str]]:
    """Return the text that a result is for a mark, and what is to be told of it."""
    score, text, status = (table.of(row, name) for name in ("score", "textScore", "scoreStatus"))
    status = " ".join(status.casefold().split())
    kinds = ["late"] if _is_true(table.of(row, "late")) else []
    is_score = bool(score) and not (read_number(score) == 0 and status in _GIVEN_UP)
    if status == "exempt":
        return status, [*kinds, *(["beside"] if is_score else [])]
    if status == "not submitted":
        return (f"{score} ({status})" if is_score else status), kinds
    if score or text:
        is_partial = status == "partially graded" or any(
            _is_true(table.of(row, name)) for name in ("inProgress", "incomplete")
        )
        return score or text, [*kinds, *(["partial"] if is_partial else [])]
    if _is_true(table.of(row, "missing")):
        return "missing", kinds
    return ("" if status == "fully graded" else status), kinds


def _is_true(text: str) -> bool:
    return text.casefold() in {"true", "1", "yes"}


def one_of_two(table: Table, old: tuple[str, int], new: tuple[str, int]) -> tuple[str, int]:
    """Return which of two results of one student and item counts: the later; both where that can't be told."""
    if old[0] == new[0]:
        return new
    for name in ("dateLastModified", "scoreDate"):
        before, after = table.of(old[1], name), table.of(new[1], name)
        if before and after and before != after:
            return max((before, old), (after, new))[1]
    return f"{old[0]} and {new[0]} (two results)", new[1]


class Item(NamedTuple):
    """A column of results: the line items of the class, or of several classes that have one of this title.

    Attributes:
        title: what it is called.
        out_of: its maximum, as written.
        ids: their sourcedIds.
        category: the title of the category.
    """

    title: str
    out_of: str
    ids: tuple[str, ...]
    category: str = ""

    @property
    def heading(self) -> str:
        """The title with the maximum."""
        return f"{self.title} (out of {self.out_of})" if read_number(self.out_of) else self.title


def headings(items: Sequence[Item]) -> list[str]:
    """Return a heading for each item, no two alike: with its category, or its number among those called so."""
    seen: dict[str, int] = {}
    found = []
    for item in items:
        heading = item.heading
        if heading in seen and item.category:
            heading = item._replace(title=f"{item.title}, {item.category}").heading
        seen[heading] = seen.get(heading, 0) + 1
        number = seen[heading]
        found.append(item._replace(title=f"{item.title} #{number}").heading if number > 1 else heading)
    return found
