"""Suggestions for students who aren't paired with certainty, made for all of them together.

Only students who share something (the beginning or the consonants of a word) are compared at all, so that
the work grows with the class and not with its square. The first suggestions come from an assignment over all: no two
students are offered the same one first.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from skarvin.core.findings import Row
from skarvin.core.gradebook import Student
from skarvin.core.students.evidence import Suggestion, Surroundings
from skarvin.core.texts.names import PARTICLES, words

_LEAST = 0.55
"""A suggestion less likely than this helps nobody."""
_STRONG = 0.85
"""A student who is paired with somebody else is suggested only for a likeness as strong as this."""
_MOST = 3
_NOBODY: Mapping[Row, Row] = MappingProxyType({})
_TOO_MANY = 60
"""A key that so many share says too little by itself."""
_VOWELS = str.maketrans("", "", "aeiouyhw")


def suggest(
    held: Sequence[Student],
    target: Sequence[Student],
    surroundings: Surroundings,
    taken: Mapping[Row, Row] = _NOBODY,
) -> dict[Row, tuple[Suggestion, ...]]:
    """Return for each held student's row up to three suggestions from the target's students, best first.

    Args:
        held: the students in doubt.
        target: the target's students.
        surroundings: both classes as a whole.
        taken: the target's rows that are paired, and with which row. Such a student is suggested behind the others, and
            only for a strong likeness; the evidence says who has the row.
    """
    if not held:
        return {}
    index: dict[str, list[Student]] = defaultdict(list)
    for student in target:
        if student.row not in taken:
            for key in _keys(student):
                index[key].append(student)
    found = {student.row: _candidates(student, index, surroundings) for student in held}
    first = _assign(found)
    ranked = {row: _ranked(suggestions, first.get(row)) for row, suggestions in found.items()}
    for row, suggestions in _strong_though_taken(held, target, surroundings, taken).items():
        ranked[row] = (*ranked[row], *suggestions)[:_MOST]
    return {row: suggestions for row, suggestions in ranked.items() if suggestions}


def _strong_though_taken(
    held: Sequence[Student], target: Sequence[Student], surroundings: Surroundings, taken: Mapping[Row, Row]
) -> dict[Row, list[Suggestion]]:
    """Return for each held student's row the paired students who are very like; they share a word that few have."""
    sharing: dict[str, list[Student]] = {word: [] for student in held for word in words(student.name)}
    for other in target if sharing else ():
        if other.row in taken and not sharing.keys().isdisjoint(words(other.name)):
            for word in words(other.name):
                if word in sharing:
                    sharing[word].append(other)
    found: dict[Row, list[Suggestion]] = {}
    for student in held:
        few = (sharing[word] for word in words(student.name) if len(sharing[word]) <= _TOO_MANY)
        near = {student.row: student for sharers in few for student in sharers}
        weighed = (surroundings.weigh(student, person) for person in near.values())
        strong = sorted(
            (suggestion for suggestion in weighed if suggestion.score >= _STRONG),
            key=lambda suggestion: (-suggestion.score, suggestion.target.row),
        )
        note = "; but paired with {} of the export"
        found[student.row] = [
            suggestion._replace(evidence=suggestion.evidence + note.format(taken[suggestion.target.row]))
            for suggestion in strong
        ]
    return found


def _keys(student: Student) -> set[str]:
    """Return what a student can be found by: beginnings and consonants of words, two together, the identifier."""
    parts = [word for word in words(student.name) if word not in PARTICLES] or list(words(student.name))
    keys = {f"={word}" for word in parts} | {f"{word[:3]}" for word in parts if len(word) > 2}  # noqa: PLR2004
    keys |= {f"~{consonants}" for word in parts if len(consonants := word[0] + word[1:].translate(_VOWELS)) > 1}
    initials = "".join(sorted(word[0] for word in parts))
    keys |= {f"{word[:2]}+{initials}" for word in parts}
    identifier = student.identifier.strip()
    return keys | ({f"#{identifier[:-2]}", f"#{identifier[2:]}"} if len(identifier) > 3 else set())  # noqa: PLR2004


def _candidates(student: Student, index: dict[str, list[Student]], surroundings: Surroundings) -> list[Suggestion]:
    near: dict[Row, Student] = {}
    for key in _keys(student):
        sharers = index.get(key, ())
        if len(sharers) <= _TOO_MANY:
            near |= {student.row: student for student in sharers}
    weighed = (surroundings.weigh(student, person) for person in near.values())
    likely = [suggestion for suggestion in weighed if suggestion.score >= _LEAST]
    return sorted(likely, key=lambda suggestion: (-suggestion.score, suggestion.target.row))


def _assign(found: dict[Row, list[Suggestion]]) -> dict[Row, Row]:
    """Return for each row the target row that is offered first, so that all together are likeliest."""
    first: dict[Row, Row] = {}
    for rows in _groups(found):
        if len(rows) == 1:
            suggestions = found[rows[0]]
            if suggestions:
                first[rows[0]] = suggestions[0].target.row
            continue
        first |= _solve(rows, found)
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
                for other in by_target[suggestion.target.row]:
                    if other not in seen:
                        seen.add(other)
                        waiting.append(other)
        yield sorted(group)


def _solve(rows: list[Row], found: dict[Row, list[Suggestion]]) -> dict[Row, Row]:
    import numpy as np  # noqa: PLC0415 - only where students compete for one suggestion
    from scipy.optimize import linear_sum_assignment  # noqa: PLC0415

    targets = sorted({suggestion.target.row for row in rows for suggestion in found[row]})
    place = {target: index for index, target in enumerate(targets)}
    scores = np.zeros((len(rows), len(targets)))
    for index, row in enumerate(rows):
        for suggestion in found[row]:
            scores[index, place[suggestion.target.row]] = suggestion.score
    ours, theirs = linear_sum_assignment(scores, maximize=True)
    return {rows[a]: targets[b] for a, b in zip(ours.tolist(), theirs.tolist(), strict=True) if scores[a, b] > 0}


def _ranked(suggestions: list[Suggestion], first: Row | None) -> tuple[Suggestion, ...]:
    ranked = sorted(
        suggestions, key=lambda suggestion: (suggestion.target.row != first, -suggestion.score, suggestion.target.row)
    )
    return tuple(ranked[:_MOST])
