"""Tables of one system's identifiers beside another's, and chains of them."""

from collections.abc import Iterable, Sequence

import msgspec

from skarvin.core.students.identifiers import Identifier, IdentifierRule


class Crosswalk(msgspec.Struct, frozen=True):
    """From a source identifier, as it is compared, to the target's as it is written; what isn't one to one is left out.

    `unclear` are the identifiers that stand beside several others, or beside one that others stand beside, too.
    """

    known: dict[Identifier, str]
    unclear: frozenset[Identifier] = frozenset()

    def then(self, other: "Crosswalk", rule: IdentifierRule) -> "Crosswalk":
        """Return the crosswalk that leads through both."""
        known, unclear = {}, set(self.unclear)
        for start, middle in self.known.items():
            key = rule.comparable(middle)
            if key in other.known:
                known[start] = other.known[key]
            elif key in other.unclear:
                unclear.add(start)
        return Crosswalk(known, frozenset(unclear))


def make_crosswalk(rows: Iterable[tuple[str, str]], rule: IdentifierRule) -> Crosswalk:
    """Return the crosswalk of rows with a source's and a target's identifier. The same row twice is one row."""
    pairs: dict[tuple[Identifier, Identifier], str] = {}
    for ours, theirs in rows:
        keys = (rule.comparable(ours), rule.comparable(theirs))
        if all(keys):
            pairs.setdefault(keys, theirs.strip())
    starts: dict[Identifier, int] = {}
    ends: dict[Identifier, int] = {}
    for start, end in pairs:
        starts[start] = starts.get(start, 0) + 1
        ends[end] = ends.get(end, 0) + 1
    known = {start: text for (start, end), text in pairs.items() if starts[start] == ends[end] == 1}
    return Crosswalk(known, frozenset(start for start, _ in pairs if start not in known))


def chain(crosswalks: Sequence[Crosswalk], rule: IdentifierRule) -> Crosswalk | None:
    """Return the crosswalk that leads through all of them, in their order; None if there are none."""
    if not crosswalks:
        return None
    whole = crosswalks[0]
    for crosswalk in crosswalks[1:]:
        whole = whole.then(crosswalk, rule)
    return whole
