"""Rows below the headings that are no students."""

import re
from collections.abc import Callable, Iterable

NOT_STUDENTS = ("practice student", "practice apprentice", "preview student", "sample student")
_WORDS = re.compile(r"[^\W_]+")


def striker(phrases: Iterable[str]) -> Callable[[str], bool]:
    """Return what tells whether a name is one of the phrases, in whatever order and case its words stand."""
    struck = {_words(phrase) for phrase in phrases} - {()}
    return lambda name: _words(name) in struck


def _words(text: str) -> tuple[str, ...]:
    return tuple(sorted(_WORDS.findall(text.casefold())))
