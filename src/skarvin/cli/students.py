"""`skarvin students`: who is paired with whom, on what evidence, and a person's decisions."""

from collections import Counter
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

import click

from skarvin.cli.brief import is_brief
from skarvin.cli.clock import day
from skarvin.cli.next_command import command_line, next_line
from skarvin.cli.output import (
    PATH,
    heading,
    json_option,
    library,
    more,
    print_json,
    tell_elsewhere,
    tidy,
    warning,
)
from skarvin.cli.progress_line import progress_line
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.terminal import echo
from skarvin.cli.which_transfer import for_one_run, other_files, transfer_option
from skarvin.core.findings import Finding, counted
from skarvin.core.gradebook import Student
from skarvin.core.grid.save import Delivery
from skarvin.core.plan.named_files import files_of_transfers
from skarvin.core.students.decision_list import Decisions, decisions_text, read_decisions
from skarvin.core.students.differing import differing_pairs
from skarvin.core.students.notes import class_notes
from skarvin.core.students.pairing import HeldStudent, PairedBy, Pairing, count_people, counted_people
from skarvin.core.transfer.enrich import enriched
from skarvin.core.transfer.settling import pair_as_settled
from skarvin.core.transfer.sides import Sides
from skarvin.core.transfer.who_is_who import PairedTransfer, pairing_rule, pairings_file
from skarvin.reports.data import finding_data
from skarvin.reports.mask import masker

_SHORT, _FEW = 12, 4
_PAIR_HEADS = (
    Head("row", is_number=True),
    Head("identifier", rank=2),
    Head("student", most=30, least=16),
    Head("row there", rank=1, is_number=True),
    Head("student there", most=30, least=16),
    Head("by"),
)


@click.command()
@transfer_option
@for_one_run
@click.option("--decide", "is_deciding", is_flag=True, help="Go through the students to confirm at the keyboard.")
@click.option("--enrich", type=PATH, help="Write the export again, with the form's identifiers, to this file.")
@click.option("--replace", is_flag=True, help="Replace that file if it is there.")
@click.option("-a", "--all", "show_all", is_flag=True, help="Show full lists.")
@click.option("--mask", "is_masked", is_flag=True, help="Replace names and identifiers with codes, the same each run.")
@json_option
def command(  # noqa: PLR0913 - the options of a command
    transfer: Path,
    export: Path | None,
    form: Path | None,
    is_deciding: bool,
    enrich: Path | None,
    replace: bool,
    show_all: bool,
    is_masked: bool,
    as_json: bool,
) -> int:
    """Show who is paired with whom, and on what evidence.

    Those to confirm stand first, with suggestions, and are kept in pairings.csv. Decide with --decide, or in the column
    "decision" of that file: 1, 2 or 3 for a suggestion, an identifier of the form, "none" if the student isn't in it.
    Of a folder of transfers each has a line.
    """
    instead = other_files(transfer, export, form)
    if transfer.is_dir():
        return _students_term(transfer, as_json=as_json, is_masked=is_masked)
    tidy(transfer.parent)
    tell_elsewhere(transfer)
    with progress_line():
        paired = pair_as_settled(transfer, library(), instead)
    plan, sides, pairing, told = paired.plan, paired.sides, paired.pairing, paired.notes
    file = pairings_file(transfer)
    kept = _keep(file, pairing, read_decisions(file))
    if is_deciding:
        _decide(file, paired, kept, is_masked=is_masked)
        pairing = pair_as_settled(transfer, library(), instead).pairing
    if enrich:
        _enrich(enrich, sides, pairing, replace=replace, inputs=[transfer])
    only_some = plan.students.moves_only_some or bool(plan.list)
    identifiers = pairing_rule(plan.students).identifiers
    people = (sides.source.students, sides.target.students)
    notes = [*class_notes(*people, pairing, identifiers, only_some=only_some), *told]
    if as_json:
        print_json(_data(pairing, notes, is_masked=is_masked))
    else:
        brief = is_brief(show_all=show_all)
        most = None if show_all else _FEW if brief else _SHORT
        echo(_text(pairing, notes, most, is_masked=is_masked, is_brief=brief))
        if enrich:
            echo(f"\nWritten: {enrich}, the export with {sides.target.told_by} beside each student.")
        if pairing.held:
            decide = command_line("students", transfer, "--decide")
            echo(f'\nTo confirm, in {file}, in the column "decision"; or with:\n  {decide}')
        echo(next_line(command_line("preview", transfer)))
    return int(bool(pairing.held))


