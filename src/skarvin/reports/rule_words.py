"""The maxima of an item in words, the same on the screen and on the page."""

from skarvin.core.ledger.ledger import MappedItem
from skarvin.core.texts.numbers import plain


def maxima_in_words(item: MappedItem, arrow: str = "->") -> str:
    """Return an item's maxima: '100 -> 15', or one of them if they are equal."""
    known = [plain(maximum) for maximum in item.rule.maxima if maximum is not None]
    return f" {arrow} ".join(dict.fromkeys(known))
