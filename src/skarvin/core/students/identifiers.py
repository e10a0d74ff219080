"""Identifiers, and what a rule sets aside when two of them are compared."""

from collections.abc import Callable, Iterable
from itertools import combinations
from typing import NewType, cast

import msgspec

from skarvin.core.texts.patterns import pattern

_DASHES = pattern(r"[\s\-\u2010-\u2015_./]")

Identifier = NewType("Identifier", str)
"""An identifier in the form in which it is compared; only `comparable` makes one."""


class IdentifierRule(msgspec.Struct, frozen=True):
    """What is set aside when identifiers are compared; space around them always is."""

    ignore_prefix: str = ""
    ignore_suffix: str = ""
    ignore_domain: bool = False
    ignore_dashes: bool = False
    ignore_case: bool = False
    ignore_leading_zeros: bool = False

    @property
    def steps(self) -> tuple[str, ...]:
        """The steps that the rule allows, in the order in which they are taken."""
        allowed = {
            "spaces": True,
            f"prefix '{self.ignore_prefix}'": bool(self.ignore_prefix),
            f"suffix '{self.ignore_suffix}'": bool(self.ignore_suffix),
            "domain": self.ignore_domain,
            "dashes and spaces inside": self.ignore_dashes,
            "case": self.ignore_case,
            "leading zeros": self.ignore_leading_zeros,
        }
        return tuple(step for step, is_allowed in allowed.items() if is_allowed)

    @property
    def comparer(self) -> Callable[[str], Identifier]:
        """What `comparable` does, made ready for many identifiers."""
        steps = self.steps
        if steps == ("spaces",):
            return _STRIPPED
        return lambda text: self.comparable(text, steps)

    def comparable(self, text: str, steps: Iterable[str] | None = None) -> Identifier:
        """Return `text` with all that the rule names set aside, or only the given steps of it."""
        for step in self.steps if steps is None else steps:
            text = self._take(step, text)
        return Identifier(text)

    def needed(self, first: str, second: str) -> tuple[str, ...]:
        """Return the fewest steps after which two texts are equal, that the rule makes equal."""
        for count in range(len(self.steps) + 1):
            for steps in combinations(self.steps, count):
                if self.comparable(first, steps) == self.comparable(second, steps):
                    return steps
        return self.steps

    def _take(self, step: str, text: str) -> str:
        if step in _STEPS:
            return _STEPS[step](text)
        if step.startswith("prefix"):
            return _without(text, self.ignore_prefix, ignore_case=self.ignore_case)
        return _without(text[::-1], self.ignore_suffix[::-1], ignore_case=self.ignore_case)[::-1]


_STRIPPED = cast("Callable[[str], Identifier]", str.strip)
_STEPS: dict[str, Callable[[str], str]] = {
    "spaces": str.strip,
    "case": str.casefold,
    "domain": lambda text: text.partition("@")[0],
    "dashes and spaces inside": lambda text: _DASHES.sub("", text),
    "leading zeros": lambda text: text.lstrip("0") or text[-1:],
}


def bare_form(text: str) -> str:
    """Return what is left of an identifier without case, domain, dashes, blanks and zeros in front."""
    text = text.casefold().partition("@")[0]
    return (text if text.isalnum() else _DASHES.sub("", text)).lstrip("0") or text


def _without(text: str, prefix: str, *, ignore_case: bool) -> str:
    begins = text.casefold().startswith(prefix.casefold()) if ignore_case else text.startswith(prefix)
    return text[len(prefix) :] if begins else text