def _students_term(folder: Path, *, as_json: bool, is_masked: bool) -> int:
    """Show a line for each transfer of a folder; who is to be confirmed is kept for each."""
    from skarvin.cli.term import How, run_term  # noqa: PLC0415 - mostly it is one transfer
    from skarvin.core.transfer.classwork import Outcome  # noqa: PLC0415

    def students_of_one(transfer: Path) -> Outcome:
        tidy(transfer.parent)
        pairing = pair_as_settled(transfer, library()).pairing
        file = pairings_file(transfer)
        _keep(file, pairing, read_decisions(file))
        held, missing = count_people(one.student for one in pairing.held), count_people(pairing.source_only)
        decide = f"To confirm: {counted(held, 'student')}, in {file.name}." if held else ""
        lacking = f", {missing:,} missing from the form" if missing else ""
        said = f"{counted(pairing.people, 'student')} paired{lacking}."
        data = _data(pairing, [], is_masked=is_masked) if as_json else None
        counts = {"paired": pairing.people, "to confirm": held, "missing from the form": missing}
        return Outcome(int(bool(held)), said, decide, data=data, counts=counts)

    return run_term(folder, students_of_one, "preview", how=How.of(as_json=as_json))


def _keep(file: Path, pairing: Pairing, before: Decisions) -> Decisions:
    """Add the held students to `pairings.csv`, and return what stands in it."""
    held = [(waiting.student, waiting.why.words, waiting.suggestions) for waiting in pairing.held]
    now = before.with_held(held, day())
    if now.rows and now != before:
        _save(file, now)
    return now


def _save(file: Path, decisions: Decisions) -> None:
    with Delivery(replace=True, inputs=[]) as delivery:
        delivery.stage(file, [b"\xef\xbb\xbf", decisions_text(decisions).encode()])
        delivery.commit()


def _decide(file: Path, paired: PairedTransfer, decisions: Decisions, *, is_masked: bool) -> None:
    """Ask about each student who waits."""
    from skarvin.cli.deciding import Deciding  # noqa: PLC0415 - only where somebody decides

    hide = masker(is_masked)
    deciding = Deciding(
        paired,
        partial(_save, file),
        lambda held: _held(held, paired.pairing, hide),
        lambda student: _who(student, hide),
        is_masked=is_masked,
    )
    deciding.go(decisions)


def _held(
    waiting: HeldStudent,
    pairing: Pairing,
    hide: Any,  # noqa: ANN401 - a function of text to text
    *,
    is_brief: bool = False,
) -> str:
    side = "roster" if pairing.on_roster else "form"
    row = waiting.student.row
    where = f"{row}, {row.of_file}" if row.of_file and hide is str else f"{row}"
    lines = [f"{where}  {_who(waiting.student, hide)}", wrap(f"{waiting.why}", indent=4)]
    lines += [
        wrap(
            f"{number}. {_who(suggestion.target, hide)} ({side} {suggestion.target.row}): {suggestion.evidence}",
            indent=4,
        )
        if hide is str and not is_brief
        else f"    {number}. {_who(suggestion.target, hide)} ({side} {suggestion.target.row})"
        for number, suggestion in enumerate(waiting.suggestions, 1)
    ]
    return "\n".join(lines)


def _who(student: Student, hide: Any) -> str:  # noqa: ANN401
    parts = (hide(student.identifier.strip()) or "(no identifier)", hide(student.name), student.section)
    return "  ".join(filter(None, parts))


def _text(
    pairing: Pairing, notes: Sequence[Finding], most: int | None, *, is_masked: bool, is_brief: bool = False
) -> str:
    """Return the doubtful first, then who is paired, the other groups, and what is worth knowing."""
    hide = masker(is_masked)
    parts = [warning(wrap(f"{pairing.shift}"))] if pairing.shift else []
    if pairing.held:
        parts += ["", heading(f"To confirm: {counted_people([one.student for one in pairing.held])}", "red")]
        parts += [f"  {_held(waiting, pairing, hide, is_brief=is_brief)}" for waiting in pairing.held[:most]]
        parts += [more(len(pairing.held[:most]), len(pairing.held), "--all")]
    if missing := pairing.source_only:
        parts += ["", heading(f"Missing from the form: {counted_people(missing)}", "red")]
        parts += [f"  {student.row}  {_who(student, hide)}" for student in missing[:most]]
        parts += [more(len(missing[:most]), len(missing), "--all")]
    paired = _paired(pairing, hide, most)
    parts += ["", *_titles(paired)] if is_brief else paired
    groups: list[tuple[str, Sequence[Student]]] = [
        ("Of the form, paired with nobody", pairing.target_only),
        *((f"{title[:1].upper()}{title[1:]}", students) for title, students in pairing.unmoved),
    ]
    for title, students in groups:
        if students:
            parts += [*([] if is_brief else [""]), heading(f"{title}: {counted_people(students)}")]
            if is_brief:
                continue
            parts += [f"  {student.row}  {_who(student, hide)}" for student in students[:most]]
            parts += [more(len(students[:most]), len(students), "--all")]
    if notes:
        parts += [] if is_brief else ["", heading("Worth knowing")]
        parts += [*(wrap(f"{note.what}.", indent=2) for note in notes)]
    return "\n".join(part for index, part in enumerate(parts) if part or (index and parts[index - 1])).strip()


