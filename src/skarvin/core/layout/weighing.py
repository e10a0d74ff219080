"""Weighs what a column may hold: its heading's words, its cells, and what the other file has of its values.

A weight is a number: about one for a hint, about three for what is plain by itself. They are added up, and the use
with the most is taken; the next one is the runner-up.
"""

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.layout.columns import IDENTIFIERS, NAMES, Use
from skarvin.core.layout.heading_words import Said, said_by_words
from skarvin.core.layout.headings import HeadingParts, is_question, is_question_number
from skarvin.core.layout.traits import Traits
from skarvin.core.texts.folding import fold
from skarvin.core.texts.words import WORDS, phrase_set

_LEAST = 0.5
"""A use that has less than this is none."""
_PLAIN, _STRONG, _HINT = 4.0, 2.5, 1.0
_MOST, _HALF, _FEW, _MANY = 0.8, 0.5, 0.2, 5
_SHORT = 3
_LONG = 7
"""A longer word for a number says whose it is: a matriculation number, and not only a number."""
_FURTHER = phrase_set(WORDS.headings.further_given)
_NO_MEETING: Mapping[Use, str] = {}


class Reading(NamedTuple):
    """What a column may hold: how much speaks for it, and what."""

    use: Use
    weight: float
    grounds: str


class Clue(NamedTuple):
    """Something that speaks for a use (or against it): how much, and in words; blank where it isn't worth saying."""

    use: Use
    weight: float
    ground: str = ""


def weigh(
    heading: str,
    parts: HeadingParts,
    traits: Traits,
    met: Mapping[Use, str] = _NO_MEETING,
    *,
    may_be_blank: bool = False,
) -> tuple[Reading, ...]:
    """Return what a column may hold, likeliest first.

    Args:
        heading: the whole heading.
        parts: what stands in it.
        traits: what its cells are like.
        met: uses for which the other file has the same values, and in which words that is said.
        may_be_blank: whether a column without a heading may be an item to be filled: the file has no headings.
    """
    said = said_by_words(parts.title or heading)
    if parts.out_of is not None or parts.key is not None:
        said = {**said_by_words(heading), **said}
    said = _without_double_meaning(said, heading, traits)
    if Use.BIRTH in said and traits.days_together > _HALF:
        traits = replace(traits, days=traits.days_together, codes=0, long_codes=0, marks=0, numbers=0, distinct=0)
    clues = [
        *_of_words(said, traits),
        *_of_heading(heading, parts, traits),
        *_of_cells(traits, said, heading, may_be_blank=may_be_blank, has_maximum=parts.out_of is not None),
    ]
    clues += [Clue(use, _PLAIN, ground) for use, ground in met.items()]
    weights: dict[Use, float] = {}
    grounds: dict[Use, list[str]] = {}
    for clue in clues:
        weights[clue.use] = weights.get(clue.use, 0.0) + clue.weight
        if clue.ground and clue.weight > 0:
            grounds.setdefault(clue.use, []).append(clue.ground)
    found = [Reading(use, round(weight, 2), "; ".join(grounds.get(use, []))) for use, weight in weights.items()]
    plausible = [reading for reading in found if reading.weight > _LEAST]
    other = Reading(Use.OTHER, _LEAST, _of_nothing(traits))
    return (*sorted(plausible, key=lambda reading: -reading.weight), other)


def _without_double_meaning(said: Mapping[Use, Said], heading: str, traits: Traits) -> Mapping[Use, Said]:
    """Take one word that means a remark in one language and a mark in another for what its cells are."""
    if fold(heading) in _FURTHER:
        said = {Use.GIVEN if use in NAMES else use: one for use, one in said.items()}
    if Use.COMMENT not in said or Use.ITEM not in said or said[Use.COMMENT].phrase != said[Use.ITEM].phrase:
        return said
    if said[Use.ITEM].is_whole and not said[Use.COMMENT].is_whole:
        return {use: one for use, one in said.items() if use is not Use.COMMENT}
    is_mark = traits.numbers > _HALF or (not traits.count and any(sign.isdigit() for sign in heading))
    return {use: one for use, one in said.items() if use is not (Use.COMMENT if is_mark else Use.ITEM)}


