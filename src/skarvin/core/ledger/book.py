"""The book of a settling: texts and their codes, the outcomes written down, and the reasons why marks meet no cell."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Row
from skarvin.core.grid.coding import Coding
from skarvin.core.ledger.codes import Meet
from skarvin.core.ledger.outcomes import BLANK, SKIPPED, Correction, Outcome, decide, unwritten
from skarvin.core.ledger.since import Known, SinceRule, decide_since
from skarvin.core.marks.choices import Blank, Existing
from skarvin.core.marks.rule import Rule
from skarvin.core.reasons import Cause, Fate, Reason
from skarvin.core.targets.target import Target


class Made(NamedTuple):
    """Marks that the export doesn't hold as such: computed, stated, or an answer that was or wasn't asked for.

    Attributes:
        texts: the mark of each row of the export.
        instead: the rows whose mark meets no cell, and why.
        unseen: the rows of students who were never asked for the mark, whatever text stands there.
        skipped: the rows of those who were asked and gave nothing.
    """

    texts: Mapping[Row, str]
    instead: Mapping[Row, Reason] = MappingProxyType({})
    unseen: frozenset[Row] = frozenset()
    skipped: frozenset[Row] = frozenset()


class _Instead(NamedTuple):
    """What stands in the export in place of a mark that was never asked for, or that was skipped."""

    text: str
    is_unseen: bool


class _InPlace(NamedTuple):
    """A reason that stands in place of a target's cell; the cell's own code, if there is a cell."""

    why: Reason
    their_code: int | None


class _Corrected(NamedTuple):
    """A mark as the export has it, and what a person put in its place."""

    text: str
    correction: Correction


class _KnownCell(NamedTuple):
    """A target's cell by its code, and what is known of it besides."""

    their_code: int
    known: Known


