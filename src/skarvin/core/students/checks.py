"""Pairs that may be right and may not: one of other numbers, or one of names that have a word each of their own."""

from collections.abc import Callable, Mapping, Sequence

from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.identifiers import Identifier, IdentifierRule
from skarvin.core.students.likeness import unlike_words
from skarvin.core.students.pairing import Check, HeldStudent, Pair, PairedBy

OTHER_NUMBER, OTHER_NAME = "other_number", "other_name"
"""The keys of a transfer that rule such pairs."""
_WORDS = {OTHER_NUMBER: "the numbers differ", OTHER_NAME: "the names have a word each that resembles none"}
Checked = tuple[list[Pair], list[HeldStudent], tuple[tuple[Pair, str], ...]]
"""The pairs that are made, the held, and those of the pairs that are to be checked, each with its key."""


def checked_pairs(
    certain: Sequence[Pair],
    held: Sequence[HeldStudent],
    rule: IdentifierRule,
    shorts: Mapping[str, frozenset[str]],
    rulings: Mapping[str, Check],
) -> Checked:
    """Return the pairs without those that are to be held, and which of the others are to be checked.

    Args:
        certain: the pairs.
        held: who is held already.
        rule: how identifiers are compared.
        shorts: short forms of given names.
        rulings: what becomes of pairs of each kind.
    """
    numbered = any(pair.by is PairedBy.IDENTIFIER for pair in certain)
    comparable = rule.comparer
    told = {pair.source.row: key for pair in certain if (key := _kind(pair, comparable, shorts, has_numbers=numbered))}
    lost = {row: key for row, key in told.items() if rulings[key] is Check.HOLD}
    more = [
        HeldStudent(pair.source, _why(pair, lost[pair.source.row]), rival=pair.target)
        for pair in certain
        if pair.source.row in lost
    ]
    kept = [pair for pair in certain if pair.source.row not in lost]
    checks = [(pair, told[pair.source.row]) for pair in kept if pair.source.row in told]
    return kept, [*held, *more], tuple((pair, key) for pair, key in checks if rulings[key] is Check.CHECK)


def _kind(
    pair: Pair, comparable: Callable[[str], Identifier], shorts: Mapping[str, frozenset[str]], *, has_numbers: bool
) -> str:
    """Return which of both kinds a pair is of; nothing for one of neither."""
    is_numbered = pair.by is PairedBy.IDENTIFIER
    if is_numbered and pair.source.name == pair.target.name:
        return ""
    ours, theirs = comparable(pair.source.identifier), comparable(pair.target.identifier)
    if is_numbered or (ours and ours == theirs):
        return OTHER_NAME if unlike_words(pair.source.name, pair.target.name, shorts) else ""
    return OTHER_NUMBER if has_numbers and ours and theirs else ""


def _why(pair: Pair, key: str) -> Reason:
    return Reason(Cause.CONFLICTING_IDENTITY, f'may be form {pair.target.row}, but {_WORDS[key]} ({key} = "hold")')


def check_words(key: str) -> str:
    """Return what is said of a pair that is to be checked."""
    return _WORDS[key]
