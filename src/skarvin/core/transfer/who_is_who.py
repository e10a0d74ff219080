"""Who is who in a transfer: the plan's rules, its roster and crosswalks, and a person's decisions."""

from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from msgspec.structs import replace

from skarvin.core.findings import Finding, Place, Refused, Row, Unreadable, counted
from skarvin.core.gradebook import Gradebook, NonStudent, Student
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import IDENTIFIERS, Use
from skarvin.core.layout.numbered import numbering_columns
from skarvin.core.marks.choices import Adding, Repeated
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.plan import Plan, StudentsPlan, TargetPlan
from skarvin.core.plan.reading import AS_NAMED, Instead, PlanFile, read_plan
from skarvin.core.progress import report_progress
from skarvin.core.reasons import Cause, Reason
from skarvin.core.students.by_name import BIRTH_DATES
from skarvin.core.students.crossing import SameNumbers
from skarvin.core.students.decision_list import Decision, read_decisions
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.students.pair_students import PairingRule, pair_students
from skarvin.core.students.pairing import Further, InVain, PairedBy, Pairing, without_rows
from skarvin.core.students.strangers import guesses
from skarvin.core.texts.names import words
from skarvin.core.transfer.corrections import with_listed_decisions
from skarvin.core.transfer.known import Identities
from skarvin.core.transfer.narrowing import check_entries
from skarvin.core.transfer.sides import Sides, read_sides

_ROWS_MEND = 'Delete these lines; or write add = "below", and students who are not in the form get a row.'


def pairings_file(transfer: Path) -> Path:
    """Return where a person's decisions about a transfer stand: each transfer of a folder has its own."""
    return transfer.with_name("pairings.csv" if transfer.name == "transfer.toml" else f"{transfer.stem}-pairings.csv")


class PairedTransfer(NamedTuple):
    """A plan and its text, its two gradebooks, who is who in them, and the roster if there is one.

    The fingerprints are the SHA-256 of the plan's file, and of the file with a person's decisions if there is one.
    """

    plan: Plan
    text: str
    sides: Sides
    pairing: Pairing
    fingerprint: str
    roster: Gradebook | None = None
    notes: tuple[Finding, ...] = ()
    dates: Mapping[Row, str] = MappingProxyType({})
    decided: str = ""
    taken_over: tuple[str, ...] = ()


def pair_transfer(
    file: Path, library: Path | None = None, in_vain: Sequence[InVain] = (), instead: Instead = AS_NAMED
) -> PairedTransfer:
    """Return the plan in `file`, its two gradebooks, and who is who in them; some students get no row in the form.

    Args:
        file: the transfer.
        library: where a user's layouts lie.
        in_vain: who gets no row.
        instead: files in place of those that it names.

    Raises:
        Unreadable: the plan or one of its files can't be understood.
        Refused: something is open.
    """
    return pair_plan(read_plan(file, instead), file, library, in_vain)


