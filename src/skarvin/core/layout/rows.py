"""Rows below the headings that are no students."""

from collections.abc import Iterable

from skarvin.core.layout.headings import fold

NOT_STUDENTS = ("practice student", "practice apprentice", "preview student", "sample student")


def is_struck(name: str, phrases: Iterable[str]) -> bool:
    """Tell whether a name is one of the phrases, in whatever order and case its words stand."""
    words = sorted(fold(name).split())
    return bool(words) and any(words == sorted(fold(phrase).split()) for phrase in phrases)
