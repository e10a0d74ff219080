"""Texts in the forms in which they are compared."""

import re
import unicodedata
from functools import lru_cache


@lru_cache(maxsize=4096)
def fold(text: str) -> str:
    """Return a heading in the form in which headings are compared: words in small letters, no accents or signs."""
    plain = unicodedata.normalize("NFKD", text.replace("&", " and ").casefold())
    kept = "".join(sign for sign in plain if not unicodedata.combining(sign))
    return " ".join(re.findall(r"[^\W_]+", kept))


def fold_word(text: str) -> str:
    """Return a word, a status or a flag in the form in which such words are compared."""
    return " ".join(text.split()).casefold()