def pair_plan(
    read: PlanFile, file: Path, library: Path | None = None, in_vain: Sequence[InVain] = ()
) -> PairedTransfer:
    """Return what `pair_transfer` does of a plan that was read from a file.

    Raises:
        Unreadable: one of its files can't be understood.
        Refused: something is open.
    """
    plan, text, fingerprint, taken_over = read
    sides = read_sides(plan, text, file, [file.parent, *([library] if library else [])])
    report_progress("pairing the students")
    decisions = read_decisions(pairings_file(file))
    decisions, listed = with_listed_decisions(file, decisions, sides.source)
    decisions = replace(decisions, earlier=_earlier(plan, file.parent))
    rule = pairing_rule(plan.students)
    entries = check_entries(plan.students, sides.source, rule.identifiers, (file, text))
    sides = _without_numbered_lines(sides)
    if plan.target.clear and sides.target.students:
        from skarvin.core.transfer.added_rows import cleared  # noqa: PLC0415 - most forms keep their students

        sides = _without_numbered_lines(cleared(sides))
    listing = None
    if plan.list:
        from skarvin.core.transfer.listed import read_listed  # noqa: PLC0415 - most transfers have no list

        listing = read_listed(plan, file.parent, sides, rule)
        sides = sides._replace(listed=listing.places)
        rule = replace(rule, listed=frozenset(listing.places), doubtful=listing.doubtful)
    known = _known(plan, (file, text), sides, rule)
    is_bare = not sides.target.students
    by_roster = known.roster if is_bare and sides.source.identifier is None else None
    not_made: tuple[Finding, ...] = ()
    idle = {place for one in in_vain for place in one.places}
    if is_bare:
        from skarvin.core.transfer import added_rows  # noqa: PLC0415 - most forms have students
    if by_roster:
        sides = sides._replace(markless=added_rows.without_marks(sides, rule))
        known = known._replace(target=added_rows.on_roster(by_roster, rule), crosswalk=None)
    elif is_bare:
        sides, written, not_made = added_rows.with_students(sides, rule, plan.target, known.crosswalk, idle)
        sides = _without_numbered_lines(sides)
        known = known._replace(target=sides.target.students, crosswalk=written)
    elif _makes_rows(plan.target) and plan.target.add is Adding.NOBODY:
        what = "the form has students, so no rows are made to which this could apply"
        place = Place(file, line=find_line(text, "target"))
        raise Unreadable(Finding("no-rows-made", f"identifiers and what is added to them: {what}", place, _ROWS_MEND))
    rule = replace(
        rule,
        unknown=known.unknown,
        markless=sides.markless,
        better_than_names=_better_than_names(sides._replace(target=by_roster or sides.target)),
        crosswalk=known.crosswalk,
        counts_together=plan.repeated != {Repeated.HOLD},
        others=_others(plan, sides, (file, text)),
        further=_further(sides._replace(target=by_roster or sides.target)),
        same_numbers=tuple(_same_numbers(sides, plan)),
    )
    dates = _dates(plan, sides, (file, text))
    pairing = _of_this_form(plan, pair_students(sides.source.students, known.target, rule, decisions))
    if plan.target.add is Adding.BELOW and not is_bare:
        from skarvin.core.transfer.added_rows import with_newcomers  # noqa: PLC0415 - few transfers add rows

        sides, pairing = with_newcomers(sides, without_rows(pairing, in_vain), rule, plan.target, known.crosswalk)
        sides = _without_numbered_lines(sides)
    if by_roster:
        sides, pairing = added_rows.with_roster(sides, pairing, by_roster, rule, plan.target, in_vain)
        sides = _without_numbered_lines(sides)
    elif is_bare:
        pairing = without_rows(pairing, in_vain)
    notes = (*entries, *listed, *not_made, *_counts_kept(sides), *pairing.notes, *(listing.notes if listing else ()))
    return PairedTransfer(
        plan, text, sides, pairing, fingerprint, known.roster, notes, dates, decisions.fingerprint, taken_over
    )


def _of_this_form(plan: Plan, pairing: Pairing) -> Pairing:
    """Return a pairing in which, of an export for several forms, whoever isn't in this one is another's."""
    if not plan.source.shared:
        return pairing
    held = [one for one in pairing.held if one.why.cause is Cause.NOT_IN_FORM]
    others = (*(one.student for one in held), *pairing.source_only)
    return replace(
        pairing,
        held=tuple(one for one in pairing.held if one not in held),
        source_only=(),
        left_out=tuple(sorted((*pairing.left_out, *others), key=lambda student: student.row)),
        elsewhere=frozenset(student.row for student in others),
    )


def _counts_kept(sides: Sides) -> Iterator[Finding]:
    """Yield the last lines of a sample that say how many people it has, where another number is written."""
    for row, count in sides.composition.counted if sides.composition else ():
        if count != len(sides.added):
            written = counted(len(sides.added), "row is", "rows are")
            what = f"the sample's last line is kept as it is: it says {count}, as many as its people, and {written}"
            mend = "Correct the number before you upload the file."
            yield Finding("end-line-count", f"{what} written", row.place(), mend)


def _earlier(plan: Plan, folder: Path) -> tuple[Decision, ...]:
    """Return what was decided in earlier terms.

    Raises:
        Unreadable: a file isn't there, or holds no decisions.
    """
    found: list[Decision] = []
    for name in plan.students.earlier_pairings:
        if not (folder / name).exists():
            mend = "Name the pairings of an earlier transfer, or take the line away."
            raise Unreadable(
                Finding("no-pairings", "earlier_pairings: there is no such file", Place(folder / name), mend)
            )
        found += (replace(one, carried_from=name) for one in read_decisions(folder / name).rows)
    return tuple(found)