def _of_words(said: Mapping[Use, Said], traits: Traits) -> Iterator[Clue]:
    for use, one in said.items():
        strength = one.strength
        if use is Use.NAME and not one.is_whole and len(said) > 1:
            strength -= _HINT  # 'Student number', 'Student group'
        if use is Use.SECTION and not one.is_whole and not traits.count:
            strength -= _STRONG  # 'Class test': what a section did
        yield Clue(use, strength, f"heading contains '{one.phrase}'")


def _of_heading(heading: str, parts: HeadingParts, traits: Traits) -> Iterator[Clue]:
    if parts.out_of is not None:
        is_scale = traits.marks < _HALF and traits.spread <= _MANY  # words of a scale, each standing for a mark
        yield Clue(Use.ITEM, _STRONG + (_STRONG if is_scale and traits.count else 0.0), "heading gives a maximum")
    if is_question(heading):
        yield Clue(Use.ANSWER, 2 * _PLAIN, "heading is a question")
    elif is_question_number(heading) and traits.labels > _HALF:
        yield Clue(Use.ANSWER, 2 * _PLAIN, "a question, and most cells are labels")
    elif heading.rstrip().endswith("?"):
        yield Clue(Use.ANSWER, _STRONG, "heading is a question")


def _of_cells(
    traits: Traits, said: Mapping[Use, Said], heading: str, *, may_be_blank: bool, has_maximum: bool
) -> Iterator[Clue]:
    has_heading = bool(heading) or may_be_blank
    if not traits.count:
        if has_heading and not any(one.is_whole for one in said.values()):
            yield Clue(Use.ITEM, 2 * _HINT if Use.ITEM not in said else 0.0, "blank, with a heading")
        return
    if traits.is_numbering and not has_maximum and _may_number_lines(traits, said, heading):
        yield from _of_numbering()
    else:
        yield from _of_codes(traits, said)
        yield from _of_marks(traits, said)
    yield from _of_names(traits, said)
    yield from _of_texts(traits)
    yield from _of_verdicts(traits)
    yield from _of_sections(traits, said)


def _may_number_lines(traits: Traits, said: Mapping[Use, Said], heading: str) -> bool:
    """Tell whether 1, 2, 3 may only number the lines.

    'No' may, and 'Pos'; 'Learner no' says whose numbers they are, and a longer word may be an item's title.
    """
    if heading and not any(use in said for use in (*IDENTIFIERS, Use.HOUSEKEEPING)) and len(fold(heading)) > _SHORT:
        return False
    numbers = [said[use] for use in IDENTIFIERS if use in said]
    is_whose = Use.NAME in said or any(" " in one.phrase or len(one.phrase) > _LONG for one in numbers)
    return not (numbers and is_whose) and (traits.count > _MANY or not heading or bool(numbers))


def _of_numbering() -> Iterator[Clue]:
    """Yield what 1, 2, 3 says: the number of a line tells nobody, unless there is nothing else."""
    yield Clue(Use.HOUSEKEEPING, _STRONG, "numbers the lines")
    yield from (Clue(use, -_STRONG) for use in IDENTIFIERS)


def _of_codes(traits: Traits, said: Mapping[Use, Said]) -> Iterator[Clue]:
    """Yield what the cells say of identifiers: each is another code, several are one, they are marks."""
    if traits.addresses > _HALF:
        yield Clue(Use.EMAIL, 2 * _PLAIN, "most cells are addresses")
    elif Use.EMAIL in said and not traits.addresses and traits.marks > _HALF:
        yield Clue(Use.EMAIL, -2 * _PLAIN)  # 'Email writing' is an item
    is_unlike = traits.addresses <= _HALF and traits.codes < _HALF
    if traits.distinct < _FEW and traits.count > _MANY:
        yield from (Clue(use, -_PLAIN) for use in IDENTIFIERS)  # several rows a student are usual, but not so many
    elif (
        traits.long_codes >= _MOST
        and traits.count > 1
        and (traits.distinct >= _MOST or traits.is_even)
        and not traits.days > _HALF
    ):
        ground = "every cell is another code" if traits.distinct == 1 else "most cells are different codes"
        weight = _STRONG + (_HINT if traits.distinct >= _MOST and traits.is_even else 0.0)
        means_person = any(use in said for use in NAMES)
        yield Clue(Use.KEY, weight, ground)
        yield Clue(Use.NUMBER, weight + (_HINT if means_person else -_HINT / 2), ground)
        yield Clue(Use.USERNAME, weight - _HINT, ground)
        yield Clue(Use.ITEM, -_HINT)
    if traits.decimals > _FEW and not traits.is_grouped:
        yield from (Clue(use, -_PLAIN) for use in IDENTIFIERS)
    if is_unlike:
        yield from (Clue(use, -_STRONG) for use in (Use.NUMBER, Use.KEY) if traits.full_names > _HALF)
        is_many = traits.count >= _MANY and traits.distinct == 1
        if traits.logins > _MOST and is_many and traits.marks < _HALF:
            yield Clue(Use.USERNAME, 1.5 * _HINT, "every cell is another word in small letters")


