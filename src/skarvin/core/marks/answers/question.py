"""What the heading of a question says: its number, and what it asks."""

import re

from skarvin.core.layout.headings import fold

_QUESTION = re.compile(r"\s*(?:q|question|answer|response)?\s*\.?\s*0*(\d+)\s*[.:)–-]?\s*", re.IGNORECASE)
_ANSWER = frozenset({"answer", "answers", "response", "responses"})


def split_question(title: str) -> tuple[str, str]:
    """Return a question's number, blank if it has none, and what it asks, folded; 'Q1 Response' asks nothing."""
    match = _QUESTION.match(title)
    number, asks = (match[1], fold(title[match.end() :])) if match else ("", fold(title))
    return number, "" if number and asks in _ANSWER else asks
