"""`skarvin confirm --draft-missing`: the transfer that sends again what is missing in the target."""

import os
from pathlib import Path

from skarvin.cli.next_command import command_line, next_line
from skarvin.core.findings import Finding, Misused
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.arrival import Arrival
from skarvin.core.plan.reading import read_plan
from skarvin.core.plan.resending import Resend, resend_text
from skarvin.core.transfer.after_upload.confirming import Confirmation
from skarvin.core.transfer.who_is_who import pairings_file


def check_draft(transfer: Path, again: Path) -> None:
    """Refuse a place for the drafted transfer where it can't lie.

    Raises:
        Misused: it isn't beside the first one, or something is there already.
    """
    if again.parent.resolve() != transfer.parent.resolve():
        what = "the drafted transfer must lie beside the one that it is made of"
        raise Misused(Finding("elsewhere", what, None, f"Write --draft-missing {transfer.with_name(again.name)}"))
    if again.exists():
        what = f"'{again}' is there already and is never overwritten"
        raise Misused(Finding("exists", what, None, "Name another with --draft-missing."))


def draft_missing(found: Confirmation, transfer: Path, again: Path, said: tuple[str, tuple[str, ...]]) -> None:
    """Write the transfer that sends again what is missing; `said` are the pair and the items that a person named.

    Raises:
        Misused: nothing is missing.
    """
    if not found.counts[Arrival.MISSING]:
        raise Misused(Finding("nothing-missing", "no mark is missing, so there is nothing to send again"))
    fresh = _relative(found.fresh.grid.file, transfer.parent)
    decided = pairings_file(transfer)
    resend = Resend(
        ledger=_relative(found.filed.file, transfer.parent),
        form=fresh if found.is_in_form_shape else "",
        target_now="" if found.is_in_form_shape else fresh,
        pair=said[0],
        items=said[1],
        pairings=decided.name if decided.exists() else "",
    )
    with Delivery(replace=False, inputs=[transfer]) as delivery:
        delivery.stage(again, [resend_text(read_plan(transfer).text, resend).encode()])
        delivery.commit()


def _relative(file: Path, folder: Path) -> str:
    """Return a file as a transfer in a folder names it."""
    return Path(os.path.relpath(file, folder)).as_posix()


def next_commands(again: Path, transfer: Path) -> str:
    """Return the commands for the drafted transfer, the next one last."""
    then = command_line("write", again, "--into", transfer.parent / again.stem)
    return f"Then: {then}\n{next_line(command_line('preview', again))}"
