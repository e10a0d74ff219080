"""Rules that several transfers share: what a transfer doesn't say itself is taken from the file that it names."""

from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import Any

from skarvin.core.plan.plan import OPEN

_OF_A_FILE = frozenset(
    {
        "file",
        "layout",
        "sheet",
        "heading_row",
        "names",
        "uses",
        "student_sheets",
        "members",
        "section",
        "item",
        "shared",
        *("encoding", "delimiter", "quotes", "skip_hidden", "skip_controls"),
    }
)
OWN: Mapping[str, frozenset[str]] = MappingProxyType(
    {
        "about": frozenset({"class"}),
        "source": _OF_A_FILE,
        "target": _OF_A_FILE | {"sample", "typing", "lines", "clear"},
        "students": frozenset({"earlier_pairings", "only", "only_sections", "leave_out"}),
        "marks": frozenset(),
        "answers": frozenset({"key"}),
        "since": frozenset(
            {"sent_ledger", "sent_file", "sent_export", "target_now", "target_now_pair", "target_now_items"}
        ),
    }
)
"""Tables of which each key is taken for itself, and their keys that say something of one class, or of its files."""
_BY_NAME = ("statuses", "scale", "categories")
_WHOLE = ("total", "constant", "comment", "feedback")


def take_over(raw: dict[str, Any], rules: Mapping[str, Any]) -> Iterator[str]:
    """Put into a transfer what it doesn't say itself, and yield what that is: `marks.existing`.

    Args:
        raw: the transfer as it was read.
        rules: the file of rules, or another transfer.
    """
    for table, of_a_class in OWN.items():
        own = raw.setdefault(table, {}) if isinstance(rules.get(table), dict) else {}
        for key, value in rules.get(table, {}).items() if isinstance(own, dict) else ():
            if key not in own and key not in of_a_class and value != OPEN:
                own[key] = value
                yield f"{table}.{key}"
    for table in _BY_NAME:
        own = raw.setdefault(table, {}) if isinstance(rules.get(table), dict) else {}
        for name, value in rules.get(table, {}).items() if isinstance(own, dict) else ():
            if name not in own and value != OPEN:
                own[name] = value
                yield f"{table}.{name}"
    for table in _WHOLE:
        if table in rules and table not in raw:
            raw[table] = rules[table]
            yield table


def without_own(rules: Mapping[str, Any]) -> dict[str, Any]:
    """Return a file of rules as a whole transfer, whose files are named as somebody will name them."""
    blank = {"file": "-", "identifier": "-"}
    sides = {
        side: {**blank, **(told if isinstance(told := rules.get(side, {}), dict) else {})}
        for side in ("source", "target")
    }
    return {"version": 1, **rules, **sides}
