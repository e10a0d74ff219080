"""`skarvin push`: what a write made, sent to a service result by result, read back and confirmed."""

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

import click

from skarvin.cli.at_keyboard import may_ask
from skarvin.cli.came_from import config
from skarvin.cli.clock import moment
from skarvin.cli.next_command import command_line
from skarvin.cli.output import heading
from skarvin.cli.progress_line import progress_line
from skarvin.cli.pull import pulled
from skarvin.cli.table import wrap
from skarvin.cli.terminal import ask, echo
from skarvin.cli.which_transfer import transfer_option
from skarvin.core.findings import Finding, Misused, Place, Refused, Unreadable, counted
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.one_roster import RosterGrid
from skarvin.core.grid.read import read_grid
from skarvin.core.grid.roster_files import BundleFiles, read_bundle_files
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.answers import PUSH, UNDO, Answer, Answers, answering
from skarvin.core.ledger.filed import read_filed
from skarvin.core.ledger.run_history import Run, history_file
from skarvin.core.plan.reading import read_plan
from skarvin.core.transfer.transfer_state import ledger_of
from skarvin.services.pushing import Sending, State, Told, already, of_whom, push

_MADE = re.compile(r"-import(-\d{1,4})?$")
_MOST = 12
_DONE = frozenset({State.SENT, State.THERE})


class _Job(NamedTuple):
    """What is sent: the push, the bundle, what a write made, and the bundle of the target that the form was."""

    run: Run
    file: Path
    written: Path
    bundle: BundleFiles
    form: BundleFiles
    classes: tuple[str, ...]
    sheet: str | None


@click.command()
@transfer_option
@click.option("--service", help="The service. [default: the one that the form was pulled from]")
@click.option("--undo", is_flag=True, help="Put back what the restore file says.")
@click.option("--yes", is_flag=True, help="Don't ask before anything is sent.")
def command(transfer: Path, service: str | None, undo: bool, yes: bool) -> int:
    """Send what a write made to the service that its form came from, read it back, and confirm it.

    An answer is kept before the next result is sent: where it was interrupted, the same command goes on.
    """
    if transfer.is_dir():
        mend = "Name one of its transfers: --transfer."
        raise Misused(Finding("folder", "one transfer is pushed at a time", Place(transfer), mend))
    job = _job(transfer, undo=undo)
    name = service or job.form.manifest.get("source.systemName", "")
    if not name:
        what = "the form came from no service"
        raise Misused(Finding("no-such-service", what, Place(job.form.file), "Name one: --service NAME."))
    sendings = [*_sendings(job, undo=undo)]
    with answering(history_file(transfer.parent), job.run) as answers:
        found = _sent(name, job, sendings, answers, is_agreed=yes)
    counts = Counter(one.state for one in found)
    echo("\n".join(f"  {counts[state]:,} {state}" for state in State if counts[state]))
    held = [one for one in found if one.state in {State.CHANGED, State.DECLINED}]
    if held:
        echo(heading(f"Held: {counted(len(held), 'result')}", "red"))
        echo("\n".join(wrap(f"{_place(one)}: {one.why}", 2) for one in held[:_MOST]))
    fresh = job.file.with_name(f"{job.file.stem}-fresh.zip")
    with progress_line():
        data = pulled(name, job.classes, moment())[1]
    with Delivery(replace=True, inputs=[job.file]) as delivery:
        delivery.stage(fresh, [data])
        delivery.commit()
    if undo:
        echo(f"\nRead back  {fresh}")
        return int(bool(held))
    return max(int(bool(held)), _confirmed(transfer, fresh))


def _job(transfer: Path, *, undo: bool) -> _Job:
    """Return what a write made for a service.

    Raises:
        Refused: nothing is written yet, or the file isn't the one that the ledger vouches for.
    """
    plan = read_plan(transfer).plan
    if plan.target.results is None:
        mend = "Write into a bundle of the target: skarvin pull, then draft with it as the FORM."
        raise Misused(Finding("no-bundle", "the transfer writes no results for a service", Place(transfer), mend))
    form = transfer.parent / plan.target.file
    ledger = ledger_of(transfer, form)
    if not ledger.exists():
        mend = f"First: {command_line('write', transfer)}"
        raise Refused(Finding("not-written", "the transfer isn't written yet", Place(transfer), mend))
    filed = read_filed(ledger)
    known = filed.files["import"]
    file = ledger.with_name(known.name)
    if fingerprint(read_bytes(file)) != known.sha256:
        mend = f"Write it again: {command_line('write', transfer, '--replace')}"
        raise Refused(Finding("misfit", f"this isn't the file that {ledger.name} vouches for", Place(file), mend))
    grid = read_grid(form, plan.target)
    if not isinstance(grid, RosterGrid) or grid.bundle is None:
        raise Unreadable(Finding("no-bundle", "this is no bundle of OneRoster CSV", Place(form)))
    back = file.with_name(_MADE.sub(lambda found: "-restore" + (found[1] or ""), file.stem) + file.suffix)
    sent = back if undo else file
    bundle = read_bundle_files(sent, read_bytes(sent))
    if bundle.modes["results"] != "delta":
        mend = "Write delta = true in results under [target], and write again."
        raise Refused(
            Finding("bulk", "a bulk bundle says everything, and only what changes is sent", Place(file), mend)
        )
    classes = tuple(dict.fromkeys(one for own in grid.classes_of.values() for one in own))
    files = {"import": fingerprint(read_bytes(sent))}
    run = Run(UNDO if undo else PUSH, transfer.name, moment(), filed.digest, files, {}, (), ())
    return _Job(run, sent, file, bundle, grid.bundle, classes, plan.target.sheet)


