"""What later attempts count for: at most so much, or less by a number or a share, as a person rules."""

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

from skarvin.core.findings import Finding, Place, Row, Unreadable
from skarvin.core.layout.columns import Column
from skarvin.core.layout.groups import ADJUSTMENT
from skarvin.core.ledger.outcomes import Correction
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.scales import WHOLE
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.plan import Plan
from skarvin.core.students.pairing import Pairing
from skarvin.core.texts.mark_grammar import read_mark
from skarvin.core.texts.moments import in_time
from skarvin.core.texts.numbers import plain, shortest
from skarvin.core.texts.patterns import pattern
from skarvin.core.transfer.group_marks import adjusted
from skarvin.core.transfer.sides import Sides

_AT_MOST = pattern(r"\s*at most\s+(\d{1,6}(?:[.,]\d{1,6})?)\s*(%?)\s*")
_BY = "later attempts"


def later_attempts(
    plan: Plan, where: tuple[Path, str], sides: Sides, pairing: Pairing, dates: Mapping[Row, str]
) -> dict[Row, dict[int, Correction]]:
    """Return what stands in place of later attempts' marks, by the export's rows and columns.

    Args:
        plan: the plan.
        where: its file and text.
        sides: both sides.
        pairing: who is who.
        dates: when each row's marks were given, where a column says so; else the order of the rows is that of time.

    Raises:
        Unreadable: the rule isn't one.
    """
    told = plan.students.later_attempts
    if not told:
        return {}
    if not (_AT_MOST.fullmatch(told) or ADJUSTMENT.fullmatch(told)):
        what = f'later_attempts = "{told}": it is no rule'
        place = Place(where[0], line=find_line(where[1], "students", "later_attempts"))
        raise Unreadable(
            Finding("bad-value", what, place, 'Write one like "at most 60%", "at most 12", "-2" or "x0.8".')
        )
    rows: dict[Row, list[Row]] = {}
    for pair in pairing.pairs:
        rows.setdefault(pair.target.row, []).append(pair.source.row)
    found: dict[Row, dict[int, Correction]] = {}
    for same in rows.values():
        for item in sides.items if len(same) > 1 else ():
            if isinstance(item.source, Column) and isinstance(item.rule, MarkRule):
                for row, correction in _of_item(sides, same, item.source.index, item.rule, told, dates):
                    found.setdefault(row, {})[item.source.index] = correction
    return found


def _of_item(  # noqa: PLR0913 - the rows, the item, the rule and the order
    sides: Sides, same: Sequence[Row], column: int, rule: MarkRule, told: str, dates: Mapping[Row, str]
) -> Iterator[tuple[Row, Correction]]:
    """Yield what stands in place of each mark behind the first."""
    filled = [row for row in same if not rule.is_blank(sides.source.text(row, column))]
    order = in_time([dates.get(row, "") for row in filled]) if dates and len(filled) > 1 else None
    ordered = filled if order is None else [filled[place] for place in order]
    for number, row in enumerate(ordered[1:], 2):
        text = sides.source.text(row, column)
        counts_for = limited(text, told, rule)
        if counts_for is not None and counts_for != text.strip():
            yield row, Correction(counts_for, _BY, f"attempt {number}: {told}")


def limited(text: str, told: str, rule: MarkRule) -> str | None:
    """Return what a later attempt's mark counts for; None where it is no number, or its maximum isn't known."""
    match = _AT_MOST.fullmatch(told)
    if match is None:
        return adjusted(text, told, is_comma=rule.is_comma)
    read = read_mark(text, is_comma=rule.is_comma)
    if read is None:
        return None
    base = read.out_of or rule.from_out_of
    most = Fraction(Decimal(match[1].replace(",", ".")))
    if match[2]:
        if base is None:
            return None
        most *= Fraction(base) / Fraction(WHOLE)
    if Fraction(read.number) <= most:
        return text.strip()
    number = plain(shortest(most))
    behind = "%" if read.is_percent else ""
    return (number.replace(".", ",") if rule.is_comma else number) + behind
