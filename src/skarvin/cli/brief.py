"""What fits a screen: the verdict, what is to be decided, and the next step. All else is a word away."""

import sys
from collections.abc import Iterable, Sequence
from pathlib import Path

from skarvin.cli.output import more
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.terminal import unstyled
from skarvin.core.findings import counted, listing
from skarvin.core.reasons import Fate
from skarvin.core.students.pairing import number_of_people
from skarvin.core.transfer.settling import Settled
from skarvin.reports.rule_words import maxima_in_words

_MOST = 8
_HEADS = (
    Head("from", most=60, least=16),
    Head("to", rank=2, most=60, least=12),
    Head("out of", rank=1, is_number=True),
)


def is_brief(*, show_all: bool) -> bool:
    """Return whether only what fits a screen is shown: at a terminal, where not all is asked for; a pipe gets all."""
    return sys.stdout.isatty() and not show_all


def quietly(warning: str, files: Iterable[Path] = ()) -> str:
    """Return what `--quiet` shows: what needs a person, and a path a line."""
    return "\n".join([*([warning] if warning else []), *map(str, files)])


def brief_items(settled: Settled) -> str:
    """Return a line for each item that goes somewhere, without columns in which nothing stands; the others by name."""
    moved = [totals for totals in settled.totals if totals.item.target]
    fates = [fate for fate in Fate if any(totals.fates[fate] for totals in moved)]
    rows = []
    for totals in moved:
        item = totals.item
        target = item.target.called if item.target and item.target.called != item.source.called else ""
        counts = (f"{totals.fates[fate]:,}" if totals.fates[fate] else "" for fate in fates)
        rows.append((item.source.called, target, maxima_in_words(item), *counts))
    heads = (*_HEADS, *(Head(fate.label, is_number=True) for fate in fates))
    others = [totals.item.source.called for totals in settled.totals if not totals.item.target]
    rest = wrap(f"Not moved: {listing(others, 6)}.", 2) if others else ""
    table = format_table(heads, rows[:_MOST]) if rows else ""
    return "\n".join(filter(None, [table, more(len(rows[:_MOST]), len(rows), "--all"), rest]))


def brief_students(settled: Settled) -> str:
    """Return in one line who is paired."""
    pairing = settled.pairing
    nobody = f", {number_of_people(pairing.target_only)} of the form with nobody" if pairing.target_only else ""
    return f"{counted(pairing.people, 'student')} paired{nobody}"


def brief_totals(settled: Settled) -> str:
    """Return in one line what was found of totals; blank where there is no rule for any."""
    results = settled.made.totals
    if not results:
        return ""
    held = sum(len(result.held) for result in results)
    differing = sum(len(result.checked.differing) for result in results if result.checked)
    said = [f"{held:,} can't be calculated" if held else "", f"{differing:,} differ" if differing else ""]
    return f"totals check ({', '.join(filter(None, said)) or 'nothing differs'})"


def also(parts: Sequence[str]) -> str:
    """Return the line that says what `--all` shows besides; a part is a title, or a text that begins with one."""
    firsts = [unstyled(part).strip().split("\n")[0].partition(";")[0] for part in parts]
    return wrap(f"With --all also: {'; '.join(f'{first[:1].lower()}{first[1:]}' for first in firsts if first)}.")
