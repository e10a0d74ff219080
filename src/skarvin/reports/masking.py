"""What is shown now, with everybody hidden if that is asked for.

Output passes through here at its last step: each cell of a table, each sentence, each value of a page or of data.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TYPE_CHECKING, Any

from skarvin.reports.mask import mask
from skarvin.reports.out_of_order import Cell, page_out_of_order, table_out_of_order

if TYPE_CHECKING:
    from skarvin.reports.masker import Masker

_CURRENT: ContextVar["Masker | None"] = ContextVar("masker", default=None)


@contextmanager
def masking(masker: "Masker | None") -> Iterator[None]:
    """Hide identities in all output of the block; nothing where there is no masker."""
    token = _CURRENT.set(masker)
    try:
        yield
    finally:
        _CURRENT.reset(token)


def hidden(text: str) -> str:
    """Return a text as it may be shown now."""
    masker = _CURRENT.get()
    return masker.text(text) if masker else text


def identity(text: str) -> str:
    """Return an identifier or a name as it may be shown now, however short it is."""
    return mask(text) if _CURRENT.get() else text


def hidden_data(data: Any) -> Any:  # noqa: ANN401 - whatever JSON can hold
    """Return data as they may be shown now."""
    masker = _CURRENT.get()
    return masker.data(data) if masker else data


def table_shown(heads: Sequence[str], rows: Iterable[Sequence[Cell]]) -> Iterable[Sequence[Cell]]:
    """Return a table's rows as they may be shown now: without where somebody stands, where names are hidden."""
    masker = _CURRENT.get()
    if not masker:
        return rows
    shown = [[*map(_cell_shown, row)] for row in rows]
    return table_out_of_order(heads, shown) if masker.hides_places else shown


def _cell_shown(cell: Cell) -> Cell:
    shown = hidden(str(cell))
    return cell if shown == str(cell) else shown


def page_shown(page: str) -> str:
    """Return a page as it may be shown now; its texts are hidden already."""
    masker = _CURRENT.get()
    return page_out_of_order(page) if masker and masker.hides_places else page


def finalizer() -> Callable[[Any], Any] | None:
    """Return what every value of a page passes through; None where nothing is hidden."""
    masker = _CURRENT.get()
    if masker is None:
        return None
    return lambda value: value if isinstance(value, int) or hasattr(value, "__html__") else masker.text(str(value))
