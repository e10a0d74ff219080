"""What the heading of a question says: its number, and what it asks."""

import re

from skarvin.core.texts.folding import fold
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set

_ANSWER = phrase_set(WORDS.headings.answer)
_LEAD = "|".join(map(re.escape, sorted(_ANSWER | phrase_set(WORDS.headings.question), key=len, reverse=True)))
_QUESTION = pattern(rf"\s*(?:{_LEAD})?\s*\.?\s*0*(\d+)\s*[.:)–-]?\s*", re.IGNORECASE)


def split_question(title: str) -> tuple[str, str]:
    """Return a question's number, blank if it has none, and what it asks, folded; 'Q1 Response' asks nothing."""
    match = _QUESTION.match(title)
    number, asks = (match[1], fold(title[match.end() :])) if match else ("", fold(title))
    return number, "" if number and asks in _ANSWER else asks
