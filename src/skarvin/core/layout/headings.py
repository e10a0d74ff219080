"""What a heading says by itself: its title, its maximum, and the words in it that give a column away."""

import re
import unicodedata
from decimal import Decimal
from functools import lru_cache

from skarvin.core.layout.columns import Use

_NUMBER = r"(\d{1,6}(?:\.\d{1,4})?)"
_UNIT = r"(?:points?|pts?\.?|marks?)"
_MAXIMUM = re.compile(
    rf"""\s*(?:
        [(\[{{]\s*(?:out\s+of|of|max(?:imum)?\.?:?|/)?\s*{_NUMBER}\s*{_UNIT}?\s*[)\]}}]
      | [-–,:]?\s*\b(?:out\s+of|max(?:imum)?\.?:?)\s*{_NUMBER}\s*{_UNIT}?
      | \s/\s?{_NUMBER}
      | [-–,:]\s*{_NUMBER}\s*{_UNIT}
    )\s*$""",
    re.IGNORECASE | re.VERBOSE,
)

# The first use whose words all stand in the heading is taken, so the narrower ones come first.
_WORDS: list[tuple[Use, tuple[str, ...]]] = [
    (Use.EMAIL, ("email",)),
    (Use.EMAIL, ("e", "mail")),
    (Use.EMAIL, ("mail",)),
    (Use.BIRTH, ("birth",)),
    (Use.BIRTH, ("born",)),
    (Use.USERNAME, ("username",)),
    (Use.USERNAME, ("user", "name")),
    (Use.USERNAME, ("login",)),
    (Use.FAMILY, ("family",)),
    (Use.FAMILY, ("surname",)),
    (Use.FAMILY, ("last", "name")),
    (Use.GIVEN, ("given",)),
    (Use.GIVEN, ("forename",)),
    (Use.GIVEN, ("first", "name")),
    (Use.NUMBER, ("no",)),
    (Use.NUMBER, ("number",)),
    (Use.NUMBER, ("nr",)),
    (Use.NUMBER, ("student", "id")),
    (Use.NUMBER, ("learner", "id")),
    (Use.NUMBER, ("apprentice", "id")),
    (Use.NUMBER, ("matriculation",)),
    (Use.KEY, ("id",)),
    (Use.KEY, ("key",)),
    (Use.NAME, ("name",)),
    (Use.NAME, ("student",)),
    (Use.NAME, ("apprentice",)),
    (Use.NAME, ("learner",)),
    (Use.SECTION, ("section",)),
    (Use.SECTION, ("class",)),
    (Use.SECTION, ("group",)),
    (Use.SECTION, ("crew",)),
    (Use.TOTAL, ("total",)),
    (Use.TOTAL, ("average",)),
    (Use.TOTAL, ("mean",)),
    (Use.TOTAL, ("rank",)),
    (Use.COMMENT, ("comment",)),
    (Use.COMMENT, ("comments",)),
    (Use.COMMENT, ("remarks",)),
    (Use.COMMENT, ("feedback",)),
    (Use.COMMENT, ("notes",)),
]


def split_maximum(heading: str) -> tuple[str, Decimal | None]:
    """Return the title of an item and the maximum that its heading states, if it states one."""
    match = _MAXIMUM.search(heading)
    if not match or not heading[: match.start()].strip():
        return heading.strip(), None
    number = Decimal(next(group for group in match.groups() if group))
    return (heading[: match.start()].strip(), number) if number else (heading.strip(), None)


@lru_cache(maxsize=4096)
def fold(text: str) -> str:
    """Return a heading in the form in which headings are compared: words in small letters, no accents or signs."""
    plain = unicodedata.normalize("NFKD", text.replace("&", " and ").casefold())
    kept = "".join(sign for sign in plain if not unicodedata.combining(sign))
    return " ".join(re.findall(r"[^\W_]+", kept))


def use_in_words(heading: str) -> tuple[Use, str] | None:
    """Return the use that the heading's words give away, and those words."""
    words = fold(heading).split()
    for use, needed in _WORDS:
        if all(word in words for word in needed):
            return use, " ".join(needed)
    return None
