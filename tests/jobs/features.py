"""What a whole job may have, and jobs in which every two of these meet that can."""

from collections.abc import Iterator, Mapping
from functools import cache
from itertools import combinations
from random import Random

DIMENSIONS: Mapping[str, tuple[str, ...]] = {
    "export": (
        "comma",
        "semicolon",
        "tab",
        "workbook",
        "document",
        "page",
        "packed",
        "two",
        "folder",
        "log",
        "items",
        "students",
    ),
    "target": ("form", "workbook", "bare", "below", "sample", "typing", "parts", "lines"),
    "who": ("number", "prefix", "zeros", "names", "roster", "crosswalk"),
    "what": ("items", "total", "answers", "comments", "constant"),
    "marks": ("points", "rescaled", "percent", "words", "letters", "translated", "comma", "statuses"),
    "rows": ("once", "hold", "agree", "highest", "latest", "first"),
    "people": ("all", "stranger", "decided", "none", "list", "section", "leave out"),
    "held": ("nothing", "left", "corrected"),
    "existing": ("replace", "keep", "higher", "only if blank"),
    "after": ("again", "confirm", "mask", "term", "advice", "roster"),
}
"""Each feature of a job, and what it may be."""
Job = dict[str, str]
_RULES: tuple[tuple[Mapping[str, tuple[str, ...]], Mapping[str, tuple[str, ...]]], ...] = (
    (
        {"export": ("folder",)},
        {"what": ("answers", "comments"), "marks": ("comma", "words", "letters", "translated"), "rows": ("latest",)},
    ),
    ({"export": ("folder",)}, {"people": ("section",), "who": ("roster", "zeros")}),
    (
        {"export": ("log", "items", "students")},
        {
            "what": ("answers", "comments"),
            "marks": ("letters", "translated", "percent"),
            "rows": ("hold", "agree", "highest", "latest", "first"),
        },
    ),
    ({"export": ("items",)}, {"who": ("names", "roster")}),
    ({"target": ("lines",)}, {"who": ("names",), "what": ("answers", "comments", "constant")}),
    ({"target": ("bare", "below", "sample")}, {"who": ("names",)}),
    ({"target": ("below", "sample")}, {"who": ("roster",)}),
    (
        {"target": ("typing",)},
        {"who": ("prefix", "zeros", "roster", "crosswalk"), "what": ("answers", "comments", "total")},
    ),
    (
        {"target": ("typing",)},
        {
            "marks": ("words", "letters", "translated"),
            "what": ("constant",),
            "existing": ("keep", "higher", "only if blank"),
        },
    ),
    ({"target": ("sample",)}, {"what": ("answers", "comments", "constant", "total"), "marks": ("words", "translated")}),
    (
        {"target": ("bare", "sample")},
        {"people": ("stranger", "decided", "none"), "existing": ("keep", "higher", "only if blank")},
    ),
    ({"target": ("bare", "sample")}, {"after": ("again",)}),
    ({"who": ("names", "roster")}, {"rows": ("hold", "agree", "highest", "latest", "first"), "people": ("leave out",)}),
    ({"export": ("two",)}, {"rows": ("hold",), "what": ("answers",)}),
    ({"marks": ("words", "translated")}, {"existing": ("higher",)}),
    ({"marks": ("letters", "translated")}, {"what": ("total",)}),
    ({"who": ("names", "roster", "crosswalk"), "target": ("typing",)}, {"people": ("decided", "none")}),
)
"""What can't be together: a folder has one item and no comments, a list to type from has names alone, and so on."""


def is_possible(job: Mapping[str, str]) -> bool:
    """Tell whether the features of a job, or of a part of one, can be together."""
    return not any(
        any(job.get(name) in values for name, values in some.items())
        and any(job.get(name) in values for name, values in others.items())
        for some, others in _RULES
    )


def pairs_of(job: Mapping[str, str]) -> Iterator[tuple[tuple[str, str], tuple[str, str]]]:
    """Yield each two features of a job."""
    return combinations(sorted(job.items()), 2)


def all_pairs() -> set[tuple[tuple[str, str], tuple[str, str]]]:
    """Return each two features that can be together."""
    one_each = ((name, value) for name, values in DIMENSIONS.items() for value in values)
    both = combinations(sorted(one_each), 2)
    return {(one, other) for one, other in both if one[0] != other[0] and is_possible(dict((one, other)))}


@cache
def covering(seed: int) -> tuple[Job, ...]:
    """Return jobs in which every two features meet that can."""
    rng, missing, jobs = Random(seed), all_pairs(), []
    while missing:
        left = sorted(missing)
        tries = [_around(rng.choice(left), rng) for _ in range(12)]
        best = max(tries, key=lambda job: len(missing.intersection(pairs_of(job))))
        if not missing.intersection(pairs_of(best)):
            continue
        missing.difference_update(pairs_of(best))
        jobs.append(best)
    return tuple(jobs)


def _around(pair: tuple[tuple[str, str], tuple[str, str]], rng: Random) -> Job:
    """Return a job with two features, the others drawn."""
    while True:
        job = dict(pair)
        for name in rng.sample(sorted(DIMENSIONS), len(DIMENSIONS)):
            if name in job:
                continue
            choices = [value for value in DIMENSIONS[name] if is_possible({**job, name: value})]
            if not choices:
                break
            job[name] = rng.choice(choices)
        if len(job) == len(DIMENSIONS):
            return {name: job[name] for name in DIMENSIONS}
