"""What is being done just now, for whoever wants to know: a terminal, for instance. Nobody listens unless asked to."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_LISTENER: ContextVar[Callable[[str], None] | None] = ContextVar("listener", default=None)


def report_progress(what: str) -> None:
    """Say what is being done from now on, in words that name no student."""
    if listener := _LISTENER.get():
        listener(what)


@contextmanager
def listening(listener: Callable[[str], None]) -> Iterator[None]:
    """Tell a listener of all progress within the block."""
    token = _LISTENER.set(listener)
    try:
        yield
    finally:
        _LISTENER.reset(token)