class Book:
    """Decides meetings of texts and writes the outcomes down."""

    def __init__(self, form: Target, since: SinceRule = SinceRule()) -> None:  # noqa: B008 - a value that never changes
        self.outcomes: list[Outcome] = []
        self._since = since
        self._known: dict[int, _KnownCell] = {}
        self._corrected: dict[int, _Corrected] = {}
        self.ours, self.theirs = Coding(), Coding()
        self._form = form
        self._in_place: dict[int, _InPlace] = {}
        self._absent: dict[int, _Instead] = {}
        self._instead: dict[tuple[Reason, int], int] = {}

    def reason(self, why: Reason, their_code: int | None = None) -> int:
        """Return the code that stands in place of a target's cell, or of none, that a mark doesn't come to meet."""
        standing = _InPlace(why, their_code)
        code = self.theirs.code_for(standing)
        self._in_place[code] = standing
        return code

    def known(self, their_code: int, known: Known) -> int:
        """Return the code of a target's cell of which more is known than the form says."""
        standing = _KnownCell(their_code, known)
        code = self.theirs.code_for(standing)
        self._known[code] = standing
        return code

    def _cell(self, their_code: int) -> tuple[str, Known | None]:
        """Return how a target's cell stands in the file, and what is known besides."""
        standing = self._known.get(their_code)
        raw = self.theirs.texts[their_code if standing is None else standing.their_code]
        return raw, standing.known if standing else None

    def is_reason(self, their_code: int) -> bool:
        """Tell whether a code stands in place of a target's cell."""
        return their_code in self._in_place

    def unseen(self, text: str) -> int:
        """Return the code of a mark that was never asked for, whatever text stands in its place."""
        return self._absent_code(_Instead(text, is_unseen=True))

    def skipped(self, text: str) -> int:
        """Return the code of a mark that was asked for and not given, whatever text says so."""
        return self._absent_code(_Instead(text, is_unseen=False))

    def _absent_code(self, standing: _Instead) -> int:
        code = self.ours.code_for(standing)
        self._absent[code] = standing
        return code

    def corrected(self, our_code: int, correction: Correction) -> int:
        """Return the code of a mark in whose place a person put another."""
        standing = _Corrected(self.text(our_code), correction)
        code = self.ours.code_for(standing)
        self._corrected[code] = standing
        return code

    def is_unseen(self, our_code: int) -> bool:
        """Tell whether a code is that of a mark that was never asked for."""
        return our_code in self._absent and self._absent[our_code].is_unseen

    def text(self, our_code: int) -> str:
        """Return the source's text of a code."""
        if our_code in self._corrected:
            return self._corrected[our_code].correction.text
        return self._absent[our_code].text if our_code in self._absent else self.ours.texts[our_code]

    def said(self, our_code: int) -> str:
        """Return what a row says, in quotation marks, and what a person put in its place."""
        standing = self._corrected.get(our_code)
        if standing is None:
            return f"'{self.text(our_code).strip()}'"
        if standing.correction.contested:
            return f"'{standing.text.strip()}', contested"
        return f"'{standing.text.strip()}', corrected to '{standing.correction.text}'"

    def instead(self, code: int, why: Reason) -> int:
        """Return the code of an outcome with another fate: the target's cell stays as it is."""
        if (why, code) not in self._instead:
            self._instead[why, code] = self._write(unwritten(self.outcomes[code], why))
        return self._instead[why, code]

    def meeting(self, rule: Rule) -> Meet:
        """Return what decides the meetings of one rule."""

        def meet(their_code: int, our_code: int) -> int:
            text, is_unseen = self.text(our_code), self.is_unseen(our_code)
            is_skipped = our_code in self._absent and not is_unseen
            if their_code in self._in_place:
                why, cell = self._in_place[their_code]
                raw = "" if cell is None else self._cell(cell)[0]
                was = self._form.value(raw)
                standing = self._corrected.get(our_code)
                text, correction = standing or (text, None)
                correction = None if correction and correction.contested else correction
                is_blank = rule.blank is Blank.LEAVE and not is_unseen and rule.is_blank(text)
                if is_blank and not why.cause.overrides_blank:  # a blank is blank, whatever else is to be said
                    return self._write(
                        Outcome(Fate.LEFT_OUT, rule.shown(text), was, raw, why=SKIPPED if is_skipped else BLANK)
                    )
                number = rule.number_of(text)
                shown = rule.shown(text)
                return self._write(Outcome(why.fate, shown, was, raw, why=why, before=number, correction=correction))
            raw, known = self._cell(their_code)
            was = self._form.value(raw)
            if our_code in self._corrected:
                return self._write(self._as_it_will_stand(self._of_corrected(our_code, (was, raw), known, rule), rule))
            if known is None:
                outcome = decide(text, was, raw, rule, is_unseen=is_unseen, is_skipped=is_skipped)
            else:
                flags = {"is_unseen": is_unseen, "is_skipped": is_skipped}
                outcome = decide_since(text, (was, raw), rule, known, self._since, **flags)
            return self._write(self._as_it_will_stand(outcome, rule))

        return meet

    def _of_corrected(self, our_code: int, cell: tuple[str, str], known: Known | None, rule: Rule) -> Outcome:
        """Return the outcome of a mark that a person corrected.

        It goes over what was sent before, and over what can't be compared with it.
        """
        text, correction = self._corrected[our_code]
        if correction.contested:
            why = Reason(Cause.CONTESTED, correction.contested)
            return Outcome(why.fate, rule.shown(text), cell[0], cell[1], why=why, before=rule.number_of(text))
        there = known.there if known else None
        now = cell[0] if there is None else there
        is_ours = known is not None and bool(known.last)
        outcome = decide(correction.text, now, cell[1], rule, existing=Existing.REPLACE if is_ours else None)
        if outcome.why and outcome.why.cause is Cause.NOT_COMPARABLE:
            outcome = decide(correction.text, now, cell[1], rule, existing=Existing.REPLACE)
        return replace(
            outcome,
            source=rule.shown(text),
            before=rule.number_of(text),
            was=cell[0],
            last=known.last if known else "",
            there=there,
            correction=correction,
        )

    def _as_it_will_stand(self, outcome: Outcome, rule: Rule) -> Outcome:
        """Return an outcome with its text as the target's cell will say it; held where the cell can't."""
        if not outcome.written:
            return outcome
        lacks = None if rule.travels else self._form.lacks_mark(outcome.written)
        if lacks := lacks or self._form.lacks(outcome.written, outcome.raw):
            return unwritten(outcome, lacks)
        text = self._form.shown(outcome.written, outcome.raw)
        if text == outcome.written:
            return outcome
        if text == outcome.in_target and outcome.fate in {Fate.SENT, Fate.CHANGED}:
            return replace(outcome, fate=Fate.SAME, written=None)  # it went there by an earlier write
        return replace(outcome, written=text)

    def leaving_out(self, why: Reason, rule: Rule) -> Meet:
        """Return what leaves out the marks of an item that feeds nothing."""

        def meet(_: int, our_code: int) -> int:
            text = self.text(our_code)
            return self._write(Outcome(why.fate, rule.shown(text), why=why, before=rule.number_of(text)))

        return meet

    def untouched(self, their_code: int, _: int) -> int:
        """Write down a target's cell that no source mark meets."""
        raw = self.theirs.texts[their_code]
        return self._write(Outcome(None, "", was=self._form.value(raw), raw=raw))

    def _write(self, outcome: Outcome) -> int:
        self.outcomes.append(outcome)
        return len(self.outcomes) - 1
