"""One item of a transfer: where its marks go, by which rule, and what became of them for which reasons."""

from collections.abc import Iterator
from itertools import islice

from skarvin.cli.output import heading
from skarvin.cli.table import wrap
from skarvin.core.findings import counted
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.control_totals import ItemBooks
from skarvin.core.texts.folding import fold
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.settling import Settled

_MOST = 12


def items_called(settled: Settled, asked: str) -> list[ItemBooks]:
    """Return the items of a heading, a title or a letter, of the export or of the form."""
    said = fold(asked)
    return [books for books in settled.totals if said and said in set(map(fold, _names(books)))]


def _names(books: ItemBooks) -> Iterator[str]:
    source, target = books.item.source, books.item.target
    yield from (source.named, source.called, source.letter if isinstance(source, Column) else "")
    yield from (target.named, target.called) if target else ()


def format_item(books: ItemBooks) -> str:
    """Return what is known of an item."""
    item = books.item
    where = item.target.named if item.target else f"left out: {item.why}"
    parts = [heading(f"{item.source.named} -> {where}")]
    parts += [wrap(f"{item.rule.in_words}.", 2)] if item.target else []
    reasons = books.in_words.most_common()
    parts += [wrap(f"{count:,} {fate.label}: {why}", 2) for (fate, why), count in reasons[:_MOST]]
    parts += [f"  and {len(reasons) - _MOST} more reasons; the ledger has all of them"] if len(reasons) > _MOST else []
    moved = sum(count for _, count in books.moved)
    parts += [wrap(f"{counted(moved, 'mark')} moved", 2)] if moved else []
    for outcome, count in islice(books.rounded, _MOST):
        parts.append(wrap(f"rounded: {outcome.source.strip()} becomes {outcome.written}, {counted(count, 'mark')}", 2))
    parts += [wrap(f"rounding changed one by {plain(books.largest_change)} at most", 2)] if books.rounded else []
    return "\n".join(parts)
