"""Several marks of one student for one item: which of them counts."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.marks.choices import BesideStatus, Equal, Repeated
from skarvin.core.marks.rule import Rule
from skarvin.core.texts.moments import in_time
from skarvin.core.texts.numbers import Number

_CODE = (1, 0)
_TO_READ = (3, 0)
"""The rank of what a person must read: above all marks, so that it is held."""


class Several(NamedTuple):
    """The rules for several marks of one student.

    Attributes:
        which: which counts.
        beside_status: what a status, such as absent, means beside a mark.
        equal: which of several equal marks counts.
    """

    which: Repeated = Repeated.HOLD
    beside_status: BesideStatus = BesideStatus.LIKE_A_MARK
    equal: Equal = Equal.FIRST


class RowMark(NamedTuple):
    """What one row has: its text, whether the mark was never asked for, and whether a person must read it first."""

    text: str
    is_unseen: bool = False
    is_held: bool = False


class Counting(NamedTuple):
    """Which of the marks counts, by its place, and on what ground; no place where a person must decide, and why.

    `filled` are the places of those that aren't blank.
    """

    place: int | None
    why: str
    filled: tuple[int, ...]


def which_counts(marks: Sequence[RowMark], rule: Rule, several: Several, in_time: Sequence[int] | None) -> Counting:
    """Return which of a student's marks of one item counts; a blank never does where there is a mark.

    Args:
        marks: what each row has.
        rule: the item's rule.
        several: which counts.
        in_time: the places of the rows in the order of time; None if that isn't known.
    """
    filled = tuple(place for place, mark in enumerate(marks) if not (mark.is_unseen or rule.is_blank(mark.text)))
    if len(filled) < 2:  # noqa: PLR2004 - nothing to choose from
        return Counting(filled[0] if filled else 0, "the others are blank", filled)
    asked = filled
    statuses = {place for place in filled if rule.is_status(marks[place].text)}
    if statuses and len(statuses) < len(filled):
        if several.beside_status is BesideStatus.HOLD:
            return Counting(None, "", filled)
        if several.beside_status is not BesideStatus.LIKE_A_MARK:
            is_status = several.beside_status is BesideStatus.STATUS
            asked = tuple(place for place in filled if (place in statuses) is is_status)
    order = asked if in_time is None else [place for place in in_time if place in asked]
    place, why = _chosen(order, marks, rule, several, is_in_time=in_time is not None)
    return Counting(place, why, filled)


def _chosen(
    asked: Sequence[int], marks: Sequence[RowMark], rule: Rule, several: Several, *, is_in_time: bool
) -> tuple[int | None, str]:
    """Return which of the marks that are asked counts; they stand in the order of time, if that is known."""
    order = asked if several.equal is Equal.FIRST else asked[::-1]
    if len(asked) == 1:
        return asked[0], "a mark counts before a status" if not rule.is_status(marks[asked[0]].text) else "the status"
    if several.which is Repeated.FIRST and is_in_time:
        return asked[0], "the first"
    if several.which is Repeated.HIGHEST:
        ranks = {place: _rank(marks[place], rule) for place in order}
        best = max(order, key=lambda place: ranks[place])
        is_shared = sum(1 for rank in ranks.values() if rank == ranks[best]) > 1
        return best, f"the {several.equal.value} of the highest" if is_shared else "the highest"
    if several.which is Repeated.LATEST and is_in_time:
        return asked[-1], "the latest"
    if several.which is not Repeated.HOLD and _agree([marks[place] for place in asked], rule):
        return order[0], f"the {several.equal.value} of those that say the same"
    return None, ""


def _agree(marks: Sequence[RowMark], rule: Rule) -> bool:
    """Tell whether all marks say the same."""
    said: set[object] = set()
    for mark in marks:
        number = rule.number_of(mark.text)
        said.add(mark.text.strip() if number is None else number)
    return len(said) == 1 and not any(mark.is_held for mark in marks)


def _rank(mark: RowMark, rule: Rule) -> tuple[int, Number | int]:
    """Return the order of marks: a code, a number; above all what a person must read."""
    if mark.is_held:
        return _TO_READ
    converted = rule.convert(mark.text)
    if converted.text is None:
        return _TO_READ
    number = rule.target_number(converted.text)
    return _CODE if number is None else (2, number)


def rows_in_time(rows: Sequence[Row], dates: Mapping[Row, str]) -> list[int] | None:
    """Return the places of a student's rows in the order of time; None if that isn't known.

    Args:
        rows: the rows.
        dates: the text of the date column by row; none where the order of the rows is that of time.
    """
    return in_time([dates.get(row, "") for row in rows]) if dates else list(range(len(rows)))
