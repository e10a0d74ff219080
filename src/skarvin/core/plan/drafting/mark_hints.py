"""What an item's marks give away: decimal signs, statuses, flags, dashes, words that need a scale."""

from collections import Counter
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

from skarvin.core.layout.columns import Column
from skarvin.core.plan.spelling import spelling_of
from skarvin.core.texts.folding import fold, fold_word
from skarvin.core.texts.mark_grammar import decimal_comma, may_be_thousands, read_mark, split_flag
from skarvin.core.texts.mark_kinds import Kind, kind_of_mark
from skarvin.core.texts.numbers import is_number, read_number
from skarvin.core.texts.patterns import pattern

_WORDS = frozenset({Kind.LETTER, Kind.WORD})
_NUMBERS = frozenset({Kind.POINTS, Kind.PERCENT})
_WITH_DECIMALS = pattern(r"[-+]?\d+[.,](\d+)\s*%?")
_SIGN = pattern(r"\d[.,]\d")
_HUNDRED, _THOUSAND = 100, 1000
_FEW = 16
"""An item with more different words than this is no item on a scale."""


class ScaleProposal(NamedTuple):
    """A scale that an item needs.

    Attributes:
        name: what it will be called.
        table: `values`, `words` or `bands`.
        words: its words, each with the target's word where one is known.
        is_open: whether what stands beside the words is for a person to write; else it is where that is blank.
        is_percent: whether they are in percent of a maximum.
        takes: the words that the target takes, if it lists them, or has words of its own where all differ.
    """

    name: str
    table: str
    words: tuple[tuple[str, str], ...]
    is_open: bool
    is_percent: bool
    takes: tuple[str, ...] = ()

    @property
    def open_words(self) -> int:
        """How many words wait for a person."""
        return sum(1 for _, other in self.words if self.is_open or not other)


class MarkHints(NamedTuple):
    """What the texts of an item show.

    Attributes:
        commas: how many of the export's marks have a decimal comma, if it is one.
        either: how many have a decimal comma where others have a point: each is told by itself.
        to_commas: how many of the target's have.
        to_suffix: what stands behind every number of the target.
        to_decimals: how many decimals each of the target's numbers has, zeros included; 0 if they differ.
        statuses: the export's statuses, and how often each stands there.
        flags: what stands behind its marks, and how often.
        dashes: how many dashes there are.
        scale: the scale that it needs.
        out_of: the maximum that each of the export's marks states itself, 100 for percent.
        to_out_of: the same of the target's marks.
        shown: how many decimals the export shows of marks that are stored with more.
        speaks_commas: whether the export's other items have decimal commas, and it has no decimals yet.
        thousands: a mark that has a sign between its thousands for sure ("none" reads it), or may have one ("either").
    """

    commas: int = 0
    either: int = 0
    to_commas: int = 0
    to_suffix: str = ""
    to_decimals: int = 0
    statuses: tuple[tuple[str, int], ...] = ()
    flags: tuple[tuple[str, int], ...] = ()
    dashes: int = 0
    scale: ScaleProposal | None = None
    out_of: Decimal | None = None
    to_out_of: Decimal | None = None
    shown: int | None = None
    thousands: tuple[str, str] = ("", "")
    speaks_commas: bool = False


NO_HINTS = MarkHints()


def find_hints(
    column: Column,
    ours: Mapping[str, int],
    theirs: Mapping[str, int],
    maxima: tuple[Decimal | None, Decimal | None],
    allowed: Sequence[str] = (),
) -> MarkHints:
    """Return what an item's texts show.

    Args:
        column: the export's column.
        ours: its distinct texts, and how often each stands there.
        theirs: the same of the column that it feeds.
        maxima: the export's maximum and the target's, where they are known.
        allowed: the texts that alone may stand in the target's column, if it lists them.
    """
    out_of, to_out_of = _stated(ours), _stated(theirs)
    spelling = spelling_of(theirs)
    return find_own_hints(ours)._replace(
        to_commas=spelling.commas,
        to_suffix=spelling.suffix,
        to_decimals=_decimals(theirs),
        scale=_scale(column, (ours, theirs), maxima[0] or out_of, maxima[1] or to_out_of, allowed),
        out_of=out_of,
        to_out_of=to_out_of,
        thousands=_thousands(ours, maxima[0] or out_of),
    )


