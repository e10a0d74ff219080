"""Proposes the column map: every item of the export against every item of the target, by all that speaks for a pair."""

from collections import defaultdict
from collections.abc import Container, Mapping, Sequence
from types import MappingProxyType

import msgspec
from msgspec.structs import replace

from skarvin.core.assigning import assign
from skarvin.core.items.agreement import NO_AGREEMENT, Agreement, Agreements
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


class Proposal(msgspec.Struct, frozen=True):
    """What is proposed for one source item: a target, or candidates for a person to choose from, or neither.

    `grounds` has for each candidate what speaks for it.
    """

    source: Column
    target: Column | None
    reason: str
    candidates: tuple[Column, ...] = ()
    grounds: tuple[str, ...] = ()
    is_told: bool = False


class _Weight(msgspec.Struct, frozen=True):
    score: float
    words: str


class _Weights:
    """What speaks for pairs of items: for each of either side those of the other for whom anything does."""

    def __init__(self) -> None:
        self.of_source: dict[int, dict[int, _Weight]] = defaultdict(dict)
        self.of_target: dict[int, dict[int, _Weight]] = defaultdict(dict)

    def put(self, ours: Column, theirs: Column, weight: _Weight) -> None:
        self.of_source[ours.index][theirs.index] = weight
        self.of_target[theirs.index][ours.index] = weight


def propose(source: Sequence[Column], target: Sequence[Column], agreements: Agreements = _NOTHING) -> list[Proposal]:
    """Return one proposal for each source item, in their order; no two have one target.

    Args:
        source: the export's items.
        target: the target's.
        agreements: how marks that the target holds agree with those of the export.
    """
    weights = _weigh_all(source, target, agreements)
    made: dict[int, Proposal] = {}
    free_source, free_target = ({column.index: column for column in side} for side in (source, target))
    while certain := _certain(free_source, free_target, weights):
        for ours, theirs in certain:
            made[ours] = Proposal(free_source.pop(ours), free_target.pop(theirs), weights.of_source[ours][theirs].words)
    for ours in free_source:
        made[ours] = _asked(ours, free_source, free_target, weights)
    made |= _best_first([made[ours] for ours in free_source], free_target, weights)
    if len(free_source) == len(free_target) == 1:
        (ours, column), (other,) = *free_source.items(), free_target.values()
        if not made[ours].candidates:
            made[ours] = Proposal(column, None, "likely, not certain", (other,), ("the only ones that are left",))
    return [made[column.index] for column in source]


def _best_first(asked: Sequence[Proposal], target: Mapping[int, Column], weights: _Weights) -> dict[int, Proposal]:
    """Return open proposals with the candidate first that is best if all of them are looked at together."""
    rivals = [proposal for proposal in asked if len(proposal.candidates) > 1]
    if len(rivals) < 2:  # noqa: PLR2004 - nobody competes
        return {}
    ours = [one.source.index for one in rivals]
    scores = {(one, other): weight.score for one in ours for other, weight in weights.of_source[one].items()}
    best = assign(ours, list(target), scores)
    found = {}
    for one in rivals:
        pairs = list(zip(one.candidates, one.grounds, strict=True))
        pairs.sort(key=lambda pair: pair[0].index != best.get(one.source.index))
        columns, grounds = zip(*pairs, strict=True)
        found[one.source.index] = replace(one, candidates=columns, grounds=grounds)
    return found


def _weigh_all(source: Sequence[Column], target: Sequence[Column], agreements: Agreements) -> _Weights:
    """Return the weight of each pair for which anything speaks.

    An item whose like is on the other side is weighed against that, and against those whose marks agree with its own.
    """
    found = _Weights()
    steps = max(len(source), len(target), 1)
    by_key: dict[object, list[int]] = defaultdict(list)
    for other, theirs in enumerate(target):
        by_key[read_title(theirs.title).key].append(other)
    named = {read_title(theirs.title).key for theirs in target if theirs.heading}
    places = {theirs.index: other for other, theirs in enumerate(target)}
    agreeing: dict[int, set[int]] = defaultdict(set)
    for (mine, yours), agreed in agreements.items():
        if agreed.of and yours in places:
            agreeing[mine].add(places[yours])
    keys = {read_title(ours.title).key for ours in source if ours.heading} & named
    for place, ours in enumerate(source):
        key = read_title(ours.title).key
        others = sorted(agreeing[ours.index].union(by_key[key])) if key in keys else range(len(target))
        for other in others:
            theirs = target[other]
            weight = _weigh(ours, theirs, agreements.get((ours.index, theirs.index), NO_AGREEMENT))
            if weight.score > 0:
                order = _ORDER * (1 - abs(place - other) / steps)
                found.put(ours, theirs, _Weight(weight.score + order, weight.words))
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
        is_denied = agreed.of >= _ENOUGH and not agreed.agree
        score = min(score - _DISAGREES, _CERTAIN - _CLEAR) if is_denied else score - _DISAGREES
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


def _certain(source: Mapping[int, Column], target: Mapping[int, Column], weights: _Weights) -> list[tuple[int, int]]:
    """Return the pairs of which each is the other's best by a clear lead."""
    best = {ours: _leader(weights.of_source[ours], target) for ours in source}
    back = {theirs: _leader(weights.of_target[theirs], source) for theirs in target}
    return [(ours, theirs) for ours, theirs in best.items() if theirs is not None and back[theirs] == ours]


def _leader(weights: Mapping[int, _Weight], free: Container[int]) -> int | None:
    """Return the clear first of those that are free, if it is good enough to be proposed."""
    ranked = sorted(((weight.score, other) for other, weight in weights.items() if other in free), reverse=True)
    if not ranked or ranked[0][0] < _CERTAIN:
        return None
    if len(ranked) > 1 and ranked[0][0] - ranked[1][0] < _CLEAR:
        return None
    return ranked[0][1]


def _asked(ours: int, source: Mapping[int, Column], target: Mapping[int, Column], weights: _Weights) -> Proposal:
    """Return what a person must decide of an item, with its candidates; or that nothing is like it."""
    there = [(weight, target[other]) for other, weight in weights.of_source[ours].items() if other in target]
    ranked = sorted(there, key=lambda pair: -pair[0].score)
    likely = [(weight, theirs) for weight, theirs in ranked if weight.score >= _LIKELY][:_MOST_CANDIDATES]
    if not likely:
        return Proposal(source[ours], None, "nothing in the form resembles it")
    top = likely[0][0].score
    close = [pair for pair in likely if pair[0].score > top - _CLEAR]
    rivals = [
        other
        for other, weight in weights.of_target[likely[0][1].index].items()
        if other != ours and other in source and weight.score > top - _CLEAR
    ]
    if len(close) > 1:
        reason = "several come equally near"
    elif rivals and top >= _CERTAIN:
        reason = "another item of the export comes as near"
    else:
        reason = "likely, not certain"
    columns = tuple(theirs for _, theirs in likely)
    return Proposal(source[ours], None, reason, columns, tuple(weight.words for weight, _ in likely))
