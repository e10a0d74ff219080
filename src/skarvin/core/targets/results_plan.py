"""How results are written by OneRoster: what a transfer says, and the standard's words for the state of a score."""

from types import MappingProxyType

import msgspec

SCORE_STATUSES = ("exempt", "fully graded", "not submitted", "partially graded", "submitted")
"""The words that OneRoster has for the state of a score."""
MISSING = "missing"
KNOWN_STATUSES = MappingProxyType(
    dict.fromkeys(("exempt", "excused"), "exempt")
    | dict.fromkeys(("absent", "missing", "not submitted", "not handed in"), "not submitted")
    | {"submitted": "submitted", "partially graded": "partially graded"}
)
"""The state of a score for words that an export may have in place of marks."""


class ResultsPlan(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """How results are written into a bundle of OneRoster CSV.

    Attributes:
        delta: whether the bundle has only what changes; else all results of it, as they are then.
        new_items: whether items that the target doesn't have are declared.
    """

    delta: bool = True
    new_items: bool = False