def find_own_hints(texts: Mapping[str, int]) -> MarkHints:
    """Return what the export's texts of an item show, whether or not it feeds anything: it may count in a total."""
    kinds = {text: kind_of_mark(text) for text in texts}
    commas = decimal_comma(dict(texts))
    either = 0 if commas else _either(texts)
    statuses, flags = Counter[str](), Counter[str]()
    for text, count in texts.items():
        if kinds[text] is Kind.STATUS:
            statuses[fold_word(text)] += count
        is_flagged = kinds[text] in _NUMBERS and read_mark(text, is_comma=bool(commas)) is None
        flag = split_flag(text, is_comma=bool(commas)) if is_flagged else None
        if flag:
            flags[fold_word(flag[1])] += count
    dashes = sum(count for text, count in texts.items() if kinds[text] is Kind.DASH)
    return MarkHints(
        commas=commas, either=either, statuses=tuple(statuses.items()), flags=tuple(flags.items()), dashes=dashes
    )


def _either(texts: Mapping[str, int]) -> int:
    """Return how many marks have a decimal comma, if others have a point."""
    commas = sum(count for text, count in texts.items() if "," in text and read_mark(text, is_comma=True) is not None)
    points = any("." in text and read_mark(text) is not None for text in texts)
    return commas if points else 0


def _thousands(texts: Mapping[str, int], out_of: Decimal | None) -> tuple[str, str]:
    """Return a mark with a sign between its thousands, and how it is to be read; blank where there is none.

    1.500 is 1500 in an item out of 2000, and may be beside 980; beside 2.5 it has decimals.
    """
    signs = [text for text in texts if kind_of_mark(text) in _NUMBERS and _SIGN.search(text)]
    grouped = [text for text in signs if may_be_thousands(text)]
    if not grouped or len(grouped) < len(signs) or (out_of is not None and out_of < _THOUSAND):
        return ("", "")
    beside = any((number := read_number(text)) is not None and number >= _HUNDRED for text in texts)
    if out_of is None and not beside:
        return ("", "")
    return grouped[0].strip(), "none" if out_of is not None else "either"


def _stated(texts: Mapping[str, int]) -> Decimal | None:
    """Return the maximum that every number among some texts states itself, 100 for percent; None if they don't."""
    is_comma = bool(decimal_comma(dict(texts)))
    stated = {mark.out_of for text in texts if (mark := read_mark(text, is_comma=is_comma))}
    return stated.pop() if len(stated) == 1 else None


def _decimals(theirs: Mapping[str, int]) -> int:
    """Return how many decimals every number of the target has, if zeros among them show that they are filled up."""
    numbers = [match for text in theirs if (match := _WITH_DECIMALS.fullmatch(text.strip()))]
    counts = {len(match[1]) for match in numbers}
    are_all = len(numbers) == sum(is_number(text) for text in theirs)
    return counts.pop() if are_all and len(counts) == 1 and any(match[1].endswith("0") for match in numbers) else 0


def _scale(
    column: Column,
    texts: tuple[Mapping[str, int], Mapping[str, int]],
    from_out_of: Decimal | None,
    to_out_of: Decimal | None,
    allowed: Sequence[str],
) -> ScaleProposal | None:
    """Return the scale that an item needs: words for numbers, numbers for words, or words for words."""
    name = fold(column.title).replace(" ", "_") or "scale"
    ours, theirs = texts
    listed = [text for text in allowed if not is_number(text)]
    our_words, their_words = _words(ours), listed or _words(theirs)
    are_numbers_theirs = to_out_of is not None or any(kind_of_mark(text) in _NUMBERS for text in theirs)
    if our_words and len(our_words) <= _FEW:
        if are_numbers_theirs and not their_words:
            words = tuple((word, "") for word in our_words)
            return ScaleProposal(name, "values", words, is_open=True, is_percent=to_out_of is not None)
        known = {fold_word(word): word for word in their_words}
        takes = listed or ([] if any(fold_word(word) in known for word in our_words) else their_words)
        words = tuple((word, known.get(fold_word(word), "" if takes else word)) for word in our_words)
        return ScaleProposal(name, "words", words, is_open=False, is_percent=True, takes=tuple(takes))
    if their_words and len(their_words) <= _FEW and not are_numbers_theirs:
        words = tuple((word, "") for word in their_words)
        return ScaleProposal(name, "bands", words, is_open=True, is_percent=from_out_of is not None)
    return None


def _words(texts: Mapping[str, int]) -> list[str]:
    """Return the different words or letters of an item in which these stand at least as often as numbers."""
    counts: Counter[bool] = Counter()
    found: dict[str, str] = {}
    has_signs = any(set(text.strip()) == {"+"} for text in texts)
    for text, count in texts.items():
        kind = kind_of_mark(text)
        kind = Kind.LETTER if kind is Kind.DASH and has_signs else kind
        if kind in _WORDS | _NUMBERS:
            counts[kind in _WORDS] += count
        if kind in _WORDS:
            found.setdefault(fold_word(text), text.strip())
    return list(found.values()) if counts[True] and counts[True] >= counts[False] else []
