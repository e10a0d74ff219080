"""Carries a transfer out: settle, check, write, look again."""

from array import array
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused, Unreadable, counted
from skarvin.core.grid.fill import filled
from skarvin.core.grid.read import read_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.ledger.fates import Fate
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.ledger.second_look import Reading, SecondLook, look_again
from skarvin.core.ledger.settle import settle
from skarvin.core.ledger.totals import ItemTotals, check_balance, item_totals
from skarvin.core.students.deciding import NameUse, PairingRule, pair_students
from skarvin.core.students.decisions import read_decisions
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.names import words
from skarvin.core.students.pairing import Pairing
from skarvin.core.students.repeated import Repeated
from skarvin.core.transfer.identities import know_identities
from skarvin.core.transfer.lines import find_line
from skarvin.core.transfer.plan import Plan, StudentsPlan
from skarvin.core.transfer.reading import read_plan
from skarvin.core.transfer.sides import Sides, read_sides

PAIRINGS = "pairings.csv"
"""Where a person's decisions stand, beside the transfer."""


@dataclass(frozen=True)
class Settled:
    """A transfer with a fate for each mark, whose books balance. Nothing is written yet."""

    file: Path
    plan: Plan
    sides: Sides
    pairing: Pairing
    ledger: Ledger
    totals: tuple[ItemTotals, ...]

    @property
    def is_anything_held(self) -> bool:
        """Whether a person must decide something."""
        return bool(self.ledger.fates[Fate.HELD] or self.pairing.held or self.pairing.source_only)

    @property
    def inputs(self) -> tuple[Path, ...]:
        """The files that are never written to."""
        return (self.file, self.sides.source.grid.file, self.sides.target.grid.file)


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
    _check_pairing(sides, pairing, plan.students.least_paired)
    ledger = settle(sides.source, sides.target, pairing, sides.items)
    totals = item_totals(ledger)
    check_balance(totals, len(sides.source.students) + len(sides.source.struck))
    return Settled(file, plan, sides, pairing, ledger, tuple(totals))


def pair_transfer(file: Path, library: Path | None = None) -> tuple[Plan, Sides, Pairing]:
    """Return the plan in `file`, its two gradebooks, and who is who in them.

    Raises:
        Unreadable: the plan or one of its files can't be understood.
        Refused: something is open.
    """
    plan, text = read_plan(file)
    sides = read_sides(plan, text, file, [file.parent, *([library] if library else [])])
    decisions = read_decisions(file.parent / PAIRINGS)
    rule = pairing_rule(plan.students)
    known = know_identities(plan, text, file, sides.target, rule.identifiers)
    rule = replace(rule, crosswalk=known.crosswalk, dates=_dates(plan, sides, (file, text)))
    return plan, sides, pair_students(sides.source.students, known.target, rule, decisions)


def pairing_rule(rules: StudentsPlan) -> PairingRule:
    """Return the rule for pairing that a plan states."""
    identifiers = IdentifierRule(
        rules.ignore_prefix,
        rules.ignore_suffix,
        rules.ignore_domain,
        rules.ignore_dashes,
        rules.ignore_case,
        rules.ignore_leading_zeros,
    )
    shorts = {
        " ".join(words(name)): frozenset(" ".join(words(one)) for one in forms)
        for name, forms in rules.short_forms.items()
    }
    return PairingRule(
        identifiers,
        NameUse(rules.names),
        rules.leave_out,
        rules.only,
        rules.only_sections,
        repeated=Repeated(rules.repeated),
        short_forms=shorts,
    )


def _dates(plan: Plan, sides: Sides, where: tuple[Path, str]) -> dict[int, str]:
    """Return the texts of the column by which the latest of several rows is told."""
    if Repeated(plan.students.repeated) is not Repeated.LATEST:
        return {}
    book = sides.source
    file, text = where
    try:
        column = find_column(book.layout.columns, plan.students.repeated_by)
    except NoSuchColumn as error:
        place = Place(file, line=find_line(text, "students", "repeated_by") or find_line(text, "students", "repeated"))
        mend = 'Name the column with the dates: repeated_by = "...".'
        raise Unreadable(Finding("no-such-column", f"repeated_by: {error}", place, mend)) from None
    return {student.row: book.grid.cells(student.row)[column.index] for student in book.students}


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
    target, ledger = settled.sides.target, settled.ledger
    columns = [item.target.index for item in ledger.fed if item.target]
    rows = _target_rows(ledger, len(columns))
    with Delivery(replace=replace_existing, inputs=settled.inputs) as delivery:
        delivery.check(*outputs)
        form = settled.sides.form
        spell = form.dialect.spell
        spelled = [
            outcome.raw if outcome.written is None else spell(outcome.written, outcome.raw)
            for outcome in ledger.outcomes
        ]
        staged = delivery.stage(outputs.import_file, filled(form, columns, rows, spelled))
        texts = [outcome.held if outcome.written is None else outcome.written for outcome in ledger.outcomes]
        second_look = _second_look(settled, staged, outputs.import_file, columns, rows, texts)
        delivery.stage(outputs.restore, [read_bytes(target.grid.file)])
        written = Written(settled, outputs, second_look)
        for path, data in report(written, staged):
            delivery.stage(path, [data])
        delivery.commit()
    return written


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
        found = look_again(grid.file, staged, reading, columns, rows, texts)
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


def _check_pairing(sides: Sides, pairing: Pairing, least: int) -> None:
    """Refuse a transfer in which so few students pair that the files can't belong together."""
    if pairing.pairs and pairing.share * 100 >= least:
        return
    source, target = sides.source, sides.target
    asked = len(pairing.pairs) + len(pairing.held) + len(pairing.source_only)
    names = sum(1 for one in pairing.pairs if one.by == "name")
    what = (
        f"{len(pairing.pairs)} of {asked} students pair ('{source.identifier.heading}' with "
        f"'{target.identifier.heading}'), and at least {least}% must; by name alone: {names}"
    )
    mend = (
        "Is this the right class's file? If identifiers are only written differently, see [students] in the transfer."
    )
    raise Refused(Finding("too-few-pairs", what, source.grid.place(), mend))
