"""A term at once: the commands that take a folder of transfers, their bar, their table and their summary page."""

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from skarvin.cli.clock import moment
from skarvin.cli.output import heading, print_json
from skarvin.cli.table import Head, format_table, screen_width, wrap
from skarvin.cli.terminal import echo
from skarvin.core.grid.save import Delivery
from skarvin.core.transfer.classwork import (
    Classwork,
    Outcome,
    TermLine,
    carry_out_term,
    term_notes,
    term_verdict,
    worst_code,
)

_HEADS = (
    Head("transfer", most=30),
    Head("code", rank=2, is_number=True),
    Head("verdict", least=40, wraps=True),
)
_BAR = 30


def run_term(
    folder: Path, do: Callable[[Classwork], Outcome], *, page: str = "", as_json: bool = False, title: str = "Term"
) -> int:
    """Do something with each transfer of a term, show a line for each, and write a summary page if it has a name.

    Returns:
        The worst of their exit codes.
    """
    with _bar() as tell:
        lines = carry_out_term(folder, do, tell)
    when = moment()
    summary = folder / page if page else None
    if summary:
        _write_page(summary, title, lines, when)
    if as_json:
        print_json(_data(lines, when))
    else:
        echo(_text(folder, lines, summary))
    return worst_code(lines)


def _text(folder: Path, lines: list[TermLine], summary: Path | None) -> str:
    rows = [
        (line.name, str(line.outcome.code), " ".join(filter(None, (line.outcome.verdict, line.outcome.to_decide))))
        for line in lines
    ]
    parts = [heading(f"{folder.resolve().name}"), wrap(term_verdict(lines)), "", format_table(_HEADS, rows)]
    parts += ["", *(wrap(note) for note in notes)] if (notes := term_notes(lines)) else []
    return "\n".join([*parts, *(["", f"Summary  {summary}"] if summary else [])])


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
    from skarvin.reports.page import environment  # noqa: PLC0415 - a single transfer does without

    template = environment().get_template("term.html.j2")
    links = {
        line.name: Path(os.path.relpath(line.outcome.report, summary.parent)).as_posix()
        for line in lines
        if line.outcome.report
    }
    text = template.render(
        title=title, lines=lines, verdict=term_verdict(lines), when=when, links=links, notes=term_notes(lines)
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
