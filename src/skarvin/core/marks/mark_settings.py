"""What is ruled for the marks of an item: the settings, what follows from them, and how they are told in words."""

from decimal import Decimal
from fractions import Fraction

from skarvin.core.findings import counted, listing
from skarvin.core.marks.choices import Above, Blank, Dash, Existing, Zeros
from skarvin.core.marks.rule import Rule, blank_in_words, existing_in_words
from skarvin.core.marks.scales import WHOLE, Scale
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_grammar import read_mark
from skarvin.core.texts.mark_kinds import GRADE_WORDS
from skarvin.core.texts.numbers import Number, Rounding, Steps, plain, read_number, shortest


class MarkSettings(Rule, frozen=True):
    """What is ruled for the marks of an item.

    Attributes:
        from_out_of: the source's maximum.
        to_out_of: the target's maximum.
        decimals: how many decimals are sent at most.
        rounding: how it is rounded.
        blank: what a blank means.
        existing: what becomes of a mark that the target has.
        is_comma: whether the source's decimal sign is the comma.
        above: what becomes of a mark above its maximum.
        blank_code: what is sent for a blank that has a code.
        statuses: what is sent for each status, by the folded word.
        step: marks are sent as multiples of it, if there is one: 0.5 for halves.
        dash: what a dash means.
        ignore_flags: flags that are set aside, folded.
        weight: what the item is worth of each 100 points of the target's whole.
        scale: the item's scale.
        gives_words: whether the scale gives words for marks, and not marks for words.
        to_comma: whether the target's decimal sign is the comma.
        to_suffix: what the target wants behind each number, such as a percent sign.
        to_zeros: what becomes of zeros behind the decimals.
        to_width: how many signs a number has at least; zeros in front make it so.
        copies_words: whether a letter or a word that the scale doesn't have is sent as it is.
        is_copied: whether marks are sent as they are, whatever the maxima.
        is_either: whether each mark's own decimal sign counts, comma or point.
        is_whole: whether no mark has decimals, so that signs stand between its thousands.
        is_stored: whether numbers with a point may be a workbook's stored numbers, whatever its decimal sign.
        rescales_others: whether a mark that states another maximum than the item's is rescaled, and not held.
    """

    from_out_of: Decimal | None = None
    to_out_of: Decimal | None = None
    decimals: int = 2
    rounding: Rounding = Rounding.HALF_UP
    step: Decimal | None = None
    blank: Blank = Blank.LEAVE
    existing: Existing = Existing.REPLACE
    is_comma: bool = False
    above: Above = Above.HOLD
    blank_code: str = ""
    statuses: tuple[tuple[str, str], ...] = ()
    dash: Dash = Dash.HOLD
    ignore_flags: frozenset[str] = frozenset()
    weight: Decimal | None = None
    scale: Scale | None = None
    gives_words: bool = False
    to_comma: bool = False
    to_suffix: str = ""
    to_zeros: Zeros = Zeros.AS_WRITTEN
    to_width: int = 0
    copies_words: bool = False
    is_copied: bool = False
    is_either: bool = False
    is_whole: bool = False
    is_stored: bool = False
    rescales_others: bool = False

    @property
    def rescales(self) -> bool:
        """Whether the two maxima differ, and marks are brought from one to the other."""
        return (
            not self.is_copied and None not in (self.from_out_of, self.to_out_of) and self.from_out_of != self.to_out_of
        )

    @property
    def limit(self) -> Decimal | None:
        """The highest mark that the source may hold; one that is copied must fit both sides."""
        if self.is_copied and self.from_out_of and self.to_out_of:
            return min(self.from_out_of, self.to_out_of)
        is_other = self.gives_words or (self.scale is not None and bool(self.scale.lines))
        return self.to_out_of if self.from_out_of is None and not is_other else self.from_out_of

    @property
    def whole(self) -> Decimal | None:
        """The maximum in the target: what is stated, or 100 for percent and for a weight."""
        return self.to_out_of or (WHOLE if self.weight is not None or "%" in self.to_suffix else None)

    def target_number(self, text: str) -> Number | None:
        """Return the number in a cell of the target, written as the target writes it."""
        number = read_number(text)
        if number is not None or not text.strip():
            return number
        if not self.to_comma and not self.to_suffix:
            return None
        mark = read_mark(text, is_comma=self.to_comma and "," in text)
        if mark is None or mark.out_of is None or (mark.is_percent and "%" in self.to_suffix):
            return mark.number if mark else None
        is_known = mark.is_percent and self.whole is not None
        return shortest(Fraction(mark.number) * Fraction(self.whole or 0) / Fraction(WHOLE)) if is_known else None

    def target_words(self, word: str) -> bool:
        """Tell whether a folded word is one that the rule writes."""
        scale = self.scale
        own = {fold_word(code) for _, code in self.statuses} | {fold_word(self.blank_code)}
        if scale and self.gives_words:
            own |= {fold_word(band.word) for band in scale.bands} | {fold_word(other) for _, other in scale.words}
        return self.copies_words or word in own or word in GRADE_WORDS

    def rank(self, text: str) -> Number | None:
        """Return the number in a cell of the target, or where the band of its word begins."""
        number = self.target_number(text)
        if number is not None or self.scale is None or not self.gives_words:
            return number
        starts = {fold_word(band.word): band.start for band in self.scale.bands}
        return starts.get(fold_word(text))

    @property
    def zero(self) -> str:
        """A zero, as the target writes it."""
        return self.written("0")

    def written(self, digits: str) -> str:
        """Return a number, told with a point before its decimals, as the target writes it."""
        if self.to_zeros is not Zeros.AS_WRITTEN:
            number = Decimal(digits)
            digits = f"{number:.{self.decimals}f}" if self.to_zeros is Zeros.FILL else plain(number)
        wide = digits.zfill(self.to_width)
        return (wide.replace(".", ",") if self.to_comma else wide) + self.to_suffix

    @property
    def maxima(self) -> tuple[Decimal | None, Decimal | None]:
        """The source's maximum and the target's."""
        return self.from_out_of, self.to_out_of

    @property
    def steps(self) -> Steps:
        """How marks are rounded."""
        return Steps(self.decimals, self.rounding, self.step)

    @property
    def in_words(self) -> str:
        """What is done to the marks, in one sentence."""
        blank = blank_in_words(self.blank, self.blank_code)
        return "; ".join([*_parts(self), blank, existing_in_words(self.existing)])


