"""Proposes the column map: every item of the export against every item of the target, by all that speaks for a pair."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

from skarvin.core.items.agreement import NO_AGREEMENT, Agreement, Agreements
from skarvin.core.items.assigning import assign
from skarvin.core.items.titles import likeness_of_titles, read_title
from skarvin.core.layout.columns import Column
from skarvin.core.texts.folding import fold

_CERTAIN, _LIKELY, _CLEAR = 0.78, 0.5, 0.06
"""From this on a pair is proposed, from this on it is asked; the best must lead the next by this."""
_SAME_KEY, _SAME_HEADING, _SAME_MAXIMUM, _OTHER_MAXIMUM, _ORDER = 0.8, 0.1, 0.05, 0.04, 0.03
_AGREES, _DISAGREES = 0.4, 0.3
_FEW, _ENOUGH, _DIFFERENT = 3, 8, 4
_MOST_AGREE, _FEW_AGREE = 0.8, 0.2
_MOST_CANDIDATES = 4
_NOTHING: Agreements = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class Proposal:
    """What is proposed for one source item: a target, or candidates for a person to choose from, or neither.

    `grounds` has for each candidate what speaks for it.
    """

    source: Column
    target: Column | None
    reason: str
    candidates: tuple[Column, ...] = ()
    grounds: tuple[str, ...] = ()
    is_told: bool = False


@dataclass(frozen=True, slots=True)
class _Weight:
    score: float
    words: str


def propose(source: Sequence[Column], target: Sequence[Column], agreements: Agreements = _NOTHING) -> list[Proposal]:
    """Return one proposal for each source item, in their order; no two have one target.

    Args:
        source: the export's items.
        target: the target's.
        agreements: how marks that the target holds agree with those of the export.
    """
    weights = _weigh_all(source, target, agreements)
    made: dict[int, Proposal] = {}
    free_source, free_target = list(source), list(target)
    while True:
        certain = _certain(free_source, free_target, weights)
        if not certain:
            break
        for ours, theirs in certain:
            made[ours.index] = Proposal(ours, theirs, weights[ours.index, theirs.index].words)
            free_source.remove(ours)
            free_target.remove(theirs)
    for ours in free_source:
        made[ours.index] = _asked(ours, free_source, free_target, weights)
    made |= _best_first([made[ours.index] for ours in free_source], free_target, weights)
    if len(free_source) == len(free_target) == 1 and not made[free_source[0].index].candidates:
        left = Proposal(
            free_source[0], None, "likely, not certain", (free_target[0],), ("the only ones that are left",)
        )
        made[free_source[0].index] = left
    return [made[column.index] for column in source]


def _best_first(
    asked: Sequence[Proposal], target: Sequence[Column], weights: Mapping[tuple[int, int], _Weight]
) -> dict[int, Proposal]:
    """Return open proposals with the candidate first that is best if all of them are looked at together."""
    rivals = [proposal for proposal in asked if len(proposal.candidates) > 1]
    if len(rivals) < 2:  # noqa: PLR2004 - nobody competes
        return {}
    scores = {pair: weight.score for pair, weight in weights.items()}
    best = assign([one.source.index for one in rivals], [column.index for column in target], scores)
    found = {}
    for one in rivals:
        pairs = list(zip(one.candidates, one.grounds, strict=True))
        pairs.sort(key=lambda pair: pair[0].index != best.get(one.source.index))
        columns, grounds = zip(*pairs, strict=True)
        found[one.source.index] = replace(one, candidates=columns, grounds=grounds)
    return found


def _weigh_all(
    source: Sequence[Column], target: Sequence[Column], agreements: Agreements
) -> dict[tuple[int, int], _Weight]:
    """Return the weight of each pair for which anything speaks."""
    found = {}
    steps = max(len(source), len(target), 1)
    ours_keys, their_keys = ({read_title(one.title).key for one in side if one.heading} for side in (source, target))
    equal = ours_keys & their_keys
    for place, ours in enumerate(source):
        for other, theirs in enumerate(target):
            is_equal = read_title(ours.title).key == read_title(theirs.title).key
            agreed = agreements.get((ours.index, theirs.index), NO_AGREEMENT)
            if not is_equal and read_title(ours.title).key in equal and not agreed.of:
                continue  # its like is there
            weight = _weigh(ours, theirs, agreed)
            if weight.score > 0:
                order = _ORDER * (1 - abs(place - other) / steps)
                found[ours.index, theirs.index] = _Weight(weight.score + order, weight.words)
    return found


def _weigh(ours: Column, theirs: Column, agreed: Agreement) -> _Weight:
    if not ours.heading and not theirs.heading:
        return _Weight(_LIKELY, "neither has a heading")
    score = likeness_of_titles(ours.title, theirs.title)
    words = [_title_words(ours, theirs, score)] if score >= _LIKELY else []
    if ours.key and ours.key == theirs.key:
        score += _SAME_KEY
        words.append(f"the same key, {ours.key}")
    if score and fold(ours.heading) == fold(theirs.heading):
        score += _SAME_HEADING
    if score and ours.out_of is not None and theirs.out_of is not None:
        score += _SAME_MAXIMUM if ours.out_of == theirs.out_of else -_OTHER_MAXIMUM
    if agreed.of >= _FEW and agreed.share >= _MOST_AGREE:
        score = max(score + _AGREES, _by_marks(agreed))
        words.append(agreed.words)
    elif agreed.of > _FEW and agreed.share <= _FEW_AGREE:
        score -= _DISAGREES
        words.append(f"only {agreed.words}")
    return _Weight(score, "; ".join(words))


def _by_marks(agreed: Agreement) -> float:
    """Return what the marks say by themselves, whatever the titles: certain if they are many and differ."""
    is_enough = agreed.of >= _ENOUGH and agreed.different >= _DIFFERENT
    return _CERTAIN + agreed.share / 10 if is_enough else _LIKELY


def _title_words(ours: Column, theirs: Column, score: float) -> str:
    if fold(ours.heading) == fold(theirs.heading):
        return "equal headings"
    if fold(ours.title) == fold(theirs.title):
        return "equal titles"
    return "the same words" if score == 1 else f"nearly equal titles ({score * 100:.0f} of 100)"


def _certain(
    source: Sequence[Column], target: Sequence[Column], weights: Mapping[tuple[int, int], _Weight]
) -> list[tuple[Column, Column]]:
    """Return the pairs of which each is the other's best by a clear lead."""
    best = {
        ours.index: _leader([(weights.get((ours.index, theirs.index)), theirs) for theirs in target]) for ours in source
    }
    back = {
        theirs.index: _leader([(weights.get((ours.index, theirs.index)), ours) for ours in source]) for theirs in target
    }
    return [
        (ours, theirs) for ours in source if (theirs := best[ours.index]) is not None and back[theirs.index] is ours
    ]


