"""Suggestions for students who aren't paired with certainty, made for all of them together.

The first suggestions come from an assignment over all, by the same weights by which pairs are made: no two students are
offered the same one first.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from skarvin.core.assigning import assign
from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.students.agreements import How
from skarvin.core.students.by_weight import Likely
from skarvin.core.students.doubt import Doubt
from skarvin.core.students.evidence import Suggestion

_LEAST, _LEAST_OF_TWO = 1.0, -4.0
"""Fewer bits than these are shared by many who are strangers; where two things agree, another number may be a slip."""
_STRONG = 5.0
"""A student who is paired with somebody else is suggested only for so many bits."""
_RARE = 5.0
"""One word of several is worth a look if it is so rare."""
_TELLING = frozenset({"identifier", "name", "birth", "further"})
_MOST = 3
_PROOF = 40.0
"""So many bits are proof, and shown as 1."""
_NOBODY: Mapping[Row, Row] = MappingProxyType({})


def suggest(
    held: Sequence[Student], doubt: Doubt, taken: Mapping[Row, Row] = _NOBODY
) -> dict[Row, tuple[Suggestion, ...]]:
    """Return for each held student's row up to three suggestions from the target's students, best first.

    Args:
        held: the students in doubt.
        doubt: what is known of both files.
        taken: the target's rows that are paired, and with which row. Such a student is suggested behind the others, and
            only if very much agrees; the evidence says who has the row.
    """
    if not held:
        return {}
    around = doubt.around(held)
    found = {
        row: [_suggestion(one) for one in likely if one.target.row not in taken and _is_worth_a_look(one)]
        for row, likely in around.items()
    }
    first = _assign(found)
    ranked = {row: _ranked(suggestions, first.get(row)) for row, suggestions in found.items()}
    note = "; but paired with {} of the export"
    for row, likely in around.items():
        others = [
            suggestion._replace(evidence=suggestion.evidence + note.format(taken[one.target.row]))
            for one in likely
            if one.target.row in taken and one.weight.bits >= _STRONG
            for suggestion in [_suggestion(one)]
        ]
        ranked[row] = (*ranked[row], *others)[:_MOST]
    return {row: suggestions for row, suggestions in ranked.items() if suggestions}


def _is_worth_a_look(likely: Likely) -> bool:
    """Tell whether more speaks for two rows than one word of a name."""
    weight = likely.weight
    telling = sum(one.how is not How.OTHER and one.field in _TELLING for one in weight.agreements)
    is_one_word = telling == 1 and weight.has("name", How.SAME, How.NEAR) and weight.has("name", How.OTHER)
    is_one_word_of_several = is_one_word and weight.bits < _RARE
    least = _LEAST_OF_TWO if telling > 1 else _LEAST
    return weight.bits >= least and telling > 0 and not is_one_word_of_several


def _suggestion(likely: Likely) -> Suggestion:
    score = max(0.0, min(likely.weight.bits / _PROOF, 1.0))
    return Suggestion(likely.target, round(score, 4), likely.weight.in_words)


def _assign(found: dict[Row, list[Suggestion]]) -> dict[Row, Row]:
    """Return for each row the target row that is offered first, so that all together are likeliest."""
    first: dict[Row, Row] = {}
    for rows in _groups(found):
        if len(rows) == 1:
            suggestions = found[rows[0]]
            if suggestions:
                first[rows[0]] = suggestions[0].target.row
            continue
        best = {row: found[row][0].target.row for row in rows if found[row]}
        first |= best if len(set(best.values())) == len(best) else _solve(rows, found)
    return first


def _groups(found: dict[Row, list[Suggestion]]) -> Iterable[list[Row]]:
    """Return the rows in groups that share suggested students with each other and with nobody else."""
    by_target: dict[Row, list[Row]] = defaultdict(list)
    for row, suggestions in found.items():
        for suggestion in suggestions:
            by_target[suggestion.target.row].append(row)
    seen: set[Row] = set()
    for start in found:
        if start in seen:
            continue
        group, waiting = [], [start]
        seen.add(start)
        while waiting:
            row = waiting.pop()
            group.append(row)
            for suggestion in found[row]:
                for other in by_target.pop(suggestion.target.row, ()):  # each target's rows are looked at once
                    if other not in seen:
                        seen.add(other)
                        waiting.append(other)
        yield sorted(group)


def _solve(rows: list[Row], found: dict[Row, list[Suggestion]]) -> dict[Row, Row]:
    targets = sorted({suggestion.target.row for row in rows for suggestion in found[row]})
    return assign(rows, targets, {(row, one.target.row): one.score for row in rows for one in found[row]})


def _ranked(suggestions: list[Suggestion], first: Row | None) -> tuple[Suggestion, ...]:
    ranked = sorted(
        suggestions, key=lambda suggestion: (suggestion.target.row != first, -suggestion.score, suggestion.target.row)
    )
    return tuple(ranked[:_MOST])
