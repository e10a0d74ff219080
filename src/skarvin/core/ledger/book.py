"""The book of a settling: texts and their codes, the outcomes written down, and the reasons why marks meet no cell."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Row
from skarvin.core.grid.coding import Coding
from skarvin.core.ledger.codes import Meet
from skarvin.core.ledger.fates import Fate, Outcome, decide
from skarvin.core.marks.rule import Blank, Rule
from skarvin.core.targets.target import Target

_STATED_SLUGS = frozenset({"part-held", "not-in-section", "not-paired", "not-marked", "never-seen"})
"""Reasons that say more of a mark that isn't there than that it is blank."""


class Unmet(NamedTuple):
    """Why a mark meets no cell, and the fate that follows."""

    fate: Fate
    slug: str
    reason: str


class Made(NamedTuple):
    """Marks that the export doesn't hold as such: computed, stated, or an answer that was or wasn't asked for.

    Attributes:
        texts: the mark of each row of the export.
        unmet: the rows whose mark meets no cell, and why.
    """

    texts: Mapping[Row, str]
    unmet: Mapping[Row, Unmet] = MappingProxyType({})


class Book:
    """Decides meetings of texts and writes the outcomes down."""

    def __init__(self, form: Target) -> None:
        self.outcomes: list[Outcome] = []
        self.ours, self.theirs = Coding(), Coding()
        self._value = form.value
        self._lacks = form.lacks
        self._unmet: dict[int, tuple[Unmet, str]] = {}
        self._reasons: dict[tuple[Unmet, int | None], int] = {}
        self._instead: dict[tuple[Unmet, int], int] = {}

    def reason(self, why: Unmet, their_code: int | None = None) -> int:
        """Return the code that stands in place of a target's cell, or of none, that a mark doesn't come to meet."""
        key = (why, their_code)
        if key not in self._reasons:
            raw = "" if their_code is None else self.theirs.texts[their_code]
            code = self.theirs.code(f"\0{len(self._reasons)}")  # no cell holds a NUL
            self._reasons[key], self._unmet[code] = code, (why, raw)
        return self._reasons[key]

    def is_reason(self, their_code: int) -> bool:
        """Tell whether a code stands in place of a target's cell."""
        return their_code in self._unmet

    def instead(self, code: int, why: Unmet) -> int:
        """Return the code of an outcome with another fate: the target's cell stays as it is."""
        if (why, code) not in self._instead:
            was = self.outcomes[code]
            kept = Outcome(why.fate, was.source, was.held, was.raw, slug=why.slug, reason=why.reason, before=was.before)
            self._instead[why, code] = self._write(kept)
        return self._instead[why, code]

    def meeting(self, rule: Rule) -> Meet:
        """Return what decides the meetings of one rule."""

        def meet(their_code: int, our_code: int) -> int:
            text, raw = self.ours.texts[our_code], self.theirs.texts[their_code]
            if their_code in self._unmet:
                why, raw = self._unmet[their_code]
                return self._write(replace(_unmet(text, why, rule), held=self._value(raw), raw=raw))
            outcome = decide(text, self._value(raw), raw, rule)
            lacks = self._lacks(outcome.written) if outcome.written else ""
            return self._write(_held_instead(outcome, "not-writable", lacks) if lacks else outcome)

        return meet

    def leaving_out(self, reason: str, rule: Rule) -> Meet:
        """Return what leaves out the marks of an item that feeds nothing."""

        def meet(_: int, our_code: int) -> int:
            text = self.ours.texts[our_code]
            number, shown = rule.number_of(text), rule.shown(text)
            return self._write(Outcome(Fate.LEFT_OUT, shown, slug="not-mapped", reason=reason, before=number))

        return meet

    def untouched(self, their_code: int, _: int) -> int:
        """Write down a target's cell that no source mark meets."""
        raw = self.theirs.texts[their_code]
        return self._write(Outcome(None, "", held=self._value(raw), raw=raw))

    def _write(self, outcome: Outcome) -> int:
        self.outcomes.append(outcome)
        return len(self.outcomes) - 1


def _held_instead(outcome: Outcome, slug: str, reason: str) -> Outcome:
    """Return the outcome of a mark that would be written, held instead."""
    was = outcome
    return Outcome(Fate.HELD, was.source, was.held, was.raw, slug=slug, reason=reason, before=was.before)


def _unmet(text: str, why: Unmet, rule: Rule) -> Outcome:
    if rule.blank is Blank.LEAVE and rule.is_blank(text) and why.slug not in _STATED_SLUGS:
        return Outcome(Fate.LEFT_OUT, rule.shown(text), slug="blank", reason="blank")
    return Outcome(why.fate, rule.shown(text), slug=why.slug, reason=why.reason, before=rule.number_of(text))