def _without_numbered_lines(sides: Sides) -> Sides:
    """Return the sides without those of the form's rows that end it, or say nothing but the line's number."""
    target, ends = sides.target, frozenset(sides.ends)
    if all((one.identifier.strip() or one.name) and one.row.position not in ends for one in target.students):
        return sides
    layout, numbering = target.layout, numbering_columns(target.grid, target.layout)
    telling = [column.index for column in layout.identifiers if column.index not in numbering]

    def is_somebody(student: Student) -> bool:
        return student.row.position not in ends and bool(
            student.identifier.strip() or student.name or any(target.text(student.row, one).strip() for one in telling)
        )

    students = tuple(filter(is_somebody, target.students))
    nobody = Reason(Cause.NOBODY, "has no identifier and no name")
    others = [NonStudent(student, nobody) for student in target.students if not is_somebody(student)]
    return sides._replace(target=replace(target, students=students, non_students=(*target.non_students, *others)))


def _known(plan: Plan, where: tuple[Path, str], sides: Sides, rule: PairingRule) -> Identities:
    """Return what is known of the target's students besides the form."""
    if not plan.roster and not plan.crosswalk:
        return Identities(sides.target.students, None)
    from skarvin.core.transfer.identities import know_identities  # noqa: PLC0415 - most plans have neither

    return know_identities(plan, where, sides.target, rule.identifiers, sides.folders)


def _makes_rows(target: TargetPlan) -> bool:
    plain = TargetPlan(file=target.file, identifier=target.identifier)
    keys = ("identifiers", "add_prefix", "add_suffix", "identifier_width")
    return any(getattr(target, key) != getattr(plain, key) for key in keys)


def _better_than_names(sides: Sides) -> str:
    """Return what both files have that tells their students apart better than names do."""
    books = (sides.source, sides.target)
    if all(book.identifier and book.identifier.use in IDENTIFIERS for book in books):
        return "numbers"
    return BIRTH_DATES if all(book.layout.of_use(Use.BIRTH) for book in books) else ""


_FURTHER: Mapping[Use, str] = MappingProxyType({Use.EMAIL: "e-mail", Use.USERNAME: "user name", Use.KEY: "key"})


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
        " ".join(words(name)): frozenset(" ".join(words(text)) for text in forms)
        for name, forms in rules.short_forms.items()
    }
    return PairingRule(
        identifiers=identifiers,
        names=rules.names,
        certainty=rules.certainty,
        equal_names=rules.equal_names,
        other_number=rules.other_number,
        other_name=rules.other_name,
        leave_out=rules.leave_out,
        only=rules.only,
        only_sections=rules.only_sections,
        short_forms=shorts,
    )


def _dates(plan: Plan, sides: Sides, where: tuple[Path, str]) -> dict[Row, str]:
    """Return the texts of the column by which several rows are put in the order of time; those of a log are in it."""
    if all(book.grid.stands_in for book in sides.exports):
        return {}
    if not plan.students.repeated_by and (Repeated.LATEST not in plan.repeated or plan.export):
        return {}  # the order of the rows, of several exports that of the files, is the order of time
    if not plan.students.repeated_by:
        place = Place(where[0], line=find_line(where[1], "students", "repeated_by"))
        what = "which of several rows is the latest can't be told without dates"
        mend = 'Write the heading of the column with the dates: repeated_by = "Date"; or another rule in repeated.'
        raise Unreadable(Finding("no-dates", what, place, mend))
    return _texts(sides.source, plan.students.repeated_by, where, ("students", "repeated_by", 0))


def _further(sides: Sides) -> tuple[Further, ...]:
    """Return what both files have besides that tells students apart: addresses, user names, other numbers."""
    found = []
    for use, title in _FURTHER.items():
        columns = [
            next((one for one in book.layout.of_use(use) if one != book.identifier), None)
            for book in (sides.source, sides.target)
        ]
        if all(columns):
            texts = (
                {student.row: book.text(student.row, column.index) for student in book.students}
                for book, column in zip((sides.source, sides.target), columns, strict=True)
                if column
            )
            found.append(Further(title, *texts))
    return tuple(found)


