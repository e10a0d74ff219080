"""One line on a terminal with what is being done, for whatever takes more than a second."""

import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

from skarvin.cli.table import screen_width, width_of
from skarvin.cli.terminal import one_line, shown
from skarvin.core.progress import listening

FIRST_SHOWN_AFTER = 1.0
BETWEEN = 0.25
_CLEAR = "\r\x1b[2K"


@contextmanager
def progress_line() -> Iterator[None]:
    """Show what is done in the block; nothing is left of it afterwards, and none is shown where output is piped.

    Nothing else may be printed, or asked, within the block.
    """
    if not (sys.stdout.isatty() and sys.stderr.isatty()):
        yield
        return
    line = _Line()
    with listening(line.say):
        line.start()
        try:
            yield
        finally:
            line.stop()


class _Line:
    """The line, drawn by a thread of its own so that it moves while the work goes on."""

    def __init__(self) -> None:
        self._what = "working"
        self._since = time.monotonic()
        self._is_over = threading.Event()
        self._is_shown = False
        self._thread = threading.Thread(target=self._draw, daemon=True)

    def say(self, what: str) -> None:
        self._what = what

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._is_over.set()
        self._thread.join()
        if self._is_shown:
            self._write(_CLEAR)

    def _draw(self) -> None:
        wait = FIRST_SHOWN_AFTER
        while not self._is_over.wait(wait):
            wait = BETWEEN
            text = f"{self._what} ... {time.monotonic() - self._since:.0f} s"
            text = shown(one_line(text))
            self._write(_CLEAR + (text if width_of(text) < screen_width() else f"{text[: screen_width() // 2]} ..."))
            self._is_shown = True

    @staticmethod
    def _write(text: str) -> None:
        sys.stderr.write(text)
        sys.stderr.flush()
