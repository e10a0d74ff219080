"""Takes each column of a table for one thing, with an eye on all the others."""

from collections.abc import Mapping, Sequence

import msgspec
from msgspec.structs import replace

from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Column, Use
from skarvin.core.layout.headings import HeadingParts
from skarvin.core.layout.traits import Traits
from skarvin.core.layout.weighing import Reading
from skarvin.core.texts.folding import fold
from skarvin.core.texts.patterns import pattern

_TITLED = frozenset({Use.ITEM, Use.ANSWER, Use.TOTAL, Use.COMMENT, Use.RESULT})
_HALF, _MOST = 0.5, 0.8
_FEW_PEOPLE = 3
_DIGITS = pattern(r"\d+")
_MOST_WORDS = 60
"""So many words of a heading are looked at."""


class Weighed(msgspec.Struct, frozen=True):
    """A column with what it may hold, likeliest first.

    Attributes:
        index: its place.
        heading: its heading.
        parts: what stands in that.
        traits: what its cells are like.
        readings: what it may hold.
        around: the sign before or behind every value.
    """

    index: int
    heading: str
    parts: HeadingParts
    traits: Traits
    readings: tuple[Reading, ...]
    around: tuple[str, str]


def take_columns(table: Sequence[Weighed]) -> list[Column]:
    """Return what each column of a table is taken for."""
    chosen = [one.readings[0] for one in table]
    for rule in (_results, _names, _family_and_given, _bare_names, _some_identifier):
        chosen = rule(table, chosen)
    columns = [column_as(one, reading) for one, reading in zip(table, chosen, strict=True)]
    return _with_company(columns)


def column_as(weighed: Weighed, reading: Reading) -> Column:
    """Return a column as it is read one way."""
    parts, use = weighed.parts, reading.use
    is_titled = use in _TITLED
    evidence = reading.grounds
    around = weighed.around if use in IDENTIFIERS else ("", "")
    if around != ("", ""):
        evidence += f"; each {'begins' if around[0] else 'ends'} with '{around[0] or around[1]}'"
    others = [other for other in weighed.readings if other.use not in {use, Use.OTHER} and other.grounds]
    title = parts.title if is_titled else weighed.heading
    column = Column(
        index=weighed.index,
        heading=weighed.heading,
        use=use,
        evidence=evidence,
        title=title,
        out_of=parts.out_of if use in {Use.ITEM, Use.TOTAL} else None,
        key=parts.key if is_titled else None,
        counts=parts.counts,
        weight=parts.weight if is_titled else None,
        around=around,
        runner_up=f"{others[0].use.value}: {others[0].grounds}" if others else "",
    )
    return column if title or not is_titled else replace(column, title=f"column {column.letter}")


def _next(weighed: Weighed, *without: Use) -> Reading:
    """Return the likeliest reading of a column that isn't one of some uses."""
    return next(reading for reading in weighed.readings if reading.use not in without)


def _results(table: Sequence[Weighed], chosen: list[Reading]) -> list[Reading]:
    """Take nothing for the result of an answer where there are no answers."""
    if any(reading.use is Use.ANSWER for reading in chosen):
        return chosen
    return [
        _next(one, Use.RESULT) if reading.use is Use.RESULT else reading
        for one, reading in zip(table, chosen, strict=True)
    ]


def _names(table: Sequence[Weighed], chosen: list[Reading]) -> list[Reading]:
    """Keep one column of whole names: the likeliest; of equal ones the first."""
    whole = [place for place, reading in enumerate(chosen) if reading.use is Use.NAME]
    best = max(whole, key=lambda place: (chosen[place].weight, -place), default=None)
    return [
        _next(one, Use.NAME) if place in whole and place != best and one.traits.full_names <= _HALF else reading
        for place, (one, reading) in enumerate(zip(table, chosen, strict=True))
    ]


def _family_and_given(table: Sequence[Weighed], chosen: list[Reading]) -> list[Reading]:
    """Take a name of one word beside given names for a family name, and the other way round: 'Nom' beside 'Prénom'."""
    uses = [reading.use for reading in chosen]
    if (Use.GIVEN in uses) == (Use.FAMILY in uses):
        return chosen
    missing, there = (Use.FAMILY, "given") if Use.GIVEN in uses else (Use.GIVEN, "family")
    return [
        reading._replace(use=missing, grounds=f"{reading.grounds}, beside a {there} name")
        if reading.use is Use.NAME and one.traits.full_names <= _HALF
        else reading
        for one, reading in zip(table, chosen, strict=True)
    ]


