"""Regular expressions that are compiled when they are first asked: a run asks few of those there are."""

import re
from typing import Any, cast


def pattern(text: str, flags: re.RegexFlag = re.NOFLAG) -> re.Pattern[str]:
    """Return what is used as the compiled pattern is."""
    return cast("re.Pattern[str]", _Pattern(text, flags))


class _Pattern:
    """Passes on what is asked of a pattern; each of its methods is looked up once."""

    def __init__(self, text: str, flags: re.RegexFlag) -> None:
        self._text, self._flags = text, flags

    def __getattr__(self, name: str) -> Any:  # noqa: ANN401 - whatever a pattern has
        found = getattr(re.compile(self._text, self._flags), name)
        setattr(self, name, found)
        return found