def _of_marks(traits: Traits, said: Mapping[Use, Said]) -> Iterator[Clue]:
    if traits.marks >= _HALF:
        ground = "every cell is a mark" if traits.marks == 1 else f"{int(traits.marks * 100)}% of the cells are marks"
        weight = _HINT + _HINT * traits.marks + (_HINT if traits.decimals else 0.0)
        yield Clue(Use.ITEM, weight, ground)
        if traits.numbers > _HALF:
            yield Clue(Use.TOTAL, weight - _LEAST)
        is_numeric = traits.numbers > _HALF
        yield Clue(Use.COMMENT, -_PLAIN if is_numeric else 0.0)
        yield Clue(Use.HOUSEKEEPING, -_PLAIN if is_numeric else -_HINT)
    elif traits.count:
        yield Clue(Use.ITEM, -_STRONG)
        yield Clue(Use.TOTAL, -_STRONG)
    is_repeated = traits.distinct < _MOST and traits.count > _MANY
    if traits.numbers > _HALF and traits.long_codes < _HALF:
        for use in (Use.NUMBER, Use.KEY, Use.USERNAME):
            is_doubtful = use in said and Use.NAME not in said and not said[use].is_last  # 'Number theory'
            yield Clue(use, -_HINT * (is_repeated + is_doubtful))


def _of_names(traits: Traits, said: Mapping[Use, Said]) -> Iterator[Clue]:
    if traits.numbers > _HALF or traits.codes > _HALF or traits.addresses > _HALF:
        yield from (Clue(use, -2 * _PLAIN) for use in NAMES)
    elif traits.sentences > _HALF:
        yield from (Clue(use, -_STRONG) for use in NAMES)
    elif traits.names >= _MOST and traits.distinct >= _HALF:
        if traits.full_names > _HALF:
            yield Clue(Use.NAME, _STRONG, "most cells look like names")
        elif Use.NAME in said or Use.FAMILY in said or Use.GIVEN in said:
            yield from (Clue(use, _HINT / 2) for use in NAMES)
    elif traits.distinct < _FEW and traits.count > _MANY:
        yield from (Clue(use, -_STRONG) for use in NAMES)


def _of_texts(traits: Traits) -> Iterator[Clue]:
    if traits.sentences >= _FEW and traits.sentences > traits.full_names:
        yield Clue(Use.COMMENT, _STRONG + _HINT * traits.sentences, "cells are sentences")
    if traits.days > _HALF:
        yield Clue(Use.HOUSEKEEPING, _STRONG, "most cells are days")
        yield Clue(Use.BIRTH, _HINT / 2)
    else:
        yield Clue(Use.BIRTH, -_PLAIN)


def _of_verdicts(traits: Traits) -> Iterator[Clue]:
    if traits.verdicts >= _MOST:
        yield Clue(Use.RESULT, _PLAIN, "every cell says right or wrong")
        yield from (Clue(use, -_PLAIN) for use in (Use.ITEM, Use.ANSWER, Use.SECTION))


def _of_sections(traits: Traits, said: Mapping[Use, Said]) -> Iterator[Clue]:
    if (traits.distinct > _MOST and traits.count > _MANY) or (
        traits.numbers > _HALF and (traits.decimals or traits.spread > _MANY or not _is_whole(said, Use.SECTION))
    ):
        yield Clue(Use.SECTION, -_STRONG)
    else:
        yield Clue(Use.SECTION, _HINT / 2, "")


def _is_whole(said: Mapping[Use, Said], use: Use) -> bool:
    return use in said and said[use].is_whole


def _of_nothing(traits: Traits) -> str:
    if not traits.count:
        return "blank"
    return "one text in every row" if traits.is_constant else "not known"