def _bare_names(table: Sequence[Weighed], chosen: list[Reading]) -> list[Reading]:
    """Take neighbouring columns of different words with capitals for names, where nothing else names anybody."""
    if any(reading.use in NAMES for reading in chosen):
        return chosen
    like = [
        place
        for place, (one, reading) in enumerate(zip(table, chosen, strict=True))
        if reading.use is Use.OTHER
        and one.traits.names >= _MOST
        and one.traits.distinct >= _MOST
        and one.traits.count >= _FEW_PEOPLE
    ]
    if len(like) == 2 and like[1] - like[0] == 1:  # noqa: PLR2004 - a family name and a given one
        uses = dict(zip(like, (Use.FAMILY, Use.GIVEN), strict=True))
    else:
        alone = [place for place in like if not table[place].heading or table[place].traits.full_names > _HALF]
        uses = dict.fromkeys(alone[:1], Use.NAME)
    return [
        reading._replace(use=uses[place], grounds="most cells look like names") if place in uses else reading
        for place, reading in enumerate(chosen)
    ]


def _some_identifier(table: Sequence[Weighed], chosen: list[Reading]) -> list[Reading]:
    """Take what numbers the lines for student numbers if its heading says so and nothing else tells students."""
    if any(reading.use in IDENTIFIERS for reading in chosen):
        return chosen
    found = list(chosen)
    for place, one in enumerate(table):
        numbers = [reading for reading in one.readings if reading.use in IDENTIFIERS and reading.grounds]
        if chosen[place].use is Use.HOUSEKEEPING and one.traits.is_numbering and numbers:
            found[place] = numbers[0]
            break
    return found


def _with_company(columns: list[Column]) -> list[Column]:
    """Return the columns with each comment and result given to the item or answer that it belongs to."""
    found: list[Column] = []
    titled: dict[str, Column] = {}
    answers = [column for column in columns if column.use is Use.ANSWER]
    answer: Column | None = None
    for place, column in enumerate(columns):
        leader = _named_in(column.heading, titled) if column.use in {Use.COMMENT, Use.RESULT} else None
        if leader:
            column = replace(column, belongs_to=leader.index)  # noqa: PLW2901 - the same column, better known
        elif column.use in {Use.ITEM, Use.RESULT}:
            following = columns[place + 1] if place + 1 < len(columns) else None
            of = _marked_by(column, answer, following, answers)
            if of:
                side = "behind" if of.index < column.index else "before"
                evidence = f"stands {side} the answer in {of.letter}"
                column = replace(column, use=Use.RESULT, belongs_to=of.index, evidence=evidence)  # noqa: PLW2901
        found.append(column)
        if column.use in {Use.ITEM, Use.ANSWER}:
            answer = column if column.use is Use.ANSWER else None
            if title := fold(column.title):
                titled[title] = column
    return found


def _marked_by(
    column: Column, before: Column | None, following: Column | None, answers: Sequence[Column]
) -> Column | None:
    """Return the answer that a column may say is right or wrong: the one of its number, or else its neighbour."""
    own = _number_in(column)
    if own and before and _number_in(before) == own:
        return before
    if column.use is not Use.RESULT:
        return None
    if own and any(map(_number_in, answers)):
        same = [answer for answer in answers if _number_in(answer) == own]
        return same[0] if len(same) == 1 else None  # never the neighbour's of another number
    return before or (following if following and following.use is Use.ANSWER else None)


def _number_in(column: Column) -> str:
    return next(iter(_DIGITS.findall(column.title)), "").lstrip("0")


def _named_in(heading: str, titled: Mapping[str, Column]) -> Column | None:
    """Return the column with the longest title that stands in a heading, the last one of equal titles."""
    words = fold(heading).split()[:_MOST_WORDS]
    spans = ((start, stop) for start in range(len(words)) for stop in range(start + 1, len(words) + 1))
    titles = (" ".join(words[start:stop]) for start, stop in spans)
    return max((titled[title] for title in titles if title in titled), key=lambda one: len(one.title), default=None)
