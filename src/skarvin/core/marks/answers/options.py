"""The answers that a form itself states: their labels and texts, in a heading or in its cells."""

from collections.abc import Iterable

from skarvin.core.marks.answers.answer_rule import KnownAnswer
from skarvin.core.marks.answers.labels import label_and_text, split_options
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.patterns import pattern

_IN_HEADING = pattern(
    r"(?:^|[\s(\[{;,|?])([A-Z]|\d)\s*[):.=]\s*([^;|\])}\n]+?)(?=\s*(?:[;|,]?\s+(?:[A-Z]|\d)\s*[):.=]|[;|\])}\n]|$))"
)


def without_options(heading: str) -> str:
    """Return what a heading asks, without the answers that it states."""
    found = list(_IN_HEADING.finditer(heading))
    return heading[: found[0].start()] if len(found) > 1 else heading


def find_options(heading: str, texts: Iterable[str]) -> tuple[KnownAnswer, ...]:
    """Return the answers of a question in the form: those of its cells ('C) the garboard'), or of its heading.

    Args:
        heading: the question's heading, such as 'Which plank? A) keel; B) garboard'.
        texts: the cells below it.
    """
    found: dict[tuple[str, str], None] = {}
    for text in dict.fromkeys(texts):
        for part in split_options(text):
            if pair := label_and_text(part):
                found[fold_word(pair[1]), pair[0]] = None
    if not found:
        options = [(match[2], match[1]) for match in _IN_HEADING.finditer(heading)]
        labels = [label for _, label in options]
        if len(labels) > 1 and labels == sorted(set(labels)):
            found = {(fold_word(text), label): None for text, label in options}
    return tuple(KnownAnswer(text, label, is_right=False) for text, label in found)