def _parts(rule: MarkSettings) -> list[str]:
    parts = [_conversion(rule)]
    if rule.above is not Above.HOLD:
        parts.append(
            "marks above the maximum are capped" if rule.above is Above.CAP else "marks above the maximum are allowed"
        )
    if rule.is_comma or rule.is_either or rule.is_whole or rule.to_comma:
        parts.append("decimal separator: " + " and ".join(_signs(rule)))
    if rule.to_zeros is Zeros.FILL:
        parts.append(f"written with {counted(rule.decimals, 'decimal')}, zeros included")
    if rule.to_zeros is Zeros.STRIP:
        parts.append("written without trailing zeros")
    if rule.to_width:
        parts.append(f"leading zeros up to {counted(rule.to_width, 'character')}")
    if rule.statuses:
        parts.append(listing([_status(word, code) for word, code in rule.statuses]))
    return [*parts, *_of_odd_marks(rule)]


def _of_odd_marks(rule: MarkSettings) -> list[str]:
    """Return what is done with marks that are no plain numbers."""
    said = (
        (rule.rescales_others, "marks with another maximum are rescaled"),
        (rule.dash is Dash.BLANK, "a dash is a blank"),
        (rule.copies_words, "letters and words without a scale are sent as they are"),
        (bool(rule.ignore_flags), f"ignored flags: {listing(sorted(rule.ignore_flags))}"),
    )
    return [words for is_so, words in said if is_so]


def _status(word: str, code: str) -> str:
    return f"{word} is sent as {code}" if code else f"{word} is sent as a blank"


def _signs(rule: MarkSettings) -> list[str]:
    ours = ["comma in the export"] if rule.is_comma else []
    ours += ["each mark's own in the export"] if rule.is_either else []
    ours += ["none in the export (1.500 and 1,500 are 1500)"] if rule.is_whole else []
    return ours + (["comma in the target"] if rule.to_comma else [])


def _conversion(rule: MarkSettings) -> str:
    if rule.scale and rule.gives_words:
        return _bands(rule.scale, rule)
    what = "copied"
    if rule.weight is not None:
        what = f"worth {plain(rule.weight)} of 100"
    elif rule.rescales and rule.from_out_of and rule.to_out_of:
        what = f"rescaled from {plain(rule.from_out_of)} to {plain(rule.to_out_of)}"
    if rule.scale and rule.scale.lines:
        what = f"converted by the lines of the scale '{rule.scale.name}'"
    elif rule.scale:
        what = f"words become marks by the scale '{rule.scale.name}', {what}"
    return f"{what}, {rule.steps.in_words}"


def _bands(scale: Scale, rule: MarkSettings) -> str:
    if not scale.bands:
        return f"words become the target's by the scale '{scale.name}'"
    measure = " percent" if scale.is_percent else ""
    bands = ", ".join(f"{band.word} from {plain(band.start)}" for band in scale.bands)
    when = f"after rounding to {rule.steps.to}" if scale.rounds_first else "before any rounding"
    return f"banded {when}: {bands}{measure}"
