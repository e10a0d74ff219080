"""What is known of the target besides the form; light, since most transfers are the first of their kind."""

from skarvin.core.findings import Finding, Place, Refused, counted, listing
from skarvin.core.ledger.ledger import Ledger
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.ledger.since import HISTORY
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.plan import SincePlan
from skarvin.core.reasons import Cause
from skarvin.core.texts.mark_grammar import is_no_mark
from skarvin.core.transfer.after_upload.since_known import NOTHING_KNOWN, Asked, Convert, SinceFound

_MOST = 6


def find_since(asked: Asked, convert: Convert) -> SinceFound:
    """Return what was sent last and what the target says now, by what the transfer names, or by its history.

    Raises:
        Unreadable: a file that the transfer names can't be read or understood.
        Refused: the history can't be read, or hardly a student of the form is in the export of the target.
    """
    traces = (asked.file.parent / HISTORY, asked.sides.form.grid.file.with_name("ledger.json"))
    if asked.plan.since == SincePlan() and not any(file.exists() for file in traces):
        return NOTHING_KNOWN
    from skarvin.core.transfer.after_upload.since_sources import find_known  # noqa: PLC0415 - a first write does without

    return find_known(asked, convert)


def check_stale(asked: Asked, ledger: Ledger) -> None:
    """Refuse a form that is older than what the target says now where an upload would undo that.

    Raises:
        Refused: there are such cells.
    """
    width = len(ledger.fed)
    undoing = {code for code, outcome in enumerate(ledger.outcomes) if _undoes(outcome)}
    cells = [
        ledger.entries[row].target.row.cell(ledger.items[column].target.index)  # type: ignore[union-attr]
        for row, column in (ledger.codes.find(undoing) if undoing else ())
        if column < width
    ]
    if cells:
        name = asked.sides.target.grid.file.name
        what = (
            f"{counted(len(cells), 'cell')} of the form ({listing(cells, _MOST)}) had a mark that was replaced since, "
            "and an upload would put the old one back"
        )
        line = find_line(asked.text, "target", "file")
        mend = f"Export {name} anew from the target, and name that under [target]."
        raise Refused(Finding("stale-form", what, Place(asked.file, line=line), mend))


def _undoes(outcome: Outcome) -> bool:
    is_older = not is_no_mark(outcome.was) and outcome.there is not None
    return outcome.written is None and (is_older or _is_stale(outcome))


def _is_stale(outcome: Outcome) -> bool:
    return outcome.why is not None and outcome.why.cause is Cause.STALE_FORM
