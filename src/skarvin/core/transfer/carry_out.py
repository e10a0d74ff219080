"""Carries a transfer out: settle, check, write, look again."""

from array import array
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused, counted
from skarvin.core.grid.fill import filled
from skarvin.core.grid.read import read_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.fates import Fate
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.ledger.second_look import Reading, SecondLook, look_again
from skarvin.core.ledger.settle import settle
from skarvin.core.ledger.totals import ItemTotals, check_balance, item_totals
from skarvin.core.students.notes import class_notes
from skarvin.core.students.pairing import Pairing
from skarvin.core.transfer.made import NOTHING_MADE, MadeMarks
from skarvin.core.transfer.plan import Plan
from skarvin.core.transfer.sides import Sides
from skarvin.core.transfer.who_is_who import PAIRINGS, check_pairing, pair_transfer, pairing_rule


@dataclass(frozen=True)
class Settled:
    """A transfer with a fate for each mark, whose books balance. Nothing is written yet."""

    file: Path
    plan: Plan
    sides: Sides
    pairing: Pairing
    ledger: Ledger
    totals: tuple[ItemTotals, ...]
    made: MadeMarks

    @property
    def notes(self) -> list[Finding]:
        """What is worth knowing of the two classes."""
        rule = pairing_rule(self.plan.students).identifiers
        return class_notes(self.sides.source.students, self.sides.target.students, self.pairing, rule)

    @property
    def is_anything_held(self) -> bool:
        """Whether a person must decide something."""
        return bool(self.ledger.fates[Fate.HELD] or self.pairing.held or self.pairing.source_only)

    @property
    def inputs(self) -> tuple[Path, ...]:
        """The files that are never written to."""
        plan, folder = self.plan, self.file.parent
        others = [one.file for one in plan.crosswalk] + ([plan.roster.file] if plan.roster else [])
        others += [plan.answers.key] if plan.answers.key else []
        grids = (self.sides.source.grid.file, self.sides.target.grid.file)
        return (self.file, folder / PAIRINGS, *grids, *(folder / other for other in others))


@dataclass(frozen=True, slots=True)
class Outputs:
    """The files that a transfer writes."""

    import_file: Path
    restore: Path
    page: Path
    data: Path

    def __iter__(self) -> Iterator[Path]:
        return iter((self.import_file, self.restore, self.page, self.data))


@dataclass(frozen=True)
class Written:
    """What was written, and what the second look found in it."""

    settled: Settled
    outputs: Outputs
    second_look: SecondLook


Report = Callable[[Written, Path], Iterable[tuple[Path, bytes]]]
"""Makes the reports of what was written; the path is where the import file lies until it gets its name."""


def settle_transfer(file: Path, library: Path | None = None) -> Settled:
    """Return the transfer described in `file`, settled and balanced; layouts lie beside it or in the `library`.

    Raises:
        Unreadable: the plan or one of its files can't be understood.
        Refused: something is open, too few students pair, or the books don't balance.
    """
    plan, sides, pairing = pair_transfer(file, library)
    check_pairing(sides, pairing, plan.students.least_paired)
    made = _made(sides, pairing)
    ledger = settle(sides.source, sides.target, pairing, sides.items, made.made, sides.column_map.follows)
    totals = item_totals(ledger)
    check_balance(totals, len(sides.source.students) + len(sides.source.struck))
    return Settled(file, plan, sides, pairing, ledger, tuple(totals), made)


def _made(sides: Sides, pairing: Pairing) -> MadeMarks:
    if not sides.column_map.makes_marks:
        return NOTHING_MADE
    from skarvin.core.transfer.making import make_marks  # noqa: PLC0415 - most transfers make nothing

    return make_marks(sides.source, pairing, sides.column_map)


def outputs_for(settled: Settled, folder: Path) -> Outputs:
    """Return the names of the files that writing will make in `folder`."""
    template = settled.sides.target.grid.file
    return Outputs(
        folder / f"{template.stem}-import{template.suffix}",
        folder / f"{template.stem}-restore{template.suffix}",
        folder / "report.html",
        folder / "ledger.json",
    )


def write_transfer(settled: Settled, outputs: Outputs, report: Report, *, replace_existing: bool) -> Written:
    """Write the import file, look at it again, and put it and its reports in place together.

    Raises:
        Refused: a file is there already or can't be written, or the second look finds a fault; nothing is left then.
    """
    with Delivery(replace=replace_existing, inputs=settled.inputs) as delivery:
        delivery.check(*outputs)
        staged, second_look = _stage_import_file(settled, outputs.import_file, delivery)
        delivery.stage(outputs.restore, [read_bytes(settled.sides.target.grid.file)])
        written = Written(settled, outputs, second_look)
        for path, data in report(written, staged):
            delivery.stage(path, [data])
        delivery.commit()
    return written


def _stage_import_file(settled: Settled, path: Path, delivery: Delivery) -> tuple[Path, SecondLook]:
    """Write the import file where it isn't in place yet, and look at it again; return where it lies."""
    ledger, form = settled.ledger, settled.sides.form
    columns = [item.target.index for item in ledger.fed if item.target]
    rows = _target_rows(ledger, len(columns))
    spell = form.dialect.spell
    spelled = [
        outcome.raw if outcome.written is None else spell(outcome.written, outcome.raw) for outcome in ledger.outcomes
    ]
    staged = delivery.stage(path, filled(form, columns, rows, spelled))
    texts = [outcome.held if outcome.written is None else outcome.written for outcome in ledger.outcomes]
    return staged, _second_look(settled, staged, path, columns, rows, texts)


def _target_rows(ledger: Ledger, width: int) -> "dict[int, array[int]]":
    """Return for each target row the codes of its cells; of several source rows, the code that meets the cell."""
    aside = {code for code, outcome in enumerate(ledger.outcomes) if outcome.slug == "repeated"}
    rows: dict[int, array[int]] = {}
    for entry in ledger.entries:
        if entry.target:
            codes = ledger.codes.row(entry.row)[:width]
            before = rows.setdefault(entry.target.row, codes)
            if before is not codes:
                merged = (a if b in aside else b for a, b in zip(before, codes, strict=True))
                rows[entry.target.row] = array("I", merged)
    return rows


def _second_look(  # noqa: PLR0913 - handed on as they are
    settled: Settled,
    staged: Path,
    final: Path,
    columns: list[int],
    rows: "Mapping[int, array[int]]",
    texts: list[str],
) -> SecondLook:
    """Look at the staged file again, and compare the cells that differ with the marks that were sent or changed."""
    grid = settled.sides.form
    dialect = grid.dialect
    reading = Reading(grid.encoding.reading_codec, dialect.delimiter, dialect.quote, dialect.escape)
    try:
        found = look_again(grid.file, staged, reading, columns, rows, texts, settled.sides.added)
    except Refused as error:
        named = [
            replace(finding, place=replace(finding.place, file=final)) if finding.place else finding
            for finding in error.findings
        ]
        raise Refused(*named) from None
    for one in settled.totals:
        target = one.item.target
        if target and found.differing[target.index] != one.differing:
            what = (
                f"{counted(found.differing[target.index], 'cell differs', 'cells differ')} from the template, "
                f"and the ledger says {one.differing}"
            )
            place = Place(final, None, target.index, target.heading)
            raise Refused(Finding("second-look", what, place, "The import file was withdrawn."))
    return found