def _titles(parts: Sequence[str]) -> list[str]:
    """Return the titles of some lists; `--all` shows what stands below them."""
    return [f"{part}; --all lists them" for at, part in enumerate(parts) if at and not parts[at - 1]]


def _paired(pairing: Pairing, hide: Any, most: int | None) -> list[str]:  # noqa: ANN401
    """Return who is paired with whom: first the pairs whose names differ, with what differs."""
    counts = ", ".join(f"{count:,} by {what}" for what, count in Counter(pair.by for pair in pairing.pairs).items())
    days = {pair.source.row: day for pair, day in pairing.decided}
    pairs = list(pairing.pairs)[:most]
    rows = [
        (
            pair.source.row.label,
            hide(pair.source.identifier.strip()),
            hide(pair.source.name),
            str(pair.target.row.number),
            hide(pair.target.name),
            f"your decision, {days[pair.source.row]}" if pair.by is PairedBy.DECISION else pair.by,
        )
        for pair in pairs
    ]
    parts: list[str] = []
    if differing := differing_pairs(pairing.pairs):
        lines = [
            f"export {pair.source.row}  {hide(pair.source.name)}, form {pair.target.row}  {hide(pair.target.name)}"
            + (f": {what}" if hide is str else "")
            for pair, what in differing[:most]
        ]
        parts += ["", heading(f"Paired, with names that differ: {counted(len(differing), 'pair')}")]
        parts += [*(wrap(line, 2) for line in lines), more(len(lines), len(differing), "--all")]
    rows_too = f", in {len(pairing.pairs):,} rows" if pairing.people < len(pairing.pairs) else ""
    title = heading(f"Paired: {counted(pairing.people, 'student')}{rows_too}")
    parts += ["", title + (f" ({counts})" if counts else ""), *_kinds(pairing)]
    return [*parts, format_table(_PAIR_HEADS, rows), more(len(pairs), len(pairing.pairs), "--all")]


def _kinds(pairing: Pairing) -> list[str]:
    """Return how many pairs each kind of evidence speaks for, or against, where several fields had to tell."""
    told = ", ".join(f"{kind} {count:,}" for kind, count in pairing.kinds.most_common())
    count = sum(1 for pair in pairing.pairs if pair.kinds)
    return [wrap(f"Evidence in {counted(count, 'pair')}: {told}.", 2)] if told else []


def _enrich(file: Path, sides: Sides, pairing: Pairing, *, replace: bool, inputs: Sequence[Path]) -> None:
    """Write the export again with the form's identifiers."""
    source, target = sides.source, sides.target
    known = {pair.source.row.position: pair.target.identifier.strip() for pair in pairing.pairs}
    chunks = enriched(source.grid, source.layout.heading_row, target.told_by.strip("'"), known)
    kept = [*inputs, source.grid.file, target.grid.file, *files_of_transfers(file.parent, inputs[0].parent)]
    with Delivery(replace=replace, inputs=kept) as delivery:
        delivery.stage(file, chunks)
        delivery.commit()


def _data(pairing: Pairing, notes: Sequence[Finding], *, is_masked: bool) -> dict[str, Any]:
    """Return the same as data; masked without the evidence, whose words are those of names."""
    return {
        "certain": [
            {"row": pair.source.row.number, "to_row": pair.target.row.number, "by": pair.by} for pair in pairing.pairs
        ],
        "held": [
            {
                "row": waiting.student.row.number,
                "slug": waiting.why.cause.code,
                "reason": waiting.why.words,
                "suggestions": [
                    {"to_row": found.target.row.number, "score": found.score}
                    | ({} if is_masked else {"evidence": found.evidence})
                    for found in waiting.suggestions
                ],
            }
            for waiting in pairing.held
        ],
        "evidence": dict(pairing.kinds.most_common()),
        "out_of_step": pairing.shift,
        "names_differ": [
            {"row": pair.source.row.number, "to_row": pair.target.row.number} | ({} if is_masked else {"what": what})
            for pair, what in differing_pairs(pairing.pairs)
        ],
        "only_in_export": [student.row.number for student in pairing.source_only],
        "only_in_form": [student.row.number for student in pairing.target_only],
        "not_to_be_moved": [student.row.number for student in pairing.left_out],
        "without_row": [student.row.number for one in pairing.rowless for student in one.students],
        "notes": [finding_data(note) for note in notes],
    }