def _leader(ranked: Sequence[tuple[_Weight | None, Column]]) -> Column | None:
    """Return the clear first of several, if it is good enough to be proposed."""
    scored = sorted(((weight.score, place) for place, (weight, _) in enumerate(ranked) if weight), reverse=True)
    if not scored or scored[0][0] < _CERTAIN:
        return None
    if len(scored) > 1 and scored[0][0] - scored[1][0] < _CLEAR:
        return None
    return ranked[scored[0][1]][1]


def _asked(
    ours: Column, source: Sequence[Column], target: Sequence[Column], weights: Mapping[tuple[int, int], _Weight]
) -> Proposal:
    """Return what a person must decide of an item, with its candidates; or that nothing is like it."""
    ranked = sorted(
        ((weights[ours.index, theirs.index], theirs) for theirs in target if (ours.index, theirs.index) in weights),
        key=lambda pair: -pair[0].score,
    )
    likely = [(weight, theirs) for weight, theirs in ranked if weight.score >= _LIKELY][:_MOST_CANDIDATES]
    if not likely:
        return Proposal(ours, None, "nothing in the form resembles it")
    top = likely[0][0].score
    close = [pair for pair in likely if pair[0].score > top - _CLEAR]
    rivals = [
        other
        for other in source
        if other is not ours
        and (weight := weights.get((other.index, likely[0][1].index)))
        and weight.score > top - _CLEAR
    ]
    if len(close) > 1:
        reason = "several come equally near"
    elif rivals and top >= _CERTAIN:
        reason = "another item of the export comes as near"
    else:
        reason = "likely, not certain"
    columns = tuple(theirs for _, theirs in likely)
    return Proposal(ours, None, reason, columns, tuple(weight.words for weight, _ in likely))
