"""Marks of groups: what is added to single members' marks, and members of whom no group can be told."""

from collections.abc import Iterator
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

from skarvin.core.findings import Row
from skarvin.core.grid.group_grid import GroupGrid
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column
from skarvin.core.layout.groups import ADJUSTMENT, said_of
from skarvin.core.ledger.outcomes import Correction
from skarvin.core.marks.convert import MarkRule
from skarvin.core.plan.plan import Plan
from skarvin.core.texts.folding import fold
from skarvin.core.texts.mark_grammar import read_mark
from skarvin.core.texts.numbers import plain, shortest
from skarvin.core.transfer.sides import Sides


def adjusted_marks(plan: Plan, folder: Path, sides: Sides) -> dict[Row, dict[int, Correction]]:
    """Return what stands in place of members' marks, by the export's rows and columns.

    Raises:
        Unreadable: the list of members can't be read again.
    """
    found: dict[Row, dict[int, Correction]] = {}
    for number, (one, book) in enumerate(zip((plan.source, *plan.export), sides.exports, strict=True)):
        grid = book.grid
        if not isinstance(grid, GroupGrid) or one.members is None:
            continue
        said = said_of(read_grid(folder / one.members.file), one.members.adjustments)
        by = Path(one.members.file).name
        for student in book.students:
            row = student.row
            for item in sides.items:
                place = item.source.in_file(number) if isinstance(item.source, Column) else None
                if place is None or place not in grid.stands_in or not isinstance(item.source, Column):
                    continue
                added = {fold(name): text for name, text in said.get(row.position, {}).items()}
                text = added.get(fold(item.source.heading), "")
                of = grid.group_of(row.position), grid.unclear.get(row.position, "")
                comma = isinstance(item.rule, MarkRule) and item.rule.is_comma
                for correction in _put(grid.cells(row.position)[place], text, of, by, is_comma=comma):
                    found.setdefault(row, {})[item.source.index] = correction
    return found


def _put(mark: str, added: str, of: tuple[str, str], by: str, *, is_comma: bool) -> Iterator[Correction]:
    """Yield what stands in place of a mark, if anything does: with what is added, or held."""
    group, why = of
    if why:
        yield Correction(f"contested: {why}", by, why, contested=why)
    elif added:
        result = adjusted(mark, added, is_comma=is_comma)
        if result is None:
            what = f"'{added}' can't be added to '{mark.strip()}'" if mark.strip() else f"'{added}' is added to no mark"
            yield Correction(f"contested: {added}", by, what, contested=what)
        else:
            yield Correction(result, by, f"{mark.strip()} of '{group}', and {added}")


def adjusted(mark: str, added: str, *, is_comma: bool) -> str | None:
    """Return a mark with what is added to it, or by which it is multiplied; None where that can't be."""
    read, match = read_mark(mark, is_comma=is_comma), ADJUSTMENT.fullmatch(added)
    if read is None or match is None or read.is_percent or (read.out_of and read.out_of != read.number and "/" in mark):
        return None
    sign, more, factor, percent = match.groups()
    number = Fraction(read.number)
    if more:
        number += (1 if sign == "+" else -1) * Fraction(_decimal(more))
    else:
        number *= Fraction(_decimal(factor)) if factor else Fraction(_decimal(percent)) / 100
    text = plain(shortest(number))
    return text.replace(".", ",") if is_comma else text


def _decimal(text: str) -> Decimal:
    return Decimal(text.replace(",", "."))
