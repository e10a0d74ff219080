"""A term at once: the commands that take a folder of transfers, their bar, their table and their summary page."""

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from enum import Enum
from pathlib import Path

from skarvin.cli.brief import quietly
from skarvin.cli.clock import moment
from skarvin.cli.next_command import FRESH, command_line, next_line
from skarvin.cli.output import heading, print_json
from skarvin.cli.table import Head, format_table, screen_width, wrap
from skarvin.cli.terminal import echo
from skarvin.core.grid.save import Delivery
from skarvin.core.transfer.classwork import (
    Outcome,
    TermLine,
    carry_out_term,
    term_notes,
    term_verdict,
    worst_code,
)
from skarvin.core.transfer.transfer_state import USUAL_NAME, TransferState, state_of

DATES = (Head("written"), Head("confirmed"))
_BAR = 30
_FAILED = 2


class How(Enum):
    """How a term is shown."""

    TEXT = "text"
    DATA = "data"
    QUIET = "quiet"

    @classmethod
    def of(cls, *, as_json: bool, is_quiet: bool = False) -> "How":
        """Return what a command's options say."""
        return cls.DATA if as_json else cls.QUIET if is_quiet else cls.TEXT


def run_term(
    folder: Path, do: Callable[[Path], Outcome], after: str, page: tuple[str, str] | None = None, *, how: How
) -> int:
    """Do something with each transfer of a term, show a line for each, and write a summary page if there is to be one.

    Args:
        folder: the term.
        do: what is done with each.
        after: the command that comes next; none where it is blank.
        page: the name and the title of the summary page.
        how: whether it is shown as text, as data, or only what needs a person.

    Returns:
        The worst of their exit codes.
    """
    with _bar() as tell:
        lines = carry_out_term(folder, do, tell)
    when = moment()
    summary = folder / page[0] if page else None
    if summary and page:
        _write_page(summary, page[1], lines, when)
    if how is How.DATA:
        print_json(_data(lines, when))
    elif how is How.QUIET:
        reports = [line.outcome.report for line in lines if line.outcome.report]
        decide = "\n".join(f"{class_name(line.name)}: {said}" for line in lines if (said := _to_decide(line.outcome)))
        echo(quietly(decide, [*reports, *([summary] if summary else [])]))
    else:
        echo(_text(folder, lines, summary))
        if after == "confirm":
            echo("Read the reports, upload each import file, and export the classes from the target anew.")
        if after and any(line.outcome.code < _FAILED for line in lines):
            echo(next_line(command_line(after, folder, *([FRESH] if after == "confirm" else []))))
    return worst_code(lines)


def _text(folder: Path, lines: list[TermLine], summary: Path | None) -> str:
    counted = list(dict.fromkeys(name for line in lines for name in line.outcome.counts))
    states = [state_of(line.transfer) for line in lines]
    rows = [
        (
            class_name(line.name),
            *(f"{line.outcome.counts[name]:,}" if name in line.outcome.counts else "-" for name in counted),
            *dates(state),
        )
        for line, state in zip(lines, states, strict=True)
    ]
    heads = (Head("class", most=30), *(Head(name, is_number=True) for name in counted), *DATES)
    parts = [heading(f"{folder.resolve().name}"), wrap(term_verdict(lines)), "", format_table(heads, rows)]
    parts += ["", *(wrap(note) for note in notes)] if (notes := term_notes(lines)) else []
    decide = [(line, said) for line in lines if (said := _to_decide(line.outcome))]
    parts += ["", heading("To decide", "red")] if decide else []
    for line, said in decide:
        parts.append(wrap(f"{class_name(line.name)}: {said}", 2))
        parts += [f"    {command_line('preview', line.transfer)}"] if line.outcome.code < _FAILED else []
    return "\n".join([*parts, *(["", f"Summary  {summary}"] if summary else [])])


def class_name(name: str) -> str:
    """Return what a transfer of a term is called: its folder, where its name says nothing."""
    return name.removesuffix(f"/{USUAL_NAME}").removesuffix(".toml")


def dates(state: TransferState) -> tuple[str, str]:
    """Return when a transfer was written and confirmed, for a table."""
    at, confirmed = (when[:16].replace("T", " ") or "-" for when in (state.when, state.confirmed))
    return at, confirmed


def _to_decide(outcome: Outcome) -> str:
    return outcome.verdict if outcome.code >= _FAILED else outcome.to_decide.removeprefix("To decide: ")


def _data(lines: list[TermLine], when: str) -> dict[str, object]:
    return {
        "verdict": term_verdict(lines),
        "when": when,
        **({"notes": notes} if (notes := term_notes(lines)) else {}),
        "transfers": [
            {
                "transfer": line.name,
                "code": line.outcome.code,
                "verdict": line.outcome.verdict,
                "to_decide": line.outcome.to_decide,
                "report": None if line.outcome.report is None else str(line.outcome.report),
                "data": line.outcome.data,
            }
            for line in lines
        ],
    }


def _write_page(summary: Path, title: str, lines: list[TermLine], when: str) -> None:
    from skarvin.reports.page import rendered  # noqa: PLC0415 - a single transfer does without

    links = {
        line.name: Path(os.path.relpath(line.outcome.report, summary.parent)).as_posix()
        for line in lines
        if line.outcome.report
    }
    text = rendered(
        "term.html.j2",
        title=title,
        lines=lines,
        verdict=term_verdict(lines),
        when=when,
        links=links,
        notes=term_notes(lines),
    )
    with Delivery(replace=True, inputs=[line.transfer for line in lines]) as delivery:
        delivery.stage(summary, [text.encode()])
        delivery.commit()


@contextmanager
def _bar() -> Iterator[Callable[[str, int, int], None]]:
    """Show on a terminal how far a term is; nothing is left of it afterwards, and none is shown where it is piped."""
    if not (sys.stdout.isatty() and sys.stderr.isatty()):
        yield lambda _name, _done, _of: None
        return

    def tell(name: str, done: int, of: int) -> None:
        filled = _BAR * done // of
        text = f"[{'#' * filled}{'.' * (_BAR - filled)}] {done} of {of}  {name}"
        sys.stderr.write(f"\r\x1b[2K{text[: screen_width() - 1]}")
        sys.stderr.flush()

    try:
        yield tell
    finally:
        sys.stderr.write("\r\x1b[2K")
        sys.stderr.flush()