def _same_numbers(sides: Sides, plan: Plan) -> Iterator[SameNumbers]:
    """Yield each two columns of identifiers, one of each file."""
    books = (sides.source, sides.target)
    named = {also.source for also in plan.also} | {also.target for also in plan.also}
    for ours in books[0].layout.identifiers:
        for theirs in books[1].layout.identifiers:
            if {ours.heading, theirs.heading} & named:
                continue
            is_pairing = (ours, theirs) == (books[0].identifier, books[1].identifier)
            texts = (partial(_text_in, books[0], ours.index), partial(_text_in, books[1], theirs.index))
            yield SameNumbers(*texts, f"'{ours.heading}'", is_pairing)


def _text_in(book: Gradebook, column: int, row: Row) -> str:
    return book.text(row, column)


def _others(plan: Plan, sides: Sides, where: tuple[Path, str]) -> tuple[tuple[dict[Row, str], dict[Row, str]], ...]:
    """Return the further identifiers of both sides, by row."""
    return tuple(
        (
            _texts(sides.source, also.source, where, ("also", "from", index)),
            _texts(sides.target, also.target, where, ("also", "to", index)),
        )
        for index, also in enumerate(plan.also)
    )


def _texts(book: Gradebook, name: str, where: tuple[Path, str], at: tuple[str, str, int]) -> dict[Row, str]:
    """Return the texts of a column that the plan names, by the students' rows."""
    file, text = where
    table, key, index = at
    try:
        column = find_column(book.layout.columns, name)
    except NoSuchColumn as error:
        place = Place(file, line=find_line(text, table, key, index))
        raise Unreadable(Finding("no-such-column", f"{key}: {error}", place, "Name a column that is there.")) from None
    return {student.row: book.cells(student.row)[column.index] for student in book.students}


def _is_repeated(source: Gradebook) -> bool:
    """Tell whether an identifier stands in several rows of the export."""
    told = [identifier for one in source.students if (identifier := one.identifier.strip())]
    return len(set(told)) < len(told)


def check_pairing(sides: Sides, pairing: Pairing, least: int) -> None:
    """Refuse a transfer in which so few students pair that the files can't belong together."""
    if pairing.pairs and pairing.share * 100 >= least:
        return
    source, target = sides.source, sides.target
    asked = len(pairing.pairs) + len(pairing.held) + len(pairing.source_only)
    if not asked and pairing.left_out:
        what = f"all {counted(len(pairing.left_out), 'student')} are left out by [students] or by a [[list]]"
        if pairing.elsewhere:
            what = "no student of the export is in this form"
        raise Refused(
            Finding("too-few-pairs", what, source.grid.place(), "Is it this class's list? Correct these lines.")
        )
    people = "rows with students" if pairing.people < len(pairing.pairs) or _is_repeated(source) else "students"
    names = sum(1 for pair in pairing.pairs if pair.by is PairedBy.NAME)
    why = "".join(f"; {guess}" for guess in guesses(source, target))
    twice = [one.student for one in pairing.held if one.why.cause is Cause.IDENTIFIER_TWICE]
    if twice and len({one.identifier for one in twice}) == len({(one.identifier, one.name) for one in twice}):
        why += f'; {counted(len(twice), "row is", "rows are")} of students with several: repeated = "agree" under '
        why += "[students] takes the marks that agree"
    what = (
        f"{len(pairing.pairs)} of {asked} {people} are paired ({source.told_by} with {target.told_by}), and at least "
        f"{least}% must be; by name alone: {names}{why}"
    )
    mend = (
        "Is this the right class's file? If identifiers are only written differently, see [students] in the transfer."
    )
    doubtful = [one.why for one in pairing.held if one.why.cause is Cause.NAME_ALONE]
    if any('names = "pair"' in why.words for why in doubtful):
        mend = 'If names are enough to tell these students, write names = "pair" under [students].'
    elif doubtful or names:
        mend = "Who may be meant, and where to decide it: skarvin students"
    raise Refused(Finding("too-few-pairs", what, source.grid.place(), mend))