def _sendings(job: _Job, *, undo: bool) -> Iterator[Sending]:
    """Yield what is sent: new items first, and last where they go again."""
    ours = read_bundle_files(job.written, read_bytes(job.written)) if undo else job.form
    known = dict(_records(ours, "results"))
    items = [Sending("lineItem", row, record, None) for _, (row, record) in _rows(job.bundle, "lineItems").items()]
    results = [
        Sending("result", row, record, _alive(known.get(one)))
        for one, (row, record) in _rows(job.bundle, "results").items()
    ]
    yield from [*results, *items] if undo else [*items, *results]


def _alive(record: Mapping[str, str] | None) -> Mapping[str, str] | None:
    return None if record is None or record.get("status") == "tobedeleted" else record


def _records(bundle: BundleFiles, name: str) -> Iterator[tuple[str, Mapping[str, str]]]:
    return ((one, record) for one, (_, record) in _rows(bundle, name).items())


def _rows(bundle: BundleFiles, name: str) -> dict[str, tuple[int, Mapping[str, str]]]:
    table = bundle.table(name)
    return {
        table.of(row, "sourcedId"): (row, {head: table.rows[row][at] for head, at in table.heads.items()})
        for row in (table.records() if table else ())
        if table
    }


def _sent(name: str, job: _Job, sendings: list[Sending], answers: Answers, *, is_agreed: bool) -> list[Told]:
    """Send what is to be sent, and return what became of it and of the rest."""
    from skarvin.services.connection import Declined  # noqa: PLC0415 - most commands ask no service
    from skarvin.services.services_file import find_service, secret_of  # noqa: PLC0415
    from skarvin.services.speaking import speaking_to  # noqa: PLC0415

    known = find_service(config(), name)
    with speaking_to(name, known, secret_of(name), is_sending=True) as service:
        try:
            with progress_line():
                now = {of_whom(one): one for one in service.now(job.classes)}
        except Declined as error:
            raise Refused(Finding("declined", f"the service '{name}' says {error.status}: {error.why}")) from None
        told = [found for one in sendings if (found := already(one, now))]
        settled = {one.sending.name for one in told}
        done = {one.name for one in sendings if one.kind != "result" and answers.states.get(one.name) in _DONE}
        rest = [one for one in sendings if one.name not in settled | done]
        kinds = Counter(one.kind for one in rest)
        what = [
            counted(kinds[kind], word) for kind, word in (("lineItem", "item"), ("result", "result")) if kinds[kind]
        ]
        echo(f"{name}, {known.items or known.address}: {' and '.join(what) or 'nothing'} to send from {job.file.name}")
        if rest and not is_agreed:
            _ask(name)
        answers.note([*map(_answer, told)])
        with progress_line():
            return [*told, *push(service, rest, lambda one: answers.note([_answer(one)]))]


def _answer(told: Told) -> Answer:
    return Answer(told.sending.name, told.state, told.why)


def _ask(name: str) -> None:
    if not may_ask():
        raise Misused(Finding("not-agreed", f"nothing is sent to '{name}' unasked", None, "Say so with --yes."))
    if ask(f"Send it to {name}? [y/n]", default="n", show_default=False).strip().casefold() not in {"y", "yes"}:
        raise Misused(Finding("not-agreed", "nothing was sent"))


def _place(told: Told) -> str:
    return str(Place(Path(f"{told.sending.kind}s.csv"), told.sending.row))


def _confirmed(transfer: Path, fresh: Path) -> int:
    """Compare what the service has now with what was sent."""
    from skarvin.cli.confirm import command as confirm  # noqa: PLC0415 - after all is sent

    echo("")
    context = click.Context(confirm, info_name="confirm")
    args = [str(fresh), "--transfer", str(transfer), "--replace"]
    with context:
        confirm.parse_args(context, args)
        code: int = confirm.invoke(context)
    echo(wrap(f"To take it back: {command_line('push', transfer, '--undo')}"))
    return code
